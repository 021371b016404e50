"""Soft ranges of hue on one ruler, and what becomes of the one that is picked."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QToolButton

from lather.actions.workbench import Workbench
from lather.core.survey.regions.region import Region
from lather.document.layers.bracket import HueBracket
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.parameters import Number, Rows
from lather.document.state import JobState
from lather.render.worker import Executor
from lather.ui.layers.cards.hue_ruler import HueRuler
from lather.ui.layers.cards.rows import Card
from lather.ui.layers.cards.span_ruler import Span, SpanRuler
from lather.ui.parts.ruler import Ruler
from lather.ui.parts.theme import GAP_1
from lather.ui.parts.widgets import label

RANGES = "ranges"
ON_RULERS = {"middle_deg", "width_deg", "low_l", "high_l"}  # not rows of their own
WIDTH_DEG = 60.0  # of a bracket that is added by hand
REGIONS = (Region.SKIN, Region.LIPS, Region.HAIR, Region.CLOTHING, Region.BACKGROUND)


class RangesCard(Card):
    """For all kinds whose rows are `HueBracket`s."""

    def __init__(self, bench: Workbench, kind: type[ComputedLayer], executor: Executor) -> None:
        super().__init__(bench, kind)
        self._executor = executor
        spec = kind.TAKES.specs()[RANGES]
        assert isinstance(spec, Rows)
        self._spec = spec
        self._marked_of: object = None
        self.ruler = HueRuler()
        self.ruler.grabbed.connect(self.begin_gesture)
        self.ruler.chosen.connect(self._choose)
        self.ruler.moved.connect(self._move)
        self.ruler.added.connect(self._add)
        self.rows.addWidget(self.ruler)
        self.rows.addLayout(self._buttons())
        self.span: SpanRuler | None = None
        if "low_l" in spec.row.specs():
            self.span = SpanRuler("Lightness", soft=False)
            self.span.grabbed.connect(self.begin_gesture)
            self.span.moved.connect(self._set_span)
            self.rows.addWidget(self.span)
        for name, inner in spec.row.specs().items():
            if name not in ON_RULERS and isinstance(inner, Number):
                self._add_row_ruler(name, inner)

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(GAP_1)
        self.which = label("", "dim")
        row.addWidget(self.which)
        row.addStretch(1)
        row.addWidget(self.pick_button("pick"))
        self.region = QToolButton()
        self.region.setText("region")
        self.region.setAccessibleName("A range from a region")
        self.region.setToolTip("A range of the colours of a region.")
        self.region.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.region.setProperty("role", "compact")
        menu = QMenu(self.region)
        for region in REGIONS:
            entry = menu.addAction(region.label)
            assert entry is not None
            entry.triggered.connect(lambda checked, region=region: self._from_region(region))
        self.region.setMenu(menu)
        row.addWidget(self.region)
        self.remove = QPushButton("remove")
        self.remove.setProperty("role", "compact")
        self.remove.setToolTip("Take this range out.")
        self.remove.clicked.connect(self._remove)
        row.addWidget(self.remove)
        return row

    def _add_row_ruler(self, name: str, spec: Number) -> None:
        ruler = Ruler(spec.title, spec.low, spec.high, spec.unit, decimals=1)
        ruler.setToolTip(spec.help)
        ruler.grabbed.connect(self.begin_gesture)
        ruler.moved.connect(lambda value: self._set(**{name: value}))
        self.rulers[f"{RANGES}.{name}"] = ruler
        self.rows.addWidget(ruler)

    @property
    def ranges(self) -> list[HueBracket]:
        return list(getattr(self.layer.parameters, RANGES)) if self.layer is not None else []

    @property
    def picked(self) -> int:
        return min(self.ruler.picked, max(len(self.ranges) - 1, 0))

    def show_layer(self, layer: ComputedLayer) -> None:
        is_other = self.layer is None or layer.id != self.layer.id
        n_before = len(self.ranges)
        self.layer = layer
        ranges = self.ranges
        picked = self.picked
        if not is_other and len(ranges) > n_before:
            picked = len(ranges) - 1  # the one that was added
        self.ruler.show_brackets([(row.middle_deg, row.width_deg) for row in ranges], picked)
        row = ranges[picked] if ranges else None
        self.which.setText(f"range {picked + 1} of {len(ranges)}" if ranges else "no range yet")
        self.remove.setEnabled(row is not None)
        for key, ruler in self.rulers.items():
            ruler.setEnabled(row is not None)
            ruler.set_value(getattr(row, key.removeprefix(f"{RANGES}.")) if row is not None else 0)
        if self.span is not None:
            self.span.setEnabled(row is not None)
            low, high = (row.low_l, row.high_l) if row is not None else (0.0, 100.0)  # type: ignore[attr-defined]
            self.span.show_span((low, high, 6.0, 6.0))

    def show_picture(self) -> None:
        state = self.bench.state
        known = bool(state.regions.masks)
        self.region.setEnabled(known)
        if self._marked_of is not state.regions:
            self._marked_of = state.regions
            if known:
                self._executor.post(lambda: _marks(state), self.ruler.show_marks, priority=3)
            else:
                self.ruler.show_marks({})

    def _choose(self, n: int) -> None:
        self.ruler.picked = n
        if self.layer is not None:
            self.show_layer(self.layer)

    def _become(self, rows: list[HueBracket]) -> None:
        self.set_parameter(RANGES, rows)

    def _set(self, **values: Any) -> None:
        rows = self.ranges
        if rows:
            rows[self.picked] = replace(rows[self.picked], **values)
            self._become(rows)

    def _set_span(self, span: Span) -> None:
        self._set(low_l=span[0], high_l=span[1])

    def _move(self, n: int, middle: float, width: float) -> None:
        self.ruler.picked = n
        self._set(middle_deg=middle, width_deg=width)

    def _add(self, hue: float) -> None:
        found = {"middle_deg": round(hue, 1), "width_deg": WIDTH_DEG}
        row = self._spec.row.checked(found)
        assert isinstance(row, HueBracket)
        self._become([*self.ranges, row])

    def _remove(self) -> None:
        self.begin_gesture()
        rows = self.ranges
        del rows[self.picked]
        self._become(rows)

    def _from_region(self, region: Region) -> None:
        """As if all of the region had been picked."""
        if self.layer is None:
            return
        state, layer_id = self.bench.state, self.layer.id

        def found(picked: Any) -> None:
            from lather.assist.picking import apply_pick

            try:
                self.bench.change(f"Range from {region.label}", apply_pick, layer_id, picked, "rgb")
            except Exception as error:  # noqa: BLE001 - the edge
                self.bench.report(error, "Taking the range failed")

        self._executor.post(
            lambda: _picked_in(state, layer_id, region), found,
            failed=lambda error: self.bench.report(error, "Taking the range failed"), priority=2,
        )


def _marks(state: JobState) -> dict[str, float]:
    from lather.assist.hue_marks import hue_marks  # OpenCV is not loaded before

    return hue_marks(state)


def _picked_in(state: JobState, layer_id: int, region: Region) -> Any:
    from lather.assist.picking import picked_in_region

    return picked_in_region(state, layer_id, region)
