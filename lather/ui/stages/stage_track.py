"""The stages of the work in a row; those that have nothing yet are drawn open and dim."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QHelpEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QToolTip, QWidget

from lather.actions.workbench import Workbench
from lather.assist.stages import in_order, title
from lather.document.findings import Findings
from lather.document.layers.layer import Stage
from lather.document.state import JobState
from lather.ui.parts.texts import draw
from lather.ui.parts.theme import BODY, font, theme
from lather.ui.stages import table

DOT_PX = 5.0
GAP_PX = 7.0
PAD_PX, LEAST_PAD_PX = 12.0, 6.0
HEIGHT_PX = 30
LEAST_PX = 420


class StageTrack(QWidget):
    """Shows and sets the stage of the workbench."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self._counted_of: Findings | None = None
        self._counts: dict[Stage, tuple[int, int]] = {}
        self.setAccessibleName("Stages")
        self.setMinimumWidth(LEAST_PX)
        bench.stage_changed.connect(self.update)
        bench.job_opened.connect(self.update)
        bench.job_changed.connect(self._on_job_changed)

    def close_view(self) -> None:
        self.bench.stage_changed.disconnect(self.update)
        self.bench.job_opened.disconnect(self.update)
        self.bench.job_changed.disconnect(self._on_job_changed)

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        if before.findings != after.findings:
            self.update()

    def _counted(self, stage: Stage) -> str:
        """The stage's name; with how many of its findings are decided."""
        job = self.bench.job
        if job is None or not job.state.surveyed or not table.row(stage).lists:
            return title(stage)
        n_decided, n = self._counts_of(job.state.findings)[stage]
        return f"{title(stage)} {n_decided}/{n}"

    def _counts_of(self, findings: Findings) -> dict[Stage, tuple[int, int]]:
        """How many are decided of how many, by stage; counted once."""
        if findings is not self._counted_of:
            self._counted_of = findings
            self._counts = {stage: findings.decided_of_stage(stage.value) for stage in in_order()}
        return self._counts

    def _told(self) -> list[tuple[list[str], float]]:
        """What may stand on the stages, with the room around each, from the fullest on: all counts,
        only that of the stage at hand, and at last numbers for the others."""
        stages = in_order()
        here = [stage is self.bench.stage for stage in stages]
        counted = [self._counted(stage) for stage in stages]
        named, numbers = (
            [text if at else other for text, at, other in zip(counted, here, others, strict=True)]
            for others in (map(title, stages), map(str, range(1, len(stages) + 1)))
        )
        return [(counted, PAD_PX), (counted, LEAST_PAD_PX), (named, PAD_PX),
                (named, LEAST_PAD_PX), (numbers, LEAST_PAD_PX)]  # fmt: skip

    def sizeHint(self) -> QSize:
        return QSize(700, HEIGHT_PX + 4)

    def places(self) -> list[tuple[Stage, QRectF]]:
        """Where each stage is drawn."""
        return [(stage, box) for stage, box, _, _ in self._laid()]

    def _laid(self) -> list[tuple[Stage, QRectF, str, float]]:
        """Place, text and room around it of each stage; the room left over is shared out between
        them."""
        metrics = QFontMetricsF(font(BODY, QFont.Weight.DemiBold))
        for texts, pad in self._told():
            widths = [metrics.horizontalAdvance(text) + 2 * DOT_PX + GAP_PX + 2 * pad + 2
                      for text in texts]  # fmt: skip
            if sum(widths) + 2 <= self.width():
                break
        gap = max(0.0, min(22.0, (self.width() - sum(widths) - 2) / (len(widths) - 1)))
        x = max(1.0, (self.width() - sum(widths) - gap * (len(widths) - 1)) / 2)
        result = []
        for stage, text, width in zip(in_order(), texts, widths, strict=True):
            box = QRectF(x, (self.height() - HEIGHT_PX) / 2, width, HEIGHT_PX)
            result.append((stage, box, text, pad))
            x += width + gap
        return result

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        laid = self._laid()
        painter.setPen(QColor(t.line))
        for (_, left, _, _), (_, right, _, _) in zip(laid, laid[1:], strict=False):
            if right.left() - left.right() > 4:
                y = left.center().y()
                painter.drawLine(QPointF(left.right() + 1, y), QPointF(right.left() - 1, y))
        for stage, box, text, pad in laid:
            self._draw_stage(painter, stage, box, text, pad)

    def _draw_stage(
        self, painter: QPainter, stage: Stage, box: QRectF, text: str, pad: float
    ) -> None:
        t = theme()
        here, built = stage is self.bench.stage, table.row(stage).is_built
        if here:
            painter.setPen(QColor(t.accent))
            painter.setBrush(QColor(t.card))
            painter.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), 15, 15)
        centre = QPointF(box.left() + pad + DOT_PX, box.center().y())
        painter.setPen(QColor(t.accent if built else t.dim))
        painter.setBrush(QColor(t.accent) if built else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(centre, DOT_PX - 1, DOT_PX - 1)
        painter.setFont(font(BODY, QFont.Weight.DemiBold if here else QFont.Weight.Normal))
        painter.setPen(QColor(t.text if built or here else t.dim))
        draw(painter, box.adjusted(pad + 2 * DOT_PX + GAP_PX, 0, -2, 0), text)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for stage, box in self.places():
            if box.contains(event.position()):
                self.bench.go_to_stage(stage)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            for stage, box in self.places():
                if box.contains(QPointF(event.pos())):
                    state = "" if table.row(stage).is_built else " (not built yet)"
                    QToolTip.showText(event.globalPos(), f"{self._counted(stage)}{state}")
                    return True
        return super().event(event)
