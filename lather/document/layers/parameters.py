"""What can be set of a kind of layer: declared once, for card, job file, command line and manual.

A kind's parameters are a frozen dataclass whose fields are made by `number`, `choice` and `curve`:
each carries its title, unit, bounds and help. Values from outside go through `checked`.
"""

from __future__ import annotations

import dataclasses
import math
from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from types import MappingProxyType
from typing import Any, Self

from lather.core.bounds import Within
from lather.errors import BoundsError, EditError

Points = tuple[tuple[float, float], ...]  # x rising, 0-1 each
LEVEL: Points = ((0.0, 0.0), (1.0, 1.0))
MOST_POINTS, LEAST_APART = 64, 1 / 1024
MOST_ROWS = 32
_SPEC = "lather"


@dataclass(frozen=True)
class Spec(ABC):
    """What a person is told of a parameter."""

    title: str
    help: str

    @property
    @abstractmethod
    def values(self) -> str:
        """What it can be, for the manual."""

    @abstractmethod
    def checked(self, value: Any) -> Any:
        """The value as it is kept; ValueError or TypeError, with a reason, if it cannot be."""

    @abstractmethod
    def read(self, text: str) -> Any:
        """The value that a person typed, not checked; ValueError if it is none."""

    def told(self, value: Any) -> str:
        """The value as text that `read` takes."""
        return str(value)

    def entry(self, value: Any) -> Any:
        """The value ready for JSON."""
        return value


@dataclass(frozen=True)
class Number(Spec):
    """A number within bounds. With unit px it is a length on the photo at full size."""

    unit: str
    low: float
    high: float

    @property
    def values(self) -> str:
        return f"{self.low:g}-{self.high:g} {self.unit}".rstrip()

    @property
    def bound(self) -> Within:
        return Within(self.low, self.high, self.unit)

    def checked(self, value: Any) -> float:
        number = float(value)
        if self.bound.fault(number):
            raise ValueError(f"it takes {self.bound.range}")
        return number

    def nearest(self, value: float) -> float:
        return self.bound.nearest(value)

    def read(self, text: str) -> float:
        return float(text.removesuffix(self.unit))

    def told(self, value: Any) -> str:
        return f"{value:g}"


@dataclass(frozen=True)
class Choice(Spec):
    """One of some words."""

    options: tuple[str, ...]

    @property
    def values(self) -> str:
        return ", ".join(self.options)

    def checked(self, value: Any) -> str:
        if value not in self.options:
            raise ValueError(f"it is one of {', '.join(self.options)}")
        return str(value)

    def read(self, text: str) -> str:
        return text


@dataclass(frozen=True)
class CurveSpec(Spec):
    """A curve through points from the left, 0, to the right, 1."""

    @property
    def values(self) -> str:
        return f"2-{MOST_POINTS} points x:y, 0-1"

    def checked(self, value: Any) -> Points:
        points = tuple((float(x), float(y)) for x, y in value)
        if not 2 <= len(points) <= MOST_POINTS:
            raise ValueError(f"it takes 2 to {MOST_POINTS} points")
        if not all(math.isfinite(v) and 0 <= v <= 1 for point in points for v in point):
            raise ValueError("its points lie between 0 and 1")
        steps = (b[0] - a[0] for a, b in zip(points, points[1:], strict=False))
        if any(step < LEAST_APART for step in steps):
            raise ValueError("its points go from left to right, no two above each other")
        return points

    def read(self, text: str) -> Points:
        pairs = (pair.split(":") for pair in text.split())
        return tuple((float(x), float(y)) for x, y in pairs)

    def told(self, value: Any) -> str:
        return " ".join(f"{x:g}:{y:g}" for x, y in value)


@dataclass(frozen=True)
class Rows(Spec):
    """Any number of rows of numbers and choices, each a `Parameters` of its own."""

    row: type[Parameters]

    @property
    def values(self) -> str:
        inner = ", ".join(f"{name} {spec.values}" for name, spec in self.row.specs().items())
        return f"up to {MOST_ROWS} rows of {inner}"

    def checked(self, value: Any) -> tuple[Parameters, ...]:
        given = tuple(value)
        if len(given) > MOST_ROWS:
            raise ValueError(f"it takes up to {MOST_ROWS} rows")
        return tuple(
            self.row.checked(one.values if isinstance(one, Parameters) else one) for one in given
        )

    def entry(self, value: Any) -> Any:
        return tuple(one.values for one in value)

    def read(self, text: str) -> Any:
        """Rows by semicolons, NAME=VALUE by spaces."""
        specs = self.row.specs()
        rows = []
        for part in filter(str.strip, text.split(";")):
            pairs = [pair.partition("=") for pair in part.split()]
            for name, _, _ in pairs:
                if name not in specs:
                    raise ValueError(f"a row has {', '.join(specs)}")
            rows.append({name: specs[name].read(value) for name, _, value in pairs})
        return rows

    def told(self, value: Any) -> str:
        specs = self.row.specs()
        return "; ".join(
            " ".join(f"{name}={spec.told(getattr(one, name))}" for name, spec in specs.items())
            for one in value
        )


def number(default: float, *, title: str, unit: str, low: float, high: float, help: str) -> Any:  # noqa: A002
    spec = Number(title, help, unit, low, high)
    return dataclasses.field(default=default, metadata={_SPEC: spec})


def choice(default: str, *, title: str, options: tuple[str, ...], help: str) -> Any:  # noqa: A002
    return dataclasses.field(default=default, metadata={_SPEC: Choice(title, help, options)})


def rows(row: type[Parameters], *, title: str, help: str) -> Any:  # noqa: A002
    return dataclasses.field(default=(), metadata={_SPEC: Rows(title, help, row)})


def curve(*, title: str, help: str) -> Any:  # noqa: A002
    return dataclasses.field(default=LEVEL, metadata={_SPEC: CurveSpec(title, help)})


@dataclass(frozen=True)
class Parameters:
    """The parameters of a layer, or of a row of one, all within their bounds.

    `more` are those of a newer Lather, kept and saved again.
    """

    more: Mapping[str, Any] = dataclasses.field(default_factory=dict, kw_only=True, hash=False)

    def __post_init__(self) -> None:
        for name, spec in self.specs().items():
            try:
                spec.checked(getattr(self, name))
            except (ValueError, TypeError) as error:
                raise BoundsError("Nothing was changed",
                                  f"{spec.title} cannot be so: {error}") from error  # fmt: skip

    @classmethod
    @cache
    def specs(cls) -> Mapping[str, Spec]:
        """By name, in the order in which a card shows them."""
        return MappingProxyType({
            field.name: field.metadata[_SPEC] for field in dataclasses.fields(cls)
            if _SPEC in field.metadata
        })  # fmt: skip

    @classmethod
    def nearest(cls, **numbers: float) -> tuple[Self, tuple[str, ...]]:
        """What lies nearest to measured numbers, and what is said of those beyond their bounds."""
        specs, said = cls.specs(), list[str]()
        known: dict[str, Any] = {}
        for name, value in numbers.items():
            spec = specs[name]
            assert isinstance(spec, Number)
            known[name] = spec.nearest(value)
            if known[name] != value:
                said.append(f"{spec.title} would have to be {value:.4g} {spec.unit}".rstrip()
                            + f": it goes as far as {known[name]:g}")  # fmt: skip
        return cls(**known), tuple(said)

    @classmethod
    def checked(cls, values: Mapping[str, Any]) -> Self:
        """From JSON, what is missing at its default; ValueError or TypeError if one is wrong."""
        specs = cls.specs()
        known = {name: specs[name].checked(value) for name, value in values.items()
                 if name in specs}  # fmt: skip
        more = {name: value for name, value in values.items() if name not in specs}
        return cls(**known, more=more)

    @property
    def unknown_names(self) -> tuple[str, ...]:
        """What a newer Lather set, of itself and of its rows: kept, and not heeded."""
        inside = (row for name, spec in self.specs().items() if isinstance(spec, Rows)
                  for row in getattr(self, name))  # fmt: skip
        return tuple(dict.fromkeys([*self.more, *(n for row in inside for n in row.more)]))

    @property
    def values(self) -> dict[str, Any]:
        """By name, ready for JSON."""
        known = {name: spec.entry(getattr(self, name)) for name, spec in self.specs().items()}
        return {**self.more, **known}

    def with_value(self, name: str, value: Any) -> Self:
        """A copy with another value; `EditError` says what may be set, and to what."""
        spec = self.specs().get(name)
        if spec is None:
            raise EditError(
                f"There is no '{name}' to be set", "", f"it has {', '.join(self.specs())}"
            )
        try:
            return dataclasses.replace(self, **{name: spec.checked(value)})
        except (ValueError, TypeError) as error:
            raise EditError(f"{spec.title} stays as it is", str(error)) from error
