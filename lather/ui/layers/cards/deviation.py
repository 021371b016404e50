"""A curve as what it adds: a rise or fall from a level line, over the histogram."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from lather.core.adjust.curves import curve_through
from lather.document.layers.parameters import LEAST_APART, LEVEL, Points
from lather.ui.parts.texts import CENTRE, RIGHT, draw
from lather.ui.parts.theme import SMALL, font, theme

HEIGHT_PX, FOOT_PX, MARGIN_PX = 128, 16, 6
REACH = 0.5  # what is added at the upper and lower border
CATCH_PX, OUT_PX, HANDLE_PX = 12.0, 34.0, 4.5
STEP, LARGE_STEP = 0.005, 0.02


class DeviationRuler(QWidget):
    """Points are dragged up for more and down for less; a press on the line adds one, dragging it
    out of the ruler, or Delete, takes it away. Arrow keys move the one picked last."""

    grabbed = pyqtSignal()
    moved = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.points: Points = LEVEL
        self._columns = QPainterPath()
        self._picked: int | None = None
        self._dragging = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Curve: what it adds")
        self.setToolTip("Drag up for lighter, down for darker. Press on the line for another "
                        "point; drag it out to take it away.")  # fmt: skip

    def sizeHint(self) -> QSize:
        return QSize(200, HEIGHT_PX)

    def show_points(self, points: Points) -> None:
        self.points = points
        if self._picked is not None and self._picked >= len(points):
            self._picked = None
        self.update()

    def show_histogram(self, histogram: np.ndarray | None) -> None:
        """Heights 0-1 of as many columns as there are."""
        self._columns = _columns(histogram)
        self.update()

    @property
    def _field(self) -> QRectF:
        return QRectF(MARGIN_PX, 1, self.width() - 2 * MARGIN_PX, self.height() - FOOT_PX - 2)

    def _place(self, x: float, y: float) -> QPointF:
        return self._places(np.array([x]), np.array([y]))[0]

    def _places(self, xs: np.ndarray, ys: np.ndarray) -> list[QPointF]:
        field = self._field
        across = field.left() + xs * field.width()
        down = field.top() + (0.5 - (ys - xs) / (2 * REACH)) * field.height()
        return list(map(QPointF, across.tolist(), down.tolist()))

    def _value(self, place: QPointF) -> tuple[float, float]:
        field = self._field
        x = min(max((place.x() - field.left()) / field.width(), 0.0), 1.0)
        added = (0.5 - (place.y() - field.top()) / field.height()) * 2 * REACH
        return x, min(max(x + added, 0.0), 1.0)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, t, field = QPainter(self), theme(), self._field
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(field, QColor(t.groove))
        self._draw_histogram(painter)
        painter.setPen(QPen(QColor(t.line), 1))
        for share in (0.25, 0.5, 0.75):
            x = field.left() + share * field.width()
            painter.drawLine(QPointF(x, field.top()), QPointF(x, field.bottom()))
        painter.setPen(QPen(QColor(t.dim), 1, Qt.PenStyle.DotLine))
        painter.drawLine(self._place(0, 0), self._place(1, 1))
        xs = np.linspace(0, 1, 160)
        heights = curve_through(self.points, xs)
        painter.setClipRect(field)
        painter.setPen(QPen(QColor(t.accent), 2))
        painter.drawPolyline(QPolygonF(self._places(xs, heights)))
        painter.setClipping(False)
        for n, (x, y) in enumerate(self.points):
            picked = n == self._picked and (self._dragging or self.hasFocus())
            painter.setPen(QPen(QColor(t.window), 1))
            painter.setBrush(QColor(t.accent if picked else t.text))
            painter.drawEllipse(self._within(self._place(x, y)), HANDLE_PX, HANDLE_PX)
        self._draw_figures(painter)

    def _within(self, place: QPointF) -> QPointF:
        field = self._field
        return QPointF(place.x(), min(max(place.y(), field.top()), field.bottom()))

    def _draw_histogram(self, painter: QPainter) -> None:
        """Of unit columns and heights, as it is kept, drawn to the field's size."""
        field = self._field
        painter.save()
        painter.translate(field.bottomLeft())
        painter.scale(field.width(), -0.8 * field.height())
        painter.fillPath(self._columns, QColor(theme().raised))
        painter.restore()

    def _draw_figures(self, painter: QPainter) -> None:
        """Of the point picked last: where it is, and what it adds."""
        painter.setFont(font(SMALL))
        painter.setPen(QColor(theme().dim))
        foot = QRectF(MARGIN_PX, self.height() - FOOT_PX, self.width() - 2 * MARGIN_PX, FOOT_PX)
        if self._picked is None:
            draw(painter, foot, "dark")
            draw(painter, foot, "light", RIGHT)
            draw(painter, foot, "what it adds", CENTRE)
            return
        x, y = self.points[self._picked]
        painter.setPen(QColor(theme().text))
        draw(painter, foot, f"at {100 * x:.0f} %:  {100 * (y - x):+.1f} %", CENTRE)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self.grabbed.emit()
        self._picked = self._nearest(event.position())
        if self._picked is None:
            self._picked = self._added(*self._value(event.position()))
        self._dragging = self._picked is not None
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if not self._dragging or self._picked is None:
            return
        inner = 0 < self._picked < len(self.points) - 1
        away = self.rect().adjusted(0, -int(OUT_PX), 0, int(OUT_PX))
        if inner and not away.contains(event.position().toPoint()):
            self._take_away()
            return
        self._move_to(*self._value(event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: ARG002
        self._dragging = False
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0),
                 Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}  # fmt: skip
        key = Qt.Key(event.key())
        if key in steps:
            large = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.grabbed.emit()
            self._nudge(*steps[key], LARGE_STEP if large else STEP)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self._picked is not None:
            self.grabbed.emit()
            if 0 < self._picked < len(self.points) - 1:
                self._take_away()
        else:
            super().keyPressEvent(event)

    def _nudge(self, across: int, up: int, step: float) -> None:
        if self._picked is None:
            middle = float(curve_through(self.points, np.array([0.5]))[0])
            self._picked = self._added(0.5, middle)
        if self._picked is None:
            return  # there is a point in the middle: it has to be picked first
        x, y = self.points[self._picked]
        self._move_to(x + across * step, y + (across + up) * step)

    def _nearest(self, position: QPointF) -> int | None:
        away = [
            (self._within(self._place(x, y)) - position).manhattanLength() for x, y in self.points
        ]
        best = int(np.argmin(away))
        return best if away[best] < CATCH_PX else None

    def _added(self, x: float, y: float) -> int | None:
        n = next((n for n, point in enumerate(self.points) if point[0] > x), len(self.points))
        if n in (0, len(self.points)):
            return None
        left, right = self.points[n - 1][0] + 2 * LEAST_APART, self.points[n][0] - 2 * LEAST_APART
        if not left < x < right:
            return None
        self._become((*self.points[:n], (x, y), *self.points[n:]))
        return n

    def _move_to(self, x: float, y: float) -> None:
        n = self._picked
        assert n is not None
        last = len(self.points) - 1
        if n in (0, last):
            x = self.points[n][0]
        else:
            apart = 2 * LEAST_APART
            x = min(max(x, self.points[n - 1][0] + apart), self.points[n + 1][0] - apart)
        moved = x, min(max(y, 0.0), 1.0)
        self._become((*self.points[:n], moved, *self.points[n + 1 :]))

    def _take_away(self) -> None:
        n = self._picked
        assert n is not None
        self._picked, self._dragging = None, False
        self._become((*self.points[:n], *self.points[n + 1 :]))

    def _become(self, points: Points) -> None:
        if points != self.points:
            self.points = points
            self.moved.emit(points)
            self.update()


def _columns(histogram: np.ndarray | None) -> QPainterPath:
    """Columns side by side from 0 to 1, of heights 0-1; none of no histogram."""
    path = QPainterPath()
    heights = [] if histogram is None else histogram.tolist()
    for n, height in enumerate(heights):
        path.lineTo(n / len(heights), height)
        path.lineTo((n + 1) / len(heights), height)
    if heights:
        path.lineTo(1, 0)
    return path
