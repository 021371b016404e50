"""Keys to commands: single keys for the free hand, held keys for momentary ones and planes.

Shortcuts of the toolkit know no release and swallow typing, so single keys are handled here.
"""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication, QWidget

from lather.actions.action import Action
from lather.actions.keymap import commands_in, planes
from lather.actions.workbench import Workbench
from lather.document.layers.layer import Stage
from lather.ui.parts.key_names import name_of
from lather.ui.parts.typing_fields import keeps_key, takes_text
from lather.ui.parts.widgets import run_action


class Keys(QObject):
    """Listens to a window's keys and runs commands of the table.

    A key that opens a plane waits: its own command runs when it is let go without another key
    in between, or at once if it is one for as long as the key is down. A field that takes text
    has the keyboard to itself; Escape gives it back.
    """

    def __init__(self, bench: Workbench, actions: dict[str, Action], window: QWidget) -> None:
        super().__init__(window)
        self._bench = bench
        self._window = window
        self._actions = actions
        self._held: dict[int, Action] = {}
        self._plane: tuple[int, str] | None = None  # the key held, and its name
        self._waiting: Action | None = None  # of the plane's own key
        self._by_stage: dict[Stage, dict[str, Action]] = {}  # by key
        bench.settings.changed.connect(self._on_setting_changed)
        self.reset()
        application = QApplication.instance()
        assert application is not None
        application.installEventFilter(self)

    def reset(self) -> None:
        self._planes = planes(self._bench.settings["pen_hand"])
        self._by_stage.clear()

    def _command(self, key: str) -> Action | None:
        """What a key does in the stage at hand."""
        stage, settings = self._bench.stage, self._bench.settings
        if stage not in self._by_stage:
            self._by_stage[stage] = commands_in(stage.value, self._actions.values(), settings)
        return self._by_stage[stage].get(key)

    def close_view(self) -> None:
        application = QApplication.instance()
        if application is not None:
            application.removeEventFilter(self)
        self._bench.settings.changed.disconnect(self._on_setting_changed)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if not isinstance(event, QKeyEvent):
            lost = event is not None and event.type() == QEvent.Type.WindowDeactivate
            if lost and watched is self._window:
                self._let_go()
            return False
        if not isinstance(watched, QWidget):
            return False
        if watched.window() is not self._window or QApplication.activePopupWidget() is not None:
            return False
        if event.type() == QEvent.Type.KeyPress:
            return self._pressed(watched, event)
        if event.type() == QEvent.Type.KeyRelease and not event.isAutoRepeat():
            return self._released(event)
        return False

    def _pressed(self, watched: QWidget, event: QKeyEvent) -> bool:
        is_held = event.key() in self._held or self._is_plane(event.key())
        if event.isAutoRepeat() and is_held:
            return True
        if takes_text(watched):
            if event.key() == Qt.Key.Key_Escape:
                watched.clearFocus()
                return True
            if keeps_key(watched, event):
                return False
        name = name_of(event)
        if self._plane is not None:
            return self._pressed_in_plane(event, name)
        action = self._command(name)
        if name in self._planes:
            self._plane = event.key(), name
            if action is None or action.release is None:
                self._waiting = action
                return True
        if action is None:
            return False
        self._run(action, event)
        return True

    def _pressed_in_plane(self, event: QKeyEvent, name: str) -> bool:
        """A key while that of a plane is down; what is none of the plane's does nothing."""
        assert self._plane is not None
        self._waiting = None
        action = self._command(f"{self._plane[1]}+{name}") if name else None
        if action is not None:
            self._run(action, event)
        return True

    def _run(self, action: Action, event: QKeyEvent) -> None:
        if event.isAutoRepeat() and not action.repeats:
            return
        if action.release is not None:
            self._held[event.key()] = action
        run_action(action, self._bench)

    def _released(self, event: QKeyEvent) -> bool:
        if self._is_plane(event.key()):
            self._plane = None
            waiting, self._waiting = self._waiting, None
            if waiting is not None:
                run_action(waiting, self._bench)
                return True
        action = self._held.pop(event.key(), None)
        if action is None or action.release is None:
            return False
        action.release(self._bench)
        return True

    def _is_plane(self, key: int) -> bool:
        return self._plane is not None and self._plane[0] == key

    def _let_go(self) -> None:
        """The window is not the active one any more: nobody tells when keys go up."""
        self._plane = self._waiting = None
        held, self._held = self._held, {}
        for action in held.values():
            if action.release is not None:
                action.release(self._bench)

    def _on_setting_changed(self, key: str) -> None:
        if key in ("pen_hand", "keys"):
            self._let_go()
            self.reset()
