"""Paint colour, Erase, Paint back: the same brush with different paint."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Any

import numpy as np

from lather.core.arrays import LayerPixels, Plane
from lather.core.blend.composite import to_pixels
from lather.core.brush.dabs import Dabs, lay_colour
from lather.core.brush.stroke import PenSample
from lather.core.mend.placement import Placement
from lather.core.rect import Rect
from lather.document import edits
from lather.document.job import JobState
from lather.document.layers import Mask, PhotoLayer, PixelLayer
from lather.document.painting import (
    ColourPaint,
    Coverage,
    Eraser,
    LiveStroke,
    MaskPaint,
    Paint,
    PhotoPaint,
)
from lather.document.strokes import StrokeRecord, readings_of
from lather.document.tiles import TILE_PX, Key
from lather.document.tree import find, inserted_above
from lather.errors import EditError
from lather.render.compositor import render
from lather.tools.base import Hand, Outcome, Work


def begin_paint_colour(state: JobState, hand: Hand) -> Work:
    if hand.on_mask:
        return MaskWork(state, target=1.0, name="Show through mask")
    state = with_layer_to_paint(state, "Paint")
    return PixelWork(state, hand, ColourPaint(hand.colour), "Paint colour")


def begin_erase(state: JobState, hand: Hand) -> Work:
    if hand.on_mask:
        return MaskWork(state, target=0.0, name="Hide by mask")
    return PixelWork(state, hand, Eraser(), "Erase")


def begin_paint_back(state: JobState, hand: Hand) -> Work:
    state = with_layer_to_paint(state, "Original")
    paint = PhotoPaint(state.photo) if hand.back_to is None else StatePaint(hand.back_to)
    return PixelWork(state, hand, paint, "Paint back")


def with_layer_to_paint(state: JobState, name: str) -> JobState:
    """The state itself, or with a new layer above the photo if the photo is active."""
    if isinstance(state.active, PhotoLayer):
        return edits.add_pixel_layer(state, name)
    return state


def with_new_pixels(
    now: JobState, begun: JobState, layer: PixelLayer, after: PixelLayer
) -> JobState:
    """`now` with a stroke's outcome on the layer it was begun on.

    A layer that was added for the stroke comes with it.
    """
    current = find(now.layers, layer.id)
    if current is None and not layer.tiles and now.photo is begun.photo:
        added = replace(layer, tiles=after.tiles, strokes=after.strokes)
        layers = inserted_above(now.layers, now.active_id, added)
        return replace(now, layers=layers, active_id=layer.id)
    if not isinstance(current, PixelLayer) or current.tiles is not layer.tiles:
        raise EditError(
            "The last stroke was dropped", f"'{layer.name}' was changed meanwhile", "paint it again"
        )
    return edits.update_layer(now, layer.id, tiles=after.tiles, strokes=after.strokes)


def taken_from(placement: Placement | None) -> dict[str, Any]:
    """The fields of a `StrokeRecord` that say where its pixels came from."""
    if placement is None:
        return {}
    source = placement.dx, placement.dy
    if placement.turn.plain:
        return {"source": source}
    return {"source": source, "extras": {"turn": asdict(placement.turn),
                                         "about": list(placement.about)}}  # fmt: skip


class StatePaint:
    """The whole picture as it was in another state of the job."""

    def __init__(self, state: JobState) -> None:
        self._state = state

    def lay(
        self, key: Key, part: Rect, base: LayerPixels, coverage: Plane, out: LayerPixels
    ) -> None:
        cell = Rect.cell(key, TILE_PX)
        pixels = render(self._state, part.shifted(cell.x0, cell.y0))
        source = np.empty(pixels.shape, dtype=np.uint16)
        to_pixels(pixels, source)
        lay_colour(base, coverage, source, out)


class PixelWork(Work):
    """A stroke onto a pixel layer."""

    def __init__(self, state: JobState, hand: Hand, paint: Paint, name: str) -> None:
        self._state = state
        self._hand = hand
        self._name = name
        self._layer = edits.paintable(state, state.active_id)
        self._live = LiveStroke(self._layer.tiles, paint, state.photo.rect, state.area)

    def add(self, dabs: Dabs) -> Rect:
        return self._live.add(dabs)

    def preview(self) -> JobState:
        return edits.update_layer(self._state, self._layer.id, tiles=self._live.tiles())

    def covered(self) -> Coverage:
        return self._live.coverage

    def source_placement(self) -> Placement | None:
        """Where the paint comes from, for tools that take it from elsewhere."""
        return None

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:
        if self._live.rect.empty:
            return None
        record = StrokeRecord(
            tool=self._hand.tool,
            brush=self._hand.brush,
            readings=readings_of(samples),
            rect=self._live.rect,
            colour=self._hand.colour,
            mode=self._hand.mode.value,
            **taken_from(self.source_placement()),
        )
        after = replace(
            self._layer,
            tiles=self._live.final_tiles(),
            strokes=(*self._layer.strokes, record),
        )
        return Outcome(
            self._name, lambda now: with_new_pixels(now, self._state, self._layer, after)
        )


class MaskWork(Work):
    """A stroke onto the active layer's mask."""

    def __init__(self, state: JobState, *, target: float, name: str) -> None:
        self._state = state
        self._name = name
        self._mask: Mask = edits.mask_paintable(state, state.active_id)
        shown = 1.0 - target if self._mask.inverted else target
        self._live = LiveStroke(
            self._mask.tiles, MaskPaint(shown), state.photo.rect, state.area
        )

    def add(self, dabs: Dabs) -> Rect:
        return self._live.add(dabs)

    def preview(self) -> JobState:
        mask = replace(self._mask, tiles=self._live.tiles())
        return edits.update_layer(self._state, self._state.active_id, mask=mask)

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:  # noqa: ARG002
        if self._live.rect.empty:
            return None
        tiles, layer_id = self._live.final_tiles(), self._state.active_id

        def apply(now: JobState) -> JobState:
            layer = find(now.layers, layer_id)
            if layer is None or layer.mask is not self._mask:
                raise EditError("The last stroke was dropped", "the mask was changed meanwhile")
            return edits.set_mask_pixels(now, layer_id, tiles)

        return Outcome(self._name, apply)
