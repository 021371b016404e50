"""A page that a stage shows instead of the picture."""

from __future__ import annotations

from PyQt6.QtWidgets import QScrollArea

from lather.actions.action import Action
from lather.actions.workbench import Workbench
from lather.document.layers.layer import Stage
from lather.ui.parts.subscriptions import Subscriptions


class StagePage(QScrollArea):
    """Made when its stage is first gone to: the window is there sooner."""

    def __init__(self, stage: Stage, bench: Workbench, actions: dict[str, Action]) -> None:  # noqa: ARG002
        super().__init__()
        self.stage = stage
        self.bench = bench
        self.heard = Subscriptions()

    def close_view(self) -> None:
        """Stop listening."""
        self.heard.end()
