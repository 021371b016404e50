"""Soften: evens what is larger than pores and smaller than modelling."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from lather.core.filter.reach import gaussian_reach_px
from lather.document.layers.computed import ComputedLayer, Portrait
from lather.document.layers.layer import Leaf, Unpainted
from lather.document.layers.parameters import Parameters, number


@dataclass(frozen=True)
class SoftenParameters(Parameters):
    radius_px: float = number(
        16.0, title="Radius", unit="px", low=0.3, high=500.0,
        help="What is larger stays: the modelling of the face.",
    )  # fmt: skip
    pore_px: float = number(
        3.0, title="Pores kept", unit="px", low=0.3, high=100.0,
        help="What is finer stays: pores, hairs and grain.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False, kw_only=True)
class SoftenLayer(Leaf, Unpainted, ComputedLayer):
    """Evens what lies between pores and modelling; both of them stay."""

    KIND = "soften"
    NOUN = "a softening layer"
    TAKES = SoftenParameters
    TITLE = "Soften"
    HELP = "Evens what lies between pores and modelling; both of them stay."
    STARTS_HIDDEN = True

    parameters: SoftenParameters = field(default_factory=SoftenParameters)

    @classmethod
    def starts(cls, portrait: Portrait) -> Mapping[str, Any]:
        """From a pore's width to three times it."""
        return portrait.lengths_px(radius_px=1.6, pore_px=0.35)

    @property
    def finest_px(self) -> float:
        return self.parameters.pore_px

    def reach_px(self, level: int) -> int:
        return gaussian_reach_px(max(self.parameters.radius_px, self.parameters.pore_px) / 2**level)
