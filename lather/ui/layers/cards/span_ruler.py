"""A span of lightness with two soft ends, drawn over a ramp from black to white."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QKeyEvent,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from lather.ui.parts.texts import RIGHT, draw
from lather.ui.parts.theme import BODY, SMALL, font, theme

HEIGHT_PX, TITLE_PX, RAMP_PX, MARGIN_PX = 62, 18, 8, 6
HANDLE_PX, CATCH_PX, STEP_L = 4.0, 10.0, 1.0
MOST_SOFT_L = 50.0

Span = tuple[float, float, float, float]  # low, high, and how soft each is, in L*


class SpanRuler(QWidget):
    """The lower dots move the ends, the upper ones make them softer. Arrow keys move the one that
    was picked last."""

    grabbed = pyqtSignal()
    moved = pyqtSignal(object)

    def __init__(self, title: str, *, soft: bool = True) -> None:
        super().__init__()
        self.span: Span = (0.0, 100.0, 6.0, 6.0)
        self._title = title
        self._soft = soft
        self._picked: int | None = None
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(title)
        more = " Drag an upper dot for a softer end." if soft else ""
        self.setToolTip(f"Drag the ends: only this lightness counts.{more}")

    def sizeHint(self) -> QSize:
        return QSize(160, HEIGHT_PX)

    def show_span(self, span: Span) -> None:
        if span != self.span:
            self.span = span
            self.setAccessibleDescription(self.figure)
            self.update()

    @property
    def figure(self) -> str:
        low, high, *_ = self.span
        if low <= 0 and high >= 100:
            return "all"
        return f"L* {low:.0f} to {high:.0f}"

    def _x(self, light: float) -> float:
        return MARGIN_PX + min(max(light, 0), 100) / 100 * (self.width() - 2 * MARGIN_PX)

    @property
    def _field(self) -> QRectF:
        width, height = self.width() - 2 * MARGIN_PX, HEIGHT_PX - TITLE_PX - RAMP_PX - 6
        return QRectF(MARGIN_PX, TITLE_PX + 2, width, height)

    def _handles(self) -> list[QPointF]:
        """Low end, high end, and of each end where it is all there."""
        low, high, soft_low, soft_high = self.span
        top, bottom = self._field.top(), self._field.bottom()
        ends = [QPointF(self._x(low), bottom), QPointF(self._x(high), bottom)]
        if self._soft:
            ends += [QPointF(self._x(low + soft_low), top), QPointF(self._x(high - soft_high), top)]
        return ends

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: ARG002
        painter, t, field = QPainter(self), theme(), self._field
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(BODY))
        painter.setPen(QColor(t.text))
        line = QRectF(0, 0, self.width(), TITLE_PX)
        draw(painter, line, self._title)
        painter.setFont(font(SMALL))
        draw(painter, line, self.figure, RIGHT)
        painter.fillRect(field, QColor(t.groove))
        ramp = QRectF(field.left(), field.bottom() + 3, field.width(), RAMP_PX)
        shades = QLinearGradient(ramp.topLeft(), ramp.topRight())
        shades.setColorAt(0, QColor(0, 0, 0))
        shades.setColorAt(1, QColor(255, 255, 255))
        painter.fillRect(ramp, shades)
        low, high, soft_low, soft_high = self.span
        left, right = field.left(), field.right()
        rise = [QPointF(left, field.top())] if low <= 0 else [
            QPointF(self._x(low - soft_low), field.bottom()),
            QPointF(self._x(low + soft_low), field.top()),
        ]  # fmt: skip
        fall = [QPointF(right, field.top())] if high >= 100 else [
            QPointF(self._x(high - soft_high), field.top()),
            QPointF(self._x(high + soft_high), field.bottom()),
        ]  # fmt: skip
        first, last = QPointF(rise[0].x(), field.bottom()), QPointF(fall[-1].x(), field.bottom())
        painter.setClipRect(field)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.accent_soft))
        painter.drawPolygon(QPolygonF([first, *rise, *fall, last]))
        painter.setPen(QPen(QColor(t.accent), 1.5))
        painter.drawPolyline(QPolygonF([*rise, *fall]))
        painter.setClipping(False)
        for n, handle in enumerate(self._handles()):
            picked = n == self._picked and self.hasFocus()
            painter.setPen(QPen(QColor(t.window), 1))
            painter.setBrush(QColor(t.accent if picked else t.text))
            painter.drawEllipse(handle, HANDLE_PX, HANDLE_PX)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        away = [
            (handle - event.position()).manhattanLength() for handle in self._handles()
        ]
        nearest = min(range(len(away)), key=away.__getitem__)
        self._picked = nearest if away[nearest] <= CATCH_PX else None
        if self._picked is not None:
            self.grabbed.emit()
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._picked is None:
            return
        field = self._field
        self._move_to(100 * (event.position().x() - field.left()) / max(field.width(), 1))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -STEP_L, Qt.Key.Key_Right: STEP_L}
        step = steps.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        if self._picked is None:
            self._picked = 0
        self.grabbed.emit()
        low, high, soft_low, soft_high = self.span
        self._move_to((low, high, low + soft_low, high - soft_high)[self._picked] + step)

    def _move_to(self, light: float) -> None:
        low, high, soft_low, soft_high = self.span
        light = round(min(max(light, 0.0), 100.0), 1)
        if self._picked == 0:
            low = min(light, high)
        elif self._picked == 1:
            high = max(light, low)
        elif self._picked == 2:
            soft_low = min(max(light - low, 0.0), MOST_SOFT_L)
        else:
            soft_high = min(max(high - light, 0.0), MOST_SOFT_L)
        span = low, high, soft_low, soft_high
        if span != self.span:
            self.show_span(span)
            self.moved.emit(span)
