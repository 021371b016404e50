"""In hand: the tool, its brush on rulers with advice, what it acts on."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from enum import Enum
from typing import TypeVar

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QIcon, QPixmap
from PyQt6.QtWidgets import QButtonGroup, QGridLayout, QHBoxLayout, QLabel, QPushButton, QWidget

from lather.actions.table import Action
from lather.actions.workbench import (
    LARGEST_SIZE_PX,
    SMALLEST_SIZE_PX,
    SMALLEST_SPACING,
    Workbench,
)
from lather.core.mend.mode import MendMode
from lather.tools.advice import brush_advice
from lather.tools.source import SourceGoes
from lather.tools.table import TOOLS, tool
from lather.ui.ruler import Ruler
from lather.ui.theme import GAP_1, theme
from lather.ui.widgets import CommandButton, Panel, label

_PERCENT = ("hardness", "opacity", "flow", "spacing")
_LOWEST = {"spacing": 100 * SMALLEST_SPACING}
_DYNAMICS = (
    ("brush.pressure_size", "size"),
    ("brush.pressure_opacity", "opacity"),
    ("brush.pressure_flow", "flow"),
    ("brush.build_up", "rest"),
)


E = TypeVar("E", bound=Enum)
MODE_TEXTS = {
    MendMode.ALL: "Changes whatever differs.",
    MendMode.LIFT_DARKS: "Only makes lighter: dark spots, hairs, dents.",
    MendMode.TAME_BRIGHTS: "Only makes darker: shine, bright tips, flakes.",
}
SOURCE_TEXTS = {
    SourceGoes.FOLLOWING: "Keeps its distance from the brush.",
    SourceGoes.FIXED: "Every stroke begins at the picked place again.",
    SourceGoes.FRESH: "Every stroke looks for the best place near by.",
}


class ToolCard(Panel):
    """Shows and sets the hand of the workbench."""

    def __init__(self, bench: Workbench, actions: dict[str, Action]) -> None:
        super().__init__("In hand")
        self.bench = bench
        self.buttons: list[CommandButton] = []
        self.rulers = {
            "size_px": Ruler("Size", SMALLEST_SIZE_PX, LARGEST_SIZE_PX, "px", logarithmic=True),
            **{name: Ruler(name.capitalize(), _LOWEST.get(name, 0), 100, "%") for name in _PERCENT},
        }
        self._add_tools(actions)
        for name, ruler in self.rulers.items():
            ruler.moved.connect(lambda value, name=name: self._on_moved(name, value))
            self.column.addWidget(ruler)
        self.modes = self._add_choice("Acts on", MODE_TEXTS, bench.set_mode)
        self.sources = self._add_choice("Source", SOURCE_TEXTS, bench.set_source_goes)
        self._add_dynamics(actions)
        self.advice_line = self._add_advice_line()
        self.colour_button = self._add_colour(actions["brush.colour"])
        bench.hand_changed.connect(self.reset)
        bench.job_opened.connect(self.reset)
        bench.walk.moved.connect(self.reset)
        bench.settings.changed.connect(self._on_setting_changed)
        self.reset()

    def reset(self) -> None:
        """Read the hand back."""
        hand, brush = self.bench.hand, self.bench.hand.brush
        entry = tool(hand.tool)
        job = self.bench.job
        state = job.state if job is not None else None
        finding = self.bench.walk.current(state.findings) if state is not None else None
        advice = brush_advice(entry.id, state, finding)
        self.rulers["size_px"].set_value(brush.size_px)
        for name in _PERCENT:
            self.rulers[name].set_value(round(100 * getattr(brush, name)))
        for name, ruler in self.rulers.items():
            ruler.set_advice(advice.get(name))
        self.note.setText("on the mask" if hand.on_mask else "")
        self.title.setText(f"In hand: {entry.title}")
        self.modes.setVisible(entry.uses_mode)
        _show_choice(self.modes, hand.mode)
        self.sources.setVisible(entry.uses_source)
        _show_choice(self.sources, hand.source_goes)
        self.colour_button.setVisible(entry.uses_colour and not hand.on_mask)
        self._show_colour()
        self.advice_line.setText(self._advice_text(entry.help))
        for command in self.buttons:
            command.refresh()

    def close_view(self) -> None:
        self.bench.hand_changed.disconnect(self.reset)
        self.bench.walk.moved.disconnect(self.reset)
        self.bench.job_opened.disconnect(self.reset)
        self.bench.settings.changed.disconnect(self._on_setting_changed)

    def _advice_text(self, fallback: str) -> str:
        """The first advice that the brush does not follow, or what the tool does."""
        for ruler in self.rulers.values():
            if ruler.advice is not None and not ruler.advised:
                return f"{ruler.title}: {ruler.advice.reason}"
        return fallback

    def _on_moved(self, name: str, value: float) -> None:
        self.bench.set_brush(**{name: value if name == "size_px" else value / 100})

    def _on_setting_changed(self, key: str) -> None:
        if key in ("pen_hand", "appearance"):
            self.reset()

    def _add_tools(self, actions: dict[str, Action]) -> None:
        grid = QGridLayout()
        grid.setSpacing(GAP_1)
        for index, entry in enumerate(TOOLS):
            text = entry.short or entry.title
            button = CommandButton(actions[f"tool.{entry.id}"], self.bench, text=text)
            button.setSizePolicy(button.sizePolicy().horizontalPolicy().Expanding,
                                 button.sizePolicy().verticalPolicy())
            self.buttons.append(button)
            grid.addWidget(button, index // 2, index % 2)
        self.column.addLayout(grid)

    def _add_choice(
        self, title: str, texts: Mapping[E, str], choose: Callable[[E], None]
    ) -> QWidget:
        """A row of buttons of which one is down; each holds its value as 'choice'."""
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, GAP_1, 0, 0)
        layout.setSpacing(GAP_1)
        layout.addWidget(label(title))
        layout.addStretch(1)
        group = QButtonGroup(row)
        for choice, text in texts.items():
            button = QPushButton(choice.value)
            button.setCheckable(True)
            button.setProperty("choice", choice)
            button.setToolTip(text)
            button.clicked.connect(lambda checked, choice=choice: choose(choice))
            group.addButton(button)
            layout.addWidget(button)
        self.column.addWidget(row)
        return row

    def _add_dynamics(self, actions: dict[str, Action]) -> None:
        row = QHBoxLayout()
        row.setSpacing(GAP_1)
        row.addWidget(label("Pen"))
        row.addStretch(1)
        for action_id, text in _DYNAMICS:
            button = CommandButton(actions[action_id], self.bench, text=text)
            button.setProperty("role", "compact")
            self.buttons.append(button)
            row.addWidget(button)
        self.column.addLayout(row)

    def _add_advice_line(self) -> QLabel:
        text = label("", "dim")
        text.setWordWrap(True)
        text.setMinimumHeight(30)
        text.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.column.addWidget(text)
        return text

    def _add_colour(self, action: Action) -> CommandButton:
        button = CommandButton(action, self.bench, text="Colour", with_icon=False)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.buttons.append(button)
        self.column.insertWidget(2, button)
        return button

    def _show_colour(self) -> None:
        patch = QPixmap(28, 14)
        patch.fill(QColor.fromRgbF(*self.bench.hand.colour))
        self.colour_button.setIcon(QIcon(patch))
        name = QColor.fromRgbF(*self.bench.hand.colour).name()
        self.colour_button.setAccessibleDescription(name)
        self.colour_button.setStyleSheet(f"border-color: {theme().line};")


def _show_choice(row: QWidget, chosen: Enum) -> None:
    for button in row.findChildren(QPushButton):
        button.setChecked(button.property("choice") is chosen)
