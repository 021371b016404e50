"""The gauge of the check: four steps from an untouched look to overdone, the word beside them."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from lather.assist.check.check import Check, Verdict
from lather.ui.parts.theme import BODY, SMALL, font, theme

STEP_PX, GAP_PX, BAR_PX = 13, 3, 7
WARNED = (Verdict.OVERDONE,)


class VerdictGauge(QWidget):
    """A bar of four steps with a notch at the present one; the word and the first reason."""

    clicked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._check: Check | None = None
        self._note = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("Check")
        self.setMinimumWidth(4 * STEP_PX + 3 * GAP_PX + 8)

    def sizeHint(self) -> QSize:
        return QSize(230, 36)

    def show_check(self, check: Check | None, note: str = "") -> None:
        """`note` stands where there is no check, or beside a quick one."""
        self._check, self._note = check, note
        self.setAccessibleDescription(self.text)
        told = "\n".join(check.reasons) if check is not None else ""
        self.setToolTip("\n".join(part for part in (self.text, told, "Click for the ladder.")
                                  if part))  # fmt: skip
        self.update()

    @property
    def text(self) -> str:
        """The verdict in words."""
        if self._check is None:
            return self._note
        return self._check.verdict.value.capitalize()

    @property
    def reason(self) -> str:
        if self._check is None:
            return ""
        reasons = self._check.reasons
        return reasons[0] if reasons else "nothing is measurable of a retouch"

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: ARG002
        self.clicked.emit()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: ARG002
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = theme()
        level = self._check.verdict.level if self._check is not None else -1
        warns = self._check is not None and self._check.verdict in WARNED
        middle = self.height() / 2
        painter.setPen(Qt.PenStyle.NoPen)
        for n in range(len(Verdict)):
            box = QRectF(n * (STEP_PX + GAP_PX), middle - BAR_PX / 2, STEP_PX, BAR_PX)
            reached = n <= level
            colour = (t.warning if warns else t.accent) if reached else t.groove
            painter.setBrush(QColor(colour))
            painter.drawRoundedRect(box, 2, 2)
            if n == level:  # told by shape as well
                top = QPointF(box.center().x(), box.bottom() + 3)
                painter.setBrush(QColor(t.text))
                painter.drawPolygon(QPolygonF(
                    [top, top + QPointF(4, 5), top + QPointF(-4, 5)]))  # fmt: skip
        left = len(Verdict) * (STEP_PX + GAP_PX) + 6
        room = self.width() - left
        if room < 40:
            return
        painter.setPen(QPen(QColor(t.warning if warns else t.text)))
        painter.setFont(font(BODY))
        word = f"! {self.text}" if warns else self.text
        elide, dots = painter.fontMetrics().elidedText, Qt.TextElideMode.ElideRight
        painter.drawText(QRectF(left, 0, room, middle), Qt.AlignmentFlag.AlignVCenter,
                         elide(word, dots, int(room)))  # fmt: skip
        painter.setPen(QColor(t.dim))
        painter.setFont(font(SMALL))
        painter.drawText(
            QRectF(left, middle, room, middle), Qt.AlignmentFlag.AlignVCenter,
            painter.fontMetrics().elidedText(self.reason, dots, int(room)),
        )  # fmt: skip
