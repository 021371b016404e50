"""The buttons of Even's assistants."""

from __future__ import annotations

from PyQt6.QtWidgets import QGridLayout, QSizePolicy

from lather.actions.action import Action
from lather.actions.findings.finding import is_surveyed
from lather.actions.workbench import Workbench
from lather.document.layers.layer import Stage
from lather.render.worker import Executor
from lather.ui.parts.theme import GAP_1
from lather.ui.parts.widgets import CommandButton
from lather.ui.stages.part import StagePart

COMMANDS = ("even.shine", "even.redness", "even.even_out", "even.match")


class Assistants(StagePart):
    """Two in a row, while nothing is proposed."""

    def __init__(
        self, stage: Stage, bench: Workbench, actions: dict[str, Action], executor: Executor
    ) -> None:
        super().__init__(stage, bench, actions, executor)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(GAP_1)
        self.buttons = [CommandButton(actions[name], bench) for name in COMMANDS]
        for number, button in enumerate(self.buttons):
            grid.addWidget(button, number // 2, number % 2)
            button.setProperty("role", "compact")
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def is_wanted(self) -> bool:
        for button in self.buttons:
            button.refresh()
        return is_surveyed(self.bench) and self.bench.pending is None
