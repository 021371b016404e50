"""Operations as JSON: what a job file and a journal share.

A stroke that lies on a layer is named as [layer, number of the stroke]; any other is given whole,
its readings beside it (`strokes.py`). What an operation carries is left to the caller, who knows
where tiles lie. Fields that are not known are kept and written again.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from lather.core.bounds import (
    DEEPEST_ARGUMENTS,
    LONGEST_NAME,
    MOST_FINDINGS,
    MOST_LAYERS,
    MOST_PLACES,
    depth_of,
)
from lather.core.survey.faces.anchors import FacePlace
from lather.document.operations.carried import Carried
from lather.document.operations.operation import DAMAGED, Again, Measure, Operation, Spent
from lather.document.operations.place import Place
from lather.document.painting.strokes import StrokeRecord
from lather.files.entries import Entry, measure, unknown
from lather.files.jobs.strokes import stroke_entry

CARRIED = "carried"
_KEYS = {
    "id", "name", "arguments", "again", "why_not", "stage", "tool", "layers", "made", "active",
    "begun", "begun_active", "strokes", "findings", "measures", "places", "spent", CARRIED,
}  # fmt: skip
_LEFT_OUT = _KEYS - {"id", "name", "again", "spent"}  # if there is nothing of it
_PLACE_KEYS = {"x", "y", "face", "triangle", "weights", "inside_mm", "share"}
_HIGHEST_ID, _LONGEST_S = 2**52, 1e11
_MOST_CHANGED = 2 * MOST_LAYERS  # all that were there gone, and as many made

Named = Callable[[StrokeRecord], list[int] | None]  # [layer, number]; None: it lies on none
Given = Callable[[Any], StrokeRecord | None]  # what an entry is, or names; None: it is not there


def operation_entry(operation: Operation, named: Named) -> tuple[Entry, list[StrokeRecord]]:
    """An operation without what it carries, and the strokes whose readings go beside it."""
    own: list[StrokeRecord] = []
    strokes: list[Any] = []
    for stroke in operation.strokes:
        place = named(stroke)
        strokes.append(stroke_entry(stroke) if place is None else place)
        own += [stroke] if place is None else []
    strokes += operation.unread_strokes
    spent = operation.spent
    entry: Entry = {
        **operation.extras,
        "id": operation.id, "name": operation.name, "again": operation.again.value,
        "arguments": dict(operation.arguments), "why_not": operation.why_not,
        "stage": operation.stage, "tool": operation.tool, "layers": list(operation.layers),
        "made": list(operation.made), "active": operation.active, "begun": operation.begun,
        "begun_active": operation.begun_active, "strokes": strokes,
        "findings": list(operation.findings),
        "measures": [[m.name, m.before, m.after, m.unit] for m in operation.measures],
        "places": [_place_entry(place) for place in operation.places],
        "spent": [spent.at_s, spent.wall_s, spent.worked_s],
    }  # fmt: skip
    return {name: value for name, value in entry.items()
            if name not in _LEFT_OUT or value not in ("", [], {}, None)}, own  # fmt: skip


def operation_from(
    entry: Entry, stroke: Given, carried: Carried | None = None
) -> Operation:
    """The inverse; ValueError, KeyError, TypeError and the like if it does not fit."""
    if depth_of(entry.get("arguments", {})) > DEEPEST_ARGUMENTS:
        raise ValueError("its arguments are nested too deep")
    named = _few(entry, "strokes", MOST_FINDINGS)
    strokes = [stroke(one) for one in named]
    spent = entry.get("spent", (0.0, 0.0, 0.0))
    begun, begun_active = entry.get("begun"), entry.get("begun_active")
    return Operation(
        id=_text(entry["id"]), name=_text(entry["name"]), again=Again(entry["again"]),
        arguments=dict(entry.get("arguments", {})), why_not=_text(entry.get("why_not", "")),
        stage=_text(entry.get("stage", "")), tool=_text(entry.get("tool", "")),
        layers=_ids(entry, "layers", _MOST_CHANGED), made=_ids(entry, "made", MOST_LAYERS),
        active=_number(entry.get("active", 0)),
        begun=None if begun is None else _number(begun),
        begun_active=None if begun_active is None else _number(begun_active),
        strokes=tuple(one for one in strokes if one is not None),
        unread_strokes=tuple(one for one, read in zip(named, strokes, strict=True) if read is None),
        findings=_ids(entry, "findings", MOST_FINDINGS),
        measures=tuple(_measure(*one) for one in _few(entry, "measures", MOST_PLACES)),
        places=tuple(map(_place, _few(entry, "places", MOST_PLACES))),
        spent=Spent(*(measure(value, 0.0, _LONGEST_S) for value in spent)),
        carried=carried, extras=unknown(entry, _KEYS),
    )  # fmt: skip


def damaged_operation(why_not: str = "what was kept of it is damaged") -> Operation:
    """In the place of one that cannot be read."""
    return Operation(id=DAMAGED, name="A step that cannot be read", again=Again.NOT,
                     why_not=why_not)  # fmt: skip


def _place_entry(place: Place) -> Entry:
    entry: Entry = {**place.extras, "x": place.x, "y": place.y}
    if place.share is not None:
        entry["share"] = list(place.share)
    if place.face is not None:
        face = place.face
        entry |= {"face": face.face, "triangle": list(face.triangle),
                  "weights": list(face.weights), "inside_mm": face.inside_mm}  # fmt: skip
    return entry


def _place(entry: Entry) -> Place:
    face = None
    if "triangle" in entry:
        a, b, c = map(_number, entry["triangle"])
        u, v, w = map(float, entry["weights"])
        inside_mm = entry.get("inside_mm")
        face = FacePlace(_number(entry["face"]), (a, b, c), (u, v, w),
                         None if inside_mm is None else float(inside_mm))  # fmt: skip
    share = entry.get("share")
    return Place(float(entry["x"]), float(entry["y"]), face,
                 None if share is None else (float(share[0]), float(share[1])),
                 unknown(entry, _PLACE_KEYS))  # fmt: skip


def _measure(name: Any, before: Any, after: Any, unit: Any) -> Measure:
    return Measure(_text(name), float(before), float(after), _text(unit))


def _ids(entry: Mapping[str, Any], name: str, most: int) -> tuple[int, ...]:
    return tuple(map(_number, _few(entry, name, most)))


def _few(entry: Mapping[str, Any], name: str, most: int) -> list[Any]:
    values = entry.get(name, [])
    if not isinstance(values, list) or len(values) > most:
        raise ValueError(f"'{name}' is no list, or a longer one than {most}")
    return values


def _number(value: Any) -> int:
    if type(value) is not int or not 0 <= value <= _HIGHEST_ID:
        raise ValueError(f"{value!r} is no number of something")
    return value


def _text(value: Any) -> str:
    if not isinstance(value, str) or len(value) > LONGEST_NAME:
        raise ValueError("no text, or too long a one")
    return value
