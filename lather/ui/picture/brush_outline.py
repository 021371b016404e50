"""The brush's outline under the pen: rim and hardness ring, light on dark on any picture."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPixmap

from lather.actions.workbench import Workbench
from lather.tools.table import tool

SMALLEST_RADIUS_PX = 3.0
CROSS_PX = 5.0
MARGIN_PX = 6.0
LARGEST_KEPT_PX = 800.0


class BrushOutline:
    """Draws the outline of the brush in hand; the rings are kept as a picture while they stay.

    Smooth circles cost more than all other drawing of a pen event together.
    """

    def __init__(self) -> None:
        self._kept: tuple[tuple[float, float, float], QPixmap] | None = None

    def box(self, bench: Workbench, at: QPointF, ratio: float) -> QRectF:
        """What drawing at a place can touch, in widget coordinates."""
        reach = max(self._radius(bench, ratio), 2 * CROSS_PX) + MARGIN_PX
        return QRectF(at.x() - reach, at.y() - reach, 2 * reach, 2 * reach)

    def draw(self, painter: QPainter, bench: Workbench, at: QPointF, ratio: float) -> None:
        if not tool(bench.hand.tool).is_brush:
            self._cross(painter, at)
            return
        radius = self._radius(bench, ratio)
        if radius > LARGEST_KEPT_PX:
            self._rings(painter, bench, at, radius)
            return
        key = (round(radius, 2), bench.hand.brush.hardness, ratio)
        if self._kept is None or self._kept[0] != key:
            side = self.box(bench, at, ratio).width()
            picture = QPixmap(round(side * ratio), round(side * ratio))
            picture.setDevicePixelRatio(ratio)
            picture.fill(Qt.GlobalColor.transparent)
            inner = QPainter(picture)
            self._rings(inner, bench, QPointF(side / 2, side / 2), radius)
            inner.end()
            self._kept = key, picture
        picture = self._kept[1]
        half = QPointF(picture.width(), picture.height()) / (2 * ratio)
        painter.drawPixmap(at - half, picture)

    @staticmethod
    def _cross(painter: QPainter, at: QPointF) -> None:
        """The point that a tool without a brush acts at."""
        for colour, width in ((QColor(0, 0, 0, 160), 2.8), (QColor(255, 255, 255, 235), 1.2)):
            painter.setPen(QPen(colour, width))
            for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                away = QPointF(dx, dy)
                painter.drawLine(at + away * 2, at + away * 2 * CROSS_PX)

    def _rings(
        self, painter: QPainter, bench: Workbench, at: QPointF, radius: float
    ) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        self._ring(painter, at, max(radius, SMALLEST_RADIUS_PX), 255)
        hard = radius * bench.hand.brush.hardness
        if SMALLEST_RADIUS_PX < hard < radius - 2:
            self._ring(painter, at, hard, 110)
        if radius < SMALLEST_RADIUS_PX:
            for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                away = QPointF(dx, dy)
                painter.drawLine(at + away * SMALLEST_RADIUS_PX, at + away * 2 * CROSS_PX)

    @staticmethod
    def _ring(painter: QPainter, at: QPointF, radius: float, opacity: int) -> None:
        painter.setPen(QPen(QColor(0, 0, 0, opacity * 6 // 10), 2.6))
        painter.drawEllipse(at, radius, radius)
        painter.setPen(QPen(QColor(255, 255, 255, opacity), 1.2))
        painter.drawEllipse(at, radius, radius)

    @staticmethod
    def _radius(bench: Workbench, ratio: float) -> float:
        zoom = bench.geometry.zoom if bench.geometry is not None else 1.0
        return bench.hand.brush.size_px / 2 * zoom / ratio
