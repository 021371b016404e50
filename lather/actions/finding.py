"""Commands of the worklist: survey, step, mend, keep, skip."""

from __future__ import annotations

from collections.abc import Sequence

from lather.actions.action import Action, Run, When, has_job
from lather.actions.aside import Meanwhile, merge_aside, run_edit, take_merged
from lather.actions.evening import accept, propose_all, propose_for
from lather.actions.face import start_measuring
from lather.actions.task import Offer
from lather.actions.view import CLOSE_ZOOM, go_close
from lather.actions.walk import Mended
from lather.actions.workbench import Workbench
from lather.assist.proposal import Proposal
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Finding
from lather.core.work import CancelToken, Progress
from lather.document import edits
from lather.document.briefing import refuse_where_forbidden
from lather.document.findings import FindingState
from lather.document.layers.layer import Stage
from lather.document.merge import Merged, merge, same_work
from lather.document.state import JobState
from lather.errors import LatherError, ScaleError
from lather.tools.source import SourceGoes

PATCH_ON_SCREEN_PX = 420.0


def survey(bench: Workbench) -> None:
    """Measure the portrait aside; its findings replace earlier ones.

    Handles and a scale that were set by hand are taken as they are.
    """
    _survey(bench, by_itself=False)


def survey_new_photo(bench: Workbench) -> None:
    """Survey a photo that was just opened for the first time, if the preferences say so.

    Nobody asked for it: it gives way to everything else, and a failure is no error.
    """
    job = bench.job
    is_new = job is not None and job.path is None and not job.modified and not job.state.surveyed
    if is_new and bench.settings["survey_when_opened"] and bench.task is None:
        _survey(bench, by_itself=True)


def _survey(bench: Workbench, *, by_itself: bool) -> None:
    from lather.assist.survey import survey_photo, surveyed, with_survey_meanwhile

    before = bench.state
    set_by_hand = before.findings
    faces = set_by_hand.faces or None
    scale = set_by_hand.mm_per_px
    if faces is not None and scale == faces[0].mm_per_px():
        scale = None  # every face by its own pupils

    lacking: list[str] = []

    def work(progress: Progress, cancel: CancelToken) -> Meanwhile:
        new = surveyed(survey_photo(
            before.photo, faces=faces, mm_per_px=scale, regions=before.regions,
            progress=progress, cancel=cancel,
        ))  # fmt: skip
        lacking.append(new.lacking)
        return lambda now: with_survey_meanwhile(before, now, new)

    def done(merged: Merged) -> None:
        findings = merged.state.findings
        found_open = list(findings.in_state(FindingState.OPEN))
        n_doubtful = sum(finding.doubtful for finding in found_open)
        n_open = len(found_open) - n_doubtful
        n_kept = len(list(findings.in_state(FindingState.KEPT)))
        doubt = f"{n_doubtful} doubtful, " if n_doubtful else ""
        said = f"{n_open} findings to decide on, {doubt}{n_kept} proposed to be kept."
        said += "".join(f" {why}." for why in lacking if why)
        untouched = by_itself and not bench.open_job.modified
        take_merged(bench, "Survey", merged, said)
        if untouched:
            bench.open_job.mark_as_opened()

    def not_measured(error: Exception) -> bool:
        if by_itself and isinstance(error, LatherError):
            bench.say(f"The portrait was not surveyed: {error.why}.")
            return True
        if not isinstance(error, ScaleError):
            return False
        offer = Offer("Set the scale", lambda: start_measuring(bench), of=bench.state)
        told = error.advising(
            "set the scale: drag along something whose length you know, then survey again"
        )
        bench.say(told.sentence(), error=True, offer=offer)
        return True

    run_edit(
        bench, "Surveying", work, done, retry=None if by_itself else lambda: survey(bench),
        handled=not_measured, gives_way=by_itself,
    )  # fmt: skip


def look_at(bench: Workbench, finding: Finding) -> None:
    """Centre the picture on a finding, with the advised tool and brush in the hand."""
    from lather.core.survey.findings.advice import advice_for

    bench.go_to_stage(Stage(finding.kind.stage))
    bench.walk.go_to(finding.id)
    wanted = CLOSE_ZOOM
    if finding.kind.is_patch:  # all of it is looked at
        wanted = min(wanted, PATCH_ON_SCREEN_PX / (2 * finding.reach_px))
    go_close(bench, Rect.around(finding.x, finding.y, 1), wanted)
    advice = advice_for(finding)
    if advice is not None:
        bench.hands.take_tool(advice.tool)
        if advice.tool == "copy_from_source":
            bench.hands.set_source_goes(SourceGoes.FRESH)
        bench.hands.set_brush(
            size_px=advice.size_px, hardness=advice.hardness, opacity=advice.opacity, flow=1.0
        )
        bench.hands.set_mode(advice.mode)


def step(bench: Workbench, by: int) -> None:
    findings = bench.state.findings
    stage = bench.stage if findings.of_stage(bench.stage.value) else Stage.CLEAN
    finding = bench.walk.step(findings, by, stage.value)
    if finding is None:
        bench.walk.go_to(None)
        bench.say("Every finding is decided.")
    else:
        look_at(bench, finding)


def mend(bench: Workbench, findings: Sequence[Finding]) -> None:
    """Mend findings aside, as one step; of Even's, ask for a proposal, or take the one that is
    looked at."""
    if bench.pending is not None:
        accept(bench)
        return
    if findings and all(finding.kind.is_patch for finding in findings):
        propose_for(bench, findings)
        return
    from lather.assist.clean import CleanOptions, propose_clean, step_name

    before = bench.state
    wanted = [
        f for f in findings if f.kind.known and before.findings.state(f) is FindingState.OPEN
    ]
    if not wanted:
        bench.say("None of these findings is open.")
        return

    options = CleanOptions(ids=frozenset(finding.id for finding in wanted))
    proposals: list[Proposal] = []

    def work(state: JobState, progress: Progress, cancel: CancelToken) -> JobState:
        proposals.append(propose_clean(state, options, progress=progress, cancel=cancel))
        return proposals[0].accepted()

    def done(merged: Merged) -> None:
        after, now, proposal = merged.state, bench.state, proposals[0]
        n_done = sum(after.findings.state(f) is FindingState.DONE for f in wanted)
        said = ""
        if proposal.reasons and not merged.left_out:
            why = "; ".join(proposal.reasons)
            said = f"{n_done} mended; {why}: copy along the edge by hand."
        # Of what was proposed, less may be left after merging: the name says what is in the step.
        take_merged(bench, step_name(len(wanted), n_done), merged, said)
        if len(wanted) > 1:
            bench.walk.go_to(None)
        elif bench.walk.finding_id in (None, wanted[0].id):  # else the person went on meanwhile
            bench.walk.mended = Mended(wanted[0], now, after)
            step(bench, 1)

    merge_aside(bench, "Mending", work, done)


def mend_all(bench: Workbench) -> None:
    """All certain open findings of the stage; in Even all that its assistants propose."""
    if bench.stage is Stage.EVEN:
        propose_all(bench)
        return
    refuse_where_forbidden(bench.state, "Nothing was mended")
    findings, brief = bench.state.findings, bench.state.brief
    sure = [finding for finding in findings.of_stage(Stage.CLEAN.value)
            if findings.state(finding) is FindingState.OPEN and not finding.doubtful]  # fmt: skip
    wanted = [finding for finding in sure if brief.wants_done(finding.kind)]
    if sure and not wanted:
        bench.say("The brief asks for none of what is open.")
        return
    mend(bench, wanted)


def other_source(bench: Workbench) -> None:
    """Do the mend accepted last again, from the next best place."""
    from lather.assist.clean import CleanOptions, propose_clean

    job, last = bench.open_job, bench.walk.mended
    assert last is not None
    nth = last.nth_source + 1

    def work(progress: Progress, cancel: CancelToken) -> Meanwhile:
        options = CleanOptions(ids=frozenset({last.finding.id}), nth_source=nth)
        proposal = propose_clean(last.taken_back(), options, progress=progress, cancel=cancel)
        after = proposal.accepted()
        return lambda now: merge(last.after, after, now)

    def done(merged: Merged) -> None:
        instead = has_other_source(bench)  # else the other mend is a step of its own
        if instead:
            job.undo()
        said = "" if merged.left_out else f"Texture from the next place: number {nth + 1}."
        take_merged(bench, "Mend finding" if instead else "Other source", merged, said)
        bench.walk.mended = None
        if instead:
            bench.walk.mended = Mended(last.finding, last.before, bench.state, nth)
            look_at(bench, last.finding)
            bench.say(said)

    run_edit(bench, "Mending", work, done)


def _is_after_a_mend(bench: Workbench) -> bool:
    last = bench.walk.mended
    return last is not None and same_work(bench.state, last.after)


has_other_source = has_job & When.that(
    _is_after_a_mend, "the last thing done was no mend of the worklist: mend one first"
)


def decide(bench: Workbench, findings: Sequence[Finding], state: FindingState) -> None:
    """Put findings into a state; the walk goes on from a single one."""
    name = {
        FindingState.KEPT: "Keep", FindingState.SKIPPED: "Skip", FindingState.OPEN: "Open again",
        FindingState.DONE: "Done",
    }[state]  # fmt: skip
    bench.change(name, edits.decide, [finding.id for finding in findings], state)
    if len(findings) == 1 and state is not FindingState.OPEN:
        step(bench, 1)


def _current(bench: Workbench) -> list[Finding]:
    finding = bench.walk.current(bench.state.findings)
    return [finding] if finding is not None else []


def _decide_current(state: FindingState) -> Run:
    return lambda bench: decide(bench, _current(bench), state)


is_surveyed = has_job & When.that(
    lambda bench: bench.state.surveyed, "nothing was looked for yet: survey the portrait first"
)
_has_current = has_job & When.that(
    lambda bench: bool(_current(bench)),
    "no finding is looked at: {key:finding.next} goes to the next",
)
_can_be_mended = has_job & When.that(
    lambda bench: bench.pending is not None or bool(_current(bench)),
    "no finding is looked at: {key:finding.next} goes to the next",
)


ACTIONS = (
    Action("finding.survey", "Survey the portrait",
           "Measure the portrait and list what to decide on. Takes some seconds.", "Finding",
           survey, enabled=has_job),
    Action("finding.next", "Next finding",
           "Centre the next open finding, with the advised brush in the hand.", "Finding",
           lambda bench: step(bench, 1), enabled=is_surveyed, repeats=True),
    Action("finding.previous", "Previous finding", "Back to the open finding before.", "Finding",
           lambda bench: step(bench, -1), enabled=is_surveyed, repeats=True),
    Action("finding.mend", "Mend it",
           "Accept the proposed mend of this finding, and go to the next; take over what is "
           "proposed.", "Finding", lambda bench: mend(bench, _current(bench)),
           enabled=_can_be_mended),
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
           "Accept every proposed mend at once; kept marks and doubtful findings stay.", "Finding",
           mend_all, enabled=is_surveyed),
)  # fmt: skip
