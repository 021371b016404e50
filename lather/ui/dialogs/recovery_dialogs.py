"""Questions about work that was not saved when Lather ended unexpectedly."""

from __future__ import annotations

import time
from collections.abc import Sequence

from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from lather.actions.job.recovery import Recovered
from lather.files.jobs.journalreader import FoundJournal
from lather.ui.parts.theme import GAP_3, GAP_4
from lather.ui.parts.widgets import label

WIDTH_PX = 460


class RecoveryDialog(QDialog):
    """A job has steps that its file does not hold: which state to go on with.

    `answer` is 'recovered' or 'saved' once accepted.
    """

    def __init__(
        self, title: str, recovered: Recovered, parent: QWidget | None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Unsaved work was recovered")
        n_steps = recovered.n_steps
        self.answer = ""
        column = _column(self)
        column.addWidget(label("Lather ended before this job was saved", "title"))
        column.addWidget(_text(
            f"{_steps(n_steps)} on '{title}' made after the last save "
            f"{'is' if n_steps == 1 else 'are'} still here. "
            f"The last one: {recovered.last_name}, {_when(recovered.found.last_s)}."
        ))  # fmt: skip
        if recovered.leaves_rest:
            lost = _steps(recovered.n_lost) if recovered.n_lost else "What follows"
            column.addWidget(_text(
                f"{lost} after that cannot be read: the whole journal is kept beside the job."
            ))  # fmt: skip
        column.addWidget(_text(
            "Nothing is decided for good: if you take the saved state, Undo brings the "
            "recovered steps back.", "dim",
        ))  # fmt: skip
        buttons = QDialogButtonBox()
        self.recovered = _button(self, buttons, "Go on with the recovered work", "recovered")
        self.recovered.setProperty("role", "main")
        self.saved = _button(self, buttons, "Show the saved state", "saved")
        buttons.addButton(QDialogButtonBox.StandardButton.Cancel)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)

    def choose(self, answer: str) -> None:
        self.answer = answer
        self.accept()


class UnsavedWorkDialog(QDialog):
    """Work that has no job file yet, one line each.

    `answer` is what to do, 'recover' or 'throw away', and with which.
    """

    def __init__(self, found: Sequence[FoundJournal], parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Work that was never saved")
        self.answer: tuple[str, int] | None = None
        column = _column(self)
        column.addWidget(label("Lather ended before this work was saved", "title"))
        self.list = QListWidget()
        for journal in found:
            self.list.addItem(
                f"{journal.about['title']}:  {_steps(journal.n_steps)}, the last one "
                f"{journal.last_name}, {_when(journal.last_s)}"
            )
        self.list.setCurrentRow(0)
        self.list.setMaximumHeight(140)
        self.list.itemDoubleClicked.connect(lambda item: self.choose("recover"))
        column.addWidget(self.list)
        column.addWidget(_text(
            "'Later' keeps it: Job, Recover unsaved work… shows this list again.", "dim"
        ))  # fmt: skip
        buttons = QDialogButtonBox()
        self.recover = _button(self, buttons, "Recover", "recover")
        self.recover.setProperty("role", "main")
        self.throw_away = _button(self, buttons, "Throw away", "throw away")
        later = buttons.addButton("Later", QDialogButtonBox.ButtonRole.RejectRole)
        assert later is not None
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)

    def choose(self, answer: str) -> None:
        self.answer = (answer, max(0, self.list.currentRow()))
        self.accept()


def _column(dialog: QDialog) -> QVBoxLayout:
    dialog.setMinimumWidth(WIDTH_PX)
    column = QVBoxLayout(dialog)
    column.setContentsMargins(GAP_4, GAP_4, GAP_4, GAP_4)
    column.setSpacing(GAP_3)
    return column


def _text(text: str, role: str = "") -> QWidget:
    shown = label(text, role)
    shown.setWordWrap(True)
    return shown


def _button(
    dialog: RecoveryDialog | UnsavedWorkDialog, buttons: QDialogButtonBox, text: str, answer: str
) -> QPushButton:
    button = QPushButton(text)
    button.clicked.connect(lambda: dialog.choose(answer))
    buttons.addButton(button, QDialogButtonBox.ButtonRole.ActionRole)
    return button


def _steps(n_steps: int) -> str:
    return "1 step" if n_steps == 1 else f"{n_steps} steps"


def _when(at_s: float) -> str:
    """Time of day, with the date if it is not today's."""
    at = time.localtime(at_s)
    today = time.strftime("%x", at) == time.strftime("%x")
    return time.strftime("at %H:%M" if today else "on %Y-%m-%d at %H:%M", at)
