"""What is looked for when a stage is first gone to: the survey of a photo does not look for it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from lather.assist.stages import row
from lather.assist.survey import any_holds, found_at, next_id
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.work import NEVER, CancelToken, Progress, no_progress
from lather.document.findings import FindingState
from lather.document.layers.layer import Stage
from lather.document.operations.call import Call
from lather.document.operations.operation import Again
from lather.document.state import JobState


def is_to_be_looked_in(state: JobState, stage: Stage) -> bool:
    """True for a surveyed portrait in which a stage's findings were not looked for yet."""
    return (
        row(stage).look is not None and state.surveyed
        and stage.value not in state.findings.looked_in
    )  # fmt: skip


def look(
    state: JobState, stage: Stage, *, progress: Progress = no_progress, cancel: CancelToken = NEVER
) -> Sequence[Finding]:
    """A stage's findings; none for one that looks for none.

    Raises
    ------
    Cancelled : by the token.
    """
    look_for = row(stage).look
    return () if look_for is None else look_for(state, progress=progress, cancel=cancel)


def looked_in(
    state: JobState, stage: Stage, *, progress: Progress = no_progress, cancel: CancelToken = NEVER
) -> JobState:
    """The job with a stage's findings, looked for now if they were not yet; Cancelled as `look`."""
    if not is_to_be_looked_in(state, stage):
        return state
    return with_found(state, stage, look(state, stage, progress=progress, cancel=cancel))


def call_of_look(stage: Stage, begun: JobState | None = None) -> Call:
    """Looking for what a stage decides on, in the state that it began with."""
    return Call(id="stage.look", arguments={"stage": stage.value}, again=Again.MEANING, begun=begun)


def with_found(state: JobState, stage: Stage, found: Sequence[Finding]) -> JobState:
    """The job with what was looked for in a stage; quick.

    What was decided about the same places stays so; what belongs to the person is kept.
    """
    earlier = state.findings
    first_id = next_id(earlier)
    new = [replace(finding, id=first_id + n) for n, finding in enumerate(found)]
    old = earlier.of_stage(stage.value)
    gone = {finding.id for finding in old}
    findings = replace(
        earlier, items=(*(f for f in earlier.items if f.id not in gone), *new),
        states={n: decided for n, decided in earlier.states.items() if n not in gone},
        done_by={n: layer for n, layer in earlier.done_by.items() if n not in gone},
        looked_in=tuple(dict.fromkeys((*earlier.looked_in, stage.value))),
    )  # fmt: skip
    marks = [f for f in earlier.items if f.kind is Kind.MARK]
    for finding in new:
        was = found_at([f for f in old if earlier.state(f) is not FindingState.OPEN], finding)
        if was is not None:
            by = earlier.done_by.get(was.id)
            findings = findings.decided([finding.id], earlier.state(was), by=by)
        elif state.brief.keeps(finding.kind) or any_holds(marks, finding):
            findings = findings.decided([finding.id], FindingState.KEPT)
    return replace(state, findings=findings)
