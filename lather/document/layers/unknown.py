"""Layers of a newer Lather."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Self

from lather.core.rect import Rect
from lather.document.layers.layer import Leaf, Parts, Plain, Pointwise, Unpainted


@dataclass(frozen=True, eq=False, kw_only=True)
class UnknownLayer(Leaf, Unpainted, Plain, Pointwise):
    """A layer of a kind or with a mode that only a newer Lather knows: kept, not shown.

    All that is not understood of it lies in `extras`.
    """

    KIND = "unknown"
    NOUN = "of a kind that is not known here"

    newer_kind: str

    @property
    def kind(self) -> str:
        return self.newer_kind

    @classmethod
    def made(cls, common: Mapping[str, Any], parts: Parts) -> Self:
        return cls(**common, newer_kind=parts.own["kind"])

    @property
    def bounds(self) -> Rect | None:
        return Rect(0, 0, 0, 0)
