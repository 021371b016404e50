"""Outlining and growing areas with the pen."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lather.core.area.combine import Combine
from lather.core.arrays import MaskPixels, Plane
from lather.core.brush.dabs import Dabs
from lather.core.brush.stroke import PenSample
from lather.core.rect import Rect
from lather.document import areas
from lather.document.painting.painting import Coverage
from lather.document.planes import samples_of
from lather.document.state import JobState
from lather.render.compositor import render
from lather.render.space import Space, in_photo_space
from lather.tools.base import CoveredWork, Hand, Outcome, Work

SEARCHED_PX = 1024  # long side of the reduced picture that an area is grown on
RIM_PX = 3  # of the reduced picture, around a grown area: what the cubic looks at
NOTHING = Rect(0, 0, 0, 0)
NAMES = {
    Combine.NEW: "Outline area", Combine.ADD: "Add to area", Combine.TAKE: "Take from area",
    Combine.OVERLAP: "Overlap with area",
}  # fmt: skip


def begin_outline(state: JobState, hand: Hand) -> Work:
    return OutlineWork(state, hand.combine)


def begin_grow_area(state: JobState, hand: Hand) -> Work:
    return GrowWork(state, hand)


class OutlineWork(Work):
    """The pen draws round an area, on the photo or in another space."""

    def __init__(self, state: JobState, combine: Combine, space: Space | None = None) -> None:
        self._state = state
        self._combine = combine
        self._space = space

    def add(self, dabs: Dabs) -> Rect:  # noqa: ARG002
        return NOTHING

    def preview(self) -> JobState:
        return self._state

    def outlines(self) -> bool:
        return True

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:
        from lather.core.area.shape import outline_coverage, outline_rect

        points = np.array([(sample.x, sample.y) for sample in samples], dtype=np.float32)
        if self._space is not None:
            points = self._space.to_photo(points.astype(np.float64)).astype(np.float32)
        rect = outline_rect(points, self._state.photo.rect)
        if rect.empty:
            return None
        return _outcome(self._state, rect, outline_coverage(points, rect), self._combine)


class GrowWork(CoveredWork):
    """The pen touches what the area is to grow over."""

    def __init__(self, state: JobState, hand: Hand) -> None:
        super().__init__(state)
        self._combine = hand.combine

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:  # noqa: ARG002
        import cv2

        from lather.core.area.growing import grow_area

        touched_rect = self._coverage.rect
        if touched_rect.empty:
            return None
        picture = self._state.photo.rect
        level = 0
        while max(picture.width, picture.height) >> level > SEARCHED_PX:
            level += 1
        small = picture.at_level(level)
        touched = _touched(self._coverage, small, level)
        area = grow_area(
            render(in_photo_space(self._state), small, level)[..., :3], touched
        ).area
        place = Rect.of_mask(area > 0).grown(RIM_PX).intersect(small)
        grown = samples_of(np.ascontiguousarray(area[place.slices]))
        if level:
            # The rim of a reduced pixel is soft anyway; cubic keeps its curve.
            size = place.width << level, place.height << level
            larger = cv2.resize(grown, size, interpolation=cv2.INTER_CUBIC)
            grown = np.asarray(larger, dtype=np.uint16)
        rect = place.from_level(level).intersect(picture)
        on_picture: MaskPixels = grown[: rect.height, : rect.width]
        return _outcome(self._state, rect, on_picture, self._combine)


def _touched(coverage: Coverage, small: Rect, level: int) -> NDArray[np.bool_]:
    """Pixels of the reduced picture under the pen; at least the one in the middle."""
    out = np.zeros((small.height, small.width), dtype=bool)
    rect = coverage.rect.at_level(level).intersect(small)
    step = 1 << level
    covered = coverage.read(rect.from_level(level))
    blocks = covered.reshape(rect.height, step, rect.width, step).max((1, 3))
    out[rect.slices] = blocks > 0.5
    if not out.any():
        out[(rect.y0 + rect.y1 - 1) // 2, (rect.x0 + rect.x1 - 1) // 2] = True
    return out


def _outcome(
    state: JobState, rect: Rect, coverage: Plane | MaskPixels, combine: Combine
) -> Outcome:
    """The area after an outline, worked out here: it may be as large as the picture."""
    after = areas.outline(state, rect, coverage, combine)

    def apply(now: JobState) -> JobState:
        if now.area is not state.area:
            return areas.outline(now, rect, coverage, combine)
        return areas.set_area(now, after.area)

    return Outcome(NAMES[combine], apply)
