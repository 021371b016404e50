"""A stage whose findings the survey does not look for: they are looked for when it is first gone
to."""

from __future__ import annotations

from collections.abc import Sequence

from lather.actions.workbench import Workbench
from lather.assist import stages
from lather.assist.looking import call_of_look, is_to_be_looked_in, look, with_found
from lather.core.survey.findings.finding import Finding
from lather.core.work import CancelToken, Progress
from lather.document.layers.layer import Stage
from lather.document.state import JobState


class FirstLooks:
    """Watches where the person goes. What is found is no step, but part of all states: it came by
    itself."""

    def __init__(self, bench: Workbench) -> None:
        self._bench = bench
        bench.job_opened.connect(self._look)
        bench.stage_changed.connect(self._look)
        bench.job_changed.connect(self._on_job_changed)

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        if before.surveyed is not after.surveyed:
            self._look()

    def _look(self) -> None:
        bench, stage = self._bench, self._bench.stage
        if bench.job is not None and is_to_be_looked_in(bench.state, stage):
            bench.in_turn(lambda: _begin(bench, stage))


def _begin(bench: Workbench, stage: Stage) -> None:
    if bench.job is None or not is_to_be_looked_in(bench.state, stage):
        return  # done while it waited for its turn, or another job is open
    job, before = bench.job, bench.state

    def work(progress: Progress, cancel: CancelToken) -> Sequence[Finding]:
        return look(before, stage, progress=progress, cancel=cancel)

    def done(found: Sequence[Finding]) -> None:
        if bench.job is not job:
            return
        job.absorb("Look", lambda state: with_found(state, stage, found)
                   if is_to_be_looked_in(state, stage) else state,
                   call=call_of_look(stage, before))  # fmt: skip
        n_found = len(bench.state.findings.of_stage(stage.value))
        bench.say(f"{n_found} findings of {stages.title(stage)} to decide on.")

    bench.run_task(f"Looking at what {stages.title(stage)} decides on", work, done,
                   retry=lambda: _begin(bench, stage))  # fmt: skip
