"""What this person's skin is like in the photo: lenses compare with it."""

from __future__ import annotations

import numpy as np

from lather.core.colour.labs import lab_of
from lather.core.last import Last
from lather.core.survey.regions.region import Region
from lather.document.state import JobState
from lather.render.compositor import deepest_level, render_photo
from lather.render.ground import photo_ground
from lather.render.regions import region_coverage

SEEN_PX, SURE = 512, 0.8
Lab = tuple[float, float, float]


def skin_lab(state: JobState) -> Lab:
    """The median L*, a* and b* of the skin of the photo; of all of it before it is surveyed."""
    return _KEPT.of((state.photo, state.regions), lambda: _measured(state))


def _measured(state: JobState) -> Lab:
    level = deepest_level(state.photo, SEEN_PX)
    rect = state.photo.rect.at_level(level)
    lab = lab_of(render_photo(state.photo, rect, level))
    if Region.SKIN in state.regions.masks:
        skin = region_coverage(photo_ground(state), Region.SKIN, rect, level) > SURE
        if skin.any():
            lab = lab[skin]
    light, a, b = np.median(lab.reshape(-1, 3), axis=0)
    return float(light), float(a), float(b)


_KEPT: Last[Lab] = Last()
