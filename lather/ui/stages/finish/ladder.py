"""The ladder of the check: a rung a measure, from the start to its limit, with a notch where the
retouch stands and the lever that would bring it back beside it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from lather.assist.check.check import Checked
from lather.assist.check.lever import Lever
from lather.ui.parts.texts import RIGHT, draw
from lather.ui.parts.theme import SMALL, font, line_px, theme

BAR_PX = 5
LEVER_PX = 74
LEAST_PX = 200
MOST_SHARE = 1.35  # of the limit, at the end of a rung


def _row_px() -> int:
    return 2 * line_px(SMALL) + 8


class Ladder(QWidget):
    """Rungs; says which one was picked."""

    picked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.rows: tuple[Checked, ...] = ()
        self._levers: Mapping[str, Lever | None] = {}
        self._stale: frozenset[str] = frozenset()
        self._chosen = ""
        self.setAccessibleName("Ladder of the check")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def sizeHint(self) -> QSize:
        return QSize(LEAST_PX, max(1, len(self.rows)) * _row_px())

    minimumSizeHint = sizeHint

    def show_rows(
        self, rows: Sequence[Checked], levers: Mapping[str, Lever | None], chosen: str,
        stale: frozenset[str] = frozenset(),
    ) -> None:  # fmt: skip
        """`stale`: of an earlier check, since then something was changed."""
        self.rows, self._levers, self._chosen, self._stale = tuple(rows), levers, chosen, stale
        self.setAccessibleDescription("; ".join(row.sentence() for row in self.rows))
        self.updateGeometry()
        self.update()

    def row_at(self, position: QPointF) -> Checked | None:
        n = int(position.y() // _row_px())
        return self.rows[n] if 0 <= n < len(self.rows) else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        row = self.row_at(event.position())
        if row is not None:
            self.picked.emit(row.row.id)

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: ARG002
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for n, row in enumerate(self.rows):
            self._draw(painter, float(n * _row_px()), row)

    def _draw(self, painter: QPainter, top: float, row: Checked) -> None:
        t, width = theme(), float(self.width())
        chosen, stale = row.row.id == self._chosen, row.row.id in self._stale
        if chosen:
            painter.setPen(QPen(QColor(t.accent), 1))
            painter.setBrush(QColor(t.card))
            painter.drawRoundedRect(QRectF(0.5, top + 0.5, width - 1, _row_px() - 2), 4, 4)
        inner = QRectF(6, top + 3, width - 12, line_px(SMALL))
        ink = QColor(t.warning if row.is_beyond else t.dim if stale else t.text)
        painter.setFont(font(SMALL, QFont.Weight.Medium if chosen else QFont.Weight.Normal))
        painter.setPen(QColor(t.dim if stale or row.reading.value is None else t.text))
        draw(painter, inner, row.row.title)
        painter.setPen(ink)
        value = row.value_text if row.reading.value is not None else "–"
        draw(painter, inner, f"! {value}" if row.is_beyond else value, RIGHT)
        self._draw_rung(painter, top + line_px(SMALL) + 9, row, stale)

    def _draw_rung(self, painter: QPainter, y: float, row: Checked, stale: bool) -> None:
        """The way to the limit, and beyond it; the notch; the lever's handle and figure."""
        t = theme()
        room = self.width() - 12.0 - LEVER_PX
        groove = QRectF(6, y, room, BAR_PX)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.groove))
        painter.drawRoundedRect(groove, 2.5, 2.5)
        if row.reading.value is None:
            return
        def x(share: float) -> float:
            return 6 + room * min(share, MOST_SHARE) / MOST_SHARE

        way = QRectF(6, y, max(BAR_PX, x(row.share) - 6), BAR_PX)
        colour = t.warning if row.is_beyond else t.line if stale else t.accent
        painter.setBrush(QColor(colour))
        painter.drawRoundedRect(way, 2.5, 2.5)
        painter.setPen(QPen(QColor(t.text), 2))
        painter.drawLine(QPointF(x(1.0), y - 3), QPointF(x(1.0), y + BAR_PX + 3))
        at = QPointF(x(row.share), y + BAR_PX / 2)
        painter.setPen(QPen(QColor(t.groove), 1))
        painter.setBrush(QColor(t.text))
        painter.drawPolygon(QPolygonF([at + QPointF(0, -5), at + QPointF(4, 0),
                                       at + QPointF(0, 5), at + QPointF(-4, 0)]))  # fmt: skip
        lever = self._levers.get(row.row.id)
        box = QRectF(self.width() - 6.0 - LEVER_PX, y - 6, LEVER_PX, line_px(SMALL) + 2)
        if lever is not None:
            painter.setPen(QColor(t.accent))
            draw(painter, box, f"lever {lever.strength:.0%}", RIGHT)
        elif row.limit_text:
            painter.setPen(QColor(t.dim))
            limit = row.bound.near(row.reading.value)
            assert limit is not None
            sign = "≥" if limit == row.bound.low else "≤"
            draw(painter, box, f"{sign} {row.row.text(limit)}", RIGHT)
