"""A proposal on the picture: dotted rims around what it would change, a strength handle on one."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPainterPath, QPen, QPolygonF

from lather.actions.work.proposing import set_strength
from lather.actions.workbench import Workbench
from lather.ui.parts.texts import draw
from lather.ui.parts.theme import SMALL, font, theme

KNOB_PX, GRIP_PX = 9.0, 16.0
FULL_DRAG_PX = 160.0  # of the pen, from nothing to everything
TURNED_PX = 46.0  # the handle's room for its figure


class ProposalMark:
    """Draws the proposal that is pending; its handle follows the pen until it is let go."""

    def __init__(self, bench: Workbench) -> None:
        self._bench = bench
        self._held: tuple[QPointF, float] | None = None  # from where, at which strength

    @property
    def busy(self) -> bool:
        return self._held is not None

    def press(self, position: QPointF, ratio: float) -> bool:
        """Take hold of the handle; False if the place is not on it."""
        knob = self._knob(ratio)
        pending = self._bench.pending
        if knob is None or pending is None or _away(knob, position) > GRIP_PX:
            return False
        self._held = position, pending.strength
        return True

    def move(self, position: QPointF) -> None:
        """To the right and up is more."""
        if self._held is not None and self._bench.pending is not None:
            start, strength = self._held
            moved = (position.x() - start.x()) - (position.y() - start.y())
            set_strength(self._bench, strength + moved / FULL_DRAG_PX)

    def release(self) -> None:
        self._held = None

    def draw(self, painter: QPainter, ratio: float) -> None:
        pending = self._bench.pending
        if pending is None or self._bench.geometry is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        path = QPainterPath()
        for outline in pending.outlines:
            path.addPolygon(QPolygonF([self._placed(x, y, ratio) for x, y in outline]))
            path.closeSubpath()
        painter.setPen(QPen(QColor(0, 0, 0, 120), 2.6))
        painter.drawPath(path)
        dotted = QPen(QColor(255, 255, 255, 235), 1.6)
        dotted.setDashPattern([0.1, 3.0])
        dotted.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(dotted)
        painter.drawPath(path)

    def draw_handle(self, painter: QPainter, ratio: float) -> None:
        """Above all else: it can be taken hold of."""
        knob, pending = self._knob(ratio), self._bench.pending
        if knob is not None and pending is not None:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._draw_knob(painter, knob, pending.strength)

    def _draw_knob(self, painter: QPainter, at: QPointF, strength: float) -> None:
        """A ring that is closed as far as the proposal is meant, with its figure beside it."""
        box = QRectF(at.x() - KNOB_PX, at.y() - KNOB_PX, 2 * KNOB_PX, 2 * KNOB_PX)
        plate = QRectF(at.x() - KNOB_PX - 4, at.y() - KNOB_PX - 4, 2 * KNOB_PX + 8 + TURNED_PX,
                       2 * KNOB_PX + 8)  # fmt: skip
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(0, 0, 0, 170))
        painter.drawRoundedRect(plate, KNOB_PX + 4, KNOB_PX + 4)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(255, 255, 255, 90), 3.0))
        painter.drawEllipse(box)
        painter.setPen(QPen(QColor(theme().accent), 3.0))
        painter.drawArc(box, 90 * 16, -round(360 * 16 * strength))
        painter.setFont(font(SMALL, QFont.Weight.DemiBold))
        painter.setPen(QColor(255, 255, 255))
        text = QRectF(box.right() + 4, plate.top(), TURNED_PX - 4, plate.height())
        draw(painter, text, f"{strength:.0%}")

    def _knob(self, ratio: float) -> QPointF | None:
        """At the upper right edge of the largest outline, inside of the view."""
        pending, geometry = self._bench.pending, self._bench.geometry
        if pending is None or geometry is None or not pending.outlines:
            return None
        if not pending.can_be_weakened:
            return None
        places = [self._placed(x, y, ratio) for x, y in pending.outlines[0]]
        at = max(places, key=lambda place: place.x() - place.y())
        width, height = geometry.view_width / ratio, geometry.view_height / ratio
        margin = KNOB_PX + 8
        return QPointF(
            min(max(at.x(), margin), width - margin - TURNED_PX),
            min(max(at.y(), margin), height - margin),
        )

    def _placed(self, x: float, y: float, ratio: float) -> QPointF:
        assert self._bench.geometry is not None
        sight = self._bench.photo_sight
        return QPointF(*sight.to_view(self._bench.geometry, x, y)) / ratio


def _away(one: QPointF, other: QPointF) -> float:
    return math.hypot(one.x() - other.x(), one.y() - other.y())
