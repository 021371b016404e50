"""Where a proposal would change the picture, as outlines to be drawn on it."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import ByteImage
from lather.document.state import JobState
from lather.render.compositor import deepest_level, render
from lather.render.space import seen_space

SIDE_PX = 700  # long side at which the change is looked at
SHOWS = 0.002  # of encoded values, from which something is changed
CLOSES_PX = 19  # gaps that the outline goes over
LEAST_SHARE = 2e-5  # of the picture; smaller islands are left out
MOST_OUTLINES = 24

Outline = tuple[tuple[float, float], ...]  # x, y in pixels of the photo, closed


def changed_outlines(before: JobState, after: JobState) -> tuple[Outline, ...]:
    """Outlines around what changes, on the photo, the largest first."""
    import cv2

    level = deepest_level(before.photo, SIDE_PX)
    rect = before.photo.rect.at_level(level)
    away = np.abs(render(after, rect, level)[..., :3] - render(before, rect, level)[..., :3])
    shows = cv2.GaussianBlur(away.max(-1), (0, 0), 1.5) > SHOWS
    solid = cv2.morphologyEx(
        shows.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((CLOSES_PX, CLOSES_PX), dtype=np.uint8)
    )
    outlines = outlines_of(solid, 1 << level, LEAST_SHARE * rect.area)[:MOST_OUTLINES]
    space = seen_space(before)
    if not space.below:
        return outlines
    return tuple(tuple((float(x), float(y)) for x, y in space.to_photo(np.array(outline)))
                 for outline in outlines)  # fmt: skip


def outlines_of(mask: ByteImage, scale: float, least_px: float) -> tuple[Outline, ...]:
    """Outlines around what is set in an (h, w) mask whose pixels are `scale` of the photo's wide,
    the largest first; none around less than so many of its pixels."""
    import cv2

    found, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_TC89_L1)
    large = [contour for contour in found if cv2.contourArea(contour) > least_px]
    large.sort(key=lambda contour: -float(cv2.contourArea(contour)))
    return tuple(
        tuple(((float(x) + 0.5) * scale, (float(y) + 0.5) * scale) for x, y in contour[:, 0])
        for contour in large
    )
