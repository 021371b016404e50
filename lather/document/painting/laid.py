"""Finished strokes and mends, ready to be laid into whatever state a job has come to."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Generic, cast

import numpy as np

from lather.core.arrays import FULL, LayerPixels, Plane
from lather.document.access import refuse_unless_changeable
from lather.document.edits import add_layer
from lather.document.layers.layer import AnyLayer, Layer
from lather.document.layers.pixels import PIXELS
from lather.document.painting.painting import lay_patch
from lather.document.painting.strokes import StrokeRecord
from lather.document.state import JobState
from lather.document.tiles import Tiles
from lather.document.tree import find, replaced
from lather.errors import EditError

if TYPE_CHECKING:
    from lather.core.mend.result import Mended

Anchor = Callable[[JobState], int]
Lay = Callable[[Tiles], Tiles]  # a finished stroke, onto tiles that may have changed since


@dataclass(frozen=True)
class Laid(Generic[AnyLayer]):
    """A finished stroke, ready to be laid into whatever state the job has come to.

    Attributes
    ----------
    layer : as it was when the stroke began; it may have been added for the stroke.
    lay : the stroke's pixels onto the tiles of one of the layer's planes.
    record : how it was made.
    anchor : above which layer one that was added goes; None: above the active one.
    becomes_active : whether it does, unless another one was chosen meanwhile.
    from_active : the layer that was active when the stroke began; None: its own.
    """

    layer: AnyLayer
    lay: Lay
    record: StrokeRecord
    anchor: Anchor | None = None
    becomes_active: bool = True
    plane: str = PIXELS
    from_active: int | None = None

    def done(self) -> AnyLayer:
        """The layer with the stroke, as if nothing else had changed; worked out aside."""
        return self.on(self.layer)

    def on(self, layer: AnyLayer) -> AnyLayer:
        return self._with(layer, self.lay(layer.planes[self.plane]))

    def _with(self, layer: AnyLayer, tiles: Tiles) -> AnyLayer:
        planes = {**layer.planes, self.plane: tiles}
        return layer.with_painted(planes, (*layer.strokes, self.record))

    def applied_to(self, now: JobState, done: AnyLayer) -> JobState:
        """`now` with the stroke; EditError if the layer is gone or locked."""
        current = find(now.layers, self.layer.id)
        before = self.layer.planes[self.plane]
        if current is None and not before:
            anchor_id = now.active_id if self.anchor is None else self.anchor(now)
            laid = add_layer(replace(now, active_id=anchor_id), done)
            return laid if self.becomes_active else replace(laid, active_id=now.active_id)
        if current is None or self.plane not in current.planes:
            raise EditError(
                "The last stroke was dropped", f"'{self.layer.name}' was deleted meanwhile",
                "pick another layer and paint it again",
            )  # fmt: skip
        refuse_unless_changeable(now, current.id)
        same = current.planes[self.plane] is before
        here = cast("AnyLayer", current)
        painted: Layer = self._with(here, done.planes[self.plane]) if same else self.on(here)
        goes_there = self.becomes_active and now.active_id == self.from_active
        return replace(now, layers=replaced(now.layers, current.id, (painted,)),
                       active_id=current.id if goes_there else now.active_id)  # fmt: skip


def laying(mended: Mended, limit: Plane | None = None) -> Lay:
    """Lays a mend over a layer's tiles, where `limit` lets it."""
    coverage = mended.coverage if limit is None else mended.coverage * limit
    pixels = _pixels(mended)
    return lambda tiles: lay_patch(tiles, mended.rect, pixels, coverage)


def _pixels(mended: Mended) -> LayerPixels:
    out = np.full((*mended.coverage.shape, 4), FULL, dtype=np.uint16)
    out[..., :3] = mended.colour * np.float32(FULL) + np.float32(0.5)
    return out
