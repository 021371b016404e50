"""Keys to commands: single keys for the free hand, held keys for momentary ones.

Shortcuts of the toolkit know no release and swallow typing, so single keys are handled here.
"""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QSpinBox, QWidget

from lather.actions.action import Action
from lather.actions.table import keys_of
from lather.actions.workbench import Workbench
from lather.ui.widgets import run_action


class Keys(QObject):
    """Listens to a window's keys and runs commands of the table."""

    def __init__(self, bench: Workbench, actions: dict[str, Action], window: QWidget) -> None:
        super().__init__(window)
        self._bench = bench
        self._window = window
        self._actions = actions
        self._held: dict[int, Action] = {}
        self._by_key: dict[str, Action] = {}
        bench.settings.changed.connect(self._on_setting_changed)
        self.reset()
        application = QApplication.instance()
        assert application is not None
        application.installEventFilter(self)

    def reset(self) -> None:
        hand = self._bench.settings["pen_hand"]
        self._by_key = {
            QKeySequence(key).toString(): action
            for action in self._actions.values()
            for key in keys_of(action, hand)
        }

    def close_view(self) -> None:
        application = QApplication.instance()
        if application is not None:
            application.removeEventFilter(self)
        self._bench.settings.changed.disconnect(self._on_setting_changed)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if not isinstance(event, QKeyEvent) or not isinstance(watched, QWidget):
            return False
        if watched.window() is not self._window or QApplication.activePopupWidget() is not None:
            return False
        if event.type() == QEvent.Type.KeyPress:
            return self._pressed(watched, event)
        if event.type() == QEvent.Type.KeyRelease and not event.isAutoRepeat():
            return self._released(event)
        return False

    def _pressed(self, watched: QWidget, event: QKeyEvent) -> bool:
        if event.isAutoRepeat() and event.key() in self._held:
            return True
        if _is_typing(watched) and not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        action = self._by_key.get(QKeySequence(event.keyCombination()).toString())
        if action is None:
            return False
        if action.release is not None:
            self._held[event.key()] = action
        run_action(action, self._bench)
        return True

    def _released(self, event: QKeyEvent) -> bool:
        action = self._held.pop(event.key(), None)
        if action is None or action.release is None:
            return False
        action.release(self._bench)
        return True

    def _on_setting_changed(self, key: str) -> None:
        if key == "pen_hand":
            self.reset()


def _is_typing(widget: QWidget) -> bool:
    return isinstance(widget, (QLineEdit, QSpinBox)) or (
        isinstance(widget, QComboBox) and widget.isEditable()
    )
