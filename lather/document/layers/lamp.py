"""What is set of a light, as some kinds have it."""

from __future__ import annotations

from dataclasses import dataclass

from lather.document.layers.parameters import Parameters, number


@dataclass(frozen=True)
class LampParameters(Parameters):
    """How much more light there is, and of which colour."""

    exposure_ev: float = number(
        0.0, title="Exposure", unit="EV", low=-5.0, high=5.0,
        help="Doublings of the light.",
    )  # fmt: skip
    warmth_mired: float = number(
        0.0, title="Warmth", unit="mired", low=-100.0, high=100.0,
        help="Towards a flame's light, or away from it; 10 mired are a faint filter.",
    )  # fmt: skip
