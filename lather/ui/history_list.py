"""The history as a list of named steps: go to any, paint back from any."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QListWidget, QPushButton, QVBoxLayout, QWidget

from lather.actions.workbench import Workbench
from lather.document.job import JobState
from lather.ui.theme import GAP_2, GAP_3
from lather.ui.widgets import label

SIZE = (300, 420)
START = "As opened"


class HistoryList(QDialog):
    """Stays open beside the work. Row n is the state after n steps."""

    def __init__(self, bench: Workbench, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("History")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(GAP_3, GAP_3, GAP_3, GAP_3)
        column.setSpacing(GAP_2)
        self.list = QListWidget()
        self.list.itemActivated.connect(self._go_to)
        self.list.currentRowChanged.connect(lambda row: self._show_choice())
        column.addWidget(self.list, 1)
        self.note = label("", "dim")
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        self.go = _button("Go to this step", "Undo or redo up to here.", self._go_to)
        self.paint_back = _button(
            "Paint back from it",
            "Paint back brings the picture as it was at this step back where you paint.",
            self._on_paint_back,
        )
        self.from_photo = _button(
            "From the photo",
            "Paint back brings the photo back.",
            lambda: self.bench.hands.paint_back_from(None),
        )
        column.addWidget(self.go)
        row = QHBoxLayout()
        row.addWidget(self.paint_back)
        row.addWidget(self.from_photo)
        column.addLayout(row)
        self.resize(*SIZE)
        bench.job_changed.connect(self._on_job_changed)
        bench.job_opened.connect(self.reset)
        bench.hands.changed.connect(self._show_note)
        self.reset()

    def closeEvent(self, event: QCloseEvent) -> None:
        self.bench.job_changed.disconnect(self._on_job_changed)
        self.bench.job_opened.disconnect(self.reset)
        self.bench.hands.changed.disconnect(self._show_note)
        super().closeEvent(event)

    def reset(self) -> None:
        """Read the history back; steps that were undone are dim."""
        self.list.clear()
        job = self.bench.job
        self.setEnabled(job is not None)
        if job is None:
            return
        done, undone = job.history.done, job.history.undone
        self.list.addItem(START)
        for step in (*done, *undone):
            self.list.addItem(step.name)
        for row in range(len(done) + 1, self.list.count()):
            item = self.list.item(row)
            assert item is not None
            item.setForeground(self.palette().placeholderText())
            font = item.font()
            font.setItalic(True)
            item.setFont(font)
        self.list.setCurrentRow(len(done))
        self._show_note()
        self._show_choice()

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        self.reset()

    def _go_to(self) -> None:
        self.bench.go_to_step(self.list.currentRow())

    def _on_paint_back(self) -> None:
        self.bench.hands.paint_back_from(self._states()[self.list.currentRow()])

    def _show_choice(self) -> None:
        """What the buttons can do with the row that is picked."""
        job, row = self.bench.job, self.list.currentRow()
        self.go.setEnabled(job is not None and row >= 0 and row != len(job.history.done))
        self.paint_back.setEnabled(row >= 0)

    def _show_note(self) -> None:
        back_to = self.bench.hands.back_to
        self.from_photo.setEnabled(back_to is not None)
        if back_to is None:
            self.note.setText("Paint back brings the photo back.")
            return
        rows = [row for row, state in enumerate(self._states()) if state is back_to]
        item = self.list.item(rows[0]) if rows else None
        name = item.text() if item is not None else "an earlier state"
        self.note.setText(f"Paint back brings back the picture as of: {name}")

    def _states(self) -> list[JobState]:
        """The state of every row."""
        if self.bench.job is None:
            return []
        history = self.bench.job.history
        steps = (*history.done, *history.undone)
        first = steps[0].before if steps else self.bench.state
        return [first, *(step.after for step in steps)]


def _button(text: str, tip: str, run: Callable[[], None]) -> QPushButton:
    button = QPushButton(text)
    button.setToolTip(tip)
    button.clicked.connect(lambda checked: run())
    return button
