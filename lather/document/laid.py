"""Finished strokes and mends, ready to be laid into whatever state a job has come to."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from lather.core.arrays import FULL, LayerPixels, Plane
from lather.document.access import refuse_unless_changeable
from lather.document.layers.pixels import PixelLayer
from lather.document.painting import lay_patch
from lather.document.state import JobState
from lather.document.strokes import StrokeRecord
from lather.document.tiles import Tiles
from lather.document.tree import find, inserted_above, replaced
from lather.errors import EditError

if TYPE_CHECKING:
    from lather.core.mend.result import Mended

Anchor = Callable[[JobState], int]
Lay = Callable[[Tiles], Tiles]  # a finished stroke, onto tiles that may have changed since


@dataclass(frozen=True)
class Laid:
    """A finished stroke, ready to be laid into whatever state the job has come to.

    Attributes
    ----------
    layer : as it was when the stroke began; it may have been added for the stroke.
    lay : the stroke's pixels onto a layer's tiles.
    record : how it was made.
    anchor : above which layer one that was added goes; None: above the active one.
    becomes_active : whether one that was added does.
    """

    layer: PixelLayer
    lay: Lay
    record: StrokeRecord
    anchor: Anchor | None = None
    becomes_active: bool = True

    def done(self) -> PixelLayer:
        """The layer with the stroke, as if nothing else had changed; worked out aside."""
        return self.on(self.layer)

    def on(self, layer: PixelLayer) -> PixelLayer:
        tiles, strokes = self.lay(layer.tiles), (*layer.strokes, self.record)
        return replace(layer, tiles=tiles, strokes=strokes)

    def applied_to(self, now: JobState, done: PixelLayer) -> JobState:
        """`now` with the stroke; EditError if the layer is gone or locked."""
        current = find(now.layers, self.layer.id)
        if current is None and not self.layer.tiles:
            anchor_id = now.active_id if self.anchor is None else self.anchor(now)
            layers = inserted_above(now.layers, anchor_id, done)
            active_id = done.id if self.becomes_active else now.active_id
            return replace(now, layers=layers, active_id=active_id)
        if not isinstance(current, PixelLayer):
            raise EditError(
                "The last stroke was dropped", f"'{self.layer.name}' was deleted meanwhile",
                "pick another layer and paint it again",
            )  # fmt: skip
        refuse_unless_changeable(now, current.id)
        if current.tiles is self.layer.tiles:
            laid = replace(current, tiles=done.tiles, strokes=(*current.strokes, self.record))
        else:
            laid = self.on(current)
        return replace(now, layers=replaced(now.layers, current.id, (laid,)))


def laying(mended: Mended, limit: Plane | None = None) -> Lay:
    """Lays a mend over a layer's tiles, where `limit` lets it."""
    coverage = mended.coverage if limit is None else mended.coverage * limit
    pixels = _pixels(mended)
    return lambda tiles: lay_patch(tiles, mended.rect, pixels, coverage)


def _pixels(mended: Mended) -> LayerPixels:
    out = np.full((*mended.coverage.shape, 4), FULL, dtype=np.uint16)
    out[..., :3] = mended.colour * np.float32(FULL) + np.float32(0.5)
    return out
