"""Find a command by typing what it does."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from lather.actions.action import Action
from lather.actions.keymap import keys_told
from lather.actions.workbench import Workbench
from lather.ui.parts.theme import GAP_2, GAP_3
from lather.ui.parts.widgets import hint_of, run_action

_ACTION = Qt.ItemDataRole.UserRole


def matches(action: Action, words: Iterable[str]) -> bool:
    """True if every word occurs in the command's title, help or menu."""
    text = f"{action.title} {action.help} {action.menu}".lower()
    return all(word in text for word in words)


class CommandSearch(QDialog):
    """A field and the commands that fit what is typed."""

    def __init__(self, bench: Workbench, actions: dict[str, Action], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self._bench = bench
        self._actions = actions
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        column = QVBoxLayout(self)
        column.setContentsMargins(GAP_3, GAP_3, GAP_3, GAP_3)
        column.setSpacing(GAP_2)
        self.field = QLineEdit()
        self.field.setPlaceholderText("What do you want to do?")
        self.field.textChanged.connect(self._fill)
        self.field.installEventFilter(self)
        column.addWidget(self.field)
        self.list = QListWidget()
        self.list.itemActivated.connect(self._run)
        self.list.itemClicked.connect(self._run)
        column.addWidget(self.list)
        self.resize(460, 380)
        self._fill("")
        self.field.setFocus()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step is not None:
                row = (self.list.currentRow() + step) % max(1, self.list.count())
                self.list.setCurrentRow(row)
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                item = self.list.currentItem()
                if item is not None:
                    self._run(item)
                return True
        return super().eventFilter(watched, event)

    def _fill(self, text: str) -> None:
        self.list.clear()
        words = text.lower().split()
        for action in self._actions.values():
            if matches(action, words):
                keys = ", ".join(keys_told(action, self._bench.settings))
                item = QListWidgetItem(f"{action.title}{f'   ·   {keys}' if keys else ''}")
                item.setToolTip(hint_of(action, self._bench))
                item.setData(_ACTION, action)
                if not action.enabled(self._bench):
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _run(self, item: QListWidgetItem) -> None:
        action: Action = item.data(_ACTION)
        self.close()
        run_action(action, self._bench)
        if action.release is not None:
            action.release(self._bench)
