"""What a value may be so that any file can hold it: asked when it is made, by readers, by cards and
by the command line.

A table a thing, by the names of its attributes. What a kind of layer takes is declared with the
kind (`document/layers/parameters.py`), of the same bounds.
"""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

import numpy as np

from lather.errors import BoundsError

MOST_LAYERS = 4000
DEEPEST_GROUPS = 64  # lists of layers inside each other, the outermost counted
MOST_TILES = 400_000  # in all planes together
MOST_FINDINGS, MOST_FACES, MOST_TRIALS = 20_000, 1000, 1000
MOST_POINTS, MOST_POINTS_TOGETHER = 2000, 300_000  # of a finding's path, of all of them
LONGEST_TEXT, LONGEST_NAME = 4000, 40_000  # letters; no field to type a name in takes more
MOST_OPERATIONS, MOST_PLACES = 200_000, 100  # of a job; of an operation
DEEPEST_ARGUMENTS = 32  # of an operation, inside of each other
FARTHEST_PX, LARGEST_SIDE_PX = 1e6, 60_000
N_DIRECTIONS, N_HANDLES = 24, 8  # of a finding's extent, of a face
LARGEST_AMOUNT, _LARGEST_LIMIT = 1e9, 1e6


def depth_of(value: Any, most: int = 2 * DEEPEST_ARGUMENTS) -> int:
    """How many lists and objects of JSON lie inside of each other, counted up to `most`."""
    if not isinstance(value, (dict, list, tuple)) or most <= 0:
        return 0
    inner = value.values() if isinstance(value, dict) else value
    return 1 + max((depth_of(one, most - 1) for one in inner), default=0)


class Bound(ABC):
    """What one attribute may be."""

    @abstractmethod
    def fault(self, value: Any) -> str:
        """What is wrong with a value, to be put after its name; '' if nothing is."""


@dataclass(frozen=True)
class Within(Bound):
    """A number within bounds; `whole`, a whole one; `optional`, or none."""

    low: float
    high: float
    unit: str = ""
    whole: bool = False
    optional: bool = False

    def fault(self, value: Any) -> str:
        if value is None and self.optional:
            return ""
        if isinstance(value, bool) or not isinstance(value, (int, float)):
            return f"is {value!r}, no number"
        if self.low <= value <= self.high and not (self.whole and value != int(value)):
            return ""
        return f"is {_told(value)}, beyond {self.range}"

    @property
    def range(self) -> str:
        """In words: '0 to 100 %'."""
        return f"{_told(self.low)} to {_told(self.high)} {self.unit}".rstrip()

    def nearest(self, value: float) -> float:
        """The value itself, or the bound that it is beyond."""
        return min(max(value, self.low), self.high)


@dataclass(frozen=True)
class Text(Bound):
    """Text of so many letters."""

    longest: int = LONGEST_TEXT

    def fault(self, value: Any) -> str:
        if not isinstance(value, str):
            return f"is {value!r}, no text"
        if len(value) > self.longest:
            return f"has {len(value):,} letters, more than {self.longest:,}"
        return ""


@dataclass(frozen=True)
class When(Bound):
    """A date as ISO 8601 has it, '' for none; with `timed` a time."""

    timed: bool = False

    def fault(self, value: Any) -> str:
        if value == "" and not self.timed:
            return ""
        try:
            (datetime if self.timed else date).fromisoformat(value)
        except (ValueError, TypeError):
            return f"is {value!r}, no date: type it like 2026-12-31"
        return ""


@dataclass(frozen=True)
class Several(Bound):
    """A number of things, each within bounds of its own if there are any."""

    most: int
    least: int = 0
    of: Bound | None = None

    def fault(self, value: Any) -> str:
        if not self.least <= len(value) <= self.most:
            than = "more than" if len(value) > self.most else "other than"
            return f"would be {len(value):,}, {than} {self.most:,}"
        named = isinstance(value, Mapping)
        each = tuple(value.values() if named else value)
        if self.of is None or self._all_fit(each):
            return ""
        for name, one in value.items() if isinstance(value, Mapping) else enumerate(each):
            fault = self.of.fault(one)
            if fault:
                return f"cannot be so: '{name}' {fault}" if named else fault
        return ""

    def _all_fit(self, each: tuple[Any, ...]) -> bool:
        """True for numbers, or rows of them, that are known at a glance to lie within: a path has
        thousands of them."""
        row = self.of if isinstance(self.of, Several) else None
        of = row.of if row is not None else self.of
        if not isinstance(of, Within) or of.whole:
            return False
        try:
            numbers = np.asarray(each)
        except ValueError:  # rows of several lengths
            return False
        shape_fits = numbers.ndim == (1 if row is None else 2)
        if row is not None and shape_fits:
            shape_fits = row.least <= numbers.shape[1] <= row.most
        return shape_fits and numbers.dtype.kind in "fi" and bool(
            ((numbers >= of.low) & (numbers <= of.high)).all()
        )


_PLACE = Within(-FARTHEST_PX, FARTHEST_PX, "px")
_SHARE = Within(0.0, 1.0)
_SIDE = Within(1, LARGEST_SIDE_PX, "px", whole=True)

LAYER: Mapping[str, Bound] = {
    "id": Within(1, 2**53, whole=True), "name": Text(LONGEST_NAME), "strength": _SHARE,
}  # fmt: skip
FINDING: Mapping[str, Bound] = {
    "id": Within(0, 2**53, whole=True), "x": _PLACE, "y": _PLACE,
    "radius_px": Within(0, FARTHEST_PX, "px"),
    "diameter_mm": Within(0, 1e6, "mm"), "contrast_l": Within(-1e6, 1e6, "L*"),
    "contrast_a": Within(-1e6, 1e6), "severity": Within(-1e6, 1e6),
    "rim_broken": Within(-1e6, 1e6),
    "extent_px": Several(N_DIRECTIONS, N_DIRECTIONS, Within(0, 20_000.0, "px")),
    "edge_px": Within(0, 1e6, "px"), "path_px": Several(MOST_POINTS, of=Several(2, 2, _PLACE)),
    "length_mm": Within(0, 1e6, "mm"), "certainty": _SHARE, "area_mm2": Within(0, 1e6, "mm²"),
    "clipped": _SHARE,
}  # fmt: skip
FACE: Mapping[str, Bound] = {
    "handles": Several(N_HANDLES, 2, Several(2, 2, _PLACE)),
    "mesh": Several(1000, of=Several(3, 3, _PLACE)),
}  # fmt: skip
PUPILS: Mapping[str, Bound] = {  # of a face that is kept
    "pupil_distance_px": Within(1, 4 * FARTHEST_PX, "px"),
}  # fmt: skip
FINDINGS: Mapping[str, Bound] = {
    "mm_per_px": Within(1e-6, 1e3, "mm", optional=True), "items": Several(MOST_FINDINGS),
    "faces": Several(MOST_FACES), "looked_in": Several(100, of=Text(100)),
}  # fmt: skip
BRIEF: Mapping[str, Bound] = {
    "delivery_long_side_px": Within(1, LARGEST_SIDE_PX, "px", whole=True, optional=True),
    "words": Text(), "moved_limits": Several(100, of=Within(0, _LARGEST_LIMIT)),
    "keep_kinds": Several(100), "tasks": Several(100), "more_sizes_px": Several(100, of=_SIDE),
    "formats": Several(100), "n_pictures": Within(0, LARGEST_AMOUNT, whole=True, optional=True),
    "fee": Within(0, LARGEST_AMOUNT, optional=True), "currency": Text(),
    "agreed_hours": Within(0, LARGEST_AMOUNT, "h", optional=True),
    "deadline": When(), "consent_by": Text(), "consent_on": When(), "guardian": Text(),
}  # fmt: skip
TRIAL: Mapping[str, Bound] = {
    "on": When(timed=True), "scale": _SHARE, "n_flips": Within(0, 1e6, whole=True),
}  # fmt: skip


def refuse_beyond(what: str, bounds: Mapping[str, Bound], thing: object) -> None:
    """Raise `BoundsError` for a thing of which an attribute is beyond its bounds.

    `what` it is, as a person knows it: the sentence says what no file could hold.
    """
    for name, bound in bounds.items():
        fault = bound.fault(getattr(thing, name))
        if fault:
            raise BoundsError("Nothing was changed", f"in {what}, {readable_name(name)} {fault}")


_TITLES = {
    "items": "findings", "extent_px": "directions of its extent", "path_px": "points",
    "mm_per_px": "scale", "moved_limits": "limits",
    "words": "text in the client's words", "on": "time", "consent_by": "name of who agreed",
    "consent_on": "day of consent", "guardian": "guardian's name", "contrast_a": "redness",
}  # fmt: skip
_UNITS = ("_px", "_mm2", "_mm", "_l")


def readable_name(attribute: str) -> str:
    """'area_mm2' as 'the area': its unit is said with its number."""
    stem = next((attribute.removesuffix(unit) for unit in _UNITS if attribute.endswith(unit)),
                attribute)  # fmt: skip
    return "the " + _TITLES.get(attribute, stem.replace("_", " "))


def _told(number: float) -> str:
    if math.isfinite(number) and number == int(number) and abs(number) < 1e10:
        return f"{int(number):,}"
    return f"{number:.6g}"
