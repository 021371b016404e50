"""The questions that Lather asks, as dialogs."""

from __future__ import annotations

from collections.abc import Sequence
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
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QMessageBox,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from lather.actions.job import DELIVERY_CAUTION
from lather.actions.table import Action
from lather.actions.workbench import Workbench
from lather.document.job import JobState
from lather.files.journal import FoundJournal
from lather.files.photos import READABLE, WRITABLE, Delivery
from lather.settings.options import OPTIONS, Option
from lather.settings.store import Settings
from lather.tools.base import Colour
from lather.ui.command_search import CommandSearch, ShortcutSheet
from lather.ui.history_list import HistoryList
from lather.ui.recovery_dialogs import RecoveryDialog, UnsavedWorkDialog
from lather.ui.theme import GAP_2, GAP_3
from lather.ui.widgets import label

FORMATS = (("JPEG", ".jpg"), ("PNG", ".png"), ("TIFF", ".tif"))


class WindowAsker:
    """Asks through dialogs over a window."""

    def __init__(self) -> None:
        self.window: QWidget | None = None
        self.bench: Workbench | None = None
        self.actions: dict[str, Action] = {}

    def path_to_open(self) -> Path | None:
        patterns = " ".join(f"*{suffix}" for suffix in (".lather", *READABLE))
        name, _ = QFileDialog.getOpenFileName(
            self.window, "Open a photo or a job", "", f"Photos and jobs ({patterns})"
        )
        return Path(name) if name else None

    def path_to_save(self, suggested: Path) -> Path | None:
        name, _ = QFileDialog.getSaveFileName(
            self.window, "Save the job", str(suggested), "Lather jobs (*.lather)"
        )
        return Path(name) if name else None

    def delivery(self, state: JobState, suggested: Path) -> tuple[Path, Delivery] | None:
        dialog = DeliverDialog(state, suggested, self.window)
        if dialog.exec() != QDialog.DialogCode.Accepted:
            return None
        return dialog.path(), dialog.delivery()

    def unsaved(self, title: str) -> str | None:
        box = QMessageBox(self.window)
        box.setWindowTitle("Unsaved work")
        box.setText(f"'{title}' has changes that are not saved.")
        box.setInformativeText("Save them first?")
        buttons = QMessageBox.StandardButton
        box.setStandardButtons(buttons.Save | buttons.Discard | buttons.Cancel)
        answer = box.exec()
        return {buttons.Save: "save", buttons.Discard: "discard"}.get(buttons(answer))

    def recovery(self, title: str, n_steps: int, found: FoundJournal) -> str | None:
        dialog = RecoveryDialog(title, n_steps, found, self.window)
        return dialog.answer if dialog.exec() else None

    def unsaved_work(self, found: Sequence[FoundJournal]) -> tuple[str, int] | None:
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
        search = CommandSearch(self.bench, self.actions, self.window)
        middle = self.window.mapToGlobal(self.window.rect().center())
        search.move(middle.x() - search.width() // 2, middle.y() - search.height() // 2)
        search.show()

    def show_shortcuts(self) -> None:
        assert self.window is not None and self.bench is not None
        ShortcutSheet(self.bench, self.actions, self.window).show()

    def show_preferences(self) -> None:
        assert self.window is not None and self.bench is not None
        PreferencesDialog(self.bench.settings, self.window).show()

    def show_history(self) -> None:
        assert self.window is not None and self.bench is not None
        HistoryList(self.bench, self.window).show()

    def quit(self) -> None:
        assert self.window is not None
        self.window.close()


class DeliverDialog(QDialog):
    """Where and how the finished picture is written."""

    def __init__(self, state: JobState, suggested: Path, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Deliver")
        self._state = state
        column = QVBoxLayout(self)
        column.setSpacing(GAP_3)
        form = QFormLayout()
        form.setSpacing(GAP_2)
        self.file_field = QLineEdit(str(suggested))
        self.file_field.setMinimumWidth(340)
        choose = QPushButton("Choose…")
        choose.clicked.connect(self._on_choose)
        row = QHBoxLayout()
        row.addWidget(self.file_field, 1)
        row.addWidget(choose)
        form.addRow("File", row)
        self.format_box = QComboBox()
        for title, suffix in FORMATS:
            self.format_box.addItem(title, suffix)
        self.format_box.currentIndexChanged.connect(self._on_format)
        form.addRow("Format", self.format_box)
        self.depth_box = QComboBox()
        form.addRow("Depth", self.depth_box)
        self.quality_box = QSpinBox()
        self.quality_box.setRange(1, 100)
        self.quality_box.setValue(Delivery().quality)
        form.addRow("JPEG quality", self.quality_box)
        self.profile_box = QComboBox()
        self.profile_box.addItem("convert to sRGB", True)
        self.profile_box.addItem("keep the photo's own", False)
        form.addRow("Colour profile", self.profile_box)
        self.size_box = QSpinBox()
        full = max(state.photo.width, state.photo.height)
        self.size_box.setRange(0, full)
        self.size_box.setSpecialValueText(f"full size ({full} px)")
        self.size_box.setSuffix(" px")
        self.size_box.setSingleStep(100)
        self.size_box.setValue(state.brief.delivery_long_side_px or 0)
        form.addRow("Long side", self.size_box)
        column.addLayout(form)
        caution = label(DELIVERY_CAUTION, "dim")
        caution.setWordWrap(True)
        column.addWidget(caution)
        buttons = QDialogButtonBox()
        self.deliver = QPushButton("Deliver")
        self.deliver.setProperty("role", "main")
        buttons.addButton(self.deliver, QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.addButton(QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        known = [suffix for _, suffix in FORMATS]
        suffix = suggested.suffix.lower()
        self.format_box.setCurrentIndex(known.index(suffix) if suffix in known else 0)
        self._on_format()

    def path(self) -> Path:
        return Path(self.file_field.text()).expanduser()

    def delivery(self) -> Delivery:
        return Delivery(
            depth_bits=self.depth_box.currentData(),
            to_srgb=self.profile_box.currentData(),
            quality=self.quality_box.value(),
            long_side_px=self.size_box.value() or None,
        )

    def _on_format(self) -> None:
        suffix = self.format_box.currentData()
        self.file_field.setText(str(self.path().with_suffix(suffix)))
        self.depth_box.clear()
        for bits in WRITABLE[suffix]:
            self.depth_box.addItem(f"{bits} bit", bits)
        self.depth_box.setEnabled(self.depth_box.count() > 1)
        self.quality_box.setEnabled(suffix == ".jpg")

    def _on_choose(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Deliver to", self.file_field.text())
        if name:
            self.file_field.setText(name)
            self._on_format()


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
