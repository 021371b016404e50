"""Split: its radius, with what this skin's own spectrum says of it."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from lather.actions.workbench import Workbench
from lather.document.layers.split import SplitLayer
from lather.document.state import JobState
from lather.errors import LatherError
from lather.render.worker import Executor
from lather.tools.advice import Advice
from lather.ui.layers.cards.rows import Card
from lather.ui.parts.texts import CENTRE, RIGHT, draw
from lather.ui.parts.theme import SMALL, font, line_px, theme
from lather.ui.parts.widgets import label

if TYPE_CHECKING:
    from lather.core.tone.radius import Radius

AROUND = 1.15  # times the proposed radius: what is advised
SPECTRUM_HEIGHT_PX, LEAST_SHOWN = 56, 1e-3


class SplitCard(Card):
    """The radius on a ruler; the advised range comes from a measurement aside."""

    def __init__(self, bench: Workbench, executor: Executor) -> None:
        super().__init__(bench, SplitLayer)
        self._executor = executor
        self._measured_on: object = None
        self.radius: Radius | None = None
        self.spectrum = Spectrum()
        self.said = label("", "dim")
        self.said.setWordWrap(True)
        self.use = QPushButton("Use it")
        self.use.setToolTip("Set the radius to what was measured.")
        self.use.clicked.connect(self._use)
        self.rows.addWidget(self.spectrum)
        row = QHBoxLayout()
        row.addWidget(self.said, 1)
        row.addWidget(self.use)
        self.rows.addLayout(row)
        self._show(None, "")

    def show_picture(self) -> None:
        state = self.bench.state
        looked_at = (state.photo, state.regions, state.findings.mm_per_px)
        if self.layer is None or looked_at == self._measured_on:
            return
        self._measured_on = looked_at
        self._show(None, "Measuring this skin…")
        self._executor.post(lambda: _measured(state), self._arrived, priority=3)

    def _arrived(self, outcome: tuple[JobState, Radius | None, str, str]) -> None:
        state, radius, why, body = outcome
        if self._measured_on == (state.photo, state.regions, state.findings.mm_per_px):
            self._show(radius, why, body)

    def _show(self, radius: Radius | None, why: str, body: str = "") -> None:
        self.radius = radius
        self.spectrum.show_radius(radius)
        self.spectrum.setVisible(radius is not None)
        self.use.setVisible(radius is not None)
        advice = None
        if radius is not None:
            why = f"{radius.sigma_px:g} px leaves nothing of the pores in the tone. {body}".rstrip()
            reason = "the smallest radius whose tone holds no pores of this skin"
            advice = Advice(radius.sigma_px / AROUND, radius.sigma_px * AROUND, reason)
        self.rulers["sigma_px"].set_advice(advice)
        self.said.setText(why)

    def _use(self) -> None:
        if self.radius is not None:
            self.begin_gesture()
            self.set_parameter("sigma_px", self.radius.sigma_px)


def _measured(state: JobState) -> tuple[JobState, Radius | None, str, str]:
    """The radius for all skin, or why there is none; what to say of the body's, if it differs."""
    from lather.assist.split_radius import body_radius_text, split_radius  # OpenCV: not before

    try:
        radius = split_radius(state)
    except LatherError as error:
        return state, None, error.sentence(), ""
    return state, radius, "", body_radius_text(state, radius)


class Spectrum(QWidget):
    """How much of the pores is left in the tone, by radius, and where next to nothing is."""

    def __init__(self) -> None:
        super().__init__()
        self._radius: Radius | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Pores left in the tone, by radius")

    def sizeHint(self) -> QSize:
        return QSize(160, SPECTRUM_HEIGHT_PX)

    def show_radius(self, radius: Radius | None) -> None:
        self._radius = radius
        if radius is not None:
            self.setToolTip(
                f"Pore-scale energy left in the tone, by radius: at {radius.sigma_px:g} px less "
                f"than {100 * radius.most_left:g} %."
            )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._radius is None:
            return
        painter, t = QPainter(self), theme()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        width, height = self.width(), self.height() - line_px(SMALL)
        painter.fillRect(0, 0, width, height, QColor(t.groove))
        sigmas, left = self._radius.sigmas_px, self._radius.left
        low, high = sigmas[0], sigmas[-1]

        def place(sigma: float, share: float) -> QPointF:
            across = math.log(sigma / low) / max(math.log(high / low), 1e-9)
            down = math.log(max(share, LEAST_SHOWN)) / math.log(LEAST_SHOWN)
            return QPointF(2 + across * (width - 4), 3 + down * (height - 6))

        line = QPolygonF([place(s, share) for s, share in zip(sigmas, left, strict=True)])
        painter.setPen(QPen(QColor(t.text), 1.5))
        painter.drawPolyline(line)
        chosen = place(self._radius.sigma_px, self._radius.most_left)
        painter.setPen(QPen(QColor(t.accent), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(chosen.x(), 0), QPointF(chosen.x(), height))
        painter.setBrush(QColor(t.accent))
        painter.drawEllipse(chosen, 3.5, 3.5)
        painter.setPen(QColor(t.dim))
        painter.setFont(font(SMALL))
        foot = QRectF(2, height, width - 4, self.height() - height)
        draw(painter, foot, f"{low:g} px")
        draw(painter, foot, "pores left in the tone", CENTRE)
        draw(painter, foot, f"{high:.0f} px", RIGHT)


def make(bench: Workbench, executor: Executor) -> Card:
    return SplitCard(bench, executor)
