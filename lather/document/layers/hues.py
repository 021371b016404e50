"""Hue ranges: hue, chroma and lightness by soft brackets on the hue ring."""

from __future__ import annotations

from dataclasses import dataclass, field

from lather.document.layers.bracket import HueBracket
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Leaf, Pointwise, Unpainted
from lather.document.layers.parameters import Parameters, number, rows


@dataclass(frozen=True)
class HueRange(HueBracket):
    """One bracket, and what becomes of its colours."""

    turn_deg: float = number(
        0.0, title="Hue turned", unit="°", low=-60.0, high=60.0,
        help="Around the ring: towards yellow and green, or back.",
    )  # fmt: skip
    chroma_percent: float = number(
        0.0, title="Colourfulness", unit="%", low=-100.0, high=100.0,
        help="More or less chroma; -100 is grey.",
    )  # fmt: skip
    light_l: float = number(
        0.0, title="Lightness", unit="L*", low=-30.0, high=30.0,
        help="Added to the lightness of these hues.",
    )  # fmt: skip


@dataclass(frozen=True)
class HuesParameters(Parameters):
    ranges: tuple[HueRange, ...] = rows(
        HueRange, title="Ranges",
        help="Soft brackets on the hue ring, and what becomes of each.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False, kw_only=True)
class HuesLayer(Leaf, Unpainted, Pointwise, ComputedLayer):
    """Hue, colourfulness and lightness of bracketed hues."""

    KIND = "hues"
    NOUN = "a hue ranges layer"
    TAKES = HuesParameters
    TITLE = "Hue ranges"
    HELP = "Hue, colourfulness and lightness of bracketed hues."

    parameters: HuesParameters = field(default_factory=HuesParameters)
