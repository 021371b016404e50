"""The hues of this person's skin, lips, hair and background, to be marked on the hue ruler."""

from __future__ import annotations

import numpy as np

from lather.core.adjust.bracket import GREY_CHROMA
from lather.core.colour.labs import lab_of
from lather.core.survey.regions.region import Region
from lather.document.state import JobState
from lather.render.compositor import deepest_level, render_photo
from lather.render.ground import photo_ground
from lather.render.regions import region_coverage

MARKED = {"skin": Region.SKIN, "lips": Region.LIPS, "hair": Region.HAIR,
          "ground": Region.BACKGROUND}  # fmt: skip
SEEN_PX, SURE, LEAST_PIXELS = 512, 0.7, 12


def hue_marks(state: JobState) -> dict[str, float]:
    """Degrees by name; what is not there or grey has none."""
    level = deepest_level(state.photo, SEEN_PX)
    rect = state.photo.rect.at_level(level)
    lab = lab_of(render_photo(state.photo, rect, level))
    marks = {}
    for name, region in MARKED.items():
        inside = region_coverage(photo_ground(state), region, rect, level) > SURE
        if inside.sum() < LEAST_PIXELS:
            continue
        _, a, b = np.median(lab[inside], axis=0)
        if np.hypot(a, b) > GREY_CHROMA:
            marks[name] = float(np.degrees(np.arctan2(b, a)) % 360)
    return marks
