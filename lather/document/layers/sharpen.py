"""Sharpen: more contrast at edges, in lightness alone, past the grain."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from lather.core.filter.reach import gaussian_reach_px
from lather.document.layers.computed import ComputedLayer, Portrait
from lather.document.layers.layer import Leaf, Unpainted
from lather.document.layers.parameters import Parameters, number

MOST_GRAIN_L = 10.0


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
        0.6, title="Grain left alone", unit="L*", low=0.0, high=MOST_GRAIN_L,
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
    NEEDS_GRAIN = True

    parameters: SharpenParameters = field(default_factory=SharpenParameters)

    @classmethod
    def starts(cls, portrait: Portrait) -> Mapping[str, Any]:
        """Past this picture's own grain."""
        own_l = portrait.grain_l
        return {} if own_l is None else {"grain_l": round(min(own_l, MOST_GRAIN_L), 2)}

    @property
    def finest_px(self) -> float:
        return self.parameters.width_px

    def reach_px(self, level: int) -> int:
        return gaussian_reach_px(self.parameters.width_px / 2**level)
