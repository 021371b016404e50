"""Groups of fields that lie in as many columns as there is room for."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QDoubleSpinBox,
    QGridLayout,
    QLineEdit,
    QSpinBox,
    QWidget,
)

from lather.ui.parts.theme import GAP_1, GAP_2
from lather.ui.parts.widgets import label, row_in

SHORTEST_DAY = len("20261224")


class Columns(QGridLayout):
    """Cells of one or more widgets, row by row in so many columns of cells.

    Parameters
    ----------
    wide, narrow : columns where there is room, and where there is not.
    """

    def __init__(self, cells: Sequence[Sequence[QWidget]], wide: int, narrow: int) -> None:
        super().__init__()
        self.setHorizontalSpacing(GAP_2)
        self.setVerticalSpacing(GAP_1)
        self._cells, self._wide, self._narrow = cells, wide, narrow
        self._n_columns = 0
        self._arrange(wide)

    def arrange_in(self, room_px: int) -> None:
        """As many columns as have room in so many pixels."""
        needed_px = self._needed_px(self._wide)
        self._arrange(self._wide if needed_px <= room_px else self._narrow)

    def _needed_px(self, n_columns: int) -> int:
        """As wide as that many columns are at least."""
        per_cell = len(self._cells[0])
        widest = [0] * (n_columns * per_cell)
        for number, cell in enumerate(self._cells):
            for n, widget in enumerate(cell):
                at = number % n_columns * per_cell + n
                widest[at] = max(widest[at], widget.minimumSizeHint().width())
        return sum(widest) + self.horizontalSpacing() * (len(widest) - 1)

    def _arrange(self, n_columns: int) -> None:
        if n_columns == self._n_columns:
            return
        self._n_columns = n_columns
        for cell in self._cells:
            for widget in cell:
                self.removeWidget(widget)
        for number, cell in enumerate(self._cells):
            row, column = divmod(number, n_columns)
            for n, widget in enumerate(cell):
                self.addWidget(widget, row, column * len(cell) + n)


def fields(rows: Sequence[tuple[str, QWidget]], wide: int = 2) -> Columns:
    """Titles with their fields."""
    return Columns([(label(title), field) for title, field in rows], wide, 1)


def together(*widgets: QWidget) -> QWidget:
    """Several widgets as one field."""
    held = QWidget()
    row = row_in(held, GAP_2)
    for widget in widgets:
        row.addWidget(widget)
    return held


def in_pairs(*widgets: QWidget) -> QWidget:
    """Several widgets as one field, two in a row."""
    held = QWidget()
    grid = QGridLayout(held)
    grid.setContentsMargins(0, 0, 0, 0)
    grid.setHorizontalSpacing(GAP_2)
    grid.setVerticalSpacing(GAP_1)
    for number, widget in enumerate(widgets):
        grid.addWidget(widget, *divmod(number, 2))
    return held


def number_field(low: int, high: int, none: str, suffix: str) -> QSpinBox:
    """A number; the least of its range stands for none."""
    field = QSpinBox()
    field.setRange(low, high)
    field.setSpecialValueText(none)
    field.setSuffix(suffix)
    return field


class DateField(QLineEdit):
    """A day as it is typed, or none.

    Signals
    -------
    changed(str) : another day, ISO 8601, or '' for none; as soon as what is typed is one.
    refused(str) : what was typed is no day; the field shows the earlier one again.
    """

    changed = pyqtSignal(str)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._day = ""
        self.setPlaceholderText("yyyy-mm-dd")
        self.textEdited.connect(self._on_edited)
        self.editingFinished.connect(self._on_finished)

    def set_day(self, day: str) -> None:
        """Without touching what is being typed, where it means the same."""
        if day != self._day or not self.hasFocus():
            self._day = day
            set_text(self, day)

    def _on_edited(self, text: str) -> None:
        if len(text.strip()) >= SHORTEST_DAY or not text.strip():
            self._take(text)

    def _on_finished(self) -> None:
        typed = self.text()
        if not self._take(typed):
            self.refused.emit(typed)
        set_text(self, self._day)

    def _take(self, text: str) -> bool:
        """Whether it is a day, or nothing."""
        text = text.strip()
        try:
            day = date.fromisoformat(text).isoformat() if text else ""
        except ValueError:
            return False
        if day != self._day:
            self._day = day
            self.changed.emit(day)
        return True


def set_number(field: QSpinBox | QDoubleSpinBox, number: float) -> None:
    """Without writing it anew where it is the same: half of it may just be typed."""
    if field.value() != number:
        field.setValue(number)  # type: ignore[arg-type]


def set_text(field: QLineEdit, text: str) -> None:
    """Without moving the cursor where it is the same."""
    if field.text() != text:
        field.setText(text)
