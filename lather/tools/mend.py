"""Mending by brush: paint over a place, and when the pen lifts it is mended."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from lather.assist.clean.clean import LAYER_NAME
from lather.assist.clean.weak import anchor_of_weak, weak_kind_at, with_weak_layer
from lather.core.area.place import Place
from lather.core.arrays import FloatImage, block_means
from lather.core.brush.dabs import Dabs
from lather.core.brush.stroke import PenSample
from lather.core.mend.placement import Placement
from lather.core.rect import Rect, paste
from lather.core.survey.findings.finding import MOST_BROKEN
from lather.document import edits
from lather.document.access import mendable
from lather.document.agreed.style import Weak
from lather.document.findings import FindingState
from lather.document.layers.pixels import PixelLayer
from lather.document.painting.laid import Laid, laying
from lather.document.painting.painting import Coverage
from lather.document.painting.strokes import StrokeRecord, readings_of
from lather.document.state import JobState
from lather.errors import EditError
from lather.render.area import limit_on
from lather.render.avoid import avoided_for
from lather.render.compositor import render
from lather.render.marks import findings_in
from lather.render.space import layer_space
from lather.render.visibility import refuse_unless_seen
from lather.tools.base import CoveredWork, Hand, Outcome, Work
from lather.tools.brush import taken_from
from lather.tools.copy import check_source, picked_placement
from lather.tools.own_layer import layer_to_mend_on
from lather.tools.reading import source_of, up_to
from lather.tools.rim import rim_of

if TYPE_CHECKING:
    from lather.core.mend.result import Mended

LIVE_MARGIN_PX = 16


def begin_mend_spot(state: JobState, hand: Hand) -> Work:
    return MendWork(state, hand, "Mend spot")


def begin_mend_from_source(state: JobState, hand: Hand) -> Work:
    check_source(hand)
    return MendWork(state, hand, "Mend from source", takes_picked=True)


class MendWork(CoveredWork):
    """Collects what the brush covers, then mends it in one go."""

    def __init__(
        self, begun: JobState, hand: Hand, name: str, *, takes_picked: bool = False
    ) -> None:
        own = layer_to_mend_on(begun, LAYER_NAME)
        state, self._anchor = own.state, own.anchor
        super().__init__(state)
        self._begun = begun
        self._hand = hand
        self._name = name
        self._takes_picked = takes_picked
        self._layer = mendable(state, state.active_id)
        self._flat = layer_space(state, self._layer.id).flat(state)
        self._read = up_to(state, self._layer.id)
        self._read_source = source_of(state, self._layer.id, hand.reads)
        self._placement: Placement | None = None

    def add(self, dabs: Dabs) -> Rect:
        if self._takes_picked and self._placement is None and len(dabs):
            self._placement = picked_placement(self._hand, float(dabs[0, 0]), float(dabs[0, 1]))
        dirty = super().add(dabs)
        # A mend changes with its whole rim, not only where the brush went last.
        return dirty if self._placement is None else self._coverage.rect.grown(LIVE_MARGIN_PX)

    def hatched(self) -> Coverage | None:
        return self._coverage if self._placement is None else None

    def covered(self) -> Coverage:
        return self._coverage

    def shown(self, rect: Rect, level: int) -> FloatImage | None:
        """With a picked source the mend itself, as it is so far."""
        if self._placement is None:
            return None
        from lather.core.mend.graft import prepare_bed, quick_graft
        from lather.core.mend.search import width_px_of
        from lather.core.mend.spot import covered_by, texture_sigma_px

        out = render(self._flat, rect, level)
        picture = self._state.photo.rect.at_level(level)
        place = self._coverage.rect.at_level(level).intersect(picture)
        selection = block_means(self._coverage.read(place.from_level(level)), level)
        coverage = covered_by(selection, self._hand.brush.opacity)
        try:
            bed = prepare_bed(self._read, picture, place, coverage, level=level)
            mended = quick_graft(
                self._read_source, bed, self._placement.at_level(level),
                fine_px=texture_sigma_px(width_px_of(bed.inside), level), mode=self._hand.mode,
            )  # fmt: skip
        except EditError:
            return out  # said when the pen lifts
        paste(out[..., :3], rect, mended, bed.rect)
        return out

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:
        place = self._place()
        if place is None:
            return None
        state, layer = self._state, self._layer
        weak = self._weak_kind(place)
        if weak is not None:
            state, layer = with_weak_layer(self._begun, weak)
        refuse_unless_seen(state, layer.id, place.rect)
        mended = self._mended(state, layer)
        record = StrokeRecord(
            tool=self._hand.tool,
            brush=self._hand.brush,
            readings=readings_of(samples),
            rect=mended.rect,
            mode=self._hand.mode.value,
            **taken_from(mended.source),
        )
        lay = laying(mended, limit_on(state, layer.id, mended.rect))
        laid = Laid(layer, lay, record, self._anchor, from_active=self._begun.active_id)
        if weak is not None:
            laid = Laid(layer, lay, record, anchor_of_weak, becomes_active=False)
        done = laid.done()
        settled = self._settled(state, done, mended.rect)

        def apply(now: JobState) -> JobState:
            mended = laid.applied_to(now, done)
            return edits.decide(mended, settled, FindingState.DONE, by=layer.id)

        rim = rim_of(up_to(state, layer.id), state.photo.rect, place)
        broken = rim is not None and rim.share > MOST_BROKEN
        return Outcome(
            self._name if weak is None else f"Soften {weak.value}",
            apply,
            place if broken else None,
            rim.share if rim is not None else 0.0,
            lays=True,
        )

    def _weak_kind(self, place: Place) -> Weak | None:
        """What is softened there on a layer of its own, if that lies where this one does."""
        if not self._hand.weak:
            return None
        space = layer_space(self._state, self._layer.id)
        there = findings_in(self._begun.findings, space)
        begun = replace(self._begun, findings=there)
        weak = weak_kind_at(begun, place, by_source=self._takes_picked)
        if weak is None:
            return None
        state, layer = with_weak_layer(self._begun, weak)
        return weak if layer_space(state, layer.id).below == space.below else None

    def _place(self) -> Place | None:
        """What the brush covered, as shares of its opacity."""
        rect = self._coverage.rect
        if rect.empty:
            return None
        opacity = max(self._hand.brush.opacity, 1e-3)
        return Place(rect, self._coverage.read(rect) / np.float32(opacity))

    def _mended(self, state: JobState, layer: PixelLayer) -> Mended:
        from lather.core.mend.spot import mend_spot  # OpenCV is not loaded for the first window

        rect = self._coverage.rect
        covered = self._coverage.read(rect)
        return mend_spot(
            up_to(state, layer.id),
            state.photo.rect,
            rect,
            covered,
            opacity=self._hand.brush.opacity,
            mode=self._hand.mode,
            source=self._placement,
            read_source=source_of(state, layer.id, self._hand.reads),
            avoid=avoided_for(state, layer.id, rect, covered),
        )

    def _settled(self, before: JobState, after: PixelLayer, touched: Rect) -> list[int]:
        """Open findings under the stroke that no longer show, or are softened."""
        from lather.core.survey.findings.presence import is_gone, looked_at, presence

        space = layer_space(before, after.id)
        findings = findings_in(before.findings, space)
        # What a weak layer shows in full counts: its strength is the brief's business.
        mended = edits.update_layer(before, after.id, tiles=after.tiles, strength=1.0)
        gone = []
        for finding in findings.in_state(FindingState.OPEN):
            if finding.kind.is_patch or touched.intersect(finding.rect).empty:
                continue
            rect = looked_at(finding).intersect(before.photo.rect)
            shown = [presence(render(space.flat(s), rect), rect, finding)
                     for s in (before, mended)]  # fmt: skip
            if is_gone(*shown):
                gone.append(finding.id)
        return gone
