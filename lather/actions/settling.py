"""Before a job is saved, closed or replaced: what is still being worked out comes first."""

from __future__ import annotations

from collections.abc import Callable

from lather.actions.workbench import Workbench

GoOn = Callable[[], None]


def after_stroke(bench: Workbench, go_on: GoOn) -> None:
    """Go on once the stroke in hand is in the job; a pen that is down counts as lifted."""
    _when(bench, lambda: _has_no_stroke(bench), go_on)


def settle(bench: Workbench, go_on: GoOn) -> None:
    """Go on once nothing is under way: no stroke, no work aside.

    Work that writes files is waited for; other work is cancelled.
    """
    bench.leave_line()
    if bench.task is not None and not bench.task.must_end:
        bench.task.cancel.cancel()
    _when(bench, lambda: _has_no_stroke(bench) and bench.task is None, go_on)


def _has_no_stroke(bench: Workbench) -> bool:
    if bench.session is None:
        return True
    bench.session.lift()
    return not bench.session.busy


def _when(bench: Workbench, is_so: Callable[[], bool], go_on: GoOn) -> None:
    """Go on now, or as soon as it is so. Who asks later takes the place of who waits."""
    bench.tasks.stop_waiting()
    if is_so():
        go_on()
        return
    session = bench.session

    def look() -> None:
        if is_so():
            bench.tasks.stop_waiting()
            go_on()

    def stop() -> None:
        bench.task_changed.disconnect(look)
        if session is not None:
            session.rested.disconnect(look)

    bench.task_changed.connect(look)
    if session is not None:
        session.rested.connect(look)
    bench.tasks.wait_with(stop)
    if bench.task is None:
        bench.say("The stroke in hand is finished first.")
