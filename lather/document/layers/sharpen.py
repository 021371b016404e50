"""Sharpen: more contrast at edges, in lightness alone, past the grain."""

from __future__ import annotations

from dataclasses import dataclass, field

from lather.core.filter.reach import gaussian_reach_px
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Leaf, Unpainted
from lather.document.layers.parameters import Parameters, number


@dataclass(frozen=True)
class SharpenParameters(Parameters):
    contrast_percent: float = number(
        140.0, title="Edge contrast", unit="%", low=100.0, high=400.0,
        help="Of what is as fine as the edges; 100 is as it was.",
    )  # fmt: skip
    width_px: float = number(
        1.2, title="Edge width", unit="px", low=0.3, high=50.0,
        help="Sigma of what is sharpened.",
    )  # fmt: skip
    grain_l: float = number(
        0.6, title="Grain left alone", unit="L*", low=0.0, high=10.0,
        help="Sigma of the grain of this picture; detail has to stand out from it.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False, kw_only=True)
class SharpenLayer(Leaf, Unpainted, ComputedLayer):
    """Raises the contrast of edges in lightness; grain and colour stay."""

    KIND = "sharpen"
    NOUN = "a sharpening layer"
    TAKES = SharpenParameters
    TITLE = "Sharpen"
    HELP = "Raises the contrast of edges in lightness; grain and colour stay."

    parameters: SharpenParameters = field(default_factory=SharpenParameters)

    def reach_px(self, level: int) -> int:
        return gaussian_reach_px(self.parameters.width_px / 2**level)
