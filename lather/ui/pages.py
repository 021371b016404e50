"""What fills the middle of the window: the picture, or in the first stage the brief."""

from __future__ import annotations

from PyQt6.QtWidgets import QStackedWidget

from lather.actions.action import Action
from lather.actions.workbench import Workbench
from lather.document.layers.layer import Stage
from lather.ui.picture.canvas import Canvas
from lather.ui.stages.brief.brief_page import BriefPage


class Pages(QStackedWidget):
    """The brief's page is made when it is first gone to: the window is there sooner."""

    def __init__(self, bench: Workbench, actions: dict[str, Action], canvas: Canvas) -> None:
        super().__init__()
        self.bench = bench
        self._actions = actions
        self.canvas = canvas
        self.brief: BriefPage | None = None
        self.addWidget(canvas)
        bench.stage_changed.connect(self._on_stage_changed)
        self._on_stage_changed()

    def close_view(self) -> None:
        self.bench.stage_changed.disconnect(self._on_stage_changed)
        if self.brief is not None:
            self.brief.close_view()

    def _on_stage_changed(self) -> None:
        if self.bench.stage is not Stage.BRIEF:
            self.setCurrentWidget(self.canvas)
            return
        if self.brief is None:
            self.brief = BriefPage(self.bench, self._actions)
            self.addWidget(self.brief)
        self.setCurrentWidget(self.brief)
