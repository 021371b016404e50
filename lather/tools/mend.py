"""Mending by brush: paint over a place, and when the pen lifts it is mended."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from lather.core.arrays import FULL, FloatImage
from lather.core.brush.dabs import Dabs
from lather.core.brush.stroke import PenSample
from lather.core.rect import Rect
from lather.document import edits
from lather.document.findings import FindingState
from lather.document.job import JobState
from lather.document.layers import PixelLayer
from lather.document.painting import Coverage, lay_patch
from lather.document.strokes import StrokeRecord
from lather.render.compositor import render, render_below
from lather.tools.avoid import avoided
from lather.tools.base import Hand, Outcome, Work
from lather.tools.brush import with_layer_to_paint, with_new_pixels
from lather.tools.copy import check_source, picked_offset

if TYPE_CHECKING:
    from lather.core.mend.spot import Mended

LAYER_NAME = "Mended spots"


def begin_mend_spot(state: JobState, hand: Hand) -> Work:
    return MendWork(with_layer_to_paint(state, LAYER_NAME), hand, "Mend spot")


def begin_mend_from_source(state: JobState, hand: Hand) -> Work:
    check_source(hand)
    state = with_layer_to_paint(state, LAYER_NAME)
    return MendWork(state, hand, "Mend from source", takes_picked=True)


class MendWork:
    """Collects what the brush covers, then mends it in one go."""

    def __init__(
        self, state: JobState, hand: Hand, name: str, *, takes_picked: bool = False
    ) -> None:
        self._state = state
        self._hand = hand
        self._name = name
        self._takes_picked = takes_picked
        self._layer = edits.paintable(state, state.active_id)
        self._coverage = Coverage(state.photo.rect)

    def add(self, dabs: Dabs) -> Rect:
        return self._coverage.stamp(dabs)

    def preview(self) -> JobState:
        return self._state

    def hatched(self) -> Coverage | None:
        return self._coverage

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:
        from lather.core.mend.search import Source
        from lather.core.mend.spot import mend_spot  # OpenCV is not loaded for the first window

        place = self._coverage.rect
        if place.empty:
            return None
        offset = None
        if self._takes_picked:
            offset = picked_offset(self._hand, samples[0].x, samples[0].y)
        mended = mend_spot(
            self._read,
            self._state.photo.rect,
            place,
            self._coverage.read(place),
            opacity=self._hand.brush.opacity,
            mode=self._hand.mode,
            source=None if offset is None else Source(*offset, score=0.0),
            avoid=avoided(self._state.findings),
        )
        record = StrokeRecord(
            tool=self._hand.tool,
            brush=self._hand.brush,
            samples=samples,
            rect=mended.rect,
            source=(mended.source.dx, mended.source.dy),
            mode=self._hand.mode.value,
        )
        after = with_mended(self._layer, mended, record)
        settled = self._settled(after, mended.rect)

        def apply(now: JobState) -> JobState:
            changed = with_new_pixels(now, self._state, self._layer, after)
            return edits.decide(changed, settled, FindingState.DONE)

        return Outcome(self._name, apply)

    def _settled(self, after: PixelLayer, touched: Rect) -> list[int]:
        """Open findings under the stroke that no longer show."""
        from lather.core.survey.presence import is_gone, looked_at, presence

        before, findings = self._state, self._state.findings
        mended = edits.update_layer(before, after.id, tiles=after.tiles)
        gone = []
        for finding in findings.in_state(FindingState.OPEN):
            if not touched.contains_point(finding.x, finding.y):
                continue
            rect = looked_at(finding).intersect(before.photo.rect)
            shown = [presence(render(s, rect), rect, finding) for s in (before, mended)]
            if is_gone(*shown):
                gone.append(finding.id)
        return gone

    def _read(self, rect: Rect, level: int) -> FloatImage:
        return render_below(self._state, self._layer.id, rect, level)


def with_mended(layer: PixelLayer, mended: Mended, record: StrokeRecord) -> PixelLayer:
    """The layer with a mend laid over it."""
    tiles = lay_patch(layer.tiles, mended.rect, _pixels(mended), mended.coverage)
    return replace(layer, tiles=tiles, strokes=(*layer.strokes, record))


def _pixels(mended: Mended) -> np.ndarray[tuple[int, ...], np.dtype[np.uint16]]:
    out = np.full((*mended.coverage.shape, 4), FULL, dtype=np.uint16)
    out[..., :3] = mended.colour * np.float32(FULL) + np.float32(0.5)
    return out
