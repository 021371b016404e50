"""What a stage shows of its own in the left column."""

from __future__ import annotations

from typing import ClassVar

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from lather.actions.action import Action
from lather.actions.workbench import Workbench
from lather.document.layers.layer import Stage
from lather.render.worker import Executor
from lather.ui.parts.subscriptions import Subscriptions


class StagePart(QWidget):
    """A widget of a stage's row; made when its stage is first gone to.

    It listens for itself, and reads everything back when its stage is gone to.

    Signals
    -------
    changed() : `is_wanted` or `note` may be another one.
    """

    SAYS_ITSELF: ClassVar[bool] = False  # its words stand in the place of the stage's intro
    FILLS: ClassVar[bool] = False  # it takes all the room there is

    changed = pyqtSignal()

    def __init__(
        self, stage: Stage, bench: Workbench, actions: dict[str, Action], executor: Executor
    ) -> None:
        super().__init__()
        self.stage = stage
        self.bench = bench
        self.actions_by_id = actions
        self.executor = executor
        self.heard = Subscriptions()

    @property
    def is_looked_at(self) -> bool:
        """True while its stage is."""
        return self.bench.stage is self.stage

    def is_wanted(self) -> bool:
        """False while it has nothing to show."""
        return True

    def note(self) -> str:
        """For the corner of the column."""
        return ""

    def close_view(self) -> None:
        """Stop listening."""
        self.heard.end()
