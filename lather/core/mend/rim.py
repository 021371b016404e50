"""The rim test: whether a place can be mended from around, and where its rim is broken.

A mend spans its place by what lies on the rim. Where the rim crosses an edge, a fold or the
picture's border, it would smear. On plain skin the light along a rim is that of a tilted plane;
what sticks out of it is broken.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage
from lather.core.colour.density import optical_density

BROKEN_ABOVE = 0.1  # optical density: a tenth of the light
N_POINTS = 72
SMOOTHED = 0.12  # of the place's reach: pores and grain do not break a rim
LEAST_SMOOTHED_PX = 1.0


@dataclass(frozen=True)
class RimTest:
    """The outcome of `examine_rim`.

    Attributes
    ----------
    points : (N, 2) x, y along the rim, in pixels of the picture that was tested.
    broken : (N,) bool.
    """

    points: NDArray[np.float32]
    broken: NDArray[np.bool_]

    @property
    def share(self) -> float:
        """How much of the rim is broken, 0-1."""
        return float(self.broken.mean())


def rim_points(x: float, y: float, radii_px: tuple[float, ...]) -> NDArray[np.float32]:
    """`N_POINTS` points on a star-shaped rim, of which the radii at even turns are given."""
    turns = np.arange(N_POINTS) / N_POINTS
    around = np.array((*radii_px, radii_px[0]))
    radii = np.interp(turns * len(radii_px), np.arange(len(radii_px) + 1), around)
    angle = 2 * np.pi * turns
    points = np.stack([x + radii * np.cos(angle), y + radii * np.sin(angle)], 1)
    return points.astype(np.float32)


def examine_rim(rgb: FloatImage, points: NDArray[np.float32]) -> RimTest:
    """Test a closed rim.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1.
    points : (N, 2) x, y along the rim; outside of the picture the rim is broken.
    """
    height, width = rgb.shape[:2]
    centre = points.mean(0)
    reach_px = float(np.hypot(*(points - centre).T).max())
    sigma_px = max(LEAST_SMOOTHED_PX, SMOOTHED * reach_px)
    darkness = cv2.GaussianBlur(optical_density(rgb).darkness, (0, 0), sigma_px)
    x, y = points[:, 0], points[:, 1]
    outside = (x < 0) | (y < 0) | (x >= width) | (y >= height)
    light = cv2.remap(
        darkness, (x - 0.5)[None], (y - 0.5)[None], cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )[0]  # fmt: skip
    terms = np.stack([np.ones(len(points)), x - centre[0], y - centre[1]], 1)
    fit, *_ = np.linalg.lstsq(terms, light, rcond=None)
    off = np.abs(light - terms @ fit)
    return RimTest(points, outside | (off > BROKEN_ABOVE))
