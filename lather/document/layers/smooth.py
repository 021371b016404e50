"""Smooth: evens what is smaller than a scale, and keeps edges."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from lather.core.filter.reach import smooth_reach_px
from lather.document.layers.computed import ComputedLayer, Portrait
from lather.document.layers.layer import Leaf, Unpainted
from lather.document.layers.parameters import Parameters, number


@dataclass(frozen=True)
class SmoothParameters(Parameters):
    scale_px: float = number(
        6.0, title="Scale", unit="px", low=0.3, high=500.0,
        help="What is smaller is evened: the sigma of the surroundings that are averaged.",
    )  # fmt: skip
    edge_l: float = number(
        6.0, title="Edges kept from", unit="L*", low=0.5, high=50.0,
        help="A step of lightness as high as this keeps half of its height; higher ones, more.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False, kw_only=True)
class SmoothLayer(Leaf, Unpainted, ComputedLayer):
    """Edge-keeping smoothing."""

    KIND = "smooth"
    NOUN = "a smoothing layer"
    TAKES = SmoothParameters
    TITLE = "Smooth"
    HELP = "Evens what is smaller than a scale; edges stay."
    STARTS_HIDDEN = True

    parameters: SmoothParameters = field(default_factory=SmoothParameters)

    @classmethod
    def starts(cls, portrait: Portrait) -> Mapping[str, Any]:
        """A scale between pores and modelling."""
        return portrait.lengths_px(scale_px=0.8)

    def reach_px(self, level: int) -> int:
        return smooth_reach_px(self.parameters.scale_px / 2**level)
