"""The Deliver stage: the button that writes the finished pictures, and the usual caution."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout

from lather.actions.action import Action
from lather.actions.job.delivering import DELIVERY_CAUTION
from lather.actions.stages import table
from lather.actions.workbench import Workbench
from lather.document.layers.layer import Stage
from lather.document.state import JobState
from lather.render.worker import Executor
from lather.ui.parts.widgets import CommandButton
from lather.ui.stages.part import StagePart


def words(stage: Stage, bench: Workbench) -> str:  # noqa: ARG001 - as all stages say theirs
    return f"{table.row(stage).intro}\n\n{DELIVERY_CAUTION}"


class DeliverButton(StagePart):
    """Opens the deliver dialog."""

    def __init__(
        self, stage: Stage, bench: Workbench, actions: dict[str, Action], executor: Executor
    ) -> None:
        super().__init__(stage, bench, actions, executor)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.button = CommandButton(actions["job.deliver"], bench)
        column.addWidget(self.button)
        self.heard.to(bench.job_opened, self.button.refresh)
        self.heard.to(bench.job_changed, self._on_job_changed)

    def _on_job_changed(self, before: JobState, after: JobState) -> None:  # noqa: ARG002
        self.button.refresh()
