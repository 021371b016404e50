"""The rim test: whether a place can be mended from around, and where its rim is broken.

A mend spans its place by what lies on the rim. Where the rim crosses an edge, a fold or the
picture's border, it would smear. On plain skin the light along a rim is that of a tilted plane;
what sticks out of it is broken.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.density import optical_density

BROKEN_ABOVE = 0.1  # optical density: a tenth of the light
N_POINTS = 72
SMOOTHED = 0.12  # of the place's reach: pores and grain do not break a rim
LEAST_SMOOTHED_PX = 1.0
OUTLINE_SMOOTHED_PX = 2.0
OUTLINE_STRETCH, STEP_STRETCH = 0.2, 0.03  # of an outline's length
STEP_ABOVE = 2 * BROKEN_ABOVE  # shading along a stretch is no edge


@dataclass(frozen=True, eq=False)
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
    centre = points.mean(0)
    reach_px = float(np.hypot(*(points - centre).T).max())
    darkness = _smoothed(rgb, max(LEAST_SMOOTHED_PX, SMOOTHED * reach_px))
    light, outside = _along(darkness, points)
    terms = np.column_stack([np.ones(len(points)), points - centre])
    fit, *_ = np.linalg.lstsq(terms, light, rcond=None)
    off = np.abs(light - terms @ fit)
    return RimTest(points, outside | (off > BROKEN_ABOVE))


def examine_outline(rgb: FloatImage, points: NDArray[np.float32]) -> RimTest:
    """`examine_outlines` of one."""
    return next(examine_outlines(rgb, (points,)))


def examine_outlines(
    rgb: FloatImage, outlines: Iterable[NDArray[np.float32]]
) -> Iterator[RimTest]:
    """Test long closed outlines of any shape, point by point against their own neighbourhood.

    What lies along a long rim is no plane any more. A hair that crosses it sticks out of the
    median of a stretch around; an edge that crosses it parts a stretch before from one after.

    Parameters
    ----------
    rgb : as for `examine_rim`.
    outlines : of each the points, evenly spaced.
    """
    darkness = _smoothed(rgb, OUTLINE_SMOOTHED_PX)
    for points in outlines:
        yield _examined(darkness, points)


def _examined(darkness: Plane, points: NDArray[np.float32]) -> RimTest:
    light, outside = _along(darkness, points)
    half = max(2, round(len(points) * OUTLINE_STRETCH / 2))
    stretches = np.lib.stride_tricks.sliding_window_view(
        np.pad(light, half, mode="wrap"), 2 * half + 1
    )
    off = np.abs(light - np.median(stretches, axis=1))
    near = max(2, round(len(points) * STEP_STRETCH))
    sides = np.lib.stride_tricks.sliding_window_view(
        np.pad(light, near, mode="wrap"), 2 * near + 1
    )
    step = np.abs(np.median(sides[:, :near], 1) - np.median(sides[:, -near:], 1))
    return RimTest(points, outside | (off > BROKEN_ABOVE) | (step > STEP_ABOVE))


def evenly_spaced(outline: NDArray[np.float32], n_points: int) -> NDArray[np.float32]:
    """So many points at even distances along a closed outline, (N, 2)."""
    closed = np.vstack([outline, outline[:1]])
    lengths = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    at = np.linspace(0, lengths[-1], n_points, endpoint=False)
    columns = [np.interp(at, lengths, closed[:, axis]) for axis in (0, 1)]
    return np.column_stack(columns).astype(np.float32)


def _smoothed(rgb: FloatImage, sigma_px: float) -> Plane:
    return np.asarray(cv2.GaussianBlur(optical_density(rgb).darkness, (0, 0), sigma_px))


def _along(
    darkness: Plane, points: NDArray[np.float32]
) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """The darkness at each point, and which points lie outside of the picture."""
    height, width = darkness.shape
    x, y = points[:, 0], points[:, 1]
    outside = (x < 0) | (y < 0) | (x >= width) | (y >= height)
    light = cv2.remap(
        darkness, (x - 0.5)[None], (y - 0.5)[None], cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )[0]  # fmt: skip
    return light, outside
