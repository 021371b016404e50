"""A value on a ruler, with the advised range tinted on it and the reason one hover away."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QBrush,
    QColor,
    QFont,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QInputDialog, QSizePolicy, QWidget

from lather.tools.advice import Advice
from lather.ui.parts.texts import RIGHT, draw
from lather.ui.parts.theme import BODY, font, line_px, theme

HEIGHT_PX = 35
GROOVE_Y_PX = 22
GROOVE_PX = 6
HANDLE_PX = (5, 16)
N_TICKS = 10


class Ruler(QWidget):
    """A labelled number between `low` and `high`; logarithmic if asked.

    Drag or click the groove, turn the wheel, use the arrow keys, or double-click the
    figure to type it.
    """

    moved = pyqtSignal(float)
    grabbed = pyqtSignal()  # the values that follow belong together

    def __init__(
        self, title: str, low: float, high: float, unit: str, *, logarithmic: bool = False,
        decimals: int = 0, also: Callable[[float], str] | None = None,
    ) -> None:  # fmt: skip
        """`also` says the value in another unit."""
        super().__init__()
        self._decimals = decimals
        self._also = also
        self.title = title
        self.low, self.high, self.unit = low, high, unit
        self.logarithmic = logarithmic
        self.value = low
        self.advice: Advice | None = None
        self.limit: float | None = None
        self._limit_reason = ""
        self._hovered = False
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(title)

    def sizeHint(self) -> QSize:
        return QSize(160, HEIGHT_PX)

    def set_title(self, title: str) -> None:
        if title != self.title:
            self.title = title
            self.setAccessibleName(title)
            self.update()

    def set_value(self, value: float) -> None:
        """Show a value without telling anybody."""
        if value != self.value:
            self.value = value
            self.setAccessibleDescription(self.figure)
            self.update()

    def set_advice(self, advice: Advice | None) -> None:
        self.advice = advice
        self._tell()

    def set_limit(self, limit: float | None, reason: str) -> None:
        """Mark the value from which it goes too far; it can be set beyond."""
        self.limit, self._limit_reason = limit, reason
        self._tell()

    def _tell(self) -> None:
        said = [] if self.advice is None else [f"Advised: {self.advice.reason}"]
        said += [self._limit_reason] if self.limit is not None else []
        self.setToolTip("\n".join(said))
        self.update()

    @property
    def figure(self) -> str:
        # Large numbers need no decimals.
        decimals = self._decimals if abs(self.value) < 100 else 0
        also = self._also(self.value) if self._also is not None else ""
        return f"{self.value:.{decimals}f} {self.unit}{f' · {also}' if also else ''}"

    @property
    def advised(self) -> bool:
        """True if the value lies in the advised range, or there is none."""
        return self.advice is None or self.advice.low <= self.value <= self.advice.high

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        text = QRectF(0, 0, self.width(), line_px(BODY) + 2)
        painter.setFont(font(BODY))
        painter.setPen(QColor(t.text))
        draw(painter, text, self.title)
        painter.setFont(font(BODY, QFont.Weight.DemiBold))
        draw(painter, text, self.figure, RIGHT)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.groove))
        groove = QRectF(0, GROOVE_Y_PX, self.width(), GROOVE_PX)
        painter.drawRoundedRect(groove, 3, 3)
        if self.advice is not None:
            left, end = self._x(self.advice.low), self._x(self.advice.high)
            band = QRectF(left, GROOVE_Y_PX - 2, max(4.0, end - left), GROOVE_PX + 4)
            painter.setBrush(QColor(t.accent_soft))
            painter.drawRoundedRect(band, 3, 3)
        self._draw_ticks(painter)
        self._draw_limit(painter)
        width, height = HANDLE_PX
        x = min(max(self._x(self.value), width / 2), self.width() - width / 2)
        handle = QRectF(x - width / 2, GROOVE_Y_PX + GROOVE_PX / 2 - height / 2, width, height)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.accent if self._hovered or self.hasFocus() else t.text))
        painter.drawRoundedRect(handle, 2, 2)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.position().y() >= GROOVE_Y_PX - 8:
            self.grabbed.emit()
            self._go_to(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._go_to(event.position())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.position().y() < GROOVE_Y_PX - 8:
            value, given = QInputDialog.getDouble(
                self, self.title, f"{self.title} ({self.unit})", self.value, self.low, self.high,
                self._decimals,
            )  # fmt: skip
            if given:
                self.grabbed.emit()
                self._set(value)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._step(1 if event.angleDelta().y() > 0 else -1)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_Up: 1}
        step = steps.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        else:
            self._step(step)

    def enterEvent(self, event: QEvent) -> None:
        self._hovered = True
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self._hovered = False
        self.update()

    def _draw_ticks(self, painter: QPainter) -> None:
        painter.setPen(QColor(theme().line))
        for i in range(N_TICKS + 1):
            x = round(i / N_TICKS * (self.width() - 1)) + 0.5
            painter.drawLine(QPointF(x, GROOVE_Y_PX + 11), QPointF(x, GROOVE_Y_PX + 13))

    def _draw_limit(self, painter: QPainter) -> None:
        """A mark, and stripes over what lies beyond it: told by more than colour."""
        if self.limit is None:
            return
        x, bottom = self._x(self.limit), GROOVE_Y_PX + GROOVE_PX
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QBrush(QColor(theme().warning), Qt.BrushStyle.BDiagPattern))
        painter.drawRect(QRectF(x, GROOVE_Y_PX, self.width() - x, GROOVE_PX))
        painter.setBrush(QColor(theme().warning))
        painter.drawRect(QRectF(x - 1, GROOVE_Y_PX - 4, 2, bottom + 4 - GROOVE_Y_PX + 4))

    def _x(self, value: float) -> float:
        return self._share(min(max(value, self.low), self.high)) * self.width()

    def _share(self, value: float) -> float:
        if self.logarithmic:
            return math.log(value / self.low) / math.log(self.high / self.low)
        return (value - self.low) / (self.high - self.low)

    def _at(self, share: float) -> float:
        share = min(max(share, 0.0), 1.0)
        if self.logarithmic:
            return float(self.low * (self.high / self.low) ** share)
        return self.low + share * (self.high - self.low)

    def _go_to(self, position: QPointF) -> None:
        self._set(self._at(position.x() / max(1, self.width())))

    def _step(self, step: int) -> None:
        value = self._at(self._share(self.value) + step / 60)
        least = 10**-self._decimals
        if abs(value - self.value) < least:
            value = self.value + step * least
        self._set(value)

    def _set(self, value: float) -> None:
        value = min(max(round(value, self._decimals), self.low), self.high)
        if value != self.value:
            self.set_value(value)
            self.moved.emit(value)
