"""The stage's tools as buttons: with their names in two columns, or as icons in rows."""

from __future__ import annotations

from PyQt6.QtWidgets import QGridLayout, QSizePolicy, QWidget

from lather.actions.action import Action
from lather.actions.workbench import Workbench
from lather.tools.stages import row
from lather.tools.table import TOOLS
from lather.ui.parts.theme import GAP_1
from lather.ui.parts.widgets import CommandButton

PER_ROW, NAMED_PER_ROW = 6, 2


class ToolGrid(QWidget):
    """The buttons of the tools that the stage offers, in its order."""

    def __init__(self, bench: Workbench, actions: dict[str, Action]) -> None:
        super().__init__()
        self._bench = bench
        self._named = bool(bench.settings["tool_names"])
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(GAP_1)
        self._grid.setVerticalSpacing(2)
        self._buttons = {
            entry.id: CommandButton(actions[f"tool.{entry.id}"], bench, text="")
            for entry in TOOLS if entry.is_listed
        }  # fmt: skip
        for button in self._buttons.values():
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        bench.stage_changed.connect(self._on_stage_changed)
        self.arrange(named=self._named)

    @property
    def buttons(self) -> list[CommandButton]:
        """Those of this stage."""
        return [self._buttons[tool_id] for tool_id in row(self._bench.stage).tools]

    def close_view(self) -> None:
        self._bench.stage_changed.disconnect(self._on_stage_changed)

    def arrange(self, *, named: bool) -> None:
        """In two columns with their names, or in rows of icons."""
        self._named = named
        per_row = NAMED_PER_ROW if named else PER_ROW
        for button in self._buttons.values():
            self._grid.removeWidget(button)
        shown = self.buttons
        for button in self._buttons.values():
            button.setVisible(button in shown)
        for index, button in enumerate(shown):
            button.show_name(named)
            self._grid.addWidget(button, *divmod(index, per_row))

    def _on_stage_changed(self) -> None:
        self.arrange(named=self._named)
        for button in self.buttons:
            button.refresh()
