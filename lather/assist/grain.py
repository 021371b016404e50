"""The grain of a photo, measured where it is evenly lit."""

from __future__ import annotations

import numpy as np

from lather.core.blend.modes import lum
from lather.core.rect import Rect
from lather.document.state import JobState
from lather.render.compositor import render_photo

SIDE_PX = 512  # of the part that is measured, in the middle


def measured_grain_l(state: JobState) -> float:
    """Sigma in L* (hundredths of encoded lightness) in the middle of the photo at full size."""
    from lather.core.filter.grain import grain_sigma_l  # SciPy is not loaded for the first window

    whole = state.photo.rect
    x, y = (whole.width - SIDE_PX) // 2, (whole.height - SIDE_PX) // 2
    part = Rect(x, y, x + SIDE_PX, y + SIDE_PX).intersect(whole)
    light = lum(render_photo(state.photo, part)[..., :3])[..., 0]
    return grain_sigma_l(np.ascontiguousarray(light))
