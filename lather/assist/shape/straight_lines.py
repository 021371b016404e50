"""Straight lines in the background of a photo: found once, kept with the photo."""

from __future__ import annotations

import numpy as np

from lather.core.last import Last
from lather.core.shape.lines import StraightLines, find_lines
from lather.core.survey.regions.region import Region
from lather.document.state import JobState
from lather.render.compositor import deepest_level, render_photo
from lather.render.ground import photo_ground
from lather.render.regions import region_coverage
from lather.render.space import layer_space

SEARCHED_PX = 1600  # long side of the picture that is searched
AWAY = 0.006  # of its shorter side: how far a line lies off the person


def lines_under(state: JobState, layer_id: int) -> StraightLines:
    """Straight lines as what a reshape layer lies on has them, px of the picture."""
    lines, space = photo_lines(state), layer_space(state, layer_id)
    if not len(lines.pieces) or not space.below:
        return lines
    ends = space.from_photo(lines.pieces.reshape(-1, 2).astype(np.float64))
    return StraightLines(ends.reshape(-1, 4).astype(np.float32), lines.line)


def photo_lines(state: JobState) -> StraightLines:
    """Straight lines as the photo has them, px of the photo."""
    return _KEPT.of((state.photo, state.regions), lambda: _found(state))


def _found(state: JobState) -> StraightLines:
    level = deepest_level(state.photo, SEARCHED_PX)
    rect = state.photo.rect.at_level(level)
    where = np.ones((rect.height, rect.width), dtype=np.float32)
    if Region.BACKGROUND in state.regions.masks:
        import cv2

        # The person's own outline is none of the background's lines.
        where = region_coverage(photo_ground(state), Region.BACKGROUND, rect, level)
        side = 2 * max(2, round(AWAY * min(rect.width, rect.height))) + 1
        where = cv2.erode(where, np.ones((side, side), dtype=np.uint8))
    return find_lines(render_photo(state.photo, rect, level), where).scaled(2.0**level)


_KEPT: Last[StraightLines] = Last()
