"""Exposure and warmth: more or less light, and light of another colour."""

from __future__ import annotations

from dataclasses import dataclass, field

from lather.document.layers.computed import ComputedLayer
from lather.document.layers.lamp import LampParameters
from lather.document.layers.layer import Leaf, Pointwise, Unpainted
from lather.document.layers.parameters import number


@dataclass(frozen=True)
class ExposureParameters(LampParameters):
    tint_percent: float = number(
        0.0, title="Tint", unit="%", low=-100.0, high=100.0,
        help="Green taken away, towards magenta, or added.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False, kw_only=True)
class ExposureLayer(Leaf, Unpainted, Pointwise, ComputedLayer):
    """More or less light, warmer or cooler, as if the lamp had been set so."""

    KIND = "exposure"
    NOUN = "an exposure layer"
    TAKES = ExposureParameters
    TITLE = "Exposure and warmth"
    HELP = "More or less light, warmer or cooler, as if the lamp had been set so."

    parameters: ExposureParameters = field(default_factory=ExposureParameters)
