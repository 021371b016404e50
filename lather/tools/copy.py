"""Copy from source: exact pixels of another place, all of them or only what lifts or tames."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import LayerPixels, Plane
from lather.core.blend.composite import to_pixels
from lather.core.brush.dabs import Dabs, lay_colour
from lather.core.mend.mode import MendMode
from lather.core.rect import Rect
from lather.document.job import JobState
from lather.document.tiles import TILE_PX, Key
from lather.errors import EditError
from lather.render.compositor import render_below
from lather.tools.avoid import avoided
from lather.tools.base import Hand, Work
from lather.tools.brush import PixelWork, with_layer_to_paint
from lather.tools.source import Offset, SourceGoes

LAYER_NAME = "Copied"


def begin_copy_from_source(state: JobState, hand: Hand) -> Work:
    check_source(hand)
    state = with_layer_to_paint(state, LAYER_NAME)
    paint = SourcePaint(state, hand)
    return CopyWork(state, hand, paint)


def check_source(hand: Hand) -> None:
    """Raise `EditError` if the hand has no source and does not look for one itself."""
    if hand.source is None and hand.source_goes is not SourceGoes.FRESH:
        raise EditError(
            "Nothing was taken",
            "no source is picked",
            "hold C (pen in the left hand: the comma) and click where to take from",
        )


def picked_offset(hand: Hand, x: float, y: float) -> Offset | None:
    """The offset for a stroke that begins at (x, y); None if a fresh source is to be found."""
    if hand.source_goes is SourceGoes.FRESH:
        return None
    assert hand.source is not None  # `check_source` saw to it
    return hand.source.offset_for(x, y, hand.source_goes)


class SourcePaint:
    """The picture as it was when the stroke began, from `offset` away.

    What was copied in the same stroke is never copied again: no trails.
    """

    def __init__(self, state: JobState, hand: Hand) -> None:
        self._state = state
        self._layer_id = state.active_id
        self._mode = hand.mode
        self.offset: Offset = (0, 0)

    def lay(
        self, key: Key, part: Rect, base: LayerPixels, coverage: Plane, out: LayerPixels
    ) -> None:
        cell = Rect.cell(key, TILE_PX)
        target_rect = part.shifted(cell.x0, cell.y0)
        pixels = render_below(self._state, self._layer_id, target_rect.shifted(*self.offset))
        # Beyond the picture's border there is nothing to take.
        coverage = coverage * pixels[..., 3]
        if self._mode is not MendMode.ALL:
            from lather.core.colour.lab import luma
            from lather.core.mend.spot import mode_weight

            target = render_below(self._state, self._layer_id, target_rect)
            rise = luma(pixels[..., :3]) - luma(target[..., :3])
            coverage = coverage * mode_weight(rise, self._mode)
        source = np.empty(pixels.shape, dtype=np.uint16)
        to_pixels(pixels, source)
        source[..., 3] = np.where(pixels[..., 3] > 0, 65535, 0)
        lay_colour(base, np.ascontiguousarray(coverage, dtype=np.float32), source, out)


class CopyWork(PixelWork):
    """A stroke of copied pixels; the first dab settles where from."""

    def __init__(self, state: JobState, hand: Hand, paint: SourcePaint) -> None:
        super().__init__(state, hand, paint, "Copy from source")
        self._source = paint
        self._aimed = False

    def add(self, dabs: Dabs) -> Rect:
        if not self._aimed and len(dabs):
            x, y, radius_px = (float(value) for value in dabs[0, :3])
            self._source.offset = self._aim(x, y, radius_px)
            self._aimed = True
        return super().add(dabs)

    def source_offset(self) -> Offset | None:
        return self._source.offset

    def _aim(self, x: float, y: float, radius_px: float) -> Offset:
        picked = picked_offset(self._hand, x, y)
        if picked is not None:
            return picked
        from lather.core.mend.spot import nearest_source

        state = self._state
        found = nearest_source(
            lambda rect, level: render_below(state, state.active_id, rect, level),
            state.photo.rect, x, y, radius_px, avoided(state.findings),
        )  # fmt: skip
        return found.dx, found.dy
