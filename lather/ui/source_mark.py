"""Where the brush would take from: a cross at the source, and the brush's own size around it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QColor, QPainter, QPen

from lather.actions.workbench import Workbench
from lather.tools.source import SourceGoes
from lather.tools.table import tool

ARM_PX = 6.0
MARGIN_PX = 4.0


def source_place(bench: Workbench, cursor: QPointF | None, ratio: float) -> QPointF | None:
    """Where the source lies in the widget now; None if there is none to show."""
    hand, geometry = bench.hand, bench.geometry
    if geometry is None or hand.source is None or not tool(hand.tool).uses_source:
        return None
    if hand.source_goes is SourceGoes.FRESH:
        return None
    x, y = hand.source.x, hand.source.y
    offset = hand.source.offset
    if hand.source_goes is SourceGoes.FOLLOWING and offset is not None and cursor is not None:
        at_x, at_y = geometry.to_photo(cursor.x() * ratio, cursor.y() * ratio)
        x, y = at_x + offset[0], at_y + offset[1]
    view_x, view_y = geometry.to_view(x, y)
    return QPointF(view_x, view_y) / ratio


def source_box(bench: Workbench, cursor: QPointF | None, ratio: float) -> QRectF | None:
    """What drawing the mark can touch, in widget coordinates."""
    place = source_place(bench, cursor, ratio)
    if place is None:
        return None
    reach = max(_radius(bench, ratio), ARM_PX) + MARGIN_PX
    return QRectF(place.x() - reach, place.y() - reach, 2 * reach, 2 * reach)


def draw_source(
    painter: QPainter, bench: Workbench, cursor: QPointF | None, ratio: float
) -> None:
    place = source_place(bench, cursor, ratio)
    if place is None:
        return
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    radius = _radius(bench, ratio)
    for colour, width in ((QColor(0, 0, 0, 150), 2.6), (QColor(255, 255, 255, 220), 1.2)):
        pen = QPen(colour, width)
        painter.setPen(pen)
        painter.drawLine(place - QPointF(ARM_PX, 0), place + QPointF(ARM_PX, 0))
        painter.drawLine(place - QPointF(0, ARM_PX), place + QPointF(0, ARM_PX))
        pen.setDashPattern([3, 3])
        painter.setPen(pen)
        painter.drawEllipse(place, radius, radius)


def _radius(bench: Workbench, ratio: float) -> float:
    zoom = bench.geometry.zoom if bench.geometry is not None else 1.0
    return bench.hand.brush.size_px / 2 * zoom / ratio
