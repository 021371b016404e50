"""All keys on one sheet, by the map's own logic; any of them can be changed there."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import (
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from lather.actions.action import Action
from lather.actions.keymap import LOGIC, change_key, keys_told, planes, reset_keys
from lather.actions.table import MENUS
from lather.actions.workbench import Workbench
from lather.errors import LatherError
from lather.ui.parts.key_names import name_of
from lather.ui.parts.theme import GAP_1, GAP_2, GAP_3, GAP_4
from lather.ui.parts.widgets import label

N_COLUMNS = 2
KEYS_PX = 150
HOW = "Click on a key and press the new one; Backspace takes it away, Escape leaves it as it is."


class KeyButton(QPushButton):
    """The keys of one command; pressed, it waits for another one."""

    def __init__(self, title: str, planes_now: dict[str, str],
                 choose: Callable[[str | None], None]) -> None:  # fmt: skip
        super().__init__()
        self._planes = planes_now
        self._choose = choose
        self._keys: tuple[str, ...] = ()
        self._plane: tuple[int, str] | None = None
        self._listens = False
        self.setFlat(True)
        self.setProperty("role", "key")
        self.setAccessibleName(f"Keys of {title}")
        self.clicked.connect(self._listen)

    def show_keys(self, keys: tuple[str, ...]) -> None:
        self._keys = keys
        self._stop()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self._listens:
            super().keyPressEvent(event)
            return
        name = name_of(event)
        if event.isAutoRepeat() or not name:
            return
        if self._plane is not None:
            self._take(f"{self._plane[1]}+{name}")
        elif name == "Esc":
            self._stop()
        elif name == "Backspace":
            self._take(None)
        elif name in self._planes:
            self._plane = event.key(), name
            self.setText(f"{name} + …")
        else:
            self._take(name)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if self._plane is not None and event.key() == self._plane[0] and not event.isAutoRepeat():
            self._take(self._plane[1])
        elif not self._listens:
            super().keyReleaseEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self._stop()
        super().focusOutEvent(event)

    def _listen(self) -> None:
        self._listens = True
        self.setText("press a key …")

    def _take(self, key: str | None) -> None:
        self._stop()
        self._choose(key)

    def _stop(self) -> None:
        self._listens, self._plane = False, None
        self.setText(", ".join(self._keys) or "–")


class KeySheet(QDialog):
    """Every command with its keys, by menu."""

    def __init__(self, bench: Workbench, actions: dict[str, Action], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("All keys")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._bench = bench
        self._actions = actions
        self.buttons: dict[str, KeyButton] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(GAP_4, GAP_4, GAP_4, GAP_4)
        column.setSpacing(GAP_2)
        for text in (*LOGIC, HOW):
            line = label(text, "dim")
            line.setWordWrap(True)
            column.addWidget(line)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self._page())
        column.addWidget(area, 1)
        self.told = label("", "warning")
        self.told.setWordWrap(True)
        row = QHBoxLayout()
        row.addWidget(self.told, 1)
        self.reset_all = QPushButton("All as they came")
        self.reset_all.setToolTip("Every command has the keys again that it came with.")
        self.reset_all.clicked.connect(self._reset)
        row.addWidget(self.reset_all)
        column.addLayout(row)
        self.resize(900, 640)
        self._read_back()

    def _page(self) -> QWidget:
        page = QWidget()
        columns = QHBoxLayout(page)
        columns.setSpacing(GAP_4)
        boxes = [QVBoxLayout() for _ in range(N_COLUMNS)]
        heights = [0] * N_COLUMNS
        for menu in MENUS:
            mine = [action for action in self._actions.values() if action.menu == menu]
            at = heights.index(min(heights))
            boxes[at].addWidget(self._block(menu, mine))
            heights[at] += len(mine) + 2
        for box in boxes:
            box.addStretch(1)
            columns.addLayout(box, 1)
        return page

    def _block(self, menu: str, actions: list[Action]) -> QWidget:
        block = QWidget()
        grid = QGridLayout(block)
        grid.setContentsMargins(0, 0, 0, GAP_2)
        grid.setHorizontalSpacing(GAP_3)
        grid.setVerticalSpacing(GAP_1)
        subject = {s: key for key, s in planes(self._bench.settings["pen_hand"]).items()}
        held = subject.get(_SUBJECTS.get(menu, ""))
        title = f"{menu}   (hold {held})" if held else menu
        grid.addWidget(label(title, "title"), 0, 0, 1, 2)
        for row, action in enumerate(actions, start=1):
            button = KeyButton(
                action.title, planes(self._bench.settings["pen_hand"]),
                lambda key, action=action: self._change(action, key),  # type: ignore[misc]
            )
            self.buttons[action.id] = button
            name = label(action.title)
            name.setToolTip(action.help)
            grid.addWidget(button, row, 0)
            grid.addWidget(name, row, 1)
        grid.setColumnMinimumWidth(0, KEYS_PX)
        grid.setColumnStretch(1, 1)
        return block

    def _change(self, action: Action, key: str | None) -> None:
        try:
            change_key(self._actions.values(), self._bench.settings, action, key)
        except LatherError as error:
            self.told.setText(error.sentence())
        else:
            self.told.setText("")
        self._read_back()

    def _reset(self) -> None:
        reset_keys(self._bench.settings)
        self.told.setText("")
        self._read_back()

    def _read_back(self) -> None:
        for action_id, button in self.buttons.items():
            button.show_keys(keys_told(self._actions[action_id], self._bench.settings))


_SUBJECTS = {
    "Finding": "findings", "Source": "the source", "Area": "areas", "Layer": "layers",
    "Mask": "masks", "View": "the view", "Brief": "the stage", "Even": "the stage",
    "Shape": "the stage", "Check": "the stage",
}  # fmt: skip
