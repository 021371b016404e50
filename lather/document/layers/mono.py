"""Black and white, each hue as light as is wanted."""

from __future__ import annotations

from dataclasses import dataclass, field

from lather.document.layers.bracket import HueBracket
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Leaf, Pointwise, Unpainted
from lather.document.layers.parameters import Parameters, number, rows


@dataclass(frozen=True)
class MonoRange(HueBracket):
    """One bracket, and what becomes of its colours."""

    light_l: float = number(
        0.0, title="Lightness", unit="L*", low=-50.0, high=50.0,
        help="Added to colourful pixels of these hues, to duller ones less.",
    )  # fmt: skip


@dataclass(frozen=True)
class MonoParameters(Parameters):
    ranges: tuple[MonoRange, ...] = rows(
        MonoRange, title="Ranges",
        help="Soft brackets on the hue ring, and how much lighter each becomes.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False, kw_only=True)
class MonoLayer(Leaf, Unpainted, Pointwise, ComputedLayer):
    """Grey of the same lightness, with bracketed hues lighter or darker."""

    KIND = "mono"
    NOUN = "a black-and-white layer"
    TAKES = MonoParameters
    TITLE = "Black-and-white mix"
    HELP = "Grey of the same lightness, with bracketed hues lighter or darker."

    parameters: MonoParameters = field(default_factory=MonoParameters)
