"""Doing operations again, from the first on."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from lather.core.work import NEVER, CancelToken, Progress, no_progress
from lather.document.layers.layer import Layers, reserve_ids
from lather.document.layers.photo import PhotoLayer
from lather.document.operations.operation import NOTHING_DONE, Again, Operation
from lather.document.operations.recording import with_carried
from lather.document.photo import Photo
from lather.document.state import JobState
from lather.document.tree import find, walk
from lather.errors import LatherError
from lather.files.entries import MISFIT
from lather.operations.kind import Doing
from lather.operations.table import KINDS

NEWER = "this Lather does not know what it is"


@dataclass(frozen=True)
class NotDone:
    """An operation that could not be done again, and why."""

    number: int
    operation: Operation
    why: str


@dataclass(frozen=True)
class Redone:
    """What came of doing operations again.

    Attributes
    ----------
    state : where they lead; its own operations are those that were done again.
    not_done : what is not in it.
    n_carried : how many could not be done again, and gave what they carry.
    """

    state: JobState
    not_done: tuple[NotDone, ...] = ()
    n_carried: int = 0


def first_state(photo: Photo, photo_layer_id: int) -> JobState:
    """A photo with nothing done to it, as a job began on it."""
    layer = PhotoLayer(id=photo_layer_id, name=photo.title)
    return JobState(photo, (layer,), layer.id)


def redo(
    start: JobState, operations: Iterable[Operation], *, progress: Progress = no_progress,
    cancel: CancelToken = NEVER,
) -> Redone:
    """The operations once more, from a state on; layers that they make get the ids that they had.

    What can be done again the same way gives the same, bit for bit, on the same photo. What cannot
    gives what it carries; what fails is left out and told.

    Raises
    ------
    Cancelled : by the token.
    """
    wanted = list(operations)
    reserve_ids(max((n for one in wanted for n in one.made), default=0))
    states = [replace(start, operations=NOTHING_DONE)]
    not_done: list[NotDone] = []
    n_carried = 0
    for number, operation in enumerate(wanted):
        cancel.check()
        progress(number / len(wanted), operation.name)
        before, why = states[-1], ""
        after: JobState | None = None
        if operation.carried is not None:
            after, n_carried = with_carried(before, operation.carried), n_carried + 1
        else:
            try:
                after = _again(states, operation, cancel)
            except LatherError as error:
                why = error.sentence()
            except MISFIT as error:
                why = f"it is not what it should be: {error!r}"
        if after is None:
            not_done.append(NotDone(number, operation, why))
            after = before
        states.append(replace(after, operations=before.operations.followed_by(operation)))
    return Redone(states[-1], tuple(not_done), n_carried)


def _again(states: Sequence[JobState], operation: Operation, cancel: CancelToken) -> JobState:
    kind = KINDS.get(operation.id)
    if kind is None or operation.again is Again.NOT:
        raise LatherError(f"'{operation.name}' was not done again", operation.why_not or NEWER)
    now = _with_active(states[-1], operation.active)
    begun = now
    if operation.begun is not None or operation.begun_active is not None:
        n = len(states) - 1 if operation.begun is None else operation.begun
        active = operation.active if operation.begun_active is None else operation.begun_active
        begun = _with_active(states[n], active)
    doing = Doing(operation, begun, now, lambda n: states[n], cancel=cancel)
    return _with_ids(now, kind.do(doing), operation.made)


def _with_active(state: JobState, layer_id: int) -> JobState:
    return replace(state, active_id=layer_id) if find(state.layers, layer_id) else state


def _with_ids(before: JobState, after: JobState, made: Sequence[int]) -> JobState:
    """The state with the ids that new layers had, in the order in which they lie."""
    if after.layers is before.layers:
        return after
    had = {layer.id for layer in walk(before.layers)}
    new = [layer.id for layer in walk(after.layers) if layer.id not in had]
    ids = {now: then for now, then in zip(new, made, strict=False) if now != then}
    if not ids:
        return after
    found = after.findings
    done_by = {number: ids.get(layer_id, layer_id) for number, layer_id in found.done_by.items()}
    findings = found if done_by == found.done_by else replace(found, done_by=done_by)
    return replace(after, layers=_renumbered(after.layers, ids), findings=findings,
                   active_id=ids.get(after.active_id, after.active_id))  # fmt: skip


def _renumbered(layers: Layers, ids: Mapping[int, int]) -> Layers:
    found = []
    for layer in layers:
        if any(inner.id in ids for inner in walk((layer,))):
            if layer.children:
                layer = layer.with_children(_renumbered(layer.children, ids))
            layer = replace(layer, id=ids.get(layer.id, layer.id))
        found.append(layer)
    return tuple(found)
