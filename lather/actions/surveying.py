"""Surveying: asked for, or by itself while nobody works."""

from __future__ import annotations

from lather.actions.action import Action, has_job
from lather.actions.aside import Meanwhile, run_edit, take_merged
from lather.actions.face import start_measuring
from lather.actions.task import Offer
from lather.actions.workbench import Workbench
from lather.core.work import CancelToken, Progress
from lather.document.findings import FindingState
from lather.document.merge import Merged
from lather.errors import LatherError, ScaleError


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


ACTIONS = (
    Action("finding.survey", "Survey the portrait",
           "Measure the portrait and list what to decide on. Takes some seconds.", "Finding",
           survey, enabled=has_job),
)  # fmt: skip
