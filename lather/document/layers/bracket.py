"""A soft range of hues, as some kinds' rows have it."""

from __future__ import annotations

from dataclasses import dataclass

from lather.document.layers.parameters import Parameters, number


@dataclass(frozen=True)
class HueBracket(Parameters):
    """Where it lies on the hue ring; what becomes of its colours is added by the kinds."""

    middle_deg: float = number(
        60.0, title="Hue", unit="°", low=0.0, high=360.0,
        help="The middle of the bracket on the hue ring: red about 40, green 136, blue 306.",
    )  # fmt: skip
    width_deg: float = number(
        60.0, title="Width", unit="°", low=2.0, high=360.0,
        help="Between the places where the bracket counts half; 360 is all hues, and grey.",
    )  # fmt: skip
