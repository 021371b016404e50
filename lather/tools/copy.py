"""Copy from source: exact pixels of another place, all of them or only what lifts or tames."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import LayerPixels, Plane
from lather.core.blend.composite import to_pixels
from lather.core.brush.dabs import Dabs, lay_colour
from lather.core.mend.mode import MendMode, mode_weight
from lather.core.mend.placement import Placement, read_placed
from lather.core.rect import Rect
from lather.document.avoid import avoided
from lather.document.state import JobState
from lather.document.tiles import TILE_PX, Key
from lather.errors import EditError
from lather.render.marks import findings_in
from lather.render.space import layer_space
from lather.tools.base import Hand, Work
from lather.tools.brush import PixelWork
from lather.tools.own_layer import OwnLayer, layer_to_mend_on
from lather.tools.reading import source_of, up_to
from lather.tools.source import SourceGoes

LAYER_NAME = "Copied"


def begin_copy_from_source(state: JobState, hand: Hand) -> Work:
    check_source(hand)
    own = layer_to_mend_on(state, LAYER_NAME)
    return CopyWork(own, hand, SourcePaint(own.state, hand), state.active_id)


def check_source(hand: Hand) -> None:
    """Raise `EditError` if the hand has no source and does not look for one itself."""
    if hand.source is None and hand.source_goes is not SourceGoes.FRESH:
        raise EditError(
            "Nothing was taken",
            "no source is picked",
            "hold C (pen in the left hand: the comma) and click where to take from",
        )


def picked_placement(hand: Hand, x: float, y: float) -> Placement | None:
    """The source of a stroke that begins at (x, y); None if a fresh one is to be found."""
    if hand.source_goes is SourceGoes.FRESH:
        return None
    assert hand.source is not None  # `check_source` saw to it
    return hand.source.placement(x, y, hand.source_goes, hand.turn)


class SourcePaint:
    """The picture as it was when the stroke began, from the source's place.

    What was copied in the same stroke is never copied again: no trails.
    """

    def __init__(self, state: JobState, hand: Hand) -> None:
        self._picture = state.photo.rect
        self._up_to = up_to(state, state.active_id)
        self._read = source_of(state, state.active_id, hand.reads)
        self._mode = hand.mode
        self.placement = Placement(0, 0)

    def lay(
        self, key: Key, part: Rect, base: LayerPixels, coverage: Plane, out: LayerPixels
    ) -> None:
        cell = Rect.cell(key, TILE_PX)
        target_rect = part.shifted(cell.x0, cell.y0)
        pixels = read_placed(self._read, self._picture, target_rect, self.placement, repeat=False)
        # Beyond the picture's border there is nothing to take.
        coverage = coverage * pixels[..., 3]
        if self._mode is not MendMode.ALL:
            from lather.core.colour.lab import luma

            target = self._up_to(target_rect, 0)
            rise = luma(pixels[..., :3]) - luma(target[..., :3])
            coverage = coverage * mode_weight(rise, self._mode)
        source = np.empty(pixels.shape, dtype=np.uint16)
        to_pixels(np.clip(pixels, 0, 1), source)
        source[..., 3] = np.where(pixels[..., 3] > 0, 65535, 0)
        lay_colour(base, np.ascontiguousarray(coverage, dtype=np.float32), source, out)


class CopyWork(PixelWork):
    """A stroke of copied pixels; the first dab settles where from."""

    def __init__(
        self, own: OwnLayer, hand: Hand, paint: SourcePaint, from_active: int
    ) -> None:
        super().__init__(own.state, hand, paint, "Copy from source", of_picture=True,
                         anchor=own.anchor, from_active=from_active)  # fmt: skip
        self._source = paint
        self._aimed = False

    def add(self, dabs: Dabs) -> Rect:
        if not self._aimed and len(dabs):
            x, y, radius_px = (float(value) for value in dabs[0, :3])
            self._source.placement = self._aim(x, y, radius_px)
            self._aimed = True
        return super().add(dabs)

    def source_placement(self) -> Placement:
        return self._source.placement

    def _aim(self, x: float, y: float, radius_px: float) -> Placement:
        picked = picked_placement(self._hand, x, y)
        if picked is not None:
            return picked
        from lather.core.mend.spot import nearest_source

        state = self._state
        there = findings_in(state.findings, layer_space(state, state.active_id))
        found = nearest_source(
            source_of(state, state.active_id, self._hand.reads), state.photo.rect, x, y,
            radius_px, avoided(there),
        )  # fmt: skip
        return Placement(found.dx, found.dy)
