"""Small parts that several panels are made of."""

from __future__ import annotations

from typing import TypeVar

from PyQt6.QtCore import QEvent, QObject, QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QBoxLayout, QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from lather.actions.action import Action
from lather.actions.keymap import keys_told, with_keys
from lather.actions.workbench import Workbench
from lather.errors import BusyError
from lather.ui.parts import icons
from lather.ui.parts.theme import GAP_2, GAP_3, theme

B = TypeVar("B", bound=QBoxLayout)


class OnInterfaceThread(QObject):
    """Runs callbacks of other threads on the interface thread, in the order they came."""

    _asked = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self._asked.connect(self._run, Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]

    def __call__(self, callback: object) -> None:
        self._asked.emit(callback)

    def _run(self, callback: object) -> None:
        assert callable(callback)
        callback()


class IconButton(QToolButton):
    """A button whose icon keeps the theme's colours; without a name it has none."""

    def __init__(self, icon_name: str = "") -> None:
        super().__init__()
        self._icon_name = icon_name
        self._tints: tuple[str, str] | None = None
        self.setIconSize(QSize(icons.SIZE_PX, icons.SIZE_PX))
        self._tint()

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() in (QEvent.Type.PaletteChange, QEvent.Type.StyleChange):
            self._tint()

    def _tint(self) -> None:
        tints = theme().text, theme().dim
        if self._icon_name and tints != self._tints:  # asked at every touch of the style
            self._tints = tints
            self.setIcon(icons.icon(self._icon_name, *tints))


class CommandButton(IconButton):
    """A button for one command of the table; its looks follow the command's state."""

    def __init__(
        self, action: Action, bench: Workbench, *, text: str | None = None, with_icon: bool = True
    ) -> None:
        super().__init__(action.icon if with_icon else "")
        self.action_id = action.id
        self._action = action
        self._bench = bench
        self.setText(text if text is not None else action.title)
        self.setAccessibleName(action.title)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCheckable(action.checked is not None)
        if action.icon and text == "":
            self.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonIconOnly)
            self.setProperty("role", "icon")
        elif self._icon_name:
            self.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.clicked.connect(self._run)
        self.refresh()

    def show_name(self, shown: bool) -> None:
        """Name and icon, or the icon alone."""
        style = Qt.ToolButtonStyle
        self.setText(self._action.title if shown else "")
        self.setToolButtonStyle(
            style.ToolButtonTextBesideIcon if shown else style.ToolButtonIconOnly
        )
        self.setProperty("role", "named" if shown else "icon")
        dress_anew(self)

    def refresh(self) -> None:
        """Read enabled, checked and keys back from the command."""
        action, bench = self._action, self._bench
        why_not = action.enabled.why_not(bench)
        self.setEnabled(not why_not)
        if action.checked is not None:
            self.setChecked(action.checked(bench))
        hint = hint_of(action, bench)
        if hint != self.toolTip():  # setting it is an event even if it is the same
            self.setToolTip(hint)

    def _run(self) -> None:
        run_action(self._action, self._bench)
        self.refresh()


def hint_of(action: Action, bench: Workbench) -> str:
    """What a command does and its keys; and why it does not apply, where it does not."""
    keys = ", ".join(keys_told(action, bench.settings))
    why_not = with_keys(action.enabled.why_not(bench), bench.settings)
    lines = (f"{action.title}{f'  ({keys})' if keys else ''}", action.help,
             f"Not now: {why_not}." if why_not else "")  # fmt: skip
    return "\n".join(filter(None, lines))


def dress_anew(widget: QWidget) -> None:
    """After its role changed: the style goes by it."""
    look = widget.style()
    if look is not None:
        look.unpolish(widget)
        look.polish(widget)


def run_action(action: Action, bench: Workbench) -> None:
    """Run a command, in turn, or say why it does not apply; an expected error becomes a sentence,
    anything else a report."""
    why_not = action.enabled.why_not(bench)
    if why_not:
        bench.say(f"{action.title.rstrip('…')}: {why_not}.")
        return
    try:
        action.run(bench)
    except BusyError:  # it was pressed all the same: it comes next
        bench.in_turn(lambda: run_action(action, bench))
    except Exception as error:  # noqa: BLE001 - the edge: errors end here as sentences
        bench.report(error, f"'{action.title}' failed")


def label(text: str = "", role: str = "") -> QLabel:
    result = QLabel(text)
    if role:
        result.setProperty("role", role)
    return result


def column_in(widget: QWidget, spacing_px: int) -> QVBoxLayout:
    """What the widget holds, from its top to its bottom, up to its edges."""
    return _up_to_edges(QVBoxLayout(widget), spacing_px)


def row_in(widget: QWidget, spacing_px: int) -> QHBoxLayout:
    """The same from left to right."""
    return _up_to_edges(QHBoxLayout(widget), spacing_px)


def _up_to_edges(box: B, spacing_px: int) -> B:
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(spacing_px)
    return box


class Panel(QWidget):
    """A column of the window with a heading."""

    def __init__(self, title: str) -> None:
        super().__init__()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(GAP_3, GAP_2, GAP_3, GAP_2)
        self.column.setSpacing(GAP_2)
        self.title = label(title, "title")
        self.note = label("", "dim")
        heading = QHBoxLayout()
        heading.addWidget(self.title)
        heading.addStretch(1)
        heading.addWidget(self.note)
        self.heading = heading
        self.column.addLayout(heading)
