"""Brightness and contrast: two figures where curves would be more than is needed."""

from __future__ import annotations

from dataclasses import dataclass, field

from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Leaf, Pointwise, Unpainted
from lather.document.layers.parameters import Parameters, choice, number

ALL, LIGHTNESS = "all colours", "lightness"


@dataclass(frozen=True)
class BrightnessParameters(Parameters):
    brightness: float = number(
        0.0, title="Brightness", unit="%", low=-100.0, high=100.0,
        help="How far the middle tones move; black and white stay.",
    )  # fmt: skip
    contrast: float = number(
        0.0, title="Contrast", unit="%", low=-100.0, high=100.0,
        help="How much steeper the tones are around the pivot.",
    )  # fmt: skip
    pivot: float = number(
        50.0, title="Pivot", unit="%", low=5.0, high=95.0,
        help="The tone that contrast leaves where it is.",
    )  # fmt: skip
    acts_on: str = choice(
        ALL, title="Acts on", options=(ALL, LIGHTNESS),
        help="All colours, or lightness alone: hue and colourfulness stay.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False, kw_only=True)
class BrightnessLayer(Leaf, Unpainted, Pointwise, ComputedLayer):
    """Lighter or darker, steeper or flatter; black and white stay."""

    KIND = "brightness"
    NOUN = "a brightness layer"
    TAKES = BrightnessParameters
    TITLE = "Brightness and contrast"
    HELP = "Lighter or darker, steeper or flatter; black and white stay."

    parameters: BrightnessParameters = field(default_factory=BrightnessParameters)
