"""What arguments of operations may be: how each is written as JSON, and read back and checked."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from enum import Enum
from typing import Any

from lather.assist.picking import Picked
from lather.core.blend.modes import BlendMode
from lather.core.bounds import FARTHEST_PX, LONGEST_TEXT
from lather.core.survey.regions.region import Part, region_named
from lather.document.agreed.style import Style
from lather.document.findings import FindingState
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Stage
from lather.document.layers.limits import Limits
from lather.document.layers.parameters import Parameters
from lather.document.layers.table import KINDS
from lather.files.entries import measure
from lather.files.jobs.brief import brief_entry, held_from, kept_brief_from, written_entry
from lather.files.jobs.trials import trials_entry, trials_from


@dataclass(frozen=True)
class Argument:
    """What an argument may be.

    Attributes
    ----------
    told : in words, for who reads the table.
    write : to JSON.
    read : from JSON that may come from anybody; ValueError, KeyError or TypeError if it is no such
        value.
    """

    told: str
    write: Callable[[Any], Any]
    read: Callable[[Any], Any]


def number(told: str, low: float, high: float) -> Argument:
    return Argument(f"{told}, {low:g} to {high:g}", float, lambda value: measure(value, low, high))


def one_of(choice: type[Enum], told: str) -> Argument:
    return Argument(told, lambda value: value.value, choice)


def optional(argument: Argument) -> Argument:
    """The same, or none."""
    return Argument(
        f"{argument.told}, or none",
        lambda value: None if value is None else argument.write(value),
        lambda value: None if value is None else argument.read(value),
    )


def _whole(value: Any) -> int:
    if isinstance(value, bool) or int(value) != value:
        raise ValueError(f"{value!r} is no whole number")
    return int(value)


def _text(value: Any) -> str:
    if not isinstance(value, str) or len(value) > LONGEST_TEXT:
        raise ValueError("no text, or too long a one")
    return value


def _flag(value: Any) -> bool:
    if not isinstance(value, bool):
        raise ValueError(f"{value!r} is neither true nor false")
    return value


def _ids(values: Any) -> list[int]:
    return [_whole(value) for value in values]


def _kind(value: Any) -> type[ComputedLayer]:
    kind = KINDS[value]
    if not issubclass(kind, ComputedLayer):
        raise ValueError(f"a {value} layer has no parameters")
    return kind


def plain(value: Any) -> Any:
    """A parameter's value as JSON."""
    if isinstance(value, Parameters):
        return plain(value.values)
    if isinstance(value, Mapping):
        return {name: plain(one) for name, one in value.items()}
    if isinstance(value, Sequence) and not isinstance(value, str):
        return [plain(one) for one in value]
    if isinstance(value, str) or value is None or isinstance(value, bool):
        return value
    return int(value) if isinstance(value, int) else float(value)


def _values(value: Any) -> dict[str, Any]:
    return {_text(name): one for name, one in value.items()}


def _picked(value: Any) -> Picked:
    rgb, lab, spread = (tuple(map(float, value[name])) for name in ("rgb", "lab", "spread"))
    if not len(rgb) == len(lab) == len(spread) == 3:
        raise ValueError("a colour has three numbers")
    return Picked(rgb, lab, spread, _whole(value["n_pixels"]))


def _trial(value: Any) -> Any:
    read, odd = trials_from([value])
    if odd:
        raise ValueError("no blinded test")
    return read[0]


LAYER = Argument("a layer, by its id", int, _whole)
FLAG = Argument("yes or no", bool, _flag)
TEXT = Argument("text", str, _text)
SHARE = number("a share", 0.0, 1.0)
PLACE = number("px of the photo", -FARTHEST_PX, FARTHEST_PX)
LENGTH = number("px", -FARTHEST_PX, FARTHEST_PX)
COUNT = Argument("a whole number", int, _whole)
FINDINGS = Argument("findings, by their ids", lambda ids: [*map(int, ids)], _ids)
DECISION = one_of(FindingState, "what was decided")
MODE = one_of(BlendMode, "a blend mode")
STAGE = one_of(Stage, "a stage")
STYLE = one_of(Style, "a style")
REGION = Argument("a region, or a part of the skin", lambda region: region.value, region_named)
PARTS = Argument("parts of the skin", lambda parts: [part.value for part in parts],
                 lambda values: tuple(map(Part, values)))  # fmt: skip
LAYER_KIND = Argument("a kind of layer", lambda kind: kind.KIND, _kind)
VALUE = Argument("what the parameter takes", plain, lambda value: value)
VALUES = Argument("parameters by name", plain, _values)
LIMITS = Argument("limits of a layer", lambda limits: limits.entry, Limits.read)
BRIEF = Argument("a brief", brief_entry, kept_brief_from)
WRITTEN_BRIEF = Argument("a brief's file", written_entry, held_from)
TRIAL = Argument("a blinded test", lambda trial: trials_entry([trial])[0], _trial)
PICKED = Argument("picked colours", asdict, _picked)
