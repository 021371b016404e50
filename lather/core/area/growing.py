"""Growing an area from a touched place until it meets an edge, by a measured tolerance.

Every pixel gets the smallest tolerance at which it joins the touched place: the largest colour
difference that must be crossed on the best way to it. Of all tolerances that one is the object's
own at which the area's rim lies best on edges: where the mean gradient along the rim is largest,
before the area spills into what lies behind. Source: the peripheral contrast of Hojjatoleslami
and Kittler 1998, "Region growing: a new approach".
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.blur import disc
from lather.core.colour.lab import srgb_to_lab
from lather.core.guided import Guide
from lather.errors import EditError

N_LEVELS = 40
LEAST_TOLERANCE, MOST_TOLERANCE = 1.5, 60.0  # of colour, in deviations of the touched place
LEAST_SPREAD = (2.0, 1.0, 1.0)  # of L*, a*, b* on any even place
LEAST_RIM_PX = 8
SPILL, SPILL_OF_PICTURE, CONTRAST_AFTER_SPILL = 2.5, 0.01, 0.8
MOST_OF_PICTURE = 0.85
GRAIN_SIGMA_PX = 1.2
EDGE_RADIUS_PX, EDGE_EVENNESS = 3, 4.0  # of the guided filter that puts the rim on the edge, Lab


@dataclass(frozen=True)
class Growth:
    """What grew.

    Attributes
    ----------
    area : (H, W) 0-1, its rim on the picture's edges.
    tolerance : measured, in CIE L*a*b* units.
    """

    area: Plane
    tolerance: float


def grow_area(rgb: FloatImage, touched: NDArray[np.bool_]) -> Growth:
    """The object under the touched pixels.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1.
    touched : (H, W) bool, at least one pixel.

    Raises
    ------
    EditError : nothing inside the picture was touched.
    """
    if not touched.any():
        raise EditError("No area was grown", "the picture was not touched", "click inside of it")
    lab = srgb_to_lab(rgb).astype(np.float32)
    smooth = cv2.GaussianBlur(lab, (0, 0), GRAIN_SIGMA_PX)
    middle = np.median(smooth[touched], 0)
    spread = 1.4826 * np.median(np.abs(smooth[touched] - middle), 0)
    unit = np.maximum(spread, LEAST_SPREAD).astype(np.float32)
    # A touched place with a gradient is all of it the object: nothing in it is far.
    away = np.sqrt(np.square((smooth - middle) / unit).sum(-1))
    away[touched] = 0
    joins_at = _joining_levels(away, touched)
    level = _best_level(joins_at, _rim_contrasts(joins_at, _edge_strength(smooth)))
    inside = joins_at <= level
    # A pimple or a glint inside belongs to the object.
    closed = cv2.morphologyEx(inside.astype(np.uint8), cv2.MORPH_CLOSE, disc(2))
    rim = Guide(lab, EDGE_RADIUS_PX, EDGE_EVENNESS).refine(closed.astype(np.float32))
    near = cv2.dilate(closed, disc(EDGE_RADIUS_PX)) > 0
    area = np.where(near, np.clip(1.5 * rim - 0.25, 0, 1), 0).astype(np.float32)
    return Growth(area, float(_LEVELS[level] * np.linalg.norm(unit) / np.sqrt(3)))


_LEVELS = np.geomspace(LEAST_TOLERANCE, MOST_TOLERANCE, N_LEVELS)


def _joining_levels(away: Plane, touched: NDArray[np.bool_]) -> NDArray[np.int32]:
    """The number of the level at which each pixel joins; N_LEVELS where it never does."""
    joins_at = np.full(away.shape, N_LEVELS, dtype=np.int32)
    for number in reversed(range(N_LEVELS)):
        allowed = (away <= _LEVELS[number]).astype(np.uint8)
        _, labels = cv2.connectedComponents(allowed, connectivity=4)
        met = np.zeros(labels.max() + 1, dtype=bool)
        met[labels[touched]] = True
        met[0] = False
        joins_at[met[labels]] = number
    return joins_at


def _best_level(joins_at: NDArray[np.int32], contrasts: NDArray[np.float64]) -> int:
    """The level whose rim lies best on edges, of those before the area spills over one."""
    sizes_px = np.cumsum(np.bincount(joins_at.ravel(), minlength=N_LEVELS)[:N_LEVELS])
    allowed = sizes_px < MOST_OF_PICTURE * joins_at.size
    for level in range(1, N_LEVELS):
        gained_px = sizes_px[level] - sizes_px[level - 1]
        spills = sizes_px[level] > SPILL * sizes_px[level - 1]
        if (
            spills
            and gained_px > SPILL_OF_PICTURE * joins_at.size
            and contrasts[level] < CONTRAST_AFTER_SPILL * contrasts[level - 1]
        ):
            allowed[level:] = False
            break
    allowed[0] = True  # what was touched, at least
    return int(np.argmax(np.where(allowed, contrasts, -1)))


def _rim_contrasts(joins_at: NDArray[np.int32], edge: Plane) -> NDArray[np.float64]:
    """Mean edge strength along the rim that the area has at each level; 0 where it has none."""
    sums, counts = np.zeros(N_LEVELS + 1), np.zeros(N_LEVELS + 1)
    for axis in (0, 1):
        one, other = (joins_at[:-1], joins_at[1:]) if axis == 0 else (
            joins_at[:, :-1], joins_at[:, 1:])  # fmt: skip
        strength = np.maximum(edge[:-1], edge[1:]) if axis == 0 else np.maximum(
            edge[:, :-1], edge[:, 1:])  # fmt: skip
        differ = one != other
        first, last = np.minimum(one, other)[differ], np.maximum(one, other)[differ]
        # The pair lies on the rim from the level of the first to that of the last.
        for totals, weight in ((sums, strength[differ]), (counts, np.ones(len(first)))):
            totals += np.bincount(first, weight, N_LEVELS + 1)
            totals -= np.bincount(last, weight, N_LEVELS + 1)
    n_rim = np.cumsum(counts)[:N_LEVELS]
    mean: NDArray[np.float64] = np.cumsum(sums)[:N_LEVELS] / np.maximum(n_rim, 1)
    mean[n_rim < LEAST_RIM_PX] = 0
    return mean


def _edge_strength(lab: FloatImage) -> Plane:
    """Colour gradient per pixel, L*a*b* units."""
    gx, gy = cv2.Sobel(lab, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(lab, cv2.CV_32F, 0, 1,
                                                                      scale=0.125)  # fmt: skip
    strength: Plane = np.sqrt(np.square(gx).sum(-1) + np.square(gy).sum(-1))
    return strength
