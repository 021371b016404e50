"""The colour that Paint colour lays down, and the disc that it is picked from."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QIcon, QPixmap
from PyQt6.QtWidgets import QWidget

from lather.actions.action import Action
from lather.actions.workbench import Workbench
from lather.ui.parts.theme import GAP_1, theme
from lather.ui.parts.widgets import CommandButton, row_in

PATCH_PX = (28, 14)


class ColourRow(QWidget):
    """Reads the hand's colour back in `refresh`."""

    def __init__(self, bench: Workbench, actions: dict[str, Action]) -> None:
        super().__init__()
        self._bench = bench
        row = row_in(self, GAP_1)
        self.colour = CommandButton(actions["brush.colour"], bench, text="Colour", with_icon=False)
        self.colour.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.disc = CommandButton(actions["source.disc"], bench, text="", with_icon=False)
        row.addWidget(self.colour)
        row.addWidget(self.disc)
        row.addStretch(1)
        self.refresh()

    def refresh(self) -> None:
        colour = QColor.fromRgbF(*self._bench.hand.colour)
        patch = QPixmap(*PATCH_PX)
        patch.fill(colour)
        self.colour.setIcon(QIcon(patch))
        self.colour.setAccessibleDescription(colour.name())
        self.colour.setStyleSheet(f"border-color: {theme().line};")
        self.disc.setText(f"picks {self._bench.hands.pick_mm:g} mm")
        for button in (self.colour, self.disc):
            button.refresh()
