"""Surveying: asked for, or by itself while nobody works."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from lather.actions.action import Action, has_job
from lather.actions.findings.face import start_measuring
from lather.actions.work.aside import take_merged
from lather.actions.work.task import Offer
from lather.actions.workbench import Workbench
from lather.core.work import CancelToken, Progress
from lather.document.findings import FindingState
from lather.document.state import JobState
from lather.errors import LatherError, ScaleError

if TYPE_CHECKING:
    from lather.assist.survey import Surveyed


def survey(bench: Workbench) -> None:
    """Measure the portrait aside; its findings replace earlier ones.

    Handles and a scale that were set by hand are taken as they are.
    """
    _survey(bench, by_itself=False)


def wants_survey(bench: Workbench) -> bool:
    """True for a portrait that is not surveyed yet, and is to be by itself: not one whose survey
    failed, or was cancelled."""
    job = bench.job
    return (
        job is not None and not job.state.surveyed and bool(bench.settings["survey_when_opened"])
        and bench.task is None and bench.not_surveyed is not job.state.photo
    )  # fmt: skip


def survey_by_itself(bench: Workbench) -> None:
    """Nobody asked for it: it gives way to everything else, a failure is no error, and it is no
    step but part of all states."""
    _survey(bench, by_itself=True)


def _survey(bench: Workbench, *, by_itself: bool) -> None:
    from lather.assist.face_map import part_outlines
    from lather.assist.survey import measured_anew, with_survey
    from lather.document.people import scale_by_hand

    job, before = bench.open_job, bench.state
    scale = scale_by_hand(before.findings)

    def work(progress: Progress, cancel: CancelToken) -> Surveyed:
        new = measured_anew(before, progress=progress, cancel=cancel)
        part_outlines(with_survey(before, new), 0)  # nobody is to wait for it who draws them
        if not by_itself or job.history.n_done:
            job.prepare(lambda state: with_survey(state, new))
        return new

    def done(new: Surveyed) -> None:
        if bench.job is not job:
            bench.say("Surveying: dropped, since another job was opened meanwhile.", error=True)
            return
        _take(bench, before, new, scale, by_itself=by_itself)

    def not_measured(error: Exception) -> bool:
        if by_itself:
            bench.not_surveyed = before.photo
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

    bench.run_task(
        "Surveying", work, done, retry=None if by_itself else lambda: survey(bench),
        handled=not_measured, gives_way=by_itself,
    )  # fmt: skip


def _take(
    bench: Workbench, before: JobState, new: Surveyed, scale: float | None, *, by_itself: bool
) -> None:
    """What was measured becomes part of the job, whatever it has come to by then."""
    from lather.assist.survey import call_of_survey, with_survey, with_survey_meanwhile

    merged = with_survey_meanwhile(before, bench.state, new)
    findings = merged.state.findings
    found_open = list(findings.in_state(FindingState.OPEN))
    n_doubtful = sum(finding.doubtful for finding in found_open)
    n_open = len(found_open) - n_doubtful
    n_kept = len(list(findings.in_state(FindingState.KEPT)))
    doubt = f"{n_doubtful} doubtful, " if n_doubtful else ""
    said = f"{n_open} findings to decide on, {doubt}{n_kept} proposed to be kept."
    said += f" {new.lacking}." if new.lacking else ""
    call = call_of_survey(scale, before)
    if not by_itself:
        take_merged(bench, "Survey", merged, call, said)
        return
    measured: dict[tuple[int, int, int], JobState] = {}

    def with_it(state: JobState) -> JobState:
        if state.surveyed:
            return state
        about = id(state.findings), id(state.regions), id(state.brief)
        if about not in measured:  # most steps have the same of these
            measured[about] = with_survey(state, new)
        found = measured[about]
        return replace(state, findings=found.findings, regions=found.regions)

    bench.open_job.absorb("Survey", with_it, merged.state, call)
    left = f" Left out: {'; '.join(merged.left_out)}." if merged.left_out else ""
    bench.say(said + left, error=bool(left))


ACTIONS = (
    Action("finding.survey", "Survey the portrait",
           "Measure the portrait and list what to decide on. Takes some seconds.", "Finding",
           survey, enabled=has_job),
)  # fmt: skip
