"""Grain: noise of one kind over all that was done."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from lather.document.layers.computed import ComputedLayer, Portrait
from lather.document.layers.layer import Leaf, Pointwise, Unpainted
from lather.document.layers.parameters import Parameters, number

MOST_L = 15.0


@dataclass(frozen=True)
class GrainParameters(Parameters):
    sigma_l: float = number(
        1.0, title="Amount", unit="L*", low=0.0, high=MOST_L,
        help="Sigma of the grain in the middle tones.",
    )  # fmt: skip
    size_px: float = number(
        0.8, title="Size", unit="px", low=0.5, high=8.0,
        help="Sigma of a grain.",
    )  # fmt: skip
    colour_percent: float = number(
        20.0, title="Colour", unit="%", low=0.0, high=100.0,
        help="The share that differs between the colours.",
    )  # fmt: skip
    seed: float = number(
        1.0, title="Pattern", unit="", low=1.0, high=999.0,
        help="Another number is another pattern.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False, kw_only=True)
class GrainLayer(Leaf, Unpainted, Pointwise, ComputedLayer):
    """Fine noise over the picture, the same at every zoom."""

    KIND = "grain"
    NOUN = "a grain layer"
    TAKES = GrainParameters
    TITLE = "Grain"
    HELP = "Fine noise over the picture, the same at every zoom."
    NEEDS_GRAIN = True

    parameters: GrainParameters = field(default_factory=GrainParameters)

    @classmethod
    def starts(cls, portrait: Portrait) -> Mapping[str, Any]:
        """As much as the picture's own."""
        own_l = portrait.grain_l
        return {} if own_l is None else {"sigma_l": round(min(own_l, MOST_L), 2)}

    @property
    def finest_px(self) -> float:
        return self.parameters.size_px
