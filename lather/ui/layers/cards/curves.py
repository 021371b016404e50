"""Curves: what each adds, as a rise and fall from a level line over the histogram."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton

from lather.actions.workbench import Workbench
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.curves import CurvesLayer
from lather.document.layers.parameters import LEVEL, Points
from lather.document.state import JobState
from lather.render.compositor import deepest_level, render
from lather.render.worker import Executor
from lather.ui.layers.cards.deviation import DeviationRuler
from lather.ui.layers.cards.rows import Card
from lather.ui.parts.theme import GAP_1

NAMES = {"rgb": "all", "red": "red", "green": "green", "blue": "blue", "lightness": "light"}
N_BINS, SEEN_PX = 64, 512


class CurvesCard(Card):
    """One curve at a time, chosen above it."""

    def __init__(self, bench: Workbench, executor: Executor) -> None:
        super().__init__(bench, CurvesLayer)
        self._executor = executor
        self._histograms: dict[str, np.ndarray] = {}
        self.shown = "rgb"
        self.ruler = DeviationRuler()
        self.ruler.grabbed.connect(self.begin_gesture)
        self.ruler.moved.connect(lambda points: self.set_parameter(self.shown, points))
        self.buttons = QButtonGroup(self)
        row = QHBoxLayout()
        row.setSpacing(GAP_1)
        specs = CurvesLayer.TAKES.specs()
        for name, short in NAMES.items():
            button = QPushButton(short)
            button.setCheckable(True)
            button.setChecked(name == self.shown)
            button.setProperty("role", "compact")
            button.setToolTip(specs[name].help)
            button.clicked.connect(lambda checked, name=name: self._choose_curve(name))
            self.buttons.addButton(button)
            row.addWidget(button)
        self.level = QPushButton("level")
        self.level.setProperty("role", "compact")
        self.level.setToolTip("This curve adds nothing again.")
        self.level.clicked.connect(self._make_level)
        row.addStretch(1)
        row.addWidget(self.pick_button("pick"))
        row.addWidget(self.level)
        self.rows.addLayout(row)
        self.rows.addWidget(self.ruler)

    def show_layer(self, layer: ComputedLayer) -> None:
        super().show_layer(layer)
        points: Points = getattr(layer.parameters, self.shown)
        self.ruler.show_points(points)
        self.level.setEnabled(points != LEVEL)

    def show_picture(self) -> None:
        if self.layer is None:
            return
        state, layer_id = self.bench.state, self.layer.id
        self._executor.post(lambda: _histograms(state, layer_id), self._arrived, priority=3)

    def _arrived(self, histograms: dict[str, np.ndarray]) -> None:
        self._histograms = histograms
        self.ruler.show_histogram(histograms.get(self.shown))

    def _choose_curve(self, name: str) -> None:
        self.shown = name
        self.bench.hands.set_curve(name)
        self.ruler.show_histogram(self._histograms.get(name))
        if self.layer is not None:
            self.show_layer(self.layer)

    def _make_level(self) -> None:
        self.begin_gesture()
        self.set_parameter(self.shown, LEVEL)


def _histograms(state: JobState, layer_id: int) -> dict[str, np.ndarray]:
    """By curve: how much of the picture has which value, of the layers below, the most as 1."""
    from lather.core.colour.lab import luma
    from lather.document import edits

    if not any(layer.id == layer_id for layer in state.layers):
        below = state  # inside of a group: all that shows is near enough
    else:
        below = edits.set_visible(state, layer_id, False)
    level = deepest_level(state.photo, SEEN_PX)
    pixels = render(below, state.photo.rect.at_level(level), level)
    colour = pixels[pixels[..., 3] > 0][:, :3]
    planes = {"red": colour[:, 0], "green": colour[:, 1], "blue": colour[:, 2],
              "lightness": luma(colour), "rgb": colour.ravel()}  # fmt: skip
    counted = {}
    for name, values in planes.items():
        counts = np.histogram(values, N_BINS, (0, 1))[0].astype(np.float64)
        counted[name] = np.sqrt(counts / max(counts.max(), 1))
    return counted


def make(bench: Workbench, executor: Executor) -> Card:
    return CurvesCard(bench, executor)
