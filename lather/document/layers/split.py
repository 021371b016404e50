"""Split: what lies below as tone and texture, with a stack of layers in each."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Any, Self

from lather.core.filter.reach import gaussian_reach_px
from lather.core.rect import Rect
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Layer, Layers, Parts, Unpainted, new_id
from lather.document.layers.parameters import Parameters, number


class Part(StrEnum):
    """Of a picture: what is larger than the split's radius, and what is smaller."""

    TONE = "tone"
    TEXTURE = "texture"


@dataclass(frozen=True, eq=False, kw_only=True)
class StackLayer(Unpainted):
    """One of a split's two stacks: its layers act on that part of the picture alone."""

    KIND = "stack"
    NOUN = "a part of a split"
    OWN_FIELDS = frozenset({"part"})
    IS_FIXED = True

    part: Part
    children: Layers = ()

    def with_children(self, children: Layers) -> Self:
        return replace(self, children=children)

    @property
    def own_fields(self) -> Mapping[str, Any]:
        return {"part": self.part.value}

    @classmethod
    def made(cls, common: Mapping[str, Any], parts: Parts) -> Self:
        return cls(**common, part=Part(parts.own["part"]), children=parts.children)

    @property
    def bounds(self) -> Rect | None:
        return Rect(0, 0, 0, 0)  # by itself it changes nothing

    @property
    def finest_px(self) -> float:
        edits_texture = self.part is Part.TEXTURE and any(c.is_shown for c in self.children)
        return 0.0 if edits_texture else super().finest_px

    def reach_px(self, level: int) -> int:
        return sum(child.reach_px(level) for child in self.children if child.is_shown)


@dataclass(frozen=True)
class SplitParameters(Parameters):
    sigma_px: float = number(
        8.0, title="Radius", unit="px", low=0.3, high=500.0,
        help="What is larger is tone, what is smaller texture: the sigma of the blur between them.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False, kw_only=True)
class SplitLayer(Unpainted, ComputedLayer):
    """Tone is what lies below, blurred; texture is the rest. Both stacks empty: nothing changes."""

    KIND = "split"
    NOUN = "a split"
    TAKES = SplitParameters
    HOLDS_PARTS = True
    TITLE = "Split"
    HELP = "Tone and texture apart, with layers and tools for each."

    parameters: SplitParameters = field(default_factory=SplitParameters)
    children: Layers = ()

    def with_children(self, children: Layers) -> Self:
        return replace(self, children=children)

    @classmethod
    def made(cls, common: Mapping[str, Any], parts: Parts) -> Self:
        return cls(**common, **cls.own_from(parts), children=both_stacks(parts.children))

    def stack(self, part: Part) -> StackLayer:
        return next(s for s in self.children if isinstance(s, StackLayer) and s.part is part)

    @property
    def is_empty(self) -> bool:
        """True while nothing in it changes either part."""
        return not any(
            child.is_shown for stack in self.children if stack.is_shown for child in stack.children
        )

    def reach_px(self, level: int) -> int:
        within = max((stack.reach_px(level) for stack in self.children), default=0)
        return gaussian_reach_px(self.parameters.sigma_px / 2**level) + within


def both_stacks(layers: Iterable[Layer] = ()) -> Layers:
    """Tone and texture, of the stacks that are given; ValueError for anything else."""
    given = dict[Part, Layer]()
    for layer in layers:
        if not isinstance(layer, StackLayer) or layer.part in given:
            raise ValueError(f"a split holds tone and texture, no '{layer.name}'")
        given[layer.part] = layer
    return tuple(
        given.get(part) or StackLayer(id=new_id(), name=part.value.capitalize(), part=part)
        for part in (Part.TONE, Part.TEXTURE)
    )
