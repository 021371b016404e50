"""Graft: outline an area, then drag from inside it to where its texture is to come from."""

from __future__ import annotations

from typing import TYPE_CHECKING

from lather.core.arrays import FloatImage, block_means
from lather.core.brush.dabs import Dabs
from lather.core.brush.stroke import PenSample
from lather.core.mend.placement import Placement
from lather.core.rect import Rect, paste
from lather.document.access import mendable
from lather.document.areas import bounds_of, set_area
from lather.document.avoid import avoided
from lather.document.painting.laid import Laid, laying
from lather.document.painting.strokes import StrokeRecord, readings_of
from lather.document.planes import read_plane
from lather.document.state import JobState
from lather.errors import EditError
from lather.render.area import area_in
from lather.render.cells import CellReader
from lather.render.compositor import render
from lather.render.marks import findings_in
from lather.render.space import painted_space
from lather.render.visibility import refuse_unless_seen
from lather.tools.base import Hand, Outcome, Work
from lather.tools.brush import taken_from
from lather.tools.outline import NOTHING, OutlineWork
from lather.tools.own_layer import layer_to_mend_on
from lather.tools.reading import source_of, up_to

if TYPE_CHECKING:
    from lather.core.mend.graft import Bed

LAYER_NAME = "Grafts"
SHOWN_MARGIN_PX = 16
MOST_PREVIEWED_PX = 300_000  # of the level that is shown; beyond it every other pixel does
GRASPED = 0.5  # coverage of the area from which a pen that goes down is inside


def begin_graft(state: JobState, hand: Hand) -> Work:
    return GraftWork(state, hand)


class GraftWork(Work):
    """An outline if the pen goes down outside of the area, else a graft being dragged."""

    def __init__(self, state: JobState, hand: Hand) -> None:
        self._begun = state
        self._own = self._refusal = None
        try:
            self._own = layer_to_mend_on(state, LAYER_NAME)
        except EditError as error:  # an area can be outlined whatever is active
            self._refusal = error
        self._space = painted_space(self.preview(), self.preview().active_id)
        self._area = area_in(state, self._space)
        self._outline = OutlineWork(state, hand.combine, self._space)
        self._hand = hand
        self._down: tuple[float, float] | None = None
        self._at = (0.0, 0.0)
        self._dragging = False
        self._place = NOTHING
        self._beds: dict[int, Bed] = {}

    def add(self, dabs: Dabs) -> Rect:
        if self._down is None:
            self._down = float(dabs[0, 0]), float(dabs[0, 1])
            self._dragging = self._inside(*self._down)
            if self._dragging:
                self._begin_drag()
        self._at = float(dabs[-1, 0]), float(dabs[-1, 1])
        return self._place.grown(SHOWN_MARGIN_PX) if self._dragging else NOTHING

    def preview(self) -> JobState:
        return self._begun if self._own is None else self._own.state

    def moves_pixels(self) -> bool:
        return self._dragging

    def outlines(self) -> bool:
        return not self._dragging

    def shown(self, rect: Rect, level: int) -> FloatImage | None:
        """The blended result inside of the area, as the pen drags."""
        if not self._dragging:
            return None
        out = self._shown(rect, level)
        try:
            bed, grafted = self._quick_graft(level)
        except EditError:
            return out  # the source lies outside of the picture: the graft goes on elsewhere
        paste(out[..., :3], rect, grafted, bed)
        return out

    def _quick_graft(self, level: int) -> tuple[Rect, FloatImage]:
        """The graft as it would be, and where it lies; a large one coarser while it moves."""
        import cv2

        from lather.core.mend.graft import quick_graft

        coarser = 0
        while self._place.area >> 2 * (level + coarser) > MOST_PREVIEWED_PX:
            coarser += 1
        bed = self._bed(level + coarser)
        placement = self._placement().at_level(level + coarser)
        grafted = quick_graft(self._read_source, bed, placement)
        if coarser:
            size = bed.rect.width << coarser, bed.rect.height << coarser
            grafted = cv2.resize(grafted, size, interpolation=cv2.INTER_LINEAR)
        return bed.rect.from_level(coarser), grafted

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:
        if not self._dragging:
            return self._outline.finish(samples)
        from lather.core.mend.graft import graft

        placement = self._placement()
        if (placement.dx, placement.dy) == (0, 0) and placement.turn.plain:
            return None
        mended = graft(self._read_source, self._bed(0), placement)
        record = StrokeRecord(
            tool=self._hand.tool,
            brush=self._hand.brush,
            readings=readings_of(samples),
            rect=mended.rect,
            **taken_from(placement),
        )
        laid = Laid(self._layer, laying(mended), record, self._anchor,
                    from_active=self._begun.active_id)  # fmt: skip
        done = laid.done()

        def apply(now: JobState) -> JobState:
            """The area was the graft's own: left there it would limit what comes next."""
            grafted = laid.applied_to(now, done)
            return set_area(grafted, None) if now.area is self._begun.area else grafted

        return Outcome("Graft", apply, lays=True)

    def _begin_drag(self) -> None:
        if self._own is None:
            assert self._refusal is not None
            raise self._refusal
        self._state, self._anchor = self._own.state, self._own.anchor
        self._layer = mendable(self._state, self._state.active_id)
        picture = self._begun.photo.rect
        self._read = up_to(self._state, self._layer.id)
        # The picture stays as it is while the pen drags: every part of it is rendered once.
        source = source_of(self._state, self._layer.id, self._hand.reads)
        self._read_source = CellReader(source, picture)
        flat = self._space.flat(self._state)
        self._shown = CellReader(lambda rect, level: render(flat, rect, level), picture)
        assert self._area is not None
        self._place = bounds_of(self._area, picture)
        refuse_unless_seen(self._state, self._layer.id, self._place)

    def _placement(self) -> Placement:
        assert self._down is not None
        dx, dy = self._at[0] - self._down[0], self._at[1] - self._down[1]
        about = (self._place.x0 + self._place.x1) / 2, (self._place.y0 + self._place.y1) / 2
        return Placement(round(dx), round(dy), self._hand.turn, about)

    def _bed(self, level: int) -> Bed:
        if level not in self._beds:
            from lather.core.mend.graft import prepare_bed

            area, picture = self._area, self._begun.photo.rect
            assert area is not None
            place = self._place.at_level(level).intersect(picture.at_level(level))
            coverage = block_means(read_plane(area, place.from_level(level)), level)
            there = findings_in(self._begun.findings, self._space)
            avoid = avoided(there) if level == 0 else None
            bed = prepare_bed(
                self._read, picture.at_level(level), place, coverage, level=level, avoid=avoid
            )
            self._beds[level] = bed
        return self._beds[level]

    def _inside(self, x: float, y: float) -> bool:
        area = self._area
        if area is None or not self._begun.photo.rect.contains_point(x, y):
            return False
        here = read_plane(area, Rect(int(x), int(y), int(x) + 1, int(y) + 1))
        return bool(here[0, 0] >= GRASPED)
