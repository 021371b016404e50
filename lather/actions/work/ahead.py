"""What will be asked for is worked out while the hand rests: the survey, what comes next, the
check. All of it gives way to the hand, and to whatever else is asked for."""

from __future__ import annotations

import time
from collections.abc import Callable

from lather.actions.findings.surveying import survey_by_itself, wants_survey
from lather.actions.stages.checking import check_ahead, find_causes_ahead
from lather.actions.work.asking import prepare_all
from lather.actions.workbench import Workbench
from lather.core.brush.stroke import PenSample
from lather.document.state import JobState

REST_S = 0.5  # without anything done, from which the hand rests
_Begin = Callable[[Workbench], bool]
# In this order, since each goes by what the one before found; True if it has begun something.
_AHEAD: tuple[_Begin, ...] = (prepare_all, check_ahead, find_causes_ahead)


class Ahead:
    """Watches the workbench, and begins what is not done yet."""

    def __init__(self, bench: Workbench) -> None:
        self._bench = bench
        self._touched_s = time.monotonic()
        bench.job_opened.connect(self._on_job_opened)
        bench.job_changed.connect(self._on_job_changed)
        bench.stage_changed.connect(self._touch)
        bench.walk.moved.connect(self._touch)
        bench.rests.connect(self._on_rest)

    def _on_job_opened(self) -> None:
        """The survey begins at once: nothing has been done that it could hold up."""
        self._touch()
        if self._bench.session is not None:
            self._bench.session.began.connect(self._on_pen_down)
        if wants_survey(self._bench):
            survey_by_itself(self._bench)

    def _on_job_changed(self, before: JobState, after: JobState) -> None:  # noqa: ARG002
        self._touch()
        self._bench.tasks.give_way()  # it would be of the state before

    def _on_pen_down(self, sample: PenSample) -> None:  # noqa: ARG002
        self._touch()
        self._bench.tasks.give_way()

    def _touch(self) -> None:
        self._touched_s = time.monotonic()

    def _on_rest(self) -> None:
        """Called some times a second while no pen is down and nothing runs aside."""
        bench = self._bench
        if bench.tasks.ahead is not None or time.monotonic() - self._touched_s < REST_S:
            return
        if wants_survey(bench):
            survey_by_itself(bench)
        elif bench.settings["work_ahead"]:
            any(begin(bench) for begin in _AHEAD)
