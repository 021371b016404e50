"""Words on the picture: a small dark tag that can be read on any of it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter

from lather.ui.parts.texts import CENTRE, draw
from lather.ui.parts.theme import SMALL, font, theme

PADDING_PX = 6.0
HEIGHT_PX = 20.0


def draw_tag(painter: QPainter, at: QPointF, text: str, *, warning: bool = False) -> None:
    """Text to the right of a point, centred on its height, kept inside the view."""
    painter.setFont(font(SMALL))
    width = painter.fontMetrics().horizontalAdvance(text) + 2 * PADDING_PX
    view = painter.viewport()
    device = painter.device()
    ratio = device.devicePixelRatioF() if device is not None else 1.0
    x = min(max(at.x(), 2.0), view.width() / ratio - width - 2)
    y = min(max(at.y() - HEIGHT_PX / 2, 2.0), view.height() / ratio - HEIGHT_PX - 2)
    box = QRectF(x, y, width, HEIGHT_PX)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(0, 0, 0, 170))
    painter.drawRoundedRect(box, 4, 4)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QColor(theme().warning if warning else "#ffffff"))
    draw(painter, box, text, CENTRE)
