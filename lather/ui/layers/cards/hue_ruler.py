"""Soft brackets on the ring of hues, unrolled, with this person's colours marked below it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from lather.core.adjust.bracket import bracket_weight
from lather.core.colour.lab import lab_to_srgb
from lather.ui.parts.texts import CENTRE, draw
from lather.ui.parts.theme import SMALL, font, line_px, theme

FIELD_PX, BAND_PX, MARKS_GAP_PX, MARGIN_PX = 46, 10, 3, 6
SHOWN_L, SHOWN_CHROMA = 65.0, 42.0  # of the band
CATCH_PX, HANDLE_PX = 9.0, 4.0
LEAST_WIDTH_DEG, STEP_DEG, LARGE_STEP_DEG = 2.0, 1.0, 5.0

Bracket = tuple[float, float]  # middle and width, degrees


class HueRuler(QWidget):
    """A press on a bracket's dot picks and drags it, on one of its ends widens it; a press beside
    all of them adds one. Arrow keys move the picked one, with Shift in large steps."""

    grabbed = pyqtSignal()
    chosen = pyqtSignal(int)
    moved = pyqtSignal(int, float, float)
    added = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self.brackets: tuple[Bracket, ...] = ()
        self.picked = 0
        self.marks: dict[str, float] = {}
        self._dragging = ""  # the middle, or an end
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Ranges of hue")
        self.setToolTip("Press beside the brackets for another one. Drag its dot to move it, an "
                        "end to widen it.")  # fmt: skip

    def sizeHint(self) -> QSize:
        return QSize(200, FIELD_PX + BAND_PX + MARKS_GAP_PX + line_px(SMALL))

    def show_brackets(self, brackets: Sequence[Bracket], picked: int) -> None:
        self.brackets, self.picked = tuple(brackets), picked
        self.update()

    def show_marks(self, marks: dict[str, float]) -> None:
        """Hues of this person's parts, by name."""
        self.marks = marks
        self.setAccessibleDescription(
            ", ".join(f"{name} {hue:.0f} degrees" for name, hue in marks.items())
        )
        self.update()

    @property
    def _field(self) -> QRectF:
        return QRectF(MARGIN_PX, 0, self.width() - 2 * MARGIN_PX, FIELD_PX)

    def _x(self, hue_deg: float) -> float:
        return self._field.left() + (hue_deg % 360) / 360 * self._field.width()

    def _hue(self, x: float) -> float:
        share = (x - self._field.left()) / max(self._field.width(), 1)
        return min(max(share, 0.0), 0.9999) * 360

    def _top(self, weight: float) -> float:
        field = self._field
        return field.bottom() - weight * (field.height() - 8)

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: ARG002
        painter, t, field = QPainter(self), theme(), self._field
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(field, QColor(t.groove))
        hues = np.linspace(0, 360, 181)
        order = [n for n in range(len(self.brackets)) if n != self.picked]
        order += [self.picked] if self.picked < len(self.brackets) else []
        for n in order:
            middle, width = self.brackets[n]
            weights = bracket_weight(hues, middle, width)
            line = [QPointF(field.left() + h / 360 * field.width(), self._top(float(w)))
                    for h, w in zip(hues, weights, strict=True)]  # fmt: skip
            is_picked = n == self.picked
            fill = QColor(t.accent_soft if is_picked else t.raised)
            fill.setAlpha(150)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(fill)
            painter.drawPolygon(QPolygonF([field.bottomLeft(), *line, field.bottomRight()]))
            painter.setPen(QPen(QColor(t.accent if is_picked else t.dim), 1.5))
            painter.drawPolyline(QPolygonF(line))
        for n in order:
            painter.setPen(QPen(QColor(t.window), 1))
            painter.setBrush(QColor(t.accent if n == self.picked else t.text))
            for place in self._handles(n).values():
                painter.drawEllipse(place, HANDLE_PX, HANDLE_PX)
        band = QRectF(field.left(), field.bottom(), field.width(), BAND_PX)
        painter.drawImage(band, _band())
        self._draw_marks(painter, band)
        if not self.brackets:
            painter.setFont(font(SMALL))
            painter.setPen(QColor(t.dim))
            draw(painter, field, "press here, or pick a colour", CENTRE)

    def _draw_marks(self, painter: QPainter, band: QRectF) -> None:
        painter.setFont(font(SMALL))
        metrics = painter.fontMetrics()
        right = -1.0
        for name, hue in sorted(self.marks.items(), key=lambda mark: mark[1]):
            x = self._x(hue)
            painter.setPen(QPen(QColor(theme().text), 1.5))
            painter.drawLine(QPointF(x, band.top()), QPointF(x, band.bottom() + MARKS_GAP_PX))
            width = metrics.horizontalAdvance(name)
            left = max(x - width / 2, right + 6, 0.0)
            if left + width > self.width():
                left = self.width() - width
            if left < right + 4:
                continue  # no room: its line says where it is
            right = left + width
            painter.setPen(QColor(theme().dim))
            place = QRectF(left, band.bottom() + MARKS_GAP_PX, width + 2, line_px(SMALL))
            draw(painter, place, name, CENTRE)

    def _handles(self, n: int) -> dict[str, QPointF]:
        middle, width = self.brackets[n]
        if width >= 360:
            return {"middle": QPointF(self._x(middle), self._top(1))}
        return {
            "middle": QPointF(self._x(middle), self._top(1)),
            "left": QPointF(self._x(middle - width / 2), self._top(0.5)),
            "right": QPointF(self._x(middle + width / 2), self._top(0.5)),
        }

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self.grabbed.emit()
        order = [self.picked, *range(len(self.brackets))] if self.brackets else []
        for n in order:
            for name, place in self._handles(n).items():
                if (place - event.position()).manhattanLength() <= CATCH_PX:
                    self._dragging = name
                    self.chosen.emit(n)
                    return
        self._dragging = "middle"
        self.added.emit(self._hue(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if not self._dragging or self.picked >= len(self.brackets):
            return
        middle, width = self.brackets[self.picked]
        hue = self._hue(event.position().x())
        if self._dragging == "middle":
            self._move(hue, width)
        else:
            away = abs((hue - middle + 180) % 360 - 180)
            self._move(middle, min(max(2 * away, LEAST_WIDTH_DEG), 359.0))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: ARG002
        self._dragging = ""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        directions = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        direction = directions.get(Qt.Key(event.key()))
        if direction is None or self.picked >= len(self.brackets):
            super().keyPressEvent(event)
            return
        large = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        middle, width = self.brackets[self.picked]
        self.grabbed.emit()
        self._move((middle + direction * (LARGE_STEP_DEG if large else STEP_DEG)) % 360, width)

    def _move(self, middle: float, width: float) -> None:
        self.moved.emit(self.picked, round(middle, 1), round(width, 1))


@cache
def _band() -> QImage:
    """All hues at one lightness and chroma, side by side."""
    hues = np.radians(np.arange(360))
    lab = np.stack(
        [np.full(360, SHOWN_L), SHOWN_CHROMA * np.cos(hues), SHOWN_CHROMA * np.sin(hues)], -1
    )
    rgb = (lab_to_srgb(lab) * 255 + 0.5).astype(np.uint8)
    image = QImage(360, 1, QImage.Format.Format_RGB32)
    for x, (red, green, blue) in enumerate(rgb):
        image.setPixelColor(x, 0, QColor(int(red), int(green), int(blue)))
    return image
