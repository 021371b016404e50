"""In hand: the tool, its brush on rulers with advice, what it acts on."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from enum import Enum
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QWidget,
)

from lather.actions.action import Action
from lather.actions.hand.hands import LARGEST_SIZE_PX, SMALLEST_SIZE_PX, SMALLEST_SPACING
from lather.actions.keymap import keys_of
from lather.actions.layers.area import has_area
from lather.actions.workbench import Workbench
from lather.core.area.combine import Combine
from lather.core.mend.mode import MendMode
from lather.core.mend.placement import Turn
from lather.core.survey.findings.finding import MOST_BROKEN
from lather.core.survey.regions.region import Part, Region
from lather.document.layers.computed import ComputedLayer
from lather.document.state import JobState
from lather.tools.advice import brush_advice
from lather.tools.base import Tool
from lather.tools.source import Reads, SourceGoes
from lather.tools.table import tool
from lather.ui.hand.colour_row import ColourRow
from lather.ui.hand.shape_rows import ShapeRows
from lather.ui.hand.tool_grid import ToolGrid
from lather.ui.parts.ruler import Ruler
from lather.ui.parts.theme import GAP_1, GAP_4
from lather.ui.parts.widgets import CommandButton, Panel, label, run_action

if TYPE_CHECKING:
    from lather.core.mend.rim import RimTest
    from lather.core.shape.features import Feature

_PERCENT = ("hardness", "opacity", "flow", "spacing")
_LOWEST = {"spacing": 100 * SMALLEST_SPACING}
_TURN = (
    ("source.mirror", ""),
    ("source.turn_left", "↺"),
    ("source.turn_right", "↻"),
    ("source.smaller", "–"),
    ("source.larger", "+"),
)
_AREA = (
    ("area.shrink", "–"),
    ("area.grow", "+"),
    ("area.feather", "soft"),
    ("area.invert", "invert"),
    ("area.clear", "none"),
)
_DYNAMICS = (
    ("brush.pressure_size", "size"),
    ("brush.pressure_opacity", "opacity"),
    ("brush.pressure_flow", "flow"),
    ("brush.build_up", "rest"),
)


E = TypeVar("E", bound=Enum)
OWN_BRUSH, SAVE_PRESET = "Your brush", "Save as preset…"
AREA_BROKEN = 0.05  # of a long outline a single edge takes no more
BROKEN_RIM_ADVICE = (
    "An edge crosses this rim: a mend would smear. Copy from source at 10-20 %, or cut it free."
)
MODE_TEXTS = {
    MendMode.ALL: "Changes whatever differs.",
    MendMode.LIFT_DARKS: "Only makes lighter: dark spots, hairs, dents.",
    MendMode.TAME_BRIGHTS: "Only makes darker: shine, bright tips, flakes.",
}
COMBINE_TEXTS = {
    Combine.NEW: "The outline is the area.",
    Combine.ADD: "The outline is added to the area.",
    Combine.TAKE: "The outline is taken from the area.",
    Combine.OVERLAP: "Only where outline and area overlap.",
}
READS_TEXTS = {
    Reads.PHOTO: "Takes from the photo, without any layer.",
    Reads.LAYER: "Takes from the active layer's own pixels.",
    Reads.BELOW: "Takes from the active layer and what lies below: adjustments above it are "
    "never baked in.",
    Reads.ALL: "Takes from all that shows, adjustments included.",
}
REGION_TEXTS: dict[Region | Part, str] = {
    **{region: f"Correct the mask of: {region.label}." for region in Region},
    **{part: f"Where the skin is {part.label}: by the face's handles." for part in Part},
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
        self._has_room = False  # the tools are icons, the brush is not shown
        self._feature: Feature | None = None  # under the brush
        self._broken = (False, 0.0)  # under the brush, and the share of the area's rim
        self._cut_free = actions["mend.cut_free"]
        self.rulers = {
            "size_px": Ruler("Size", SMALLEST_SIZE_PX, LARGEST_SIZE_PX, "px", logarithmic=True),
            **{name: Ruler(name.capitalize(), _LOWEST.get(name, 0), 100, "%") for name in _PERCENT},
        }
        self.tools = ToolGrid(bench, actions)
        self.column.addWidget(self.tools)
        self._save_preset = actions["brush.save_preset"]
        self.presets = self._add_presets()
        self._add_rulers()
        self.modes = self._add_choice("Acts on", MODE_TEXTS, bench.hands.set_mode)
        self.sources, self.reads = self._add_sources()
        self.turn = self._add_turn(actions)
        self.region = _combo(
            "Region", REGION_TEXTS, bench.hands.set_region, lambda region: region.label
        )
        self.column.addWidget(self.region)
        self.combine = self._add_choice("Area", COMBINE_TEXTS, bench.hands.set_combine)
        self.area_row = self._add_commands("Rim", _AREA, actions)
        self.shape = ShapeRows(bench, actions)
        self.column.addWidget(self.shape)
        self.dynamics = self._add_commands("Pen", _DYNAMICS, actions)
        self.advice_line = self._add_advice_line()
        self.colours = ColourRow(bench, actions)
        self.column.insertWidget(2, self.colours)
        bench.hands.changed.connect(self.reset)
        bench.job_opened.connect(self.reset)
        bench.job_changed.connect(self._on_job_changed)
        bench.walk.moved.connect(self.reset)
        bench.settings.changed.connect(self._on_setting_changed)
        self.reset()

    def reset(self) -> None:
        """Read the hand back."""
        self.column.setEnabled(False)  # else every row that comes or goes arranges all others
        self._read_back()
        self.column.setEnabled(True)

    def _read_back(self) -> None:
        hand, brush = self.bench.hand, self.bench.hand.brush
        entry = tool(hand.tool)
        job = self.bench.job
        state = job.state if job is not None else None
        finding = self.bench.walk.current(state.findings) if state is not None else None
        advice = brush_advice(entry.id, state, finding, self._feature)
        self.presets.setVisible(entry.is_brush and not entry.only_size)
        self._show_presets()
        self.rulers["size_px"].set_value(brush.size_px)
        for name in _PERCENT:
            self.rulers[name].set_value(round(100 * getattr(brush, name)))
        for name, ruler in self.rulers.items():
            ruler.set_advice(advice.get(name))
            ruler.setVisible(entry.uses(name))
        self.rulers["flow"].set_title("Give" if entry.reshapes else "Flow")
        self.shape.show_hand(entry, hand, advice)
        self.note.setText("on the mask" if hand.on_mask else "")
        self.title.setText(f"In hand: {entry.title}")
        self.modes.setVisible(entry.uses_mode)
        _show_choice(self.modes, hand.mode)
        self.sources.setVisible(entry.uses_turn)
        self.goes.setVisible(entry.uses_source)
        self.goes.setCurrentIndex(list(SOURCE_TEXTS).index(hand.source_goes))
        self.reads.setCurrentIndex(list(READS_TEXTS).index(hand.reads))
        self.turn.setVisible(entry.uses_turn)
        self._show_turn(hand.turn)
        self.region.setVisible(entry.uses_region or entry.id == "hold")
        self.region.setCurrentIndex(list(REGION_TEXTS).index(hand.region))
        self.combine.setVisible(entry.uses_combine)
        _show_choice(self.combine, hand.combine)
        self._show_combine(entry.uses_region, hand.combine)
        outlines = entry.uses_combine and not entry.uses_region
        self.area_row.setVisible(outlines or has_area(self.bench))
        self.dynamics.setVisible(entry.is_brush and not entry.only_size and not entry.reshapes)
        self.colours.setVisible(entry.uses_colour and not hand.on_mask)
        self.colours.refresh()
        self.advice_line.setText(self._advice_text(entry.help))
        self._make_room(entry)
        for command in (*self.tools.buttons, *self.buttons):
            command.refresh()

    def _make_room(self, entry: Tool) -> None:
        """Where nothing is painted on the active layer its own card comes first."""
        layer = self.bench.state.active if self.bench.job is not None else None
        computed = isinstance(layer, ComputedLayer) and not layer.planes
        takes_no_paint = computed and not entry.makes_layer and not self.bench.hands.on_mask
        if takes_no_paint:
            assert layer is not None
            for part in (self.presets, *self.rulers.values(), self.modes, self.sources, self.turn,
                         self.dynamics, self.colours):  # fmt: skip
                part.hide()
            self.rulers["size_px"].setVisible(not entry.paints)
            self.advice_line.setText(
                f"'{layer.name}' takes no paint: a stroke goes on a layer of its own."
                if entry.paints else entry.help
            )
        if takes_no_paint != self._has_room:
            self._has_room = takes_no_paint
            self.tools.arrange(named=self._named)

    def close_view(self) -> None:
        self.bench.hands.changed.disconnect(self.reset)
        self.bench.job_changed.disconnect(self._on_job_changed)
        self.bench.walk.moved.disconnect(self.reset)
        self.bench.job_opened.disconnect(self.reset)
        self.bench.settings.changed.disconnect(self._on_setting_changed)
        self.tools.close_view()

    def show_feature(self, feature: Feature | None) -> None:
        """The feature under the brush says how large that is to be."""
        self._feature = feature
        entry, job = tool(self.bench.hand.tool), self.bench.job
        if entry.reshapes and job is not None:
            advice = brush_advice(entry.id, job.state, feature=feature)
            self.rulers["size_px"].set_advice(advice.get("size_px"))
            self.advice_line.setText(self._advice_text(entry.help))

    def show_rims(self, cursor: RimTest | None, area: Sequence[RimTest]) -> None:
        """A broken rim under the brush, or of the area, is the advice while it is there."""
        under_brush = cursor is not None and cursor.share > MOST_BROKEN
        of_area = max((rim.share for rim in area), default=0.0)
        shown = under_brush, of_area if of_area > AREA_BROKEN else 0.0
        if shown != self._broken:
            self._broken = shown
            self.advice_line.setText(self._advice_text(tool(self.bench.hand.tool).help))

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        other = before.active_id != after.active_id or before.findings is not after.findings
        if other or (before.area is None) != (after.area is None):
            self.reset()

    def _show_combine(self, on_region: bool, combine: Combine) -> None:
        """A region is only added to or taken from."""
        for button in self.combine.findChildren(QPushButton):
            choice = button.property("choice")
            button.setVisible(not on_region or choice in (Combine.ADD, Combine.TAKE))
            if on_region and choice is Combine.ADD:
                button.setChecked(combine is not Combine.TAKE)
        title = self.combine.findChild(QLabel)
        if title is not None:
            title.setText("Paint" if on_region else "Area")

    def _show_turn(self, turn: Turn) -> None:
        parts = [f"{turn.angle_deg:.0f}°"] if turn.angle_deg else []
        if turn.scale != 1:
            parts.append(f"{turn.scale:.0%}")
        self.turn_text.setText(" ".join(parts) or "Turned")

    def _advice_text(self, fallback: str) -> str:
        """The first advice that the brush does not follow, or what the tool does."""
        under_brush, of_area = self._broken
        entry = tool(self.bench.hand.tool)
        if under_brush and entry.tests_rim:
            return BROKEN_RIM_ADVICE
        if of_area and entry.uses_combine and not entry.uses_region:
            keys = ", ".join(keys_of(self._cut_free, self.bench.settings))
            return f"{of_area:.0%} of the rim crosses an edge. {self._cut_free.title} ({keys}) " \
                "copies along it first."
        for ruler in self.rulers.values():
            if ruler.advice is not None and not ruler.advised:
                return f"{ruler.title}: {ruler.advice.reason}"
        return fallback

    @property
    def _named(self) -> bool:
        return bool(self.bench.settings["tool_names"]) and not self._has_room

    def _on_moved(self, name: str, value: float) -> None:
        self.bench.hands.set_brush(**{name: value if name == "size_px" else value / 100})

    def _on_setting_changed(self, key: str) -> None:
        if key == "tool_names":
            self.tools.arrange(named=self._named)
        if key in ("pen_hand", "keys", "appearance"):
            self.reset()

    def _add_rulers(self) -> None:
        """Size over the full width, where precision counts; the others side by side."""
        grid = QGridLayout()
        grid.setHorizontalSpacing(GAP_4)
        grid.setVerticalSpacing(GAP_1)
        for name, ruler in self.rulers.items():
            ruler.moved.connect(lambda value, name=name: self._on_moved(name, value))
        grid.addWidget(self.rulers["size_px"], 0, 0, 1, 2)
        for index, name in enumerate(("opacity", "spacing", "flow", "hardness")):
            grid.addWidget(self.rulers[name], 1 + index // 2, index % 2)
        self.column.addLayout(grid)

    def _add_sources(self) -> tuple[QWidget, QComboBox]:
        """How the source goes with the brush, and which layers it shows, in one row."""
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(GAP_1)
        layout.addWidget(label("Source"))
        self.goes = _combo("How the source goes", SOURCE_TEXTS, self.bench.hands.set_source_goes)
        reads = _combo("Which layers it shows", READS_TEXTS, self.bench.hands.set_reads)
        layout.addWidget(self.goes, 1)
        layout.addWidget(reads, 1)
        self.column.addWidget(row)
        return row, reads

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

    def _add_commands(
        self, title: str, commands: tuple[tuple[str, str], ...], actions: dict[str, Action]
    ) -> QWidget:
        """A row of small buttons, one a command."""
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(GAP_1)
        if title:
            layout.addWidget(label(title))
            layout.addStretch(1)
        for action_id, text in commands:
            button = CommandButton(actions[action_id], self.bench, text=text, with_icon=not text)
            button.setProperty("role", "compact")
            self.buttons.append(button)
            layout.addWidget(button, 0 if title else 1)
        self.column.addWidget(row)
        return row

    def _add_turn(self, actions: dict[str, Action]) -> QWidget:
        row = self._add_commands("Turned", _TURN, actions)
        self.turn_text = row.findChild(QLabel)
        assert self.turn_text is not None
        return row

    def _add_presets(self) -> QComboBox:
        """The named brushes of the tool in hand."""
        presets = QComboBox()
        presets.setAccessibleName("Preset")
        presets.setToolTip("Named brushes of this tool.")
        presets.activated.connect(self._on_preset)
        self.column.addWidget(presets)
        return presets

    def _show_presets(self) -> None:
        hands = self.bench.hands
        names = [preset.name for preset in hands.presets]
        shown = [self.presets.itemText(n) for n in range(self.presets.count())]
        wanted = [OWN_BRUSH, *names, SAVE_PRESET]
        if shown != wanted:
            self.presets.clear()
            self.presets.addItems(wanted)
        current = hands.preset_name
        self.presets.setCurrentIndex(0 if current is None else 1 + names.index(current))

    def _on_preset(self, index: int) -> None:
        if index == self.presets.count() - 1:
            run_action(self._save_preset, self.bench)
        else:
            name = self.presets.itemText(index)
            self.bench.hands.take_preset(None if index == 0 else name)
        self._show_presets()

    def _add_advice_line(self) -> QLabel:
        text = label("", "dim")
        text.setWordWrap(True)
        text.setMinimumHeight(30)
        text.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.column.addWidget(text)
        return text


def _combo(
    name: str, texts: Mapping[E, str], choose: Callable[[E], None],
    label: Callable[[E], str] = lambda choice: choice.value,
) -> QComboBox:
    """A list of choices, each with its text as a hint."""
    combo = QComboBox()
    combo.setAccessibleName(name)
    combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    combo.setMinimumContentsLength(5)
    for choice, text in texts.items():
        combo.addItem(label(choice))
        combo.setItemData(combo.count() - 1, text, Qt.ItemDataRole.ToolTipRole)
    choices = list(texts)
    combo.activated.connect(lambda index: choose(choices[index]))
    return combo


def _show_choice(row: QWidget, chosen: Enum) -> None:
    for button in row.findChildren(QPushButton):
        button.setChecked(button.property("choice") is chosen)
