"""What the client wants."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from lather.core.check.limits import Limits
from lather.core.open_enum import OpenEnum
from lather.core.survey.findings.finding import Kind

UNKNOWN_WEAK_STRENGTH = 0.4  # of softening whose kind is not known


class Weak(OpenEnum):
    """What is only softened, on a layer of its own: without it a face goes flat."""

    CREASES = "creases"
    EYE_BAGS = "eye bags"


class Style(OpenEnum):
    """How far to go. Values as in files."""

    NATURAL = "natural"
    GROOMED = "groomed"
    FLAWLESS = "flawless"
    INFANT = "infant"
    IDENTITY = "identity"

    @property
    def help(self) -> str:
        return self._means.help

    def keeps(self, kind: Kind) -> bool:
        """True for what is proposed to be kept."""
        return kind in _ALWAYS_KEPT or kind in self._means.keeps

    def strength(self, weak: Weak) -> float:
        """0-1: how far what is softened is taken back."""
        return self._means.strengths.get(weak, UNKNOWN_WEAK_STRENGTH)

    @property
    def caution(self) -> str:
        """Why nothing is reshaped, where it is not."""
        return self._means.caution

    @property
    def limits(self) -> Limits:
        """How far a retouch of that style may go."""
        return self._means.limits

    @property
    def _means(self) -> _Means:
        """A style that is not known goes as far as the middle one."""
        return _STYLES.get(self, _STYLES[Style.GROOMED])


_ALWAYS_KEPT = frozenset({Kind.MOLE, Kind.SCAR, Kind.MARK, Kind.FOLD})


@dataclass(frozen=True)
class _Means:
    help: str
    keeps: frozenset[Kind]
    strengths: Mapping[Weak, float]
    limits: Limits
    caution: str = ""


_STYLES = {
    Style.NATURAL: _Means(
        "Freckles and veins stay; creases at 50 %, eye bags at 40 %.",
        frozenset({Kind.FRECKLES, Kind.VEIN}),
        {Weak.CREASES: 0.5, Weak.EYE_BAGS: 0.4},
        Limits(texture_kept=0.92, modelling_kept=0.96, colour_shift=2.0,
               displacement=0.01),  # fmt: skip
    ),
    Style.GROOMED: _Means(
        "Freckles stay; creases and eye bags at 55 %.",
        frozenset({Kind.FRECKLES}),
        {Weak.CREASES: 0.55, Weak.EYE_BAGS: 0.55},
        Limits(texture_kept=0.85, modelling_kept=0.92, colour_shift=3.0,
               displacement=0.025),  # fmt: skip
    ),
    Style.FLAWLESS: _Means(
        "Only moles and scars stay; creases at 60 %, eye bags at 70 %.",
        frozenset(),
        {Weak.CREASES: 0.6, Weak.EYE_BAGS: 0.7},
        Limits(texture_kept=0.75, modelling_kept=0.85, colour_shift=4.5,
               displacement=0.04),  # fmt: skip
    ),
    Style.INFANT: _Means(
        "Children: freckles and veins stay, creases at 30 %, the shape is left alone.",
        frozenset({Kind.FRECKLES, Kind.VEIN}),
        {Weak.CREASES: 0.3, Weak.EYE_BAGS: 0.3},
        Limits(texture_kept=0.95, modelling_kept=0.97, colour_shift=1.5, displacement=0.0),
        "the shape of a child's face is not changed",
    ),
    Style.IDENTITY: _Means(
        "For a document: the person must look as they do; the shape is left alone.",
        frozenset({Kind.FRECKLES, Kind.VEIN}),
        {Weak.CREASES: 0.0, Weak.EYE_BAGS: 0.0},
        Limits(texture_kept=1.0, modelling_kept=1.0, colour_shift=0.0, displacement=0.0),
        "a picture for a document must show the person as they are",
    ),
}


@dataclass(frozen=True)
class Brief:
    """What the client wants, as far as this version asks.

    `delivery_long_side_px` is None for full size.
    """

    delivery_long_side_px: int | None = None
    style: Style = Style.GROOMED
    extras: Mapping[str, Any] = field(default_factory=dict)
