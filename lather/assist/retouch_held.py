"""A whole run inside of its brief: what would pass a limit is weakened, or taken back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from lather.assist.check.check import Check, Checked, check, whole_check
from lather.assist.check.hold import (
    Weakened,
    can_be_checked,
    can_give,
    given_by,
    measured,
    within_brief,
)
from lather.assist.clean.taking_back import mends_at, take_back
from lather.assist.proposal import Proposal, new_layers
from lather.core.work import NEVER, CancelToken, Progress, no_progress
from lather.document.operations.call import Call
from lather.document.operations.recording import recorded
from lather.document.state import JobState

MOST_ROUNDS = 3
STEP = "Held to the brief"
LEAST_REDUCED = 0.1  # share of a limit, with less the reduced picture does not show what it is


def held_so_far(
    begun: JobState, proposal: Proposal, cancel: CancelToken = NEVER
) -> tuple[Proposal, list[Weakened]]:
    """A proposal on top of what was made since `begun`, inside of the brief on the reduced picture;
    and what of the earlier layers has to give for it."""
    if proposal.refusal is not None or not can_be_checked(proposal.after):
        return proposal, []
    own = {layer.id for layer in new_layers(proposal)}
    _, done = within_brief(begun, proposal.after, _made(begun, proposal.after), cancel=cancel)
    earlier = [one for one in done if one.layer.id not in own]
    held = given_by(proposal, [one for one in done if one.layer.id in own])
    said = tuple(one.sentence() for one in earlier)
    return replace(held, reasons=(*held.reasons, *said)), earlier


def with_given(state: JobState, given: Sequence[Weakened]) -> JobState:
    """The state with layers weakened or withdrawn, each as a step of its own."""
    for weakened in given:
        layer_id, name = weakened.layer.id, f"{STEP}: {weakened.layer.name}"
        if weakened.strength == 0:
            call = Call(id="layer.delete", arguments={"layer_id": layer_id})
        else:
            call = Call(id="layer.strength", arguments={
                "layer_id": layer_id, "strength": weakened.strength})  # fmt: skip
        state = recorded(state, weakened.applied(state), name, call)
    return state


def held_as_a_whole(
    begun: JobState, state: JobState, *, progress: Progress = no_progress,
    cancel: CancelToken = NEVER,
) -> tuple[JobState, tuple[str, ...]]:  # fmt: skip
    """The state with layers that were made since `begun` as weak as the brief asks, each a step of
    its own, and what was done for it, in sentences.

    Raises
    ------
    Cancelled : by the token.
    """
    said: list[str] = []
    if not can_be_checked(state):
        return state, ()
    for _ in range(MOST_ROUNDS):
        found = whole_check(state, progress=progress, cancel=cancel)
        if not found.beyond:
            break
        due = _due(found, begun, cancel)
        weaker = _weakened(begun, state, due, cancel) if due else (state, ())
        if weaker[0] is state:
            weaker = _taken_back(begun, state, due)
        if weaker[0] is state:
            break
        state = weaker[0]
        said += weaker[1]
    return state, tuple(dict.fromkeys(said))


def _due(found: Check, begun: JobState, cancel: CancelToken) -> list[Checked]:
    """What went beyond its limit since then."""
    rows = [one.row for one in found.beyond]
    were = {one.row.id: one.share
            for one in check(begun, rows=rows, skips=False, cancel=cancel).rows}  # fmt: skip
    return [one for one in found.beyond if one.share > max(1.0, were[one.row.id])]


def _weakened(
    begun: JobState, state: JobState, due: Sequence[Checked], cancel: CancelToken
) -> tuple[JobState, tuple[str, ...]]:
    rows = [one.row for one in due]
    reduced = {one.row.id: one.share for one in measured(state, rows, cancel)}
    times = {one.row.id: one.share / max(reduced[one.row.id], LEAST_REDUCED) for one in due}
    made = _made(begun, state)
    _, done = within_brief(begun, state, made, rows=rows, times=times, cancel=cancel)
    return with_given(state, done), tuple(weakened.sentence() for weakened in done)


def _made(begun: JobState, state: JobState) -> list[int]:
    """The layers since then that may give."""
    had = {layer.id for layer in begun.layers}
    return [layer.id for layer in state.layers if layer.id not in had and can_give(layer)]


def _taken_back(
    begun: JobState, state: JobState, due: Sequence[Checked]
) -> tuple[JobState, tuple[str, ...]]:
    """Without the mends that reach the places where it is so."""
    had = {layer.id for layer in begun.layers}
    new = [layer.id for layer in state.layers if layer.id not in had]
    said = []
    for one in due:
        place = one.reading.place
        ids = () if place is None else mends_at(state, new, *place)
        if ids:
            after = take_back(state, ids)
            state = recorded(state, after, f"{STEP}: mends taken back", Call(
                id="mend.take_back", arguments={"ids": list(ids)}, findings=ids))  # fmt: skip
            said.append(f"{len(ids)} left open: mended, {one.row.title.lower()} "
                        f"{one.value_text}, {one.limit_text}")  # fmt: skip
    return state, tuple(said)
