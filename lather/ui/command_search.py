"""Find a command by typing what it does; and all keys on one sheet."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QDialog,
    QGridLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from lather.actions.action import Action
from lather.actions.table import MENUS, keys_of
from lather.actions.workbench import Workbench
from lather.ui.theme import GAP_1, GAP_2, GAP_3, GAP_4
from lather.ui.widgets import label, run_action

_ACTION = Qt.ItemDataRole.UserRole
N_COLUMNS = 3


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
                keys = ", ".join(_shown(k) for k in keys_of(action, self._hand))
                item = QListWidgetItem(f"{action.title}{f'   ·   {keys}' if keys else ''}")
                item.setToolTip(action.help)
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

    @property
    def _hand(self) -> str:
        return str(self._bench.settings["pen_hand"])


class ShortcutSheet(QDialog):
    """Every command that has a key, by menu."""

    def __init__(self, bench: Workbench, actions: dict[str, Action], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("All keys")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        column = QVBoxLayout(self)
        hand = bench.settings["pen_hand"]
        side = "left" if hand == "right" else "right"
        column.addWidget(label(f"Pen in the {hand} hand, single keys under the {side} one. "
                               "Preferences swap them.", "dim"))
        page = QWidget()
        grid = QGridLayout(page)
        grid.setSpacing(GAP_4)
        heights = [0] * N_COLUMNS
        for menu in MENUS:
            with_keys = [a for a in actions.values() if a.menu == menu and a.keys]
            if not with_keys:
                continue
            at = heights.index(min(heights))
            block = self._block(menu, with_keys, hand)
            grid.addWidget(block, sum(h > 0 for h in heights[at : at + 1]) and heights[at], at,
                           len(with_keys) + 1, 1, Qt.AlignmentFlag.AlignTop)
            heights[at] += len(with_keys) + 1
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(page)
        column.addWidget(area)
        self.resize(960, 620)

    @staticmethod
    def _block(menu: str, actions: list[Action], hand: str) -> QWidget:
        block = QWidget()
        grid = QGridLayout(block)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(GAP_3)
        grid.setVerticalSpacing(GAP_1)
        grid.addWidget(label(menu, "title"), 0, 0, 1, 2)
        for row, action in enumerate(actions, start=1):
            keys = ", ".join(_shown(key) for key in keys_of(action, hand))
            grid.addWidget(label(keys, "dim"), row, 0)
            grid.addWidget(label(action.title), row, 1)
        grid.setColumnMinimumWidth(0, 96)
        grid.setColumnStretch(1, 1)
        return block


def _shown(key: str) -> str:
    return QKeySequence(key).toString(QKeySequence.SequenceFormat.NativeText)
