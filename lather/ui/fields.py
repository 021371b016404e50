"""Groups of fields that lie in as many columns as there is room for."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QDate
from PyQt6.QtWidgets import QDateEdit, QGridLayout, QHBoxLayout, QLineEdit, QSpinBox, QWidget

from lather.ui.theme import GAP_1, GAP_2
from lather.ui.widgets import label

NO_DATE, DATE_FORMAT = QDate(2000, 1, 1), "yyyy-MM-dd"


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
        self.arrange(is_wide=True)

    def arrange(self, *, is_wide: bool) -> None:
        n_columns = self._wide if is_wide else self._narrow
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
    row = QHBoxLayout(held)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(GAP_2)
    for widget in widgets:
        row.addWidget(widget)
    return held


def number_field(low: int, high: int, none: str, suffix: str) -> QSpinBox:
    """A number; the least of its range stands for none."""
    field = QSpinBox()
    field.setRange(low, high)
    field.setSpecialValueText(none)
    field.setSuffix(suffix)
    return field


def date_field() -> QDateEdit:
    """A day, or none."""
    field = QDateEdit()
    field.setDisplayFormat(DATE_FORMAT)
    field.setMinimumDate(NO_DATE)
    field.setSpecialValueText("–")
    return field


def date_text(day: QDate) -> str:
    """ISO 8601, or '' for none."""
    return "" if day == NO_DATE else day.toString(DATE_FORMAT)


def set_text(field: QLineEdit, text: str) -> None:
    """Without moving the cursor where it is the same."""
    if field.text() != text:
        field.setText(text)
