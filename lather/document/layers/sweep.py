"""Fine-line sweep: thin lines off their surroundings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from lather.core.filter.reach import median_reach_px
from lather.document.layers.computed import ComputedLayer, Portrait
from lather.document.layers.layer import Leaf, Unpainted
from lather.document.layers.parameters import Parameters, choice, number

DARK, LIGHT, BOTH = "dark", "light", "both"


@dataclass(frozen=True)
class SweepParameters(Parameters):
    width_px: float = number(
        4.0, title="Widest line", unit="px", low=1.0, high=64.0,
        help="Wider lines stay.",
    )  # fmt: skip
    contrast_l: float = number(
        2.0, title="Stands out by", unit="L*", low=0.5, high=30.0,
        help="Half of a line that stands out by so much goes; grain, which does not, stays.",
    )  # fmt: skip
    which: str = choice(
        BOTH, title="Lines", options=(DARK, LIGHT, BOTH),
        help="Those darker than their surroundings, lighter, or both.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False, kw_only=True)
class SweepLayer(Leaf, Unpainted, ComputedLayer):
    """Takes thin lines off, hairs and folds of cloth; what is wider stays."""

    KIND = "sweep"
    NOUN = "a fine-line sweep"
    TAKES = SweepParameters
    TITLE = "Fine-line sweep"
    HELP = "Takes thin lines off, hairs and folds of cloth; what is wider stays."
    STARTS_HIDDEN = True

    parameters: SweepParameters = field(default_factory=SweepParameters)

    @classmethod
    def starts(cls, portrait: Portrait) -> Mapping[str, Any]:
        """A stray hair's width."""
        return portrait.lengths_px(width_px=0.4)

    @property
    def finest_px(self) -> float:
        return self.parameters.width_px

    def reach_px(self, level: int) -> int:
        return median_reach_px(self.parameters.width_px / 2**level)
