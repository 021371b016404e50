"""What a measure of the check says, and a row of its table."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from lather.assist.check.views import Views
from lather.core.survey.regions.region import Part


@dataclass(frozen=True)
class Reading:
    """A measured value.

    Attributes
    ----------
    value : in the row's unit; None where there is nothing to measure.
    place : x, y in pixels of the photo, where it is so; None for the whole picture.
    where : the same in words: 'left cheek'.
    by_part : the value of each part of the skin, where there is one.
    why_not : why there is no value.
    """

    value: float | None
    place: tuple[float, float] | None = None
    where: str = ""
    by_part: Mapping[Part, float] = field(default_factory=dict)
    why_not: str = ""


@dataclass(frozen=True)
class Row:
    """A measure of the check, and how it is told.

    Attributes
    ----------
    id : of its limit in the table of limits.
    unit : '%' for shares of 1.
    too_little, too_much : what it is called beyond its limit, on either side.
    advice : what can be done by hand.
    quick : cheap enough to be measured after every stroke.
    """

    id: str
    title: str
    unit: str
    help: str
    measure: Callable[[Views], Reading]
    too_little: str = ""
    too_much: str = ""
    advice: str = ""
    quick: bool = False

    def text(self, value: float) -> str:
        """A value of it for a person to read."""
        if self.unit == "%":
            shown = f"{value:.0%}" if abs(value) >= 0.1 or abs(value) < 5e-4 else f"{value:.1%}"
        elif self.unit in ("mm²", ""):
            shown = f"{value:.0f} {self.unit}"
        else:
            shown = f"{value:.1f} {self.unit}"
        return shown.rstrip().replace("-", "\u2212")
