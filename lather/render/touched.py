"""How much of the picture the retouch changes."""

from __future__ import annotations

import numpy as np

from lather.core.rect import Rect
from lather.document.state import JobState
from lather.render.compositor import deepest_level, render, render_photo

SMALLEST_CHANGE = 0.5 / 255


def touched_share(state: JobState, long_side_px: int = 1024) -> float:
    """Share of pixels, 0-1, that differ from the photo; measured on a reduced picture."""
    level = deepest_level(state.photo, long_side_px)
    bounds = state.photo.rect.at_level(level)
    changed = 0
    for key in bounds.cells(256):
        rect = Rect.cell(key, 256).intersect(bounds)
        difference = render(state, rect, level) - render_photo(state.photo, rect, level)
        changed += int(np.count_nonzero(np.abs(difference).max(-1) > SMALLEST_CHANGE))
    return changed / bounds.area
