"""The brush of the tool in hand, on rulers with advice; what it acts on; what is rarer, folded."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QLabel, QWidget

from lather.actions.action import Action
from lather.actions.hand.hands import LARGEST_SIZE_PX, SMALLEST_SIZE_PX
from lather.actions.keymap import keys_of
from lather.actions.layers.area import has_area
from lather.actions.layers.layer import takes_no_paint
from lather.actions.workbench import Workbench
from lather.core.area.combine import Combine
from lather.core.mend.mode import MendMode
from lather.core.survey.findings.finding import MOST_BROKEN
from lather.core.survey.regions.region import Part, Region
from lather.document.state import JobState
from lather.tools.advice import brush_advice
from lather.tools.base import Tool
from lather.tools.table import tool
from lather.ui.hand.choices import ChoiceRow, CommandRow, combo
from lather.ui.hand.colour_row import ColourRow
from lather.ui.hand.rare_rows import RareRows
from lather.ui.hand.shape_rows import ShapeRows
from lather.ui.parts.ruler import Ruler
from lather.ui.parts.theme import GAP_1, GAP_2, GAP_4, SMALL, line_px
from lather.ui.parts.widgets import CommandButton, column_in, label

if TYPE_CHECKING:
    from lather.core.mend.rim import RimTest
    from lather.core.shape.features import Feature

_PERCENT = ("opacity", "flow", "hardness")
_AREA = (
    ("area.shrink", "–"), ("area.grow", "+"), ("area.feather", "soft"),
    ("area.invert", "invert"), ("area.clear", "none"),
)  # fmt: skip
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
REGION_TEXTS: dict[Region | Part, str] = {
    **{region: f"Correct the mask of: {region.label}." for region in Region},
    **{part: f"Where the skin is {part.label}: by the face's handles." for part in Part},
}


class ToolCard(QWidget):
    """Shows and sets the hand of the workbench."""

    def __init__(self, bench: Workbench, actions: dict[str, Action]) -> None:
        super().__init__()
        self.bench = bench
        self._feature: Feature | None = None  # under the brush
        self._broken = (False, 0.0)  # under the brush, and the share of the area's rim
        self._cut_free = actions["mend.cut_free"]
        self.column = column_in(self, GAP_1)
        self.rulers = {
            "size_px": Ruler("Size", SMALLEST_SIZE_PX, LARGEST_SIZE_PX, "px", logarithmic=True),
            **{name: Ruler(name.capitalize(), 0, 100, "%") for name in _PERCENT},
        }
        self._add_rulers()
        self.advice_line = self._add_advice_line()
        self.colours = ColourRow(bench, actions)
        self.modes = ChoiceRow("Acts on", MODE_TEXTS, bench.hands.set_mode)
        self.region = combo(
            "Region", REGION_TEXTS, bench.hands.set_region, lambda region: region.label
        )
        self.combine = ChoiceRow("Area", COMBINE_TEXTS, bench.hands.set_combine)
        self.area_row = CommandRow("Rim", _AREA, bench, actions)
        self.shape = ShapeRows(bench, actions)
        self.more = CommandButton(actions["brush.more"], bench)
        self.more.setProperty("role", "fold")
        self.rare = RareRows(bench, actions)
        for part in (self.colours, self.modes, self.region, self.combine, self.area_row,
                     self.shape):  # fmt: skip
            self.column.addWidget(part)
        self.column.addSpacing(GAP_1)
        self.column.addWidget(self.more)
        self.column.addWidget(self.rare)
        self.column.addStretch(1)
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
        self.rulers["size_px"].set_value(brush.size_px)
        for name in _PERCENT:
            self.rulers[name].set_value(round(100 * getattr(brush, name)))
        for name, ruler in self.rulers.items():
            ruler.set_advice(advice.get(name))
            ruler.setVisible(entry.uses(name))
        self.rulers["flow"].set_title("Give" if entry.reshapes else "Flow")
        self.shape.show_hand(entry, hand, advice)
        self.modes.setVisible(entry.uses_mode)
        self.modes.show_choice(hand.mode)
        self.region.setVisible(entry.uses_region or entry.id == "hold")
        self.region.setCurrentIndex(list(REGION_TEXTS).index(hand.region))
        self.combine.setVisible(entry.uses_combine)
        self._show_combine(entry.uses_region, hand.combine)
        outlines = entry.uses_combine and not entry.uses_region
        self.area_row.setVisible(outlines or has_area(self.bench))
        self.area_row.refresh()
        self.colours.setVisible(entry.uses_colour and not hand.on_mask)
        self.colours.refresh()
        self.advice_line.setText(self._advice_text())
        self._show_rare(entry)
        self.rare.show_hand(entry, hand, advice)

    def wished_px(self) -> int:
        """Its height with two lines of advice and a row of choices."""
        rows = self.modes.sizeHint().height() + self.more.sizeHint().height()
        ruler_px = self.rulers["size_px"].sizeHint().height()
        return 2 * (ruler_px + line_px(SMALL)) + rows + GAP_2 + 5 * GAP_1

    def close_view(self) -> None:
        self.bench.hands.changed.disconnect(self.reset)
        self.bench.job_changed.disconnect(self._on_job_changed)
        self.bench.walk.moved.disconnect(self.reset)
        self.bench.job_opened.disconnect(self.reset)
        self.bench.settings.changed.disconnect(self._on_setting_changed)

    def show_feature(self, feature: Feature | None) -> None:
        """The feature under the brush says how large that is to be."""
        self._feature = feature
        entry, job = tool(self.bench.hand.tool), self.bench.job
        if entry.reshapes and job is not None:
            advice = brush_advice(entry.id, job.state, feature=feature)
            self.rulers["size_px"].set_advice(advice.get("size_px"))
            self.advice_line.setText(self._advice_text())

    def show_rims(self, cursor: RimTest | None, area: Sequence[RimTest]) -> None:
        """A broken rim under the brush, or of the area, is the advice while it is there."""
        under_brush = cursor is not None and cursor.share > MOST_BROKEN
        of_area = max((rim.share for rim in area), default=0.0)
        shown = under_brush, of_area if of_area > AREA_BROKEN else 0.0
        if shown != self._broken:
            self._broken = shown
            self.advice_line.setText(self._advice_text())

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        other = before.active_id != after.active_id or before.findings is not after.findings
        if other or (before.area is None) != (after.area is None):
            self.reset()

    def _show_combine(self, on_region: bool, combine: Combine) -> None:
        """A region is only added to or taken from."""
        self.combine.show_choice(combine)
        for button in self.combine.buttons:
            choice = button.property("choice")
            button.setVisible(not on_region or choice in (Combine.ADD, Combine.TAKE))
            if on_region and choice is Combine.ADD:
                button.setChecked(combine is not Combine.TAKE)
        self.combine.title.setText("Paint" if on_region else "Area")

    def _show_rare(self, entry: Tool) -> None:
        self.more.setVisible(RareRows.are_wanted(entry))
        self.more.refresh()
        unfolded = bool(self.bench.settings["more_of_hand"])
        self.more.setText("–  Less of the brush" if unfolded else "+  More of the brush")
        self.rare.setVisible(unfolded and RareRows.are_wanted(entry))

    def _advice_text(self) -> str:
        """The first advice that the brush does not follow, or what the tool does."""
        under_brush, of_area = self._broken
        entry = tool(self.bench.hand.tool)
        if under_brush and entry.tests_rim:
            return BROKEN_RIM_ADVICE
        if of_area and entry.uses_combine and not entry.uses_region:
            keys = ", ".join(keys_of(self._cut_free, self.bench.settings))
            return f"{of_area:.0%} of the rim crosses an edge. {self._cut_free.title} ({keys}) " \
                "copies along it first."
        if entry.paints and takes_no_paint(self.bench, entry):
            return "This layer takes no paint: a stroke goes on a layer of its own."
        for ruler in self.rulers.values():
            if ruler.advice is not None and not ruler.advised:
                return f"{ruler.title}: {ruler.advice.reason}"
        return entry.help

    def _on_moved(self, name: str, value: float) -> None:
        self.bench.hands.set_brush(**{name: value if name == "size_px" else value / 100})

    def _on_setting_changed(self, key: str) -> None:
        if key in ("pen_hand", "keys", "appearance", "more_of_hand"):
            self.reset()

    def _add_rulers(self) -> None:
        """Two by two; size where it has most room, for precision counts there."""
        grid = QGridLayout()
        grid.setHorizontalSpacing(GAP_4)
        grid.setVerticalSpacing(GAP_1)
        for name, ruler in self.rulers.items():
            ruler.moved.connect(lambda value, name=name: self._on_moved(name, value))
        for index, name in enumerate(("size_px", "opacity", "flow", "hardness")):
            grid.addWidget(self.rulers[name], *divmod(index, 2))
        grid.setColumnStretch(0, 4)
        grid.setColumnStretch(1, 3)
        self.column.addLayout(grid)
        self.column.addSpacing(GAP_2)

    def _add_advice_line(self) -> QLabel:
        text = label("", "dim")
        text.setWordWrap(True)
        text.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.column.addWidget(text)
        return text
