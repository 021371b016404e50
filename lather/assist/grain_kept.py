"""How much of the photo's grain there still is, by looks at small blocks at full size."""

from __future__ import annotations

import numpy as np

from lather.core.check.edges import Mask
from lather.core.rect import Rect
from lather.core.work import NEVER, CancelToken
from lather.document.state import JobState
from lather.render.measured import render_lightness

SIDE_PX, LOOKS = 64, 12
LEAST_GRAIN_L = 0.15  # with less the photo has none


def grain_kept(start: JobState, now: JobState, mask: Mask, level: int,
               cancel: CancelToken = NEVER) -> float:  # fmt: skip
    """Which share of the start's grain is left where a mask of a level holds, as sigmas; at most
    all of it."""
    ratios = grain_ratios(start, now, mask, level, LOOKS, cancel)
    return min(1.0, float(np.median(ratios))) if ratios else 1.0


def shared_grain(grain: float, kept: float) -> float:
    """Of a variance of grain what both pictures have, if so much of it is left, as sigmas: between
    what it is where grain was weakened (kept), and where a part of it was taken out (kept squared).
    """
    return float(grain * kept**1.5)


def grain_ratios(
    start: JobState, now: JobState, mask: Mask, level: int, n_looks: int,
    cancel: CancelToken = NEVER,
) -> list[float]:  # fmt: skip
    """Sigmas of the grain now against the start, in blocks spread over where a mask of a level
    holds; none of those where the start has no grain that can be told."""
    from lather.core.filter.grain import grain_sigma_l  # SciPy: not for the first window

    found = []
    for x, y in _spread_over(mask, level, n_looks):
        cancel.check()
        block = Rect.around(x, y, SIDE_PX / 2).intersect(start.photo.rect)
        was, is_now = (grain_sigma_l(render_lightness(state, block) / np.float32(100))
                       for state in (start, now))  # fmt: skip
        if was > LEAST_GRAIN_L:
            found.append(is_now / was)
    return found


def _spread_over(mask: Mask, level: int, n_places: int) -> list[tuple[float, float]]:
    """Places of the photo, spread over where a mask holds in a whole block."""
    import cv2

    side = 1 << level
    solid = cv2.erode(mask.astype(np.uint8), np.ones((max(1, SIDE_PX // side),) * 2))
    places = np.argwhere(solid > 0)
    chosen = places[:: max(1, len(places) // n_places)][:n_places]
    return [((x + 0.5) * side, (y + 0.5) * side) for y, x in chosen]
