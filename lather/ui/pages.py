"""What fills the middle of the window: the picture, or the page of the stage that is looked at."""

from __future__ import annotations

from PyQt6.QtWidgets import QStackedWidget

from lather.actions.action import Action
from lather.actions.workbench import Workbench
from lather.document.layers.layer import Stage
from lather.ui.picture.canvas import Canvas
from lather.ui.stages.page import StagePage
from lather.ui.stages.table import row


class Pages(QStackedWidget):
    """A page is made when its stage is first gone to: the window is there sooner."""

    def __init__(self, bench: Workbench, actions: dict[str, Action], canvas: Canvas) -> None:
        super().__init__()
        self.bench = bench
        self._actions = actions
        self.canvas = canvas
        self._pages: dict[Stage, StagePage] = {}
        self.addWidget(canvas)
        bench.stage_changed.connect(self._on_stage_changed)
        self._on_stage_changed()

    @property
    def page(self) -> StagePage | None:
        """That of the stage; None where it shows the picture."""
        return self._pages.get(self.bench.stage)

    def close_view(self) -> None:
        self.bench.stage_changed.disconnect(self._on_stage_changed)
        for page in self._pages.values():
            page.close_view()

    def _on_stage_changed(self) -> None:
        stage = self.bench.stage
        make = row(stage).page
        if make is not None and stage not in self._pages:
            self._pages[stage] = make(stage, self.bench, self._actions)
            self.addWidget(self._pages[stage])
        self.setCurrentWidget(self.page or self.canvas)
