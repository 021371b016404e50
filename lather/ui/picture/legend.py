"""What the lens shows, in units: swatches on the picture, each with what it stands for."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QColor, QFontMetricsF, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from lather.actions.workbench import Workbench
from lather.document.state import JobState
from lather.render.lenses.lens import Swatch
from lather.render.lenses.table import LENSES
from lather.ui.parts.subscriptions import Subscriptions
from lather.ui.parts.texts import draw
from lather.ui.parts.theme import GAP_2, SMALL, font, line_px, theme
from lather.ui.picture.hint import Hint

SWATCH_PX, GAP_PX, MARGIN_PX = 12, 6, 8
Row = list[tuple[Swatch, float]]  # each with its width


class Legend(QWidget):
    """In the corner of the picture while a lens is on; in as many rows as it needs."""

    def __init__(self, bench: Workbench, parent: QWidget, hint: Hint) -> None:
        super().__init__(parent)
        self.bench = bench
        self._hint = hint
        self.swatches: tuple[Swatch, ...] = ()
        self.setAccessibleName("Legend of the lens")
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self._heard = Subscriptions()
        self._heard.to(bench.looks_changed, self.reset)
        self._heard.to(bench.job_opened, self.reset)
        self._heard.to(bench.job_changed, self._on_job_changed)
        self._heard.to(bench.hands.changed, self.reset)
        self.reset()

    def close_view(self) -> None:
        self._heard.end()

    def reset(self) -> None:
        """Read the lens back."""
        lens_id = self.bench.looks.lens
        swatches: tuple[Swatch, ...] = ()
        if lens_id and self.bench.job is not None:
            look = self.bench.looks.through(self.bench.hand.region)
            swatches = LENSES[lens_id].legend(self.bench.state, look)
        if swatches != self.swatches:
            self.swatches = swatches
            self.setAccessibleDescription(", ".join(swatch.text for swatch in swatches))
            self.place()
        self.setVisible(bool(swatches))

    def place(self) -> None:
        """At the top of the picture, below what else stands there."""
        size = self.sizeHint()
        below = self._hint.geometry().bottom() + GAP_2 if self._hint.isVisible() else MARGIN_PX
        self.setGeometry(MARGIN_PX, below, size.width(), size.height())
        self.update()

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() == QEvent.Type.StyleChange:  # texts may be of another size
            self.place()

    def sizeHint(self) -> QSize:
        rows = self._rows()
        widest = max((sum(width for _, width in row) for row in rows), default=0.0)
        return QSize(round(widest) + 2 * MARGIN_PX, len(rows) * self._row_px + 2 * (MARGIN_PX // 2))

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: ARG002
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(0, 0, 0, 170))
        painter.drawRoundedRect(QRectF(self.rect()), 6, 6)
        painter.setFont(font(SMALL))
        for number, row in enumerate(self._rows()):
            left, top = float(MARGIN_PX), MARGIN_PX / 2 + number * self._row_px
            for swatch, width in row:
                self._draw_swatch(painter, swatch, left, top + self._row_px / 2)
                painter.setPen(QColor("#ffffff"))
                x = left + SWATCH_PX + GAP_PX
                draw(painter, QRectF(x, top, left + width - x, self._row_px), swatch.text)
                left += width

    def _draw_swatch(self, painter: QPainter, swatch: Swatch, left: float, middle: float) -> None:
        box = QRectF(left, middle - SWATCH_PX / 2, SWATCH_PX, SWATCH_PX)
        colour = QColor.fromRgbF(*swatch.colour)
        painter.setPen(QPen(QColor(theme().dim), 1))
        painter.setBrush(colour)
        painter.drawRect(box)
        if swatch.hatched:
            lines = QColor(0, 0, 0) if colour.lightnessF() > 0.5 else QColor(230, 230, 230)
            painter.setBrush(QBrush(lines, Qt.BrushStyle.BDiagPattern))
            painter.drawRect(box)

    @property
    def _row_px(self) -> int:
        return max(line_px(SMALL), SWATCH_PX) + 4

    def _rows(self) -> list[Row]:
        """As many swatches in a row as the picture is wide."""
        metrics, parent = QFontMetricsF(font(SMALL)), self.parentWidget()
        room = (parent.width() if parent is not None else 400) - 4 * MARGIN_PX
        rows: list[Row] = []
        taken = 0.0
        for swatch in self.swatches:
            width = SWATCH_PX + metrics.horizontalAdvance(swatch.text) + 3 * GAP_PX
            if not rows or taken + width > room:
                rows.append([])
                taken = 0.0
            rows[-1].append((swatch, width))
            taken += width
        return rows

    def _on_job_changed(self, before: JobState, after: JobState) -> None:  # noqa: ARG002
        if self.bench.looks.lens:
            self.reset()
