"""Painted pixels."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Self

from lather.core.rect import Rect
from lather.document.agreed.style import Weak
from lather.document.layers.layer import Leaf, Parts, Pointwise
from lather.document.painting.strokes import StrokeRecord
from lather.document.tiles import NO_PIXELS, Tiles

PIXELS = "pixels"


@dataclass(frozen=True, eq=False, kw_only=True)
class PixelLayer(Leaf, Pointwise):
    """Painted pixels, and the strokes that made them.

    `weak` says what is softened here; the strength is then proposed by the brief.
    """

    KIND = "pixels"
    NOUN = "a layer of pixels"
    PLANES = {PIXELS: 4}  # noqa: RUF012
    OWN_FIELDS = frozenset({"weak"})

    tiles: Tiles = NO_PIXELS
    strokes: tuple[StrokeRecord, ...] = ()
    weak: Weak | None = None

    @property
    def own_fields(self) -> Mapping[str, Any]:
        return {} if self.weak is None else {"weak": self.weak.value}

    @classmethod
    def made(cls, common: Mapping[str, Any], parts: Parts) -> Self:
        weak = parts.own.get("weak")
        return cls(**common, tiles=parts.planes[PIXELS], strokes=parts.strokes,
                   weak=Weak(weak) if weak else None)  # fmt: skip

    @property
    def planes(self) -> Mapping[str, Tiles]:
        return {PIXELS: self.tiles}

    def with_painted(
        self, planes: Mapping[str, Tiles], strokes: tuple[StrokeRecord, ...]
    ) -> Self:
        return replace(self, tiles=planes[PIXELS], strokes=strokes)

    @property
    def bounds(self) -> Rect | None:
        return self.tiles.bounds()
