"""Layers of a newer Lather, and layers that do not fit."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar, Self

from lather.core.rect import Rect
from lather.document.layers.layer import Layers, Leaf, Parts, Plain, Pointwise
from lather.document.painting.strokes import StrokeRecord
from lather.document.tiles import Tiles


@dataclass(frozen=True, eq=False, kw_only=True)
class UnknownLayer(Leaf, Plain, Pointwise):
    """A layer that cannot be understood here: of a kind or with a mode that only a newer Lather
    knows, or with a value beyond what its kind takes. Kept as it was read, not shown.

    Attributes
    ----------
    newer_kind : its kind, as in files.
    kept_planes, kept_strokes, held : of a kind that is known, what could be read of it. Of another,
        all of it lies in `extras`, and refers to the job file that it was read from.
    """

    KIND = "unknown"
    NOUN = "of a kind that is not known here"
    PLANES: ClassVar[Mapping[str, int]] = {}

    newer_kind: str
    kept_planes: Mapping[str, Tiles] = field(default_factory=dict)
    kept_strokes: tuple[StrokeRecord, ...] = ()
    held: Layers = ()
    refers_to_file: bool = True

    @property
    def kind(self) -> str:
        return self.newer_kind

    @property
    def planes(self) -> Mapping[str, Tiles]:
        return self.kept_planes

    @property
    def strokes(self) -> tuple[StrokeRecord, ...]:
        return self.kept_strokes

    def with_painted(
        self, planes: Mapping[str, Tiles], strokes: tuple[StrokeRecord, ...]
    ) -> Self:
        return replace(self, kept_planes=planes, kept_strokes=strokes)

    @classmethod
    def made(cls, common: Mapping[str, Any], parts: Parts) -> Self:
        return cls(**common, newer_kind=parts.own["kind"])

    @property
    def bounds(self) -> Rect | None:
        return Rect(0, 0, 0, 0)
