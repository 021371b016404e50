"""The workbench with those who attend to it."""

from __future__ import annotations

from lather.actions.asker import Asker
from lather.actions.findings.first_look import FirstLooks
from lather.actions.findings.kept import KeptMarks
from lather.actions.hand.broken import warn_of_broken_rim
from lather.actions.workbench import Workbench
from lather.render.worker import Executor
from lather.settings.store import Settings


def start_workbench(
    settings: Settings,
    asker: Asker,
    *,
    stroke_executor: Executor | None = None,
    task_executor: Executor | None = None,
    keep_executor: Executor | None = None,
) -> Workbench:
    """A workbench that also says what is seen while somebody works; parameters as its own."""
    bench = Workbench(
        settings, asker, stroke_executor=stroke_executor, task_executor=task_executor,
        keep_executor=keep_executor,
    )  # fmt: skip
    bench.job_opened.connect(lambda: _attend(bench))
    FirstLooks(bench)
    return bench


def _attend(bench: Workbench) -> None:
    """Watch the strokes over a job that was opened."""
    session = bench.session
    if session is not None:
        session.frame.connect(KeptMarks(bench).look)
        session.broke.connect(lambda outcome: warn_of_broken_rim(bench, outcome))
