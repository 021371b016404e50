"""Commands of the worklist: step, mend, keep, skip; and what is done with a proposal."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from lather.actions.action import Action, Run, When, has_job
from lather.actions.findings.walk import Mended
from lather.actions.findings.walking import look_at, step
from lather.actions.stages import table
from lather.actions.work.aside import Meanwhile, run_edit, take_merged
from lather.actions.work.asking import propose_all, propose_for
from lather.actions.work.proposing import (
    accept,
    can_be_painted_in,
    has_pending,
    leave,
    paint_in,
    propose,
)
from lather.actions.work.task import Offer
from lather.actions.workbench import Workbench
from lather.assist import stages
from lather.assist.meanwhile import merged_with
from lather.assist.pending import Pending
from lather.assist.proposal import Meant
from lather.assist.request import Request
from lather.core.survey.findings.finding import Finding
from lather.core.work import CancelToken, Progress
from lather.document import edits
from lather.document.agreed.briefing import refuse_where_forbidden
from lather.document.findings import FindingState
from lather.document.layers.layer import Stage
from lather.document.merge import Merged, same_work
from lather.errors import EditError, LatherError

MENDS = "clean.mends"
_CUT_FREE = "cut it free and mend ({key:mend.cut_free}), or copy along the edge at 10-20 %"


def mend_current(bench: Workbench) -> None:
    """Take over what is proposed, or mend the finding that is looked at, in turn: what is pressed
    next is meant for the next one. Where findings are not mended at once, ask for the proposal."""
    current = _current(bench)
    if not current or (bench.pending is not None and not bench.pending.is_for_one):
        take(bench)
    elif not _at_once(current[0]):
        finding_id = current[0].id
        bench.in_turn(lambda: _propose_or_take(bench, finding_id))
    else:
        _mend_and_go_on(bench, current[0])


def take(bench: Workbench) -> None:
    """Take the proposal over; the walk goes on from the finding that it was for."""
    pending = bench.pending
    assert pending is not None
    accept(bench, lambda: _go_on_from(bench, pending.ids) if pending.is_for_one else None)


def _propose_or_take(bench: Workbench, finding_id: int) -> None:
    """For one finding, when its turn comes."""
    pending, findings = bench.pending, bench.state.findings
    if pending is not None and finding_id in pending.ids:
        take(bench)
        return
    wanted = [f for f in findings.items if f.id == finding_id]
    if wanted and findings.state(wanted[0]) is FindingState.OPEN:
        propose_for(bench, wanted)


def _go_on_from(bench: Workbench, ids: frozenset[int]) -> None:
    """The next finding, with what is proposed for it, if the person has not gone on by then."""
    if bench.walk.finding_id not in ids:
        return
    step(bench, 1)
    following = _current(bench)
    if following and not _at_once(following[0]):
        propose_for(bench, following)


def _mend_and_go_on(bench: Workbench, finding: Finding) -> None:
    if bench.state.findings.state(finding) is not FindingState.OPEN:
        bench.say("It is decided already: open it again first ({key:finding.reopen}).")
        return
    refuse_where_forbidden(bench.state, "It was not mended")
    if not finding.stands_free:
        raise EditError(
            "It was not mended",
            f"{finding.rim_broken:.0%} of its rim crosses an edge, which would smear", _CUT_FREE,
        )  # fmt: skip
    bench.walk.under_way.add(finding.id)
    step(bench, 1)
    bench.in_turn(lambda: mend(bench, [finding], is_on_the_walk=True))


def mend(
    bench: Workbench, findings: Sequence[Finding], *, is_on_the_walk: bool = False
) -> None:
    """Mend findings aside, as one step; where they are not mended at once, ask for a proposal.

    On the walk, what was decided otherwise meanwhile is passed over in silence.
    """
    if findings and not any(map(_at_once, findings)):
        propose_for(bench, findings)
        return
    from lather.assist.clean.clean import step_name

    before, ids = bench.state, {finding.id for finding in findings}
    wanted = [
        f for f in findings if f.kind.known and before.findings.state(f) is FindingState.OPEN
    ]
    if not wanted:
        bench.walk.under_way -= ids
        if not is_on_the_walk:
            bench.say("None of these findings is open.")
        return

    request = Request(MENDS, Meant(frozenset(finding.id for finding in wanted)))
    pendings: list[Pending] = []

    def work(progress: Progress, cancel: CancelToken) -> Meanwhile:
        proposal = request.proposal(before, progress=progress, cancel=cancel)
        after = proposal.accepted()
        pendings.append(Pending.of(proposal, request=request))
        return lambda now: merged_with(before, after, now)

    def done(merged: Merged) -> None:
        bench.walk.under_way -= ids
        after, now, pending = merged.state, bench.state, pendings[0]
        reasons = pending.proposal.reasons
        n_done = sum(after.findings.state(f) is FindingState.DONE for f in wanted)
        said = ""
        if reasons and not merged.left_out:
            said = f"{n_done} mended; {'; '.join(reasons)}."
            if any(not finding.stands_free for finding in wanted):
                said += f" One by one: {_CUT_FREE}."
        # Of what was proposed, less may be left after merging: the name says what is in the step.
        is_step = take_merged(bench, step_name(len(wanted), n_done), merged, pending.call(),
                              said)  # fmt: skip
        if len(wanted) > 1:
            bench.walk.go_to(None)
        elif is_step:
            bench.walk.mended = Mended(wanted[0], now, after)
            if bench.walk.finding_id == wanted[0].id:  # else the walk has gone on from it
                step(bench, 1)

    def not_mended(error: Exception) -> bool:
        bench.walk.under_way -= ids
        if not is_on_the_walk or not isinstance(error, LatherError):
            return False
        back = Offer("Go back to it", lambda: look_at(bench, wanted[0]), of=bench.state)
        bench.say(error.sentence(), error=True, offer=back)
        return True

    run_edit(bench, "Mending", work, done, handled=not_mended)


def mend_all(bench: Workbench) -> None:
    """All certain open findings of the stage; or else all that its assistants propose."""
    stage = bench.stage
    if not stages.row(stage).assistants:
        where = " or ".join(f"{stages.title(other)} ({{key:stage.{other.value}}})"
                            for other in stages.stages_built())  # fmt: skip
        bench.say(f"There is nothing to mend in {stages.title(stage)}: go to {where}.")
    elif table.row(stage).at_once:
        refuse_where_forbidden(bench.state, "Nothing was mended")
        bench.in_turn(lambda: _mend_all_of(bench, stage))
    else:
        propose_all(bench, stage)


def _at_once(finding: Finding) -> bool:
    """True if it is mended when that is asked for, instead of proposed."""
    return table.row(Stage(finding.kind.stage)).at_once


def _mend_all_of(bench: Workbench, stage: Stage) -> None:
    findings, brief = bench.state.findings, bench.state.brief
    sure = [finding for finding in findings.open_of_stage(stage.value) if not finding.doubtful]
    wanted = [finding for finding in sure if brief.wants_done(finding.kind)]
    if sure and not wanted:
        bench.say("The brief asks for none of what is open.")
        return
    mend(bench, wanted)


def propose_mends(bench: Workbench) -> None:
    """All certain open findings of Clean, looked at before they are mended."""
    bench.show_stage(Stage.CLEAN)
    propose(bench, "Mending", Request(MENDS))


def other_source(bench: Workbench) -> None:
    """Do the mend accepted last again, from the next best place."""
    job, last = bench.open_job, bench.walk.mended
    assert last is not None
    nth = last.nth_source + 1

    request = Request(MENDS, Meant(frozenset({last.finding.id}), nth_source=nth))
    pendings: list[Pending] = []

    def work(progress: Progress, cancel: CancelToken) -> Meanwhile:
        proposal = request.proposal(last.taken_back(), progress=progress, cancel=cancel)
        after = proposal.accepted()
        pendings.append(Pending.of(proposal, request=request))
        return lambda now: merged_with(last.after, after, now)

    def done(merged: Merged) -> None:
        instead = has_other_source(bench)  # else the other mend is a step of its own
        if instead:
            job.undo()
        said = "" if merged.left_out else f"Texture from the next place: number {nth + 1}."
        call = pendings[0].call()
        if instead and call is not None:
            call = replace(call, begun=None)  # what it was worked out on is what there is now
        take_merged(bench, "Mend finding" if instead else "Other source", merged, call, said)
        bench.walk.mended = None
        if instead:
            bench.walk.mended = Mended(last.finding, last.before, bench.state, nth)
            look_at(bench, last.finding)
            bench.say(said)

    run_edit(bench, "Mending", work, done)


def decide(bench: Workbench, findings: Sequence[Finding], state: FindingState) -> None:
    """Put findings into a state; the walk goes on from a single one, and to what is proposed for
    the next if something was proposed for this one."""
    name = {
        FindingState.KEPT: "Keep", FindingState.SKIPPED: "Skip", FindingState.OPEN: "Open again",
        FindingState.DONE: "Done",
    }[state]  # fmt: skip
    bench.change(name, edits.decide, [finding.id for finding in findings], state)
    if len(findings) != 1 or state is FindingState.OPEN:
        return
    pending = bench.pending
    if pending is not None and findings[0].id in pending.ids:
        bench.set_pending(None)
        _go_on_from(bench, pending.ids)
    else:
        step(bench, 1)


def _current(bench: Workbench) -> list[Finding]:
    finding = bench.walk.current(bench.state.findings)
    return [finding] if finding is not None else []


def _decide_current(state: FindingState) -> Run:
    return lambda bench: decide(bench, _current(bench), state)


def _step(by: int, *, decided: bool = False) -> Run:
    return lambda bench: step(bench, by, decided=decided)


def _is_after_a_mend(bench: Workbench) -> bool:
    last = bench.walk.mended
    return last is not None and same_work(bench.state, last.after)


has_other_source = has_job & When.that(
    _is_after_a_mend, "the last thing done was no mend of the worklist: mend one first"
)
is_surveyed = has_job & When.that(
    lambda bench: bench.state.surveyed, "nothing was looked for yet: survey the portrait first"
)
_NONE_LOOKED_AT = "no finding is looked at: {key:finding.next} goes to the next"
_has_current = has_job & When.that(lambda bench: bool(_current(bench)), _NONE_LOOKED_AT)
_has_current_or_proposal = has_job & When.that(
    lambda bench: bench.pending is not None or bool(_current(bench)), _NONE_LOOKED_AT
)


ACTIONS = (
    Action("finding.next", "Next finding",
           "Centre the next open finding, with the advised brush in the hand.", "Finding",
           _step(1), enabled=is_surveyed, repeats=True),
    Action("finding.previous", "Previous finding", "Back to the open finding before.", "Finding",
           _step(-1), enabled=is_surveyed, repeats=True),
    Action("finding.next_decided", "Next decided finding",
           "Centre the next finding that is done, kept or skipped: it can be opened again.",
           "Finding", _step(1, decided=True), enabled=is_surveyed, repeats=True),
    Action("finding.previous_decided", "Previous decided finding",
           "Back to the decided finding before.", "Finding", _step(-1, decided=True),
           enabled=is_surveyed, repeats=True),
    Action("finding.mend", "Mend it",
           "Accept the proposed mend of this finding, and go to the next; take over what is "
           "proposed.", "Finding", mend_current, enabled=_has_current_or_proposal),
    Action("finding.other_source", "Other source",
           "Do the mend accepted last again, with texture from the next best place.", "Finding",
           other_source, enabled=has_other_source),
    Action("finding.keep", "Keep it",
           "It belongs to the person: protected from automatic work.", "Finding",
           _decide_current(FindingState.KEPT), enabled=_has_current),
    Action("finding.skip", "Skip it", "Leave it as it is, and go to the next.", "Finding",
           _decide_current(FindingState.SKIPPED), enabled=_has_current),
    Action("finding.reopen", "Open it again", "Decide anew on this finding.", "Finding",
           _decide_current(FindingState.OPEN), enabled=_has_current),
    Action("finding.mend_all", "Mend all open findings",
           "Accept every proposed mend of the stage at once; kept marks and doubtful findings "
           "stay.", "Finding", mend_all, enabled=is_surveyed),
    Action("proposal.mends", "Look at all mends first",
           "Propose every certain mend of Clean on the picture, to be taken over or left.",
           "Finding", propose_mends, enabled=is_surveyed),
    Action("proposal.accept", "Take it over",
           "Take the proposal over as it is set, as one step.", "Finding", take,
           enabled=has_pending),
    Action("proposal.paint_in", "Paint it in",
           "Take it over hidden, and paint it in where it is wanted.", "Finding", paint_in,
           enabled=can_be_painted_in),
    Action("proposal.leave", "Leave it",
           "Drop the proposal; nothing was changed.", "Finding", leave, enabled=has_pending),
)  # fmt: skip
