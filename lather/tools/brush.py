"""Paint colour, Erase, Paint back: the same brush with different paint."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Any

import numpy as np

from lather.core.arrays import FULL, LayerPixels, Plane
from lather.core.blend.composite import to_pixels
from lather.core.brush.dabs import Dabs, lay_colour
from lather.core.brush.stroke import PenSample
from lather.core.colour.lab import luma
from lather.core.mend.mode import MendMode, mode_weight
from lather.core.mend.placement import Placement
from lather.core.rect import Rect
from lather.document import edits
from lather.document.access import (
    mendable,
    paintable,
    refuse_unless_changeable,
    refuse_unless_shown,
)
from lather.document.layers.layer import Layer, Mask
from lather.document.layers.light import MAP, UNCHANGED, LightLayer
from lather.document.layers.photo import PhotoLayer
from lather.document.layers.pixels import PIXELS
from lather.document.painting.laid import Anchor, Laid
from lather.document.painting.painting import (
    ColourPaint,
    Coverage,
    Eraser,
    LiveStroke,
    MaskPaint,
    Paint,
    PhotoPaint,
)
from lather.document.painting.strokes import StrokeRecord, readings_of
from lather.document.state import JobState
from lather.document.tiles import TILE_PX, Key
from lather.document.tree import above, find, replaced, without
from lather.errors import EditError
from lather.render.area import area_on
from lather.render.visibility import refuse_unless_seen
from lather.tools.base import Hand, Outcome, Work
from lather.tools.own_layer import OwnLayer, layer_to_erase_on, layer_to_paint_on
from lather.tools.reading import part_of, stacks_around, up_to


def begin_paint_colour(state: JobState, hand: Hand) -> Work:
    if hand.on_mask:
        return MaskWork(state, target=1.0, name="Show through mask")
    own = layer_to_paint_on(state, "Paint", hand.stage)
    paint: Paint = ColourPaint(hand.colour)
    if hand.mode is not MendMode.ALL:
        paint = WeighedPaint(own.state, hand)
    return PixelWork(own.state, hand, paint, "Paint colour", anchor=own.anchor,
                     from_active=state.active_id)  # fmt: skip


def begin_erase(state: JobState, hand: Hand) -> Work:
    if hand.on_mask:
        return MaskWork(state, target=0.0, name="Hide by mask")
    if isinstance(state.active, LightLayer):
        return light_work(state, hand, UNCHANGED / FULL, "Take light back")
    own = layer_to_erase_on(state, hand.stage)
    return PixelWork(own.state, hand, Eraser(), "Erase", from_active=state.active_id)


def begin_paint_back(state: JobState, hand: Hand) -> Work:
    if hand.back_to is None:
        own = layer_to_paint_on(state, "Original", hand.stage)
        photo: Paint = PhotoPaint(state.photo)
        if stacks_around(own.state):
            photo = StatePaint(own.state.as_photographed, own.state)
        return PixelWork(own.state, hand, photo, "Paint back", of_picture=True,
                         anchor=own.anchor, from_active=state.active_id)  # fmt: skip
    if isinstance(state.active, PhotoLayer):  # the picture as it was goes over all of it
        own = OwnLayer(_with_layer_on_top(state, "Earlier"), _topmost)
    else:
        own = layer_to_paint_on(state, "Earlier", hand.stage)
    paint = StatePaint(_as_it_was_there(hand.back_to, own.state), own.state)
    return PixelWork(own.state, hand, paint, "Paint back", of_picture=True, anchor=own.anchor,
                     from_active=state.active_id)  # fmt: skip


def _with_layer_on_top(state: JobState, name: str) -> JobState:
    return edits.add_pixel_layer(replace(state, active_id=_topmost(state)), name)


def _topmost(state: JobState) -> int:
    return state.layers[-1].id


def _as_it_was_there(earlier: JobState, now: JobState) -> JobState:
    """An earlier state as it has to lie on the active layer, so that the picture is as it was.

    The layers that lie above now act on whatever is painted: they must not be in it too.
    """
    above_now = {layer.id for layer in above(now.layers, now.active_id)}
    return replace(earlier, layers=without(earlier.layers, above_now))


def taken_from(placement: Placement | None) -> dict[str, Any]:
    """The fields of a `StrokeRecord` that say where its pixels came from."""
    if placement is None:
        return {}
    source = placement.dx, placement.dy
    if placement.turn.plain:
        return {"source": source}
    return {"source": source, "extras": {"turn": asdict(placement.turn),
                                         "about": list(placement.about)}}  # fmt: skip


class WeighedPaint:
    """One colour, only where it lifts what is darker or tames what is brighter in the picture as
    it was when the stroke began."""

    def __init__(self, state: JobState, hand: Hand) -> None:
        self._paint = ColourPaint(hand.colour)
        self._light = float(luma(np.array(hand.colour, dtype=np.float32)))
        self._mode = hand.mode
        self._up_to = up_to(state, state.active_id)

    def lay(
        self, key: Key, part: Rect, base: LayerPixels, coverage: Plane, out: LayerPixels
    ) -> None:
        cell = Rect.cell(key, TILE_PX)
        below = self._up_to(part.shifted(cell.x0, cell.y0), 0)
        weight = mode_weight(np.float32(self._light) - luma(below), self._mode)
        weighed = np.ascontiguousarray(coverage * weight, dtype=np.float32)
        self._paint.lay(key, part, base, weighed, out)


class StatePaint:
    """The picture as it was in another state of the job, or in a split the part of it that the
    active layer of `now` is in."""

    def __init__(self, earlier: JobState, now: JobState) -> None:
        self._read = part_of(earlier, stacks_around(now))

    def lay(
        self, key: Key, part: Rect, base: LayerPixels, coverage: Plane, out: LayerPixels
    ) -> None:
        cell = Rect.cell(key, TILE_PX)
        pixels = self._read(part.shifted(cell.x0, cell.y0), 0)
        source = np.empty(pixels.shape, dtype=np.uint16)
        to_pixels(pixels, source)
        lay_colour(base, coverage, source, out)


class PlaneWork(Work):
    """A stroke onto a plane of the active layer; `anchor` as in `Laid`."""

    def __init__(
        self, state: JobState, hand: Hand, paint: Paint, name: str, *,
        layer: Layer, plane: str, anchor: Anchor | None = None, from_active: int | None = None,
    ) -> None:  # fmt: skip
        self._anchor, self._from_active = anchor, from_active
        self._state = state
        self._hand = hand
        self._name = name
        self._layer = layer
        self._plane = plane
        limit = area_on(state, layer.id)
        self._live = LiveStroke(layer.planes[plane], paint, state.photo.rect, limit)

    def add(self, dabs: Dabs) -> Rect:
        return self._live.add(dabs)

    def preview(self) -> JobState:
        planes = {**self._layer.planes, self._plane: self._live.tiles()}
        painted = self._layer.with_painted(planes, self._layer.strokes)
        layers = replaced(self._state.layers, self._layer.id, (painted,))
        return replace(self._state, layers=layers)

    def covered(self) -> Coverage:
        return self._live.coverage

    def source_placement(self) -> Placement | None:
        """Where the paint comes from, for tools that take it from elsewhere."""
        return None

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:
        if self._live.rect.empty:
            return None
        refuse_unless_seen(self._state, self._layer.id, self._live.rect)
        record = StrokeRecord(
            tool=self._hand.tool,
            brush=self._hand.brush,
            readings=readings_of(samples),
            rect=self._live.rect,
            colour=self._hand.colour,
            mode=self._hand.mode.value,
            **taken_from(self.source_placement()),
        )
        laid = Laid(self._layer, self._live.laid_on, record, self._anchor, plane=self._plane,
                    from_active=self._from_active)  # fmt: skip
        done = laid.done()
        return Outcome(self._name, lambda now: laid.applied_to(now, done), lays=True)


class PixelWork(PlaneWork):
    """A stroke onto a pixel layer; `of_picture` if its paint is the picture as it should be."""

    def __init__(
        self, state: JobState, hand: Hand, paint: Paint, name: str, *,
        of_picture: bool = False, anchor: Anchor | None = None, from_active: int | None = None,
    ) -> None:  # fmt: skip
        layer = (mendable if of_picture else paintable)(state, state.active_id)
        super().__init__(state, hand, paint, name, layer=layer, plane=PIXELS, anchor=anchor,
                         from_active=from_active)  # fmt: skip


def light_work(state: JobState, hand: Hand, target: float, name: str) -> Work:
    """A stroke on the map of the active light and shade layer, towards `target`, 0-1."""
    layer = state.active
    refuse_unless_changeable(state, layer.id)
    refuse_unless_shown(state, layer.id)
    return PlaneWork(state, hand, MaskPaint(target), name, layer=layer, plane=MAP)


class MaskWork(Work):
    """A stroke onto the active layer's mask."""

    def __init__(self, state: JobState, *, target: float, name: str) -> None:
        self._state = state
        self._name = name
        self._mask: Mask = edits.mask_paintable(state, state.active_id)
        shown = 1.0 - target if self._mask.inverted else target
        limit = area_on(state, state.active_id)
        self._live = LiveStroke(self._mask.tiles, MaskPaint(shown), state.photo.rect, limit)
        self._reach_px = state.active.mask_reach_px

    def add(self, dabs: Dabs) -> Rect:
        painted = self._live.add(dabs)
        return painted if painted.empty else painted.grown(self._reach_px)

    def preview(self) -> JobState:
        mask = replace(self._mask, tiles=self._live.tiles())
        return edits.update_layer(self._state, self._state.active_id, mask=mask)

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:  # noqa: ARG002
        if self._live.rect.empty:
            return None
        layer_id = self._state.active_id
        refuse_unless_seen(self._state, layer_id, self._live.rect, own_mask=False)
        tiles = self._live.laid_on(self._mask.tiles)

        def apply(now: JobState) -> JobState:
            layer = find(now.layers, layer_id)
            mask = layer.mask if layer is not None else None
            if mask is None or mask.inverted != self._mask.inverted:
                raise EditError(
                    "The last stroke was dropped", "the mask was removed or turned inside out "
                    "meanwhile", "paint it again",
                )  # fmt: skip
            same = mask.tiles is self._mask.tiles
            laid = tiles if same else self._live.laid_on(mask.tiles)
            return edits.set_mask_pixels(now, layer_id, laid)

        return Outcome(self._name, apply)
