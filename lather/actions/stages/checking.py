"""Commands of the check: measure it all, look at a row, use its lever, compare blindly."""

from __future__ import annotations

from typing import TYPE_CHECKING

from lather.actions.action import Action, Run, When, has_job
from lather.actions.findings.finding import is_surveyed
from lather.actions.job.settling import after_stroke
from lather.actions.looking.view import go_close
from lather.actions.stages.gauge import checked_work
from lather.actions.work.proposing import not_taken
from lather.actions.workbench import Workbench
from lather.core.rect import Rect
from lather.core.work import CancelToken, Progress
from lather.document import edits
from lather.document.agreed.briefing import add_trial
from lather.document.job import Job
from lather.document.layers.layer import Stage
from lather.document.state import JobState
from lather.errors import Cancelled

if TYPE_CHECKING:
    from lather.assist.check.check import Check
    from lather.assist.check.lever import Causes


TITLE = "Checking"


def check_all(bench: Workbench, by_itself: bool = False) -> None:
    """Every measure, aside; nobody waits for what comes after it, the levers of what is beyond its
    limit. A check that is under way already is waited for."""
    if bench.task is not None and by_itself:
        return
    job, state, ahead = bench.open_job, bench.state, bench.tasks.ahead
    if ahead is not None and ahead.about == _about(state):
        bench.tasks.wait_for_ahead()
        return

    def done(check: Check) -> None:
        _take(bench, job, state, check)

    again = None if by_itself else lambda: check_all(bench)
    bench.run_task(TITLE, lambda progress, cancel: _checked(state, progress, cancel), done,
                   gives_way=True, retry=again)  # fmt: skip


def check_ahead(bench: Workbench) -> bool:
    """Check while the hand rests; False if there is nothing to check, or it is checked."""
    job, state = bench.open_job, bench.state
    if not state.surveyed or len(state.layers) < 2 or bench.gauge.is_fresh(state):
        return False
    about = _about(state)
    if bench.gauge.failed_of == about:
        return False

    def done(check: Check, is_waited_for: bool) -> None:  # noqa: ARG001
        _take(bench, job, state, check)

    def failed(error: Exception) -> None:
        if not isinstance(error, Cancelled):
            bench.gauge.failed_of = about

    bench.tasks.run_ahead(TITLE, about, lambda progress, cancel: _checked(state, progress, cancel),
                          done, failed)  # fmt: skip
    return True


def _checked(state: JobState, progress: Progress, cancel: CancelToken) -> Check:
    from lather.assist.check.check import check

    return check(state, cancel=cancel, progress=progress)


def _take(bench: Workbench, job: Job, state: JobState, check: Check) -> None:
    if bench.job is not job:
        return
    bench.gauge.take_full(check, state)
    if not_taken(bench):
        bench.say(f"Checked as it is: {not_taken(bench)}")
    find_causes_ahead(bench)


def find_causes_ahead(bench: Workbench) -> bool:
    """What does most to each row of the check that holds, and the levers, while nobody waits; False
    if they are known."""
    from lather.assist.check.lever import NO_CAUSES, find_causes

    gauge, state, job = bench.gauge, bench.state, bench.job
    check = gauge.full
    if check is None or gauge.causes is not None or not gauge.is_fresh(state):
        return False

    def work(progress: Progress, cancel: CancelToken) -> Causes:
        return find_causes(state, check, cancel=cancel, progress=progress)

    def done(causes: Causes, is_waited_for: bool) -> None:  # noqa: ARG001
        if bench.job is job and gauge.full is check:
            gauge.take_causes(causes)

    def failed(error: Exception) -> None:
        if not isinstance(error, Cancelled):  # no lever is known then, and none is looked for again
            gauge.take_causes(NO_CAUSES)

    bench.tasks.run_ahead("Looking for what brings it back", ("causes", check), work, done, failed)
    return True


def _about(state: JobState) -> tuple[object, ...]:
    return ("check", *checked_work(state))


def go_to_check(bench: Workbench) -> None:
    """The ladder, with all measures of what there is now."""
    bench.show_stage(Stage.FINISH)
    if is_surveyed(bench) and not bench.gauge.is_fresh(bench.state):
        after_stroke(bench, lambda: check_all(bench, by_itself=True))


def look_at_row(bench: Workbench, row_id: str) -> None:
    """Pick a row of the ladder, and show where it is so."""
    bench.gauge.look_at(row_id)
    row = bench.gauge.row(bench.state)
    if row is None or row.reading.place is None:
        return
    go_close(bench, Rect.around(*row.reading.place, 1))


def use_lever(bench: Workbench) -> None:
    """Weaken the layer as far as the lever says, as one step."""
    lever = bench.gauge.lever(bench.state)
    assert lever is not None
    bench.change("Use the lever", edits.set_strength, lever.layer_id, lever.strength)
    bench.say(f"'{lever.layer_name}' is at {lever.strength:.0%} now.")
    after_stroke(bench, lambda: check_all(bench, by_itself=True))


def compare_blindly(bench: Workbench) -> None:
    """Which is the photo? The answer is kept in the job."""
    trial = bench.ask.blind_trial(bench.open_job)
    if trial is not None:
        bench.change("Blinded test", add_trial, trial)
        bench.say(trial.sentence())


def _step(by: int) -> Run:
    def run(bench: Workbench) -> None:
        check = bench.gauge.check(bench.state)
        if check is None or not check.rows:
            return
        ids = [row.row.id for row in check.rows]
        at = ids.index(bench.gauge.row_id) if bench.gauge.row_id in ids else -1
        bench.show_stage(Stage.FINISH)
        look_at_row(bench, ids[(at + by) % len(ids)])

    return run


_is_checked = has_job & When.that(
    lambda bench: bench.gauge.check(bench.state) is not None,
    "nothing was measured yet: check everything ({key:check.all})",
)
_has_lever = _is_checked & When.that(
    lambda bench: bench.gauge.lever(bench.state) is not None,
    "there is no lever for this measure: it is within its limit, or no layer by itself does it",
)
_has_retouch = has_job & When.that(
    lambda bench: len(bench.state.layers) > 1, "nothing was retouched yet"
)


ACTIONS = (
    Action("check.show", "Show the check",
           "The ladder: every measure of the retouch against its limit, and where.", "Check",
           go_to_check, enabled=has_job),
    Action("check.all", "Check everything",
           "Measure all of the retouch against the photo and the brief; it changes nothing.",
           "Check", lambda bench: after_stroke(bench, lambda: check_all(bench)),
           enabled=is_surveyed),
    Action("check.next", "Next measure", "Look at the next row of the ladder, and where it is.",
           "Check", _step(1), enabled=_is_checked, repeats=True),
    Action("check.previous", "Previous measure", "Look at the row before.", "Check", _step(-1),
           enabled=_is_checked, repeats=True),
    Action("check.lever", "Use the lever",
           "Weaken the layer that went too far until the measure is at its limit.", "Check",
           use_lever, enabled=_has_lever),
    Action("check.blind", "Which is the photo?",
           "Photo and retouch at delivery size, without labels; your answer is kept.", "Check",
           compare_blindly, enabled=_has_retouch),
)  # fmt: skip
