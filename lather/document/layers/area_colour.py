"""Colour by area: the mean and spread of a colour, moved to a target."""

from __future__ import annotations

from dataclasses import dataclass, field

from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Leaf, Pointwise, Unpainted
from lather.document.layers.parameters import Parameters, number


@dataclass(frozen=True)
class AreaColourParameters(Parameters):
    mean_l: float = number(
        60.0, title="Mean L*", unit="", low=0.0, high=100.0,
        help="L* of the colours that are meant, about which the spread is.",
    )  # fmt: skip
    mean_a: float = number(
        0.0, title="Mean a*", unit="", low=-100.0, high=100.0,
        help="a* of the colours that are meant, about which the spread is.",
    )  # fmt: skip
    mean_b: float = number(
        0.0, title="Mean b*", unit="", low=-100.0, high=100.0,
        help="b* of the colours that are meant, about which the spread is.",
    )  # fmt: skip
    move_l: float = number(
        0.0, title="Move L*", unit="", low=-50.0, high=50.0,
        help="What is added to L*.",
    )  # fmt: skip
    move_a: float = number(
        0.0, title="Move a*", unit="", low=-50.0, high=50.0,
        help="What is added to a*.",
    )  # fmt: skip
    move_b: float = number(
        0.0, title="Move b*", unit="", low=-50.0, high=50.0,
        help="What is added to b*.",
    )  # fmt: skip
    spread_l_percent: float = number(
        100.0, title="Spread L*", unit="%", low=0.0, high=200.0,
        help="Of the differences from the mean in L*; 100 is as it was.",
    )  # fmt: skip
    spread_a_percent: float = number(
        100.0, title="Spread a*", unit="%", low=0.0, high=200.0,
        help="Of the differences from the mean in a*; 100 is as it was.",
    )  # fmt: skip
    spread_b_percent: float = number(
        100.0, title="Spread b*", unit="%", low=0.0, high=200.0,
        help="Of the differences from the mean in b*; 100 is as it was.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False, kw_only=True)
class AreaColourLayer(Leaf, Unpainted, Pointwise, ComputedLayer):
    """Moves the mean colour of an area, and its spread around it, to a target."""

    KIND = "area_colour"
    NOUN = "a colour by area layer"
    TAKES = AreaColourParameters
    TITLE = "Colour by area"
    HELP = "Moves the mean colour of an area, and its spread around it, to a target."

    parameters: AreaColourParameters = field(default_factory=AreaColourParameters)
