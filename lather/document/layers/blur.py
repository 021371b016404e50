"""Blur: a Gaussian of what lies below."""

from __future__ import annotations

from dataclasses import dataclass, field

from lather.core.filter.reach import gaussian_reach_px
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Leaf, Unpainted
from lather.document.layers.parameters import Parameters, number


@dataclass(frozen=True)
class BlurParameters(Parameters):
    radius_px: float = number(
        4.0, title="Radius", unit="px", low=0.3, high=500.0,
        help="Sigma of the Gaussian.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False, kw_only=True)
class BlurLayer(Leaf, Unpainted, ComputedLayer):
    """Evens all that is smaller than a radius."""

    KIND = "blur"
    NOUN = "a blur"
    TAKES = BlurParameters
    TITLE = "Blur"
    HELP = "Evens all that is smaller than a radius."
    STARTS_HIDDEN = True

    parameters: BlurParameters = field(default_factory=BlurParameters)

    def reach_px(self, level: int) -> int:
        return gaussian_reach_px(self.parameters.radius_px / 2**level)
