"""The history as a list of steps, and what each of them did: go to any, paint back from any."""

from __future__ import annotations

import itertools
from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QListWidget, QPushButton, QVBoxLayout, QWidget

from lather.actions.workbench import Workbench
from lather.document.history import Step
from lather.document.operations.operation import Operation
from lather.document.state import JobState
from lather.operations.told import told
from lather.ui.parts.line_rows import LineRows
from lather.ui.parts.theme import GAP_2, GAP_3
from lather.ui.parts.widgets import label

SIZE = (380, 520)
START = "As opened"
MOST_EARLIER = 100  # steps of earlier sessions, which nobody can go to


class HistoryList(QDialog):
    """Stays open beside the work. What was done before the job was opened comes first; of the rows
    from there on, number n is the state after n steps."""

    def __init__(self, bench: Workbench, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("History")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.bench = bench
        self._steps: tuple[Step, ...] = ()
        self._n_done = self._n_earlier = 0
        column = QVBoxLayout(self)
        column.setContentsMargins(GAP_3, GAP_3, GAP_3, GAP_3)
        column.setSpacing(GAP_2)
        self.list = QListWidget()
        self.list.setItemDelegate(LineRows(self.list, wraps=True))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
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
        """Read the history of another job back."""
        self.list.clear()
        self._steps, self._n_done, self._n_earlier = (), 0, 0
        self.setEnabled(self.bench.job is not None)
        self._follow()

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        self._follow()

    def _follow(self) -> None:
        """Bring the list up to date; steps that were undone are dim."""
        job = self.bench.job
        if job is None:
            return
        history, n_before = job.history, self._n_done
        steps = (*history.done, *history.undone)
        if not self.list.count():
            self._begin(self._states()[0])
        same = zip(steps, self._steps, strict=False)
        kept = sum(1 for _ in itertools.takewhile(lambda pair: pair[0] is pair[1], same))
        while self.list.count() > self._row(kept) + 1:
            self.list.takeItem(self.list.count() - 1)
        self.list.addItems([_text(step.after, step.name) for step in steps[kept:]])
        self._steps, self._n_done = steps, history.n_done
        for n in range(1, len(steps) + 1):
            was_undone, is_undone = n_before < n <= kept, n > self._n_done
            if was_undone != is_undone:
                self._dim(self._row(n), is_undone)
        self.list.setCurrentRow(self._row(self._n_done))
        self._show_note()
        self._show_choice()

    def _begin(self, opened: JobState) -> None:
        """What was done before, and the row of the job as it was opened."""
        done = list(opened.operations)
        earlier = done[-MOST_EARLIER:]
        n_more = len(done) - len(earlier)
        self._n_earlier = len(earlier) + (n_more > 0)
        if n_more:
            self.list.addItem(f"{n_more} steps before")
        self.list.addItems([_told(opened, operation) for operation in earlier])
        for row in range(self._n_earlier):
            item = self.list.item(row)
            if item is not None:
                item.setFlags(Qt.ItemFlag.NoItemFlags)
        self.list.addItem(START)

    def _row(self, n_done: int) -> int:
        return self._n_earlier + n_done

    @property
    def _chosen(self) -> int:
        """How many steps are done at the row that is picked."""
        return self.list.currentRow() - self._n_earlier

    def _dim(self, row: int, undone: bool) -> None:
        item = self.list.item(row)
        if item is not None:
            palette = self.palette()
            item.setForeground(palette.placeholderText() if undone else palette.text())
            font = item.font()
            font.setItalic(undone)
            item.setFont(font)

    def _go_to(self) -> None:
        self.bench.go_to_step(self._chosen)

    def _on_paint_back(self) -> None:
        self.bench.hands.paint_back_from(self._states()[self._chosen])

    def _show_choice(self) -> None:
        """What the buttons can do with the row that is picked."""
        job, n_done = self.bench.job, self._chosen
        self.go.setEnabled(job is not None and n_done >= 0 and n_done != job.history.n_done)
        self.paint_back.setEnabled(n_done >= 0)

    def _show_note(self) -> None:
        back_to = self.bench.hands.back_to
        self.from_photo.setEnabled(back_to is not None)
        if back_to is None:
            self.note.setText("Paint back brings the photo back.")
            return
        rows = [row for row, state in enumerate(self._states()) if state is back_to]
        item = self.list.item(self._row(rows[0])) if rows else None
        name = item.text().split("\n")[0] if item is not None else "an earlier state"
        self.note.setText(f"Paint back brings back the picture as of: {name}")

    def _states(self) -> list[JobState]:
        """The state of every row."""
        if self.bench.job is None:
            return []
        history = self.bench.job.history
        steps = (*history.done, *history.undone)
        first = steps[0].before if steps else self.bench.state
        return [first, *(step.after for step in steps)]


def _text(state: JobState, name: str) -> str:
    """A step, and what it did."""
    last = state.operations.last
    return name if last is None else _told(state, last, name)


def _told(state: JobState, operation: Operation, name: str = "") -> str:
    """The name, then where it was, then with what and for how long."""
    step = told(state, operation)
    how = "; ".join(filter(None, (step.how, step.on, step.time)))
    return "\n".join(filter(None, (name or step.name, step.where, how, step.not_again)))


def _button(text: str, tip: str, run: Callable[[], None]) -> QPushButton:
    button = QPushButton(text)
    button.setToolTip(tip)
    button.clicked.connect(lambda checked: run())
    return button
