"""The questions that Lather asks, as dialogs.

The larger ones are loaded when they are first asked: the window is there sooner.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QCheckBox,
    QColorDialog,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QInputDialog,
    QLineEdit,
    QMessageBox,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from lather.actions.action import Action
from lather.actions.job.recovery import Recovered
from lather.actions.looking.people import person_of
from lather.actions.workbench import Workbench
from lather.document.agreed.trials import Trial
from lather.document.job import Job
from lather.files.endings import JOB, LAYERS, READABLE
from lather.files.exchange.delivery import Delivery
from lather.files.jobs.journalreader import FoundJournal
from lather.settings.options import OPTIONS, Option
from lather.settings.store import Settings
from lather.tools.base import Colour
from lather.ui.parts.theme import GAP_2

MOST_LOSSES = 12


class WindowAsker:
    """Asks through dialogs over a window."""

    def __init__(self) -> None:
        self.window: QWidget | None = None
        self.show_picture_alone: Callable[[bool], object] = lambda alone: None
        self.bench: Workbench | None = None
        self.actions: dict[str, Action] = {}

    def path_to_open(self) -> Path | None:
        patterns = " ".join(f"*{suffix}" for suffix in (JOB, LAYERS, *READABLE))
        name, _ = QFileDialog.getOpenFileName(
            self.window, "Open a photo or a job", "", f"Photos and jobs ({patterns})"
        )
        return Path(name) if name else None

    def path_to_save(self, suggested: Path) -> Path | None:
        return self._path_to_write("Save the job", suggested, f"Lather jobs (*{JOB})")

    def replace(self, path: Path) -> bool:
        return self._is_wanted("Replace a file", f"'{path.name}' is in that folder already.",
                               "Replace it?", "Replace it")  # fmt: skip

    def orders(self, job: Job) -> Sequence[tuple[Path, Delivery]] | None:
        assert self.bench is not None
        from lather.ui.dialogs.deliver_dialog import DeliverDialog

        dialog = DeliverDialog(job, self.bench.settings, self.window)
        return dialog.orders() if dialog.exec() else None

    def blind_trial(self, job: Job) -> Trial | None:
        assert self.bench is not None
        from lather.assist.check.blind import blind_pair
        from lather.ui.dialogs.blind_dialog import PICTURE_PX, BlindDialog

        pair = blind_pair(job.state, *PICTURE_PX, person=person_of(self.bench))
        dialog = BlindDialog(job.state, pair, self.bench.surround, self.window)
        return dialog.trial if dialog.exec() else None

    def brief_to_open(self) -> Path | None:
        name, _ = QFileDialog.getOpenFileName(self.window, "Open a brief", "", "Briefs (*.json)")
        return Path(name) if name else None

    def brief_to_save(self, suggested: Path) -> Path | None:
        return self._path_to_write("Write the brief", suggested, "Briefs (*.json)")

    def path_to_export(self, suggested: Path, losses: Sequence[str]) -> Path | None:
        if losses:
            box = QMessageBox(self.window)
            box.setWindowTitle("Export layers")
            box.setText("OpenRaster does not carry everything of this job:")
            box.setInformativeText("\n".join(f"•  {loss}" for loss in losses[:MOST_LOSSES]))
            go_on = box.addButton("Choose the file…", QMessageBox.ButtonRole.AcceptRole)
            box.addButton(QMessageBox.StandardButton.Cancel)
            box.exec()
            if box.clickedButton() is not go_on:
                return None
        return self._path_to_write("Export layers", suggested, f"OpenRaster (*{LAYERS})")

    def _path_to_write(self, title: str, suggested: Path, kind: str) -> Path | None:
        """As typed: the ending is added later, and the question asked about the real name."""
        name, _ = QFileDialog.getSaveFileName(
            self.window, title, str(suggested), kind,
            options=QFileDialog.Option.DontConfirmOverwrite,
        )  # fmt: skip
        return Path(name) if name else None

    def unsaved(self, title: str) -> str | None:
        box = QMessageBox(self.window)
        box.setWindowTitle("Unsaved work")
        box.setText(f"'{title}' has changes that are not saved.")
        box.setInformativeText("Save them first?")
        buttons = QMessageBox.StandardButton
        box.setStandardButtons(buttons.Save | buttons.Discard | buttons.Cancel)
        answer = box.exec()
        return {buttons.Save: "save", buttons.Discard: "discard"}.get(buttons(answer))

    def ungroup(self, name: str, lost: Sequence[str]) -> bool:
        return self._is_wanted(
            "Ungroup", f"Its layers cannot take over {' and '.join(lost)} of '{name}'.",
            "Ungroup all the same? The picture will change.", "Ungroup",
        )  # fmt: skip

    def _is_wanted(self, title: str, what: str, question: str, yes: str) -> bool:
        """Ask before something is lost; without a choice nothing is."""
        box = QMessageBox(self.window)
        box.setWindowTitle(title)
        box.setText(what)
        box.setInformativeText(question)
        go_on = box.addButton(yes, QMessageBox.ButtonRole.DestructiveRole)
        box.setDefaultButton(box.addButton(QMessageBox.StandardButton.Cancel))
        box.exec()
        return box.clickedButton() is go_on

    def recovery(self, title: str, recovered: Recovered) -> str | None:
        from lather.ui.dialogs.recovery_dialogs import RecoveryDialog

        dialog = RecoveryDialog(title, recovered, self.window)
        return dialog.answer if dialog.exec() else None

    def unsaved_work(self, found: Sequence[FoundJournal]) -> tuple[str, int] | None:
        from lather.ui.dialogs.recovery_dialogs import UnsavedWorkDialog

        dialog = UnsavedWorkDialog(found, self.window)
        return dialog.answer if dialog.exec() else None

    def open_copy(self, sentence: str) -> bool:
        box = QMessageBox(self.window)
        box.setWindowTitle("Open elsewhere")
        box.setText(sentence)
        copy = box.addButton("Open a copy", QMessageBox.ButtonRole.AcceptRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
        box.exec()
        return box.clickedButton() is copy

    def photo_of_job(self, sentence: str, name: str) -> Path | None:
        box = QMessageBox(self.window)
        box.setWindowTitle(f"The photo of '{name}'")
        box.setText(sentence)
        choose = box.addButton("Choose the photo…", QMessageBox.ButtonRole.AcceptRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
        box.exec()
        return self.path_to_open() if box.clickedButton() is choose else None

    def text(self, title: str, label: str, value: str) -> str | None:
        text, given = QInputDialog.getText(
            self.window, title, label, QLineEdit.EchoMode.Normal, value
        )
        return text if given else None

    def colour(self, current: Colour) -> Colour | None:
        colour = QColorDialog.getColor(QColor.fromRgbF(*current), self.window, "Colour to paint")
        if not colour.isValid():
            return None
        return colour.redF(), colour.greenF(), colour.blueF()

    def show_commands(self) -> None:
        assert self.window is not None and self.bench is not None
        from lather.ui.dialogs.command_search import CommandSearch

        search = CommandSearch(self.bench, self.actions, self.window)
        middle = self.window.mapToGlobal(self.window.rect().center())
        search.move(middle.x() - search.width() // 2, middle.y() - search.height() // 2)
        search.show()

    def show_shortcuts(self) -> None:
        assert self.window is not None and self.bench is not None
        from lather.ui.dialogs.key_sheet import KeySheet

        KeySheet(self.bench, self.actions, self.window).show()

    def show_preferences(self) -> None:
        assert self.window is not None and self.bench is not None
        PreferencesDialog(self.bench.settings, self.window).show()

    def show_history(self) -> None:
        assert self.window is not None and self.bench is not None
        from lather.ui.dialogs.history_list import HistoryList

        HistoryList(self.bench, self.window).show()

    def full_screen(self) -> None:
        assert self.window is not None
        self.show_picture_alone(not self.window.isFullScreen())

    def quit(self) -> None:
        assert self.window is not None
        self.window.close()


class PreferencesDialog(QDialog):
    """A form made from the table of options; changes apply at once."""

    def __init__(self, settings: Settings, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Preferences")
        self._settings = settings
        column = QVBoxLayout(self)
        form = QFormLayout()
        form.setSpacing(GAP_2)
        self.controls = {}
        for option in OPTIONS:
            if option.shown:
                control = self._control(option)
                control.setToolTip(option.help)
                self.controls[option.key] = control
                form.addRow(option.title, control)
        column.addLayout(form)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.close)
        column.addWidget(buttons)

    def _control(self, option: Option) -> QWidget:
        value = self._settings[option.key]
        if option.choices:
            combo = QComboBox()
            for choice, title in option.choices:
                combo.addItem(title, choice)
            combo.setCurrentIndex(combo.findData(value))
            combo.currentIndexChanged.connect(
                lambda index: self._settings.set(option.key, combo.itemData(index))
            )
            return combo
        if isinstance(option.default, bool):
            box = QCheckBox()
            box.setChecked(value)
            box.toggled.connect(lambda on: self._settings.set(option.key, on))
            return box
        spin = QSpinBox()
        spin.setRange(int(option.low or 0), int(option.high or 1))
        spin.setSuffix(f" {option.unit}")
        spin.setValue(value)
        spin.valueChanged.connect(lambda number: self._settings.set(option.key, number))
        return spin
