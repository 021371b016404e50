"""Grain: noise of one kind over all that was done."""

from __future__ import annotations

from dataclasses import dataclass, field

from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Leaf, Pointwise, Unpainted
from lather.document.layers.parameters import Parameters, number


@dataclass(frozen=True)
class GrainParameters(Parameters):
    sigma_l: float = number(
        1.0, title="Amount", unit="L*", low=0.0, high=15.0,
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

    parameters: GrainParameters = field(default_factory=GrainParameters)
