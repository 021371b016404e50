"""Follows the job with the quick check, a while after each change."""

from __future__ import annotations

from PyQt6.QtCore import QObject

from lather.actions.findings.finding import is_surveyed
from lather.actions.stages.gauge import checked_work
from lather.actions.workbench import Workbench
from lather.assist.check.check import Check, check
from lather.document.state import JobState
from lather.render.worker import Executor
from lather.ui.parts.measured_aside import MeasuredAside

AFTER_MS = 700


class CheckWatch(QObject):
    """Puts the quick check of what there is now into the gauge."""

    def __init__(self, bench: Workbench, executor: Executor) -> None:
        super().__init__()
        self.bench = bench
        self.aside: MeasuredAside[Check] = MeasuredAside(
            bench, executor, measure=lambda state, cancel: check(state, quick=True, cancel=cancel),
            wanted=self._wanted, shown=self._show,
        )  # fmt: skip
        bench.job_opened.connect(self.reset)
        bench.job_changed.connect(self._on_job_changed)
        self.reset()

    def reset(self) -> None:
        self.aside.forget()
        if self._wanted():
            self.aside.ask(AFTER_MS)

    def close_view(self) -> None:
        self.aside.close()
        self.bench.job_opened.disconnect(self.reset)
        self.bench.job_changed.disconnect(self._on_job_changed)

    @property
    def measured(self) -> bool:
        """True if no measurement is due or under way any more."""
        return self.aside.rests

    def _wanted(self) -> bool:
        """A photo by itself needs no check."""
        return is_surveyed(self.bench) and len(self.bench.state.layers) > 1

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        if checked_work(before) == checked_work(after):
            return
        if self._wanted():
            self.aside.ask(AFTER_MS)
        elif self.bench.gauge.quick is not None:
            self.aside.forget()

    def _show(self) -> None:
        self.bench.gauge.take_quick(self.aside.value)
