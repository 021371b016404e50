"""What assistants propose, in any stage: asked for aside, looked at, taken, painted in or left."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from lather.actions.action import When, has_job
from lather.actions.work.aside import Meanwhile, run_edit, take_merged
from lather.actions.workbench import Workbench
from lather.assist import stages
from lather.assist.pending import Pending
from lather.assist.request import Request
from lather.core.last import Last
from lather.core.survey.regions.region import Part
from lather.core.work import CancelToken, Progress
from lather.document.findings import FindingState
from lather.document.merge import Merged
from lather.document.operations.call import Call
from lather.document.state import JobState


def propose(bench: Workbench, title: str, request: Request) -> None:
    """Ask an assistant aside, in turn; what it proposes is looked at before anything is changed.

    If all findings that it is asked for are decided meanwhile, there is nothing to look at.
    """
    bench.in_turn(lambda: _propose(bench, title, request))


def _propose(bench: Workbench, title: str, request: Request) -> None:
    before, ids = bench.state, request.meant.ids

    def work(progress: Progress, cancel: CancelToken) -> Pending:
        return pending_of(request, before, progress, cancel)

    def done(pending: Pending) -> None:
        if bench.job is None or bench.state.photo is not before.photo:
            return
        findings = bench.state.findings
        if ids and not any(
            findings.state(f) is FindingState.OPEN for f in findings.items if f.id in ids
        ):
            return
        look_at_proposal(bench, pending)

    bench.run_task(title, work, done)


def pending_of(
    request: Request, state: JobState, progress: Progress, cancel: CancelToken
) -> Pending:
    """What an assistant proposes, to be looked at; its refusal is raised."""
    from lather.assist.changed_outline import changed_outlines
    from lather.assist.check.hold import limit_of

    proposal = request.proposal(state, progress=progress, cancel=cancel)
    cancel.check()
    if proposal.refusal is not None:
        raise proposal.refusal
    outlines = changed_outlines(proposal.before, proposal.after)
    return Pending.of(proposal, outlines, request, limit_of(proposal, cancel))


def look_at_proposal(bench: Workbench, pending: Pending) -> None:
    """It is looked at in its own stage; in another one it is said where it waits."""
    bench.set_pending(pending)
    if pending.stage is not bench.stage:
        stage = pending.stage
        bench.say(f"'{pending.proposal.name}' is proposed: it waits in {stages.title(stage)} "
                  f"({{key:stage.{stage.value}}}).")  # fmt: skip


def not_taken(bench: Workbench) -> str:
    """What is proposed and is not in the job, a sentence; '' if nothing is."""
    names = [f"'{pending.proposal.name}' in {stages.title(stage)}"
             for stage, pending in bench.proposals.items()]  # fmt: skip
    are = "is" if len(names) == 1 else "are"
    return f"{', '.join(names)} {are} proposed, and not taken." if names else ""


def accept(bench: Workbench, then: Callable[[], None] | None = None) -> None:
    """Take the proposal over as it is set, as one step; `then` follows if it was one."""
    pending = bench.pending
    assert pending is not None
    name = pending.proposal.name
    _take(bench, pending, pending.taken, name, pending.call(), f"{name}: taken.",
          then or (lambda: None))  # fmt: skip


def paint_in(bench: Workbench) -> None:
    """Take it over behind a mask that hides it, with a brush on the mask."""
    pending = bench.pending
    assert pending is not None

    def in_hand() -> None:
        bench.hands.take_tool("paint_colour")
        bench.set_on_mask(True)

    said = "Paint on the picture to let it in; Erase hides it again."
    name = f"{pending.proposal.name}, hidden"
    call = pending.call(hidden=True)
    _take(bench, pending, pending.taken_hidden, name, call, said, in_hand)


def _take(
    bench: Workbench, pending: Pending, taken: Meanwhile, name: str, call: Call | None,
    said: str, then: Callable[[], None],
) -> None:
    """Merge a proposal into the job aside, and make it a step; it waits if it is none."""
    last: Last[Merged] = Last()

    def once(now: JobState) -> Merged:
        """Worked out on the worker, before it counts."""
        return last.of((now,), lambda: taken(now))

    def work(progress: Progress, cancel: CancelToken) -> Meanwhile:
        progress(0.0, pending.proposal.name.lower())
        once(bench.state)
        cancel.check()
        return once

    def done(merged: Merged) -> None:
        if take_merged(bench, name, merged, call, said):
            _over(bench, pending)
            then()

    run_edit(bench, "Taking over", work, done)


def _over(bench: Workbench, pending: Pending) -> None:
    """It is in the job: there is nothing to be looked at any more."""
    if bench.proposals.get(pending.stage) is pending:
        del bench.proposals[pending.stage]
        bench.pending_changed.emit()


def leave(bench: Workbench) -> None:
    bench.set_pending(None)
    bench.say("Left: nothing was changed.")


def set_strength(bench: Workbench, strength: float) -> None:
    """How far of the proposal is meant, 0-1."""
    assert bench.pending is not None
    strength = min(max(round(strength, 2), 0.05), 1.0)
    if strength != bench.pending.strength:
        bench.set_pending(replace(bench.pending, strength=strength))


def turn_part(bench: Workbench, part: Part) -> None:
    """Limit the proposal to a part of the skin, too, or no longer."""
    assert bench.pending is not None
    bench.set_pending(bench.pending.with_part(part))


has_pending = has_job & When.that(
    lambda bench: bench.pending is not None, "nothing is proposed in this stage"
)
can_be_painted_in = has_pending & When.that(
    lambda bench: bench.pending is not None and bench.pending.can_be_weakened,
    "it goes on layers that are there: take it over, and paint on their masks",
)
