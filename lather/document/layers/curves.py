"""Curves: tone and colour by curves over the encoded values."""

from __future__ import annotations

from dataclasses import dataclass, field

from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Leaf, Pointwise, Unpainted
from lather.document.layers.parameters import Parameters, Points, curve


@dataclass(frozen=True)
class CurvesParameters(Parameters):
    rgb: Points = curve(title="All colours", help="The same for red, green and blue.")
    red: Points = curve(title="Red", help="Red alone, after the curve for all colours.")
    green: Points = curve(title="Green", help="Green alone, after the curve for all colours.")
    blue: Points = curve(title="Blue", help="Blue alone, after the curve for all colours.")
    lightness: Points = curve(
        title="Lightness", help="Lightness alone, last: hue and colourfulness stay."
    )


@dataclass(frozen=True, eq=False, kw_only=True)
class CurvesLayer(Leaf, Unpainted, Pointwise, ComputedLayer):
    """Monotone curves on all colours, each channel, or lightness alone."""

    KIND = "curves"
    NOUN = "a curves layer"
    TAKES = CurvesParameters
    TITLE = "Curves"
    HELP = "Tone and colour by curves."

    parameters: CurvesParameters = field(default_factory=CurvesParameters)
