"""Edits worked out aside, and merged into whatever state the job has come to meanwhile."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from lather.actions.workbench import Workbench
from lather.assist.meanwhile import merged_with
from lather.core.work import CancelToken, Progress
from lather.document.merge import Merged
from lather.document.state import JobState

Meanwhile = Callable[[JobState], Merged]  # an outcome, for whatever state the job has come to


def change_aside(
    bench: Workbench, name: str, edit: Callable[[JobState, CancelToken], JobState], what: str = ""
) -> None:
    """Apply an edit that takes its time, aside, to the state of then, as a step."""

    def slow(state: JobState, progress: Progress, cancel: CancelToken) -> JobState:
        progress(0.0, what or name.lower())
        after = edit(state, cancel)
        cancel.check()
        return after

    merge_aside(bench, name, slow, lambda merged: take_merged(bench, name, merged))


def merge_aside(
    bench: Workbench,
    title: str,
    edit: Callable[[JobState, Progress, CancelToken], JobState],
    done: Callable[[Merged], object],
) -> None:
    """Work an edit out aside; `done` gets it merged into the state of then."""
    before = bench.state

    def work(progress: Progress, cancel: CancelToken) -> Meanwhile:
        after = edit(before, progress, cancel)
        return lambda now: merged_with(before, after, now)

    run_edit(bench, title, work, done)


def run_edit(
    bench: Workbench,
    title: str,
    work: Callable[[Progress, CancelToken], Meanwhile],
    done: Callable[[Merged], object],
    **options: Any,
) -> None:
    """Run long work whose outcome is applied to whatever state the job has come to by then.

    Nothing that was done meanwhile is overwritten, and nothing of the work is dropped in
    silence. `options` as for `Workbench.run_task`.
    """
    job = bench.open_job

    def work_and_prepare(progress: Progress, cancel: CancelToken) -> Meanwhile:
        applied = work(progress, cancel)
        job.prepare(lambda state: applied(state).state)
        return applied

    def finished(applied: Meanwhile) -> None:
        if bench.job is job:
            done(applied(job.state))
        else:
            bench.say(f"{title}: dropped, since another job was opened meanwhile.", error=True)

    bench.run_task(title, work_and_prepare, finished, **options)


def take_merged(bench: Workbench, name: str, merged: Merged, said: str = "") -> bool:
    """Make the outcome of work aside a step; say `said`, and what could not be merged. False if it
    changed nothing, and so is none."""
    is_step = bench.change(name, lambda _: merged.state)
    if merged.left_out:
        left = "; ".join(merged.left_out)
        said = said if is_step else ""
        bench.say(f"{said} Left out of '{name}': {left}.".lstrip(), error=True, stays=True)
    elif said and is_step:
        bench.say(said)
    return is_step
