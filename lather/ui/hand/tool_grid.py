"""The stage's tools as buttons: its own with their names in two columns, or as icons in rows; below
them those of every stage, and another one while it is in the hand."""

from __future__ import annotations

from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QSizePolicy, QWidget

from lather.actions.action import Action
from lather.actions.workbench import Workbench
from lather.tools.stages import COMMON, MOST_OWN, offered, row
from lather.tools.table import TOOLS
from lather.ui.parts.subscriptions import Subscriptions
from lather.ui.parts.theme import GAP_1
from lather.ui.parts.widgets import CommandButton, column_in

PER_ROW, NAMED_PER_ROW = 6, 2


class ToolGrid(QWidget):
    """The buttons of the tools that the stage offers, in its order."""

    def __init__(self, bench: Workbench, actions: dict[str, Action]) -> None:
        super().__init__()
        self._bench = bench
        self._buttons = {
            entry.id: CommandButton(actions[f"tool.{entry.id}"], bench, text="")
            for entry in TOOLS
        }  # fmt: skip
        column = column_in(self, GAP_1)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(GAP_1)
        self._grid.setVerticalSpacing(2)
        column.addLayout(self._grid)
        self._row = QHBoxLayout()
        self._row.setSpacing(GAP_1)
        self._search = CommandButton(actions["help.search"], bench, text="")
        column.addLayout(self._row)
        for name, button in self._buttons.items():
            button.setParent(self)
            wide = QSizePolicy.Policy.Fixed if name in COMMON else QSizePolicy.Policy.Expanding
            button.setSizePolicy(wide, QSizePolicy.Policy.Fixed)
        self._shown: tuple[object, ...] = ()
        self._heard = Subscriptions()
        self._heard.to(bench.stage_changed, self.reset)
        self._heard.to(bench.hands.changed, self.reset)
        self._heard.to(bench.settings.changed, self._on_setting_changed)
        self.reset()

    @property
    def buttons(self) -> list[CommandButton]:
        """Those of this stage alone."""
        return [self._buttons[name] for name in row(self._bench.stage).tools]

    @property
    def common(self) -> list[CommandButton]:
        """Those of every stage."""
        return [self._buttons[name] for name in COMMON]

    @property
    def other(self) -> CommandButton | None:
        """What is in the hand and belongs to other stages."""
        name = self._bench.hand.tool
        return None if name in offered(self._bench.stage) else self._buttons[name]

    def fullest_px(self) -> int:
        """Its height in a stage with as many tools as any may have."""
        a_button = self.buttons[0] if self.buttons else self.common[0]
        rows = -(-MOST_OWN // NAMED_PER_ROW)
        return rows * (a_button.sizeHint().height() + 2) + GAP_1 + (
            self.common[0].sizeHint().height())

    def close_view(self) -> None:
        self._heard.end()

    def reset(self) -> None:
        """Show what the stage offers, and what is in the hand."""
        shown = self._bench.stage, self.other, self._bench.settings["tool_names"]
        if shown != self._shown:
            self._shown = shown
            self._arrange(named=bool(self._bench.settings["tool_names"]))
        for button in (*self.buttons, *self.common, *filter(None, (self.other,))):
            button.refresh()

    def _arrange(self, *, named: bool) -> None:
        for layout in (self._grid, self._row):
            while layout.count():
                layout.takeAt(0)
        own, other = self.buttons, self.other
        per_row = NAMED_PER_ROW if named else PER_ROW
        for index, button in enumerate(own):
            button.show_name(named)
            self._grid.addWidget(button, *divmod(index, per_row))
        for button in self.common:
            button.show_name(False)
            self._row.addWidget(button)
        if other is not None:
            other.show_name(True)
            self._row.addWidget(other, 1)
        else:
            self._row.addStretch(1)
        self._row.addWidget(self._search)
        shown = (*own, *self.common, other)
        for button in self._buttons.values():
            button.setVisible(button in shown)

    def _on_setting_changed(self, key: str) -> None:
        if key == "tool_names":
            self.reset()
