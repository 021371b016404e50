"""Layers treated as one."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Self

from lather.core.blend.modes import BlendMode
from lather.core.rect import Rect
from lather.document.layers.layer import Layers, Parts, Plain, Unpainted


@dataclass(frozen=True, eq=False, kw_only=True)
class GroupLayer(Unpainted, Plain):
    """Layers treated as one.

    With mode normal its layers act on all that lies below and the group's strength and
    mask mix the outcome in; with any other mode they are composited by themselves first.
    """

    KIND = "group"
    NOUN = "a group"

    children: Layers = ()

    @classmethod
    def made(cls, common: Mapping[str, Any], parts: Parts) -> Self:
        return cls(**common, children=parts.children)

    def with_children(self, children: Layers) -> Self:
        return replace(self, children=children)

    @property
    def isolated(self) -> bool:
        return self.mode is not BlendMode.NORMAL

    @property
    def bounds(self) -> Rect | None:
        rects = [child.bounds for child in self.children]
        if any(rect is None for rect in rects):
            return None
        return Rect.union_of(rect for rect in rects if rect is not None)

    def reach_px(self, level: int) -> int:
        return sum(child.reach_px(level) for child in self.children if child.is_shown)
