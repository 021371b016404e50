"""What is set more rarely of a brush: presets, spacing, how the source goes and turns, the pen."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtWidgets import QComboBox, QWidget

from lather.actions.action import Action
from lather.actions.hand.hands import SMALLEST_SPACING
from lather.actions.workbench import Workbench
from lather.core.mend.placement import Turn
from lather.tools.advice import Advice
from lather.tools.base import Hand, Tool
from lather.tools.source import Reads, SourceGoes
from lather.ui.hand.choices import CommandRow, combo
from lather.ui.parts.ruler import Ruler
from lather.ui.parts.theme import GAP_1
from lather.ui.parts.widgets import column_in, label, row_in, run_action

_TURN = (
    ("source.mirror", ""), ("source.turn_left", "↺"), ("source.turn_right", "↻"),
    ("source.smaller", "–"), ("source.larger", "+"),
)  # fmt: skip
_DYNAMICS = (
    ("brush.pressure_size", "size"), ("brush.pressure_opacity", "opacity"),
    ("brush.pressure_flow", "flow"), ("brush.build_up", "rest"),
)  # fmt: skip
OWN_BRUSH, SAVE_PRESET = "Your brush", "Save as preset…"
READS_TEXTS = {
    Reads.PHOTO: "Takes from the photo, without any layer.",
    Reads.LAYER: "Takes from the active layer's own pixels.",
    Reads.BELOW: "Takes from the active layer and what lies below: adjustments above it are "
    "never baked in.",
    Reads.ALL: "Takes from all that shows, adjustments included.",
}
SOURCE_TEXTS = {
    SourceGoes.FOLLOWING: "Keeps its distance from the brush.",
    SourceGoes.FIXED: "Every stroke begins at the picked place again.",
    SourceGoes.FRESH: "Every stroke looks for the best place near by.",
}


class RareRows(QWidget):
    """Reads the hand back in `show_hand`."""

    def __init__(self, bench: Workbench, actions: dict[str, Action]) -> None:
        super().__init__()
        self._bench = bench
        self._save_preset = actions["brush.save_preset"]
        column = column_in(self, GAP_1)
        self.presets = QComboBox()
        self.presets.setAccessibleName("Preset")
        self.presets.setToolTip("Named brushes of this tool.")
        self.presets.setSizeAdjustPolicy(  # a person's own may have long names
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.presets.setMinimumContentsLength(12)
        self.presets.activated.connect(self._on_preset)
        self.sources = QWidget()
        self.goes = combo("How the source goes", SOURCE_TEXTS, bench.hands.set_source_goes)
        self.reads = combo("Which layers it shows", READS_TEXTS, bench.hands.set_reads)
        row = row_in(self.sources, GAP_1)
        row.addWidget(label("Source"))
        row.addWidget(self.goes, 1)
        row.addWidget(self.reads, 1)
        self.turn = CommandRow("Turned", _TURN, bench, actions)
        self.spacing = Ruler("Spacing", 100 * SMALLEST_SPACING, 100, "%")
        self.spacing.moved.connect(lambda value: bench.hands.set_brush(spacing=value / 100))
        self.dynamics = CommandRow("Pen", _DYNAMICS, bench, actions)
        for part in (self.sources, self.turn, self.spacing, self.dynamics, self.presets):
            column.addWidget(part)

    @staticmethod
    def are_wanted(entry: Tool) -> bool:
        """False for a tool that has nothing of this."""
        return entry.uses_turn or entry.uses("spacing") or _has_dynamics(entry) or _has_presets(
            entry)

    def show_hand(self, entry: Tool, hand: Hand, advice: Mapping[str, Advice]) -> None:
        self.presets.setVisible(_has_presets(entry))
        self._show_presets()
        self.spacing.setVisible(entry.uses("spacing"))
        self.spacing.set_value(round(100 * hand.brush.spacing))
        self.spacing.set_advice(advice.get("spacing"))
        self.sources.setVisible(entry.uses_turn)
        self.goes.setVisible(entry.uses_source)
        self.goes.setCurrentIndex(list(SOURCE_TEXTS).index(hand.source_goes))
        self.reads.setCurrentIndex(list(READS_TEXTS).index(hand.reads))
        self.turn.setVisible(entry.uses_turn)
        self.turn.title.setText(_turned(hand.turn))
        self.dynamics.setVisible(_has_dynamics(entry))
        self.turn.refresh()
        self.dynamics.refresh()

    def _show_presets(self) -> None:
        hands = self._bench.hands
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
            run_action(self._save_preset, self._bench)
        else:
            name = self.presets.itemText(index)
            self._bench.hands.take_preset(None if index == 0 else name)
        self._show_presets()


def _has_presets(entry: Tool) -> bool:
    return entry.is_brush and not entry.only_size


def _has_dynamics(entry: Tool) -> bool:
    return entry.is_brush and not entry.only_size and not entry.reshapes


def _turned(turn: Turn) -> str:
    parts = [f"{turn.angle_deg:.0f}°"] if turn.angle_deg else []
    if turn.scale != 1:
        parts.append(f"{turn.scale:.0%}")
    return " ".join(parts) or "Turned"
