"""Rows that choose one of several, and rows of small commands."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from enum import Enum
from typing import TypeVar

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QButtonGroup, QComboBox, QPushButton, QWidget

from lather.actions.action import Action
from lather.actions.workbench import Workbench
from lather.ui.parts.theme import GAP_1
from lather.ui.parts.widgets import CommandButton, label, row_in

E = TypeVar("E", bound=Enum)
Commands = tuple[tuple[str, str], ...]  # id and text; without a text the icon


class ChoiceRow(QWidget):
    """A row of buttons of which one is down; each holds its value as 'choice'."""

    def __init__(self, title: str, texts: Mapping[E, str], choose: Callable[[E], None]) -> None:
        super().__init__()
        row = row_in(self, GAP_1)
        self.title = label(title)
        row.addWidget(self.title)
        row.addStretch(1)
        group = QButtonGroup(self)
        self.buttons: list[QPushButton] = []
        for choice, text in texts.items():
            button = QPushButton(choice.value)
            button.setCheckable(True)
            button.setProperty("choice", choice)
            button.setProperty("role", "compact")
            button.setToolTip(text)
            button.clicked.connect(lambda checked, choice=choice: choose(choice))
            group.addButton(button)
            self.buttons.append(button)
            row.addWidget(button)

    def show_choice(self, chosen: Enum) -> None:
        for button in self.buttons:
            button.setChecked(button.property("choice") is chosen)


class CommandRow(QWidget):
    """A title and small buttons, one a command."""

    def __init__(
        self, title: str, commands: Commands, bench: Workbench, actions: dict[str, Action]
    ) -> None:
        super().__init__()
        row = row_in(self, GAP_1)
        self.title = label(title)
        row.addWidget(self.title)
        row.addStretch(1)
        self.buttons = []
        for action_id, text in commands:
            button = CommandButton(actions[action_id], bench, text=text, with_icon=not text)
            button.setProperty("role", "compact")
            self.buttons.append(button)
            row.addWidget(button)

    def refresh(self) -> None:
        for button in self.buttons:
            button.refresh()


def combo(
    name: str, texts: Mapping[E, str], choose: Callable[[E], None],
    label: Callable[[E], str] = lambda choice: choice.value,
) -> QComboBox:
    """A list of choices, each with its text as a hint."""
    box = QComboBox()
    box.setAccessibleName(name)
    for choice, text in texts.items():
        box.addItem(label(choice))
        box.setItemData(box.count() - 1, text, Qt.ItemDataRole.ToolTipRole)
    choices = list(texts)
    box.activated.connect(lambda index: choose(choices[index]))
    return box
