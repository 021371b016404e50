"""Edits worked out aside, and merged into whatever state the job has come to meanwhile."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from lather.actions.workbench import Workbench
from lather.assist.meanwhile import merged_with
from lather.core.work import CancelToken, Progress
from lather.document.merge import Merged
from lather.document.operations.call import Call
from lather.document.state import JobState
from lather.operations.edits import call_of
from lather.operations.kind import edited

Meanwhile = Callable[[JobState], Merged]  # an outcome, for whatever state the job has come to


def change_aside(
    bench: Workbench, name: str, edit: Callable[..., JobState], *, title: str = "", what: str = "",
    said: Callable[[], str] = lambda: "", then: Callable[[], object] = lambda: None,
    **arguments: Any,
) -> None:
    """Apply an edit that takes its time, aside, to the state of then, as a step.

    `title` and `what` are told while it runs; `said` is asked before it becomes a step, and told
    if it did; then `then` follows.
    """
    before = bench.state
    call = call_of(edit, **arguments)

    def work(progress: Progress, cancel: CancelToken) -> Meanwhile:
        progress(0.0, what or name.lower())
        after = edited(edit, before, arguments, progress, cancel)
        cancel.check()
        return lambda now: merged_with(before, after, now)

    def done(merged: Merged) -> None:
        begun = None if call is None else replace(call, begun=before)
        if take_merged(bench, name, merged, begun, said()):
            then()

    run_edit(bench, title or name, work, done)


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


def take_merged(
    bench: Workbench, name: str, merged: Merged, call: Call | None, said: str = ""
) -> bool:
    """Make the outcome of work aside a step, which a call led to; say `said`, and what could not be
    merged. False if it changed nothing, and so is none."""
    is_step = bench.take_step(name, merged.state, call)
    if merged.left_out:
        left = "; ".join(merged.left_out)
        said = said if is_step else ""
        bench.say(f"{said} Left out of '{name}': {left}.".lstrip(), error=True, stays=True)
    elif said and is_step:
        bench.say(said)
    return is_step
