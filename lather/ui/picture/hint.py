"""The first-run hint: at most three short lines on the picture, gone with the first stroke."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from lather.actions.keymap import keys_of
from lather.actions.table import all_actions
from lather.actions.workbench import Workbench
from lather.document.state import JobState
from lather.tools.table import TOOLS, tool
from lather.ui.parts.theme import GAP_1, GAP_3
from lather.ui.parts.widgets import label


class Hint(QWidget):
    """Shown until something was done or it was clicked away."""

    def __init__(self, bench: Workbench, parent: QWidget) -> None:
        super().__init__(parent)
        self.bench = bench
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setObjectName("hint")
        self.setStyleSheet("#hint { background: rgba(0, 0, 0, 170); border-radius: 6px; }")
        column = QVBoxLayout(self)
        column.setContentsMargins(GAP_3, GAP_3, GAP_3, GAP_3)
        column.setSpacing(GAP_1)
        keys = {a.id: ([*keys_of(a, bench.settings)] or ["–"])[-1] for a in all_actions()}
        self.lines = (
            "Click a blemish to mend it from clean skin near by.",
            f"{keys['brush.smaller']} / {keys['brush.larger']}: brush smaller, larger.   "
            f"Hold {keys['view.hold_before']}: before.   Hold {keys['view.hold_pan']}: move.",
            f"{keys['help.search']} finds every command.   {keys['edit.undo']} undoes.",
        )
        entries = [label(text) for text in self.lines]
        for entry in entries:
            entry.setStyleSheet("color: #ffffff; background: transparent;")
            column.addWidget(entry)
        self._first = entries[0]
        self.setToolTip("Click to close for good.")
        self.setAttribute(Qt.WidgetAttribute.WA_NoMousePropagation)
        self.setCursor(Qt.CursorShape.ArrowCursor)
        bench.job_opened.connect(self.reset)
        bench.job_changed.connect(self._on_job_changed)
        bench.hands.changed.connect(self._show_tool)
        self.reset()

    def _show_tool(self) -> None:
        """The first line is about what is in the hand."""
        entry = tool(self.bench.hand.tool)
        self._first.setText(self.lines[0] if entry is TOOLS[0] else entry.help)
        self.place()

    def reset(self) -> None:
        self.setVisible(self.bench.job is not None and not self.bench.settings["hint_seen"])
        self.place()

    def close_view(self) -> None:
        self.bench.job_opened.disconnect(self.reset)
        self.bench.job_changed.disconnect(self._on_job_changed)
        self.bench.hands.changed.disconnect(self._show_tool)

    def place(self) -> None:
        self.adjustSize()
        self.move(16, 16)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._done()

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        if not self.isHidden():
            self._done()

    def _done(self) -> None:
        self.bench.settings.set("hint_seen", True)
        self.hide()
