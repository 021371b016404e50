"""Where a layer counts without a mask being painted: a span of lightness, regions of the survey."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Self

from lather.core.survey.regions.region import Part, Region, region_named
from lather.document.layers.parameters import Parameters, number


@dataclass(frozen=True)
class Span(Parameters):
    """A span of the lightness of what lies below a layer, with two soft ends."""

    low_l: float = number(
        0.0, title="From lightness", unit="L*", low=0.0, high=100.0,
        help="Where it is darker below, the layer does not show; 0 is open.",
    )  # fmt: skip
    high_l: float = number(
        100.0, title="To lightness", unit="L*", low=0.0, high=100.0,
        help="Where it is lighter below, the layer does not show; 100 is open.",
    )  # fmt: skip
    soft_low_l: float = number(
        6.0, title="Dark end, soft by", unit="L*", low=0.0, high=50.0,
        help="From a half to all of the layer, and from a half to none.",
    )  # fmt: skip
    soft_high_l: float = number(
        6.0, title="Light end, soft by", unit="L*", low=0.0, high=50.0,
        help="From a half to all of the layer, and from a half to none.",
    )  # fmt: skip

    @property
    def is_open(self) -> bool:
        return self.low_l <= 0 and self.high_l >= 100


@dataclass(frozen=True)
class Limits:
    """What a layer is limited to, beside its mask.

    Attributes
    ----------
    regions : and parts of the skin, in all of which it shows; with none, everywhere.
    extras : fields of a newer Lather, kept and saved again.
    """

    span: Span = field(default_factory=Span)
    regions: tuple[Region | Part, ...] = ()
    extras: Mapping[str, Any] = field(default_factory=dict)

    @property
    def are_open(self) -> bool:
        """True if they leave nothing out."""
        return self.span.is_open and not self.regions

    @property
    def entry(self) -> dict[str, Any]:
        """As JSON."""
        return {**self.extras, **self.span.values, "regions": [one.value for one in self.regions]}

    @classmethod
    def read(cls, entry: Mapping[str, Any]) -> Self:
        """From JSON; ValueError or TypeError if it is wrong. A name that is none of this Lather's
        regions stays as one that is nowhere."""
        regions = tuple(region_named(str(name)) for name in entry.get("regions", ()))
        own = {name: value for name, value in entry.items() if name in Span.specs()}
        more = {name: value for name, value in entry.items()
                if name not in own and name != "regions"}  # fmt: skip
        return cls(Span.checked(own), regions, more)


OPEN = Limits()
