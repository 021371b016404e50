"""All tools as buttons: with their names in two columns, or as icons in rows."""

from __future__ import annotations

from PyQt6.QtWidgets import QGridLayout, QSizePolicy, QWidget

from lather.actions.action import Action
from lather.actions.workbench import Workbench
from lather.tools.table import TOOLS
from lather.ui.theme import GAP_1
from lather.ui.widgets import CommandButton

PER_ROW, NAMED_PER_ROW = 6, 2


class ToolGrid(QWidget):
    """The buttons of the tool table, in its order."""

    def __init__(self, bench: Workbench, actions: dict[str, Action]) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(GAP_1)
        self._grid.setVerticalSpacing(2)
        self.buttons = [
            CommandButton(actions[f"tool.{entry.id}"], bench, text="")
            for entry in TOOLS if entry.is_listed
        ]
        for button in self.buttons:
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.arrange(named=bool(bench.settings["tool_names"]))

    def arrange(self, *, named: bool) -> None:
        """In two columns with their names, or in rows of icons."""
        per_row = NAMED_PER_ROW if named else PER_ROW
        for index, button in enumerate(self.buttons):
            button.show_name(named)
            self._grid.addWidget(button, *divmod(index, per_row))
