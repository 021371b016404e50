"""What a layer is limited to without a mask: a span of lightness, regions of the portrait."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QToolButton, QWidget

from lather.actions.workbench import Workbench
from lather.core.survey.regions.region import REGIONS_AND_PARTS, Part, Region
from lather.document import edits
from lather.document.layers.layer import Layer
from lather.document.layers.limits import OPEN, Limits, Span
from lather.ui.layers.cards import span_ruler
from lather.ui.layers.cards.span_ruler import SpanRuler
from lather.ui.parts.theme import GAP_1
from lather.ui.parts.widgets import column_in, label

_gestures = itertools.count(1)


class LimitsCard(QWidget):
    """The limits of one layer; `show_layer` reads them back."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.layer: Layer | None = None
        self._gesture = next(_gestures)
        self.span = SpanRuler("Shows on lightness")
        self.span.grabbed.connect(self._begin_gesture)
        self.span.moved.connect(self._set_span)
        self.regions = QToolButton()
        self.regions.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.regions.setAccessibleName("Regions in which the layer shows")
        self.regions.setToolTip("The layer shows in all that are ticked; none are: everywhere.")
        self.menu = QMenu(self.regions)
        for region in REGIONS_AND_PARTS:
            entry = self.menu.addAction(region.label)
            assert entry is not None
            entry.setCheckable(True)
            entry.triggered.connect(lambda checked, region=region: self._toggle(region))
        self.regions.setMenu(self.menu)
        self.open = QPushButton("no limits")
        self.open.setProperty("role", "compact")
        self.open.setToolTip("The layer shows everywhere again.")
        self.open.clicked.connect(self._open)
        column = column_in(self, GAP_1)
        column.addWidget(self.span)
        row = QHBoxLayout()
        row.addWidget(label("Regions"))
        row.addWidget(self.regions)
        row.addStretch(1)
        row.addWidget(self.open)
        column.addLayout(row)

    def show_layer(self, layer: Layer) -> None:
        self.layer = layer
        span, regions = layer.limits.span, layer.limits.regions
        self.span.show_span((span.low_l, span.high_l, span.soft_low_l, span.soft_high_l))
        known = bool(self.bench.state.regions.masks) or bool(regions)
        self.regions.setEnabled(known)
        named = ", ".join(region.label for region in regions)
        text = named if len(named) <= 22 else f"{len(regions)} regions"
        self.regions.setText(text or ("everywhere" if known else "survey first"))
        for entry, region in zip(self.menu.actions(), REGIONS_AND_PARTS, strict=True):
            entry.setChecked(region in regions)
        self.open.setEnabled(not layer.limits.are_open)

    def _begin_gesture(self) -> None:
        self._gesture = next(_gestures)

    def _set_span(self, span: span_ruler.Span) -> None:
        low, high, soft_low, soft_high = span
        self._become(lambda limits: replace(limits, span=Span(low, high, soft_low, soft_high)))

    def _toggle(self, region: Region | Part) -> None:
        self._begin_gesture()

        def toggled(limits: Limits) -> Limits:
            rest = tuple(one for one in limits.regions if one is not region)
            added = rest if region in limits.regions else (*rest, region)
            return replace(limits, regions=added)

        self._become(toggled)

    def _open(self) -> None:
        self._begin_gesture()
        self._become(lambda _: OPEN)

    def _become(self, changed: Callable[[Limits], Limits]) -> None:
        if self.layer is None:
            return
        try:
            self.bench.change(
                "Limits", edits.set_limits, self.layer.id, changed(self.layer.limits),
                gesture=("limits", self.layer.id, self._gesture),
            )
        except Exception as error:  # noqa: BLE001 - the edge
            self.bench.report(error, "Setting the limits failed")
