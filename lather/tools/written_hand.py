"""What was in the hand, as arguments of an operation, and back again; the brush, its colour and
its mode are the stroke's."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass
from typing import Any

from lather.core.area.combine import Combine
from lather.core.mend.mode import MendMode
from lather.core.mend.placement import Turn
from lather.core.survey.regions.region import Part, Region
from lather.document.layers.layer import Stage
from lather.document.painting.strokes import StrokeRecord
from lather.document.state import JobState
from lather.tools.base import Hand, ShapeHand
from lather.tools.source import PickedSource, Reads, SourceGoes

BACK_TO = "back_to"  # how many operations were done of the state that is brought back


def hand_entry(hand: Hand) -> dict[str, Any]:
    """What of a hand is not what a hand begins with."""
    plain = Hand(hand.tool)
    entry: dict[str, Any] = {
        name: field.write(getattr(hand, name)) for name, field in FIELDS.items()
        if getattr(hand, name) != getattr(plain, name)
    }
    if hand.back_to is not None:
        entry[BACK_TO] = len(hand.back_to.operations)
    return entry


def hand_from(
    tool_id: str, entry: Mapping[str, Any], stroke: StrokeRecord,
    state_at: Callable[[int], JobState],
) -> Hand:
    """The inverse; `state_at` gives the state of which so many operations were done. ValueError,
    KeyError or TypeError for what is no hand."""
    values = {name: field.read(entry[name]) for name, field in FIELDS.items() if name in entry}
    if stroke.colour is not None:
        values["colour"] = stroke.colour
    back_to = state_at(int(entry[BACK_TO])) if BACK_TO in entry else None
    return Hand(tool_id, stroke.brush, mode=MendMode(stroke.mode), back_to=back_to, **values)


def _source_entry(source: PickedSource) -> dict[str, Any]:
    about = source.about
    return {"x": float(source.x), "y": float(source.y),
            "about": None if about is None else [float(about[0]), float(about[1])]}  # fmt: skip


def _source(entry: Mapping[str, Any]) -> PickedSource:
    about = entry["about"]
    return PickedSource(float(entry["x"]), float(entry["y"]),
                        None if about is None else (float(about[0]), float(about[1])))  # fmt: skip


def _turn(entry: Mapping[str, Any]) -> Turn:
    return Turn(**{name: type(value)(entry[name]) for name, value in asdict(Turn()).items()})


def _shape(entry: Mapping[str, Any]) -> ShapeHand:
    return ShapeHand(**{name: type(value)(entry[name])
                        for name, value in asdict(ShapeHand()).items()})  # fmt: skip


def _region(value: str) -> Region | Part:
    return Part(value) if value in {part.value for part in Part} else Region(value)


def _value(choice: Any) -> Any:
    return choice.value


@dataclass(frozen=True)
class Field:
    """One thing of a hand: in words, and how it is written as JSON and read."""

    told: str
    write: Callable[[Any], Any]
    read: Callable[[Any], Any]


FIELDS: Mapping[str, Field] = {
    "on_mask": Field("on the mask", bool, bool),
    "source": Field("the picked source", _source_entry, _source),
    "source_goes": Field("how it goes with the brush", _value, SourceGoes),
    "turn": Field("how it is turned", asdict, _turn),
    "reads": Field("what it shows", _value, Reads),
    "combine": Field("what becomes of the area", _value, Combine),
    "weak": Field("creases on a layer of their own", bool, bool),
    "curve": Field("the curve that is set", str, str),
    "region": Field("the region that is corrected", _value, _region),
    "shape": Field("how reshape tools work", asdict, _shape),
    "stage": Field("the stage", _value, Stage),
}
