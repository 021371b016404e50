"""Ink balance: the shares of printing inks, moved within soft ranges of colour."""

from __future__ import annotations

from dataclasses import dataclass, field

from lather.document.layers.bracket import HueBracket
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Leaf, Pointwise, Unpainted
from lather.document.layers.parameters import Parameters, number, rows


@dataclass(frozen=True)
class InkRange(HueBracket):
    """One bracket, and what becomes of its colours."""

    low_l: float = number(
        0.0, title="From lightness", unit="L*", low=0.0, high=100.0,
        help="Darker colours do not count; 0 is open.",
    )  # fmt: skip
    high_l: float = number(
        100.0, title="To lightness", unit="L*", low=0.0, high=100.0,
        help="Lighter colours do not count; 100 is open.",
    )  # fmt: skip
    cyan: float = number(
        0.0, title="Cyan", unit="points", low=-100.0, high=100.0,
        help="Hundredths of the cyan ink that is there.",
    )  # fmt: skip
    magenta: float = number(
        0.0, title="Magenta", unit="points", low=-100.0, high=100.0,
        help="Hundredths of the magenta ink that is there.",
    )  # fmt: skip
    yellow: float = number(
        0.0, title="Yellow", unit="points", low=-100.0, high=100.0,
        help="Hundredths of the yellow ink that is there.",
    )  # fmt: skip
    black: float = number(
        0.0, title="Black", unit="points", low=-100.0, high=100.0,
        help="Hundredths of the black ink that is there.",
    )  # fmt: skip


@dataclass(frozen=True)
class InksParameters(Parameters):
    ranges: tuple[InkRange, ...] = rows(
        InkRange, title="Ranges",
        help="Soft ranges of hue and lightness, and what becomes of their inks.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False, kw_only=True)
class InksLayer(Leaf, Unpainted, Pointwise, ComputedLayer):
    """Moves the inks of bracketed colours, in proportion to what is there."""

    KIND = "inks"
    NOUN = "an ink balance layer"
    TAKES = InksParameters
    TITLE = "Ink balance"
    HELP = "Moves the inks of bracketed colours, in proportion to what is there."

    parameters: InksParameters = field(default_factory=InksParameters)
