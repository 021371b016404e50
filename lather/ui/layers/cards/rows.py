"""A row for each parameter, made from its declaration."""

from __future__ import annotations

import itertools
from typing import Any

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QWidget

from lather.actions.hand.taking import take
from lather.actions.workbench import Workbench
from lather.document import edits
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.parameters import Choice, Number
from lather.tools.table import tool
from lather.ui.parts.ruler import Ruler
from lather.ui.parts.theme import GAP_1
from lather.ui.parts.widgets import column_in, label

_gestures = itertools.count(1)
LOGARITHMIC_FROM = 30.0  # highest to lowest value


class Card(QWidget):
    """The parameters of one kind of layer; `show_layer` reads them back, a row sets them.

    All changes while the button is down are one step of the history.
    """

    def __init__(self, bench: Workbench, kind: type[ComputedLayer]) -> None:
        super().__init__()
        self.bench = bench
        self.kind = kind
        self.layer: ComputedLayer | None = None
        self.rulers: dict[str, Ruler] = {}
        self.choices: dict[str, QComboBox] = {}
        self._gesture = next(_gestures)
        self.rows = column_in(self, GAP_1)
        for name, spec in kind.TAKES.specs().items():
            if isinstance(spec, Number):
                self._add_ruler(name, spec)
            elif isinstance(spec, Choice):
                self._add_choice(name, spec)

    def show_layer(self, layer: ComputedLayer) -> None:
        """Read a layer's parameters back."""
        self.layer = layer
        for name, ruler in self.rulers.items():
            ruler.set_value(getattr(layer.parameters, name))
        for name, choice in self.choices.items():
            choice.setCurrentText(getattr(layer.parameters, name))

    def show_picture(self) -> None:
        """What lies below the layer has changed, or another one is shown."""

    def close_view(self) -> None:
        """Nothing to end."""

    def begin_gesture(self) -> None:
        """The changes that follow are a step of their own."""
        self._gesture = next(_gestures)

    def set_parameter(self, name: str, value: Any) -> None:
        if self.layer is None:
            return
        title = f"{self.kind.TITLE}: {self.kind.TAKES.specs()[name].title.lower()}"
        gesture = ("parameter", self.layer.id, name, self._gesture)
        try:
            self.bench.change(
                title, edits.set_parameter, self.layer.id, name, value, gesture=gesture
            )
        except Exception as error:  # noqa: BLE001 - the edge
            self.bench.report(error, "Setting it failed")

    def pick_button(self, text: str) -> QPushButton:
        """Takes the tool that picks from the picture for this layer."""
        button = QPushButton(text)
        button.setProperty("role", "compact")
        button.setToolTip(tool("pick").help)
        button.clicked.connect(self._take_pick)
        return button

    def add_pick(self, text: str) -> None:
        row = QHBoxLayout()
        row.addWidget(self.pick_button(text))
        row.addStretch(1)
        self.rows.addLayout(row)

    def _take_pick(self) -> None:
        self.bench.set_on_mask(False)
        take(self.bench, "pick")

    def _add_ruler(self, name: str, spec: Number) -> None:
        ruler = Ruler(
            spec.title, spec.low, spec.high, spec.unit, decimals=1,
            logarithmic=spec.low > 0 and spec.high / spec.low > LOGARITHMIC_FROM,
            also=self._in_mm if spec.unit == "px" else None,
        )  # fmt: skip
        ruler.setToolTip(spec.help)
        ruler.grabbed.connect(self.begin_gesture)
        ruler.moved.connect(lambda value: self.set_parameter(name, value))
        self.rulers[name] = ruler
        self.rows.addWidget(ruler)

    def _add_choice(self, name: str, spec: Choice) -> None:
        row = QHBoxLayout()
        choice = QComboBox()
        choice.setAccessibleName(spec.title)
        choice.setToolTip(spec.help)
        choice.addItems(spec.options)
        choice.textActivated.connect(lambda value: self._choose(name, value))
        row.addWidget(label(spec.title))
        row.addWidget(choice, 1)
        self.choices[name] = choice
        self.rows.addLayout(row)

    def _choose(self, name: str, value: str) -> None:
        self.begin_gesture()
        self.set_parameter(name, value)

    def _in_mm(self, value_px: float) -> str:
        mm_per_px = self.bench.state.findings.mm_per_px if self.bench.job is not None else None
        return "" if mm_per_px is None else f"{value_px * mm_per_px:.2f} mm"
