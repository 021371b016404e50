"""The gauge of the check: four steps from an untouched look to overdone, the word beside them."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from lather.assist.check.check import Check, Verdict
from lather.ui.parts.texts import draw, longest_that_fits
from lather.ui.parts.theme import BODY, SMALL, font, line_px, theme

STEP_PX, GAP_PX, BAR_PX = 13, 3, 7
BARS_PX = 4 * (STEP_PX + GAP_PX) + 6
WARNED = (Verdict.OVERDONE,)


class VerdictGauge(QWidget):
    """A bar of four steps with a notch at the present one; the word and the first reason."""

    clicked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._check: Check | None = None
        self._note = ""
        self._with_reason = True
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("Check")

    def sizeHint(self) -> QSize:
        lines = (BODY, SMALL) if self._with_reason else (BODY,)
        return QSize(230, max(sum(map(line_px, lines)) + 3, BAR_PX + 14))

    def minimumSizeHint(self) -> QSize:
        words = QFontMetricsF(font(BODY))
        longest = max(map(words.horizontalAdvance, (f"! {v.value.capitalize()}" for v in Verdict)))
        return QSize(round(BARS_PX + longest) + 4, self.sizeHint().height())

    def show_check(
        self, check: Check | None, note: str = "", *, with_reason: bool = True
    ) -> None:
        """`note` stands where there is no check; the reason may stand elsewhere."""
        self._check, self._note, self._with_reason = check, note, with_reason
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
    def reasons(self) -> tuple[str, ...]:
        """The first reason, from its fullest form to its shortest."""
        if self._check is None:
            return ()
        return self._check.headlines or ("nothing is measurable of a retouch",)

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
        room = QRectF(BARS_PX, 0, self.width() - BARS_PX, self.height())
        painter.setPen(QPen(QColor(t.warning if warns else t.text)))
        painter.setFont(font(BODY))
        word = f"! {self.text}" if warns else self.text
        reason = ""
        if self._with_reason:
            small = QFontMetricsF(font(SMALL))
            reason = longest_that_fits(self.reasons, room.width(), small)
        first = QRectF(room)
        if reason:
            first.setHeight(line_px(BODY))
            first.moveTop((self.height() - line_px(BODY) - line_px(SMALL)) / 2)
        draw(painter, first, word)
        painter.setPen(QColor(t.dim))
        painter.setFont(font(SMALL))
        if reason:
            second = QRectF(room.left(), first.bottom(), room.width(), line_px(SMALL))
            draw(painter, second, reason)
