"""Before a job is saved, closed or replaced: what is still being worked out comes first."""

from __future__ import annotations

from collections.abc import Callable

from lather.actions.workbench import Workbench

GoOn = Callable[[], None]


def after_stroke(bench: Workbench, go_on: GoOn) -> None:
    """Go on once the stroke in hand is in the job; a pen that is down counts as lifted, and an undo
    that was pressed is waited for."""
    _when(bench, lambda: _has_no_step(bench), go_on)


def settle(bench: Workbench, go_on: GoOn) -> None:
    """Go on once nothing is under way: no stroke, no work aside.

    Work that writes files is waited for; other work is cancelled.
    """
    bench.leave_line()
    if bench.task is not None and not bench.task.must_end:
        bench.task.cancel.cancel()
    _when(bench, lambda: _has_no_step(bench) and bench.task is None, go_on)


def _has_no_step(bench: Workbench) -> bool:
    """True if no stroke and no undo is on its way into the job."""
    if bench.session is None or bench.stepping is None:
        return True
    bench.session.lift()
    return not bench.session.busy and not bench.stepping.busy


def _when(bench: Workbench, is_so: Callable[[], bool], go_on: GoOn) -> None:
    """Go on now, or as soon as it is so. Who asks later takes the place of who waits."""
    bench.tasks.stop_waiting()
    if is_so():
        go_on()
        return
    comes_to_rest = [who.rested for who in (bench.session, bench.stepping) if who is not None]

    def look() -> None:
        if is_so():
            bench.tasks.stop_waiting()
            go_on()

    def stop() -> None:
        bench.task_changed.disconnect(look)
        for rested in comes_to_rest:
            rested.disconnect(look)

    bench.task_changed.connect(look)
    for rested in comes_to_rest:
        rested.connect(look)
    bench.tasks.wait_with(stop)
    if bench.task is None:
        bench.say("The stroke in hand is finished first.")
