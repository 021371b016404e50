"""Writing down what a step did, as part of the state that it leads to."""

from __future__ import annotations

import time
from collections.abc import Iterable
from dataclasses import fields, replace
from typing import Any

from lather.core.bounds import DEEPEST_ARGUMENTS, MOST_PLACES, depth_of
from lather.document.effect import changes_anything, same_content
from lather.document.layers.layer import Layer
from lather.document.operations.call import Call
from lather.document.operations.carried import Carried
from lather.document.operations.operation import (
    EARLIER,
    NOTHING_DONE,
    UNKNOWN,
    Again,
    Operation,
    Said,
    Spent,
)
from lather.document.operations.placing import places_of
from lather.document.painting.strokes import StrokeRecord
from lather.document.state import JobState
from lather.document.tree import find, walk

_TAKEN_BACK = "it was worked out on a state that was taken back meanwhile"
_NOT_SAID = "what did it did not say what it was"
_TOO_DEEP = "what it was given is nested too deep to be kept"
_BEFORE = "it was done before operations were kept"


def recorded(
    before: JobState, after: JobState, name: str, call: Call | None = None,
    spent: Spent | None = None, joined: JobState | None = None,
) -> JobState:
    """`after`, with what was done to `before` as its last operation; just now, unless it is said
    when.

    `joined` is the state before the step that this one is one with: a slider goes on being dragged,
    and what is told of it counts for all of it.
    """
    since = before if joined is None else joined
    spent = spent or Spent(round(time.time(), 1))
    if joined is not None and before.operations.last is not None:
        spent = spent.after(before.operations.last.spent)
    operation = operation_of(since, after, name, call, spent)
    return replace(after, operations=since.operations.followed_by(operation))


def operation_of(
    before: JobState, after: JobState, name: str, call: Call | None, spent: Spent
) -> Operation:
    """What a step between two states did."""
    call = call or Call(id=UNKNOWN, again=Again.NOT, why_not=_NOT_SAID)
    begun = call.begun if call.begun is not None else before
    again, why_not = call.again, call.why_not
    if not before.operations.begins_with(begun.operations):
        again, why_not = Again.NOT, _TAKEN_BACK
    arguments = call.arguments
    if depth_of(arguments) > DEEPEST_ARGUMENTS:
        arguments, again, why_not = {}, Again.NOT, _TOO_DEEP
    n_begun = len(begun.operations)
    layers, made, strokes = _changed(before, after)
    wanted = set(call.findings)
    at = [(f.x, f.y) for f in before.findings.items if f.id in wanted] if wanted else []
    if {"x", "y"} <= call.arguments.keys():
        at.append((call.arguments["x"], call.arguments["y"]))
    said = {entry.name: getattr(call, entry.name) for entry in fields(Said)}
    said |= {
        "arguments": arguments, "again": again, "why_not": why_not,
        "strokes": _as_laid(call.strokes, strokes),
        "places": (*call.places, *places_of(before, at))[:MOST_PLACES],
    }  # fmt: skip
    return Operation(
        **said, name=name, layers=layers, made=made, active=before.active_id,
        begun=None if n_begun == len(before.operations) else n_begun,
        begun_active=None if begun.active_id == before.active_id else begun.active_id,
        spent=spent, carried=carried_between(before, after) if again is Again.NOT else None,
    )


def with_what_was_there(state: JobState, name: str) -> JobState:
    """A state that was read without operations: all that is in it is one, which carries it."""
    photo = state.layers[0]
    bare = JobState(state.photo, (replace(photo, visible=True, name=state.photo.title),), photo.id)
    if not changes_anything(bare, state):
        return state
    layers = tuple(layer.id for layer in walk(state.layers[1:]))
    operation = replace(
        earlier(bare, state, name), layers=layers, made=layers, active=photo.id
    )
    return replace(state, operations=NOTHING_DONE.followed_by(operation))


def earlier(before: JobState, after: JobState, name: str) -> Operation:
    """What was done between two states that were read without operations: it carries it."""
    return Operation(
        id=EARLIER, name=name, again=Again.NOT, why_not=_BEFORE,
        carried=carried_between(before, after),
    )  # fmt: skip


def carried_between(before: JobState, after: JobState) -> Carried:
    """What the second state has otherwise than the first."""
    old = set(map(id, before.layers))
    return Carried(
        None if before.layers is after.layers
        else tuple(layer.id if id(layer) in old else layer for layer in after.layers),
        None if before.brief == after.brief else after.brief,
        None if before.findings == after.findings else after.findings,
        None if _same_planes(before, after) else after.planes,
        None if before.trials == after.trials else after.trials,
    )  # fmt: skip


def with_carried(state: JobState, carried: Carried) -> JobState:
    """A state with what an operation carries; what stayed the same then is as it is here."""
    values: dict[str, Any] = {
        name: value for name in ("brief", "findings", "trials")
        if (value := getattr(carried, name)) is not None
    }
    planes = carried.planes
    if planes is not None:
        values |= {"area": planes.area, "reference": planes.reference,
                   "regions": planes.regions, "unknown_planes": planes.unknown}  # fmt: skip
    if carried.layers is not None:
        found = (find(state.layers, one) if isinstance(one, int) else one
                 for one in carried.layers)  # fmt: skip
        values["layers"] = tuple(layer for layer in found if layer is not None)
    return replace(state, **values)


def _same_planes(before: JobState, after: JobState) -> bool:
    return all(getattr(before, name) is getattr(after, name)
               for name in ("area", "reference", "regions", "unknown_planes"))  # fmt: skip


def _changed(
    before: JobState, after: JobState
) -> tuple[tuple[int, ...], tuple[int, ...], list[StrokeRecord]]:
    """Ids of layers that differ, of those that are new, and the strokes that came on them."""
    if before.layers is after.layers:
        return (), (), []
    old = {layer.id: layer for layer in walk(before.layers)}
    changed: list[int] = []
    made: list[int] = []
    strokes: list[StrokeRecord] = []
    for layer in walk(after.layers):
        was = old.pop(layer.id, None)
        if was is layer or (was is not None and layer.children and _is_alike(was, layer)):
            continue
        changed.append(layer.id)
        if was is None:
            made.append(layer.id)
        strokes += _added(was.strokes if was is not None else (), layer.strokes)
    return (*changed, *old), tuple(made), strokes


def _is_alike(was: Layer, layer: Layer) -> bool:
    """True for a group that differs in nothing but what is in it."""
    shown = (was.name, was.visible, was.locked) == (layer.name, layer.visible, layer.locked)
    return shown and same_content(was, layer)


def _added(
    before: tuple[StrokeRecord, ...], after: tuple[StrokeRecord, ...]
) -> Iterable[StrokeRecord]:
    if after[: len(before)] == before:
        return after[len(before) :]
    had = set(map(id, before))
    return [stroke for stroke in after if id(stroke) not in had]


def _as_laid(
    called: tuple[StrokeRecord, ...], laid: list[StrokeRecord]
) -> tuple[StrokeRecord, ...]:
    """The strokes of a call; one that lies on a layer is the layer's own: it is kept once."""
    if len(called) == len(laid) == 1:
        return (laid[0],)
    return called or tuple(laid)
