"""What only reshape tools have in the hand: speed, mirror, straight lines, hold."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtWidgets import QWidget

from lather.actions.action import Action
from lather.actions.stages.shape import FASTEST_MM_S, SLOWEST_MM_S, set_shape
from lather.actions.workbench import Workbench
from lather.tools.advice import Advice
from lather.tools.base import Hand, Tool
from lather.ui.parts.ruler import Ruler
from lather.ui.parts.theme import GAP_1
from lather.ui.parts.widgets import CommandButton, column_in, row_in

_BOTH = (("shape.mirrored", "mirror strokes"), ("shape.keep_straight", "keep lines straight"))
_HOLD = (
    ("shape.hold_region", "hold region"), ("shape.hold_area", "hold area"),
    ("shape.clear_hold", "clear"),
)  # fmt: skip


class ShapeRows(QWidget):
    """Shown while a reshape tool is in the hand."""

    def __init__(self, bench: Workbench, actions: dict[str, Action]) -> None:
        super().__init__()
        self._bench = bench
        self._buttons: list[CommandButton] = []
        column = column_in(self, GAP_1)
        self.speed = Ruler(
            "Speed", SLOWEST_MM_S, FASTEST_MM_S, "mm/s", logarithmic=True, decimals=1
        )
        self.speed.moved.connect(lambda value: set_shape(bench, speed_mm_s=value))
        column.addWidget(self.speed)
        self.hold = self._row(_HOLD, actions)
        self.both = self._row(_BOTH, actions)
        column.addWidget(self.hold)
        column.addWidget(self.both)

    def show_hand(self, entry: Tool, hand: Hand, advice: Mapping[str, Advice]) -> None:
        self.setVisible(entry.reshapes)
        self.speed.setVisible(entry.by_time)
        self.speed.set_value(hand.shape.speed_mm_s)
        self.speed.set_advice(advice.get("speed_mm_s"))
        self.hold.setVisible(entry.id in ("hold", "let_go"))
        for button in self._buttons:
            button.refresh()

    def _row(self, commands: tuple[tuple[str, str], ...], actions: dict[str, Action]) -> QWidget:
        row = QWidget()
        layout = row_in(row, GAP_1)
        for action_id, text in commands:
            button = CommandButton(actions[action_id], self._bench, text=text, with_icon=False)
            button.setProperty("role", "compact")
            self._buttons.append(button)
            layout.addWidget(button, 1)
        return row
