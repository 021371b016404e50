"""An area grown, shrunk or moved by its edge; what lies around shares the gap.

The pen takes hold near the edge: what is inside is stretched from the far side, which stays. It
takes hold in the middle: all of the area goes along. Outside the shift fades over a distance that
is long against it, so that neighbours give way and nothing folds.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lather.core.adjust.bracket import smooth_step
from lather.core.arrays import Plane
from lather.core.shape.falloff import bell
from lather.core.shape.field import Nodes

DEEP = 0.45  # of the deepest place's distance from the edge: from there on all of it goes
FADES, LEAST_FADE = 2.5, 0.6  # of the shift, and of the area's size: how far around gives way
LOOKUPS = 4


def area_shift(
    area: Plane, step_px: int, grasped: tuple[float, float], by: tuple[float, float]
) -> Nodes:
    """(rows, columns, 2): how far nodes go, px.

    Parameters
    ----------
    area : (rows, columns) 0-1 at the nodes, with all around it that may give way.
    grasped : where the pen took hold, in nodes of `area`; `by` how far it went, px.
    """
    import cv2

    length = float(np.hypot(*by))
    inside = (area > 0.5).astype(np.uint8)
    if length == 0 or not inside.any():
        return np.zeros((*area.shape, 2), dtype=np.float32)
    size_px = step_px * float(np.sqrt(inside.sum()))
    beyond = cv2.distanceTransform(1 - inside, cv2.DIST_L2, 5) * step_px
    fade = max(FADES * length, LEAST_FADE * size_px)
    outside = bell(beyond / fade)
    depth = cv2.distanceTransform(inside, cv2.DIST_L2, 5)
    row = int(np.clip(round(grasped[1]), 0, area.shape[0] - 1))
    column = int(np.clip(round(grasped[0]), 0, area.shape[1] - 1))
    if depth[row, column] < DEEP * float(depth.max()):
        outside = outside * _from_far_side(inside, grasped, np.array(by) / length)
    return _forward(outside.astype(np.float32), step_px, by)


def _from_far_side(
    inside: NDArray[np.uint8], grasped: tuple[float, float], way: NDArray[np.float64]
) -> NDArray[np.float64]:
    """0 at the side of the area that lies opposite, 1 where the pen has hold and beyond, along the
    way; fading to both sides of it."""
    ys, xs = np.nonzero(inside)
    along, across = xs * way[0] + ys * way[1], -xs * way[1] + ys * way[0]
    held_along = grasped[0] * way[0] + grasped[1] * way[1]
    held_across = -grasped[0] * way[1] + grasped[1] * way[0]
    ends = float(along.min()), float(along.max())
    far = ends[0] if abs(held_along - ends[0]) > abs(held_along - ends[1]) else ends[1]
    y, x = np.mgrid[: inside.shape[0], : inside.shape[1]]
    share = ((x * way[0] + y * way[1]) - far) / (held_along - far or 1.0)
    width = max(0.75 * float(np.ptp(across)), 2.0)
    aside = np.abs(-x * way[1] + y * way[0] - held_across) / width
    out: NDArray[np.float64] = smooth_step(share) * bell(aside)
    return out


def _forward(weight: Plane, step_px: int, by: tuple[float, float]) -> Nodes:
    """The shift as it is at where the skin comes to: u(p) = by * weight(p - u(p))."""
    import cv2

    y, x = (grid.astype(np.float32) for grid in np.mgrid[: weight.shape[0], : weight.shape[1]])
    across, down = (np.float32(length / step_px) for length in by)
    found = weight
    for _ in range(LOOKUPS):
        found = cv2.remap(
            weight, x - found * across, y - found * down, cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        )  # fmt: skip
    return np.stack([found * np.float32(by[0]), found * np.float32(by[1])], -1)
