"""The styles of a brief: how far to go, what stays, what is only softened."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

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
    def forbids_retouching(self) -> bool:
        """True where nothing but the light of the whole picture may be changed."""
        return self is Style.IDENTITY

    @property
    def limits(self) -> Limits:
        """How far a retouch of that style may go, as the table of limits says."""
        return Limits.of_style(self.value)

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
    caution: str = ""


_STYLES = {
    Style.NATURAL: _Means(
        "Freckles and veins stay; creases at 50 %, eye bags at 40 %.",
        frozenset({Kind.FRECKLES, Kind.VEIN}),
        {Weak.CREASES: 0.5, Weak.EYE_BAGS: 0.4},
    ),
    Style.GROOMED: _Means(
        "Freckles stay; creases and eye bags at 55 %.",
        frozenset({Kind.FRECKLES}),
        {Weak.CREASES: 0.55, Weak.EYE_BAGS: 0.55},
    ),
    Style.FLAWLESS: _Means(
        "Only moles and scars stay; creases at 60 %, eye bags at 70 %.",
        frozenset(),
        {Weak.CREASES: 0.6, Weak.EYE_BAGS: 0.7},
    ),
    Style.INFANT: _Means(
        "Children: freckles and veins stay, creases at 30 %, the shape is left alone.",
        frozenset({Kind.FRECKLES, Kind.VEIN}),
        {Weak.CREASES: 0.3, Weak.EYE_BAGS: 0.3},
        "the shape of a child's face is not changed",
    ),
    Style.IDENTITY: _Means(
        "For a document: nothing is retouched; only the light of the whole picture may change.",
        frozenset({Kind.FRECKLES, Kind.VEIN}),
        {Weak.CREASES: 0.0, Weak.EYE_BAGS: 0.0},
        "a picture for a document must show the person as they are",
    ),
}
