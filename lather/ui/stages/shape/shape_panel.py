"""The Shape stage's overview: how far skin was moved, and how even the halves of the face are."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QGridLayout, QSizePolicy, QWidget

from lather.actions.action import Action, has_job
from lather.actions.stages import table
from lather.actions.workbench import Workbench
from lather.assist.shape.measures import ShapeMeasures, shape_measures
from lather.core.shape.measure import LEAST_STRETCH, MOST_STRETCH
from lather.core.shape.symmetry import Evenness, Verdict
from lather.document.layers.layer import Stage
from lather.document.state import JobState
from lather.render.worker import Executor
from lather.ui.parts.measured_aside import MeasuredAside
from lather.ui.parts.texts import TOP_LEFT, TOP_RIGHT, draw
from lather.ui.parts.theme import GAP_1, GAP_2, SMALL, font, theme
from lather.ui.parts.widgets import CommandButton, column_in, label
from lather.ui.stages.part import StagePart

COMMANDS = ("shape.even_other", "shape.straighten_background", "shape.grain",
            "shape.back_all")  # fmt: skip
ROW_PX = 27
MOST_MM = 6.0  # of a difference, at the end of its scale
ASIDE_MS = 250
NO_FACE = "Survey the portrait for figures of the face: millimetres, shares, left and right."


class ShapePanel(StagePart):
    """Displacement against the brief, stretch, grain; the symmetry meter; what can be done."""

    SAYS_ITSELF = True

    def __init__(
        self, stage: Stage, bench: Workbench, actions: dict[str, Action], executor: Executor
    ) -> None:
        super().__init__(stage, bench, actions, executor)
        self.measured: MeasuredAside[ShapeMeasures] = MeasuredAside(
            bench, executor, measure=lambda state, _: shape_measures(state),
            wanted=lambda: has_job(bench) and self.is_looked_at, shown=self._show,
        )  # fmt: skip
        column = column_in(self, GAP_1)
        self.bars = DisplacementBars()
        column.addWidget(self.bars)
        self.said = label("", "dim")
        self.said.setWordWrap(True)
        column.addWidget(self.said)
        column.addSpacing(GAP_2)
        self.heading = label("LEFT AGAINST RIGHT", "dim")
        column.addWidget(self.heading)
        self.meter = SymmetryMeter()
        column.addWidget(self.meter)
        column.addSpacing(GAP_1)
        column.addLayout(self._commands(actions))
        column.addStretch(1)
        self.heard.to(bench.job_opened, self._on_opened)
        self.heard.to(bench.job_changed, self._on_job_changed)
        self.heard.to(bench.stage_changed, self._on_stage_changed)
        self._show()

    def close_view(self) -> None:
        self.measured.close()
        super().close_view()

    def _commands(self, actions: dict[str, Action]) -> QGridLayout:
        grid = QGridLayout()
        grid.setSpacing(GAP_1)
        self._buttons = [CommandButton(actions[name], self.bench, text="") for name in COMMANDS]
        for number, button in enumerate(self._buttons):
            button.setProperty("role", "compact")
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            button.show_name(True)
            grid.addWidget(button, number, 0)
        return grid

    def _on_opened(self) -> None:
        self.measured.forget()
        self._on_stage_changed()

    def _on_stage_changed(self) -> None:
        if self.is_looked_at:
            self.measured.ask(1)
        self._show()

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        same = (before.layers, before.findings, before.brief) == (
            after.layers, after.findings, after.brief)  # fmt: skip
        if not same and self.is_looked_at:
            self.measured.ask(ASIDE_MS)
        if before.findings is not after.findings or before.brief is not after.brief:
            self._show()
        for button in self._buttons:
            button.refresh()

    def _show(self) -> None:
        measures = self.measured.value
        self.bars.show_measures(measures)
        has_face = measures is not None and bool(measures.evenness)
        self.heading.setVisible(has_face)
        self.meter.setVisible(has_face)
        self.meter.show_evenness(measures.evenness if measures is not None else ())
        self.said.setText(_said(self.stage, self.bench, measures))
        beyond = measures is not None and measures.is_beyond
        self.said.setProperty("role", "warning" if beyond else "dim")
        style = self.said.style()
        assert style is not None
        style.polish(self.said)
        for button in self._buttons:
            button.refresh()


def _said(stage: Stage, bench: Workbench, measures: ShapeMeasures | None) -> str:
    """What the figures mean, or what to do first."""
    if bench.job is None:
        return ""
    style = bench.state.brief.style
    if bench.state.brief.limits.displacement <= 0:
        return f"Nothing is reshaped here: {style.caution}."
    if measures is None:
        intro = table.row(stage).intro
        return intro if bench.state.findings.faces else f"{intro}\n{NO_FACE}"
    if measures.is_beyond:
        return (f"Further than '{style.title.lower()}' allows: ease it back, or weaken the "
                "layer.")  # fmt: skip
    if measures.too_far_cm2 > 0.05:
        return (f"{measures.too_far_cm2:.1f} cm² of skin is stretched beyond {MOST_STRETCH:.0%} "
                f"or under {LEAST_STRETCH:.0%}: calm it.")  # fmt: skip
    if measures.share is None:
        return NO_FACE
    return f"Within what '{style.title.lower()}' allows."


class DisplacementBars(QWidget):
    """The largest displacement against its limit, stretch both ways, grain and detail kept."""

    def __init__(self) -> None:
        super().__init__()
        self._rows: list[tuple[str, str, float, float | None, bool]] = []
        self.setAccessibleName("How far skin was moved")

    def sizeHint(self) -> QSize:
        return QSize(200, max(1, len(self._rows)) * ROW_PX)

    minimumSizeHint = sizeHint

    def show_measures(self, measures: ShapeMeasures | None) -> None:
        self._rows = [] if measures is None else _rows_of(measures)
        self.setVisible(bool(self._rows))
        self.setAccessibleDescription("; ".join(f"{row[0]} {row[1]}" for row in self._rows))
        self.updateGeometry()
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: ARG002
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(SMALL))
        t = theme()
        for n, (name, text, share, limit, beyond) in enumerate(self._rows):
            top = float(n * ROW_PX)
            line = QRectF(0, top, self.width(), 16)
            painter.setPen(QColor(t.text))
            draw(painter, line, name, TOP_LEFT)
            painter.setPen(QColor(t.warning if beyond else t.text))
            told = f"! {text}" if beyond else text
            draw(painter, line, told, TOP_RIGHT)
            groove = QRectF(0, top + 17, self.width(), 4)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.groove))
            painter.drawRoundedRect(groove, 2.5, 2.5)
            painter.setBrush(QColor(t.warning if beyond else t.accent))
            bar = QRectF(0, top + 17, groove.width() * min(max(share, 0.0), 1.0), 4)
            painter.drawRoundedRect(bar, 2.5, 2.5)
            if limit is not None:
                x = groove.width() * limit
                painter.setPen(QPen(QColor(t.text), 2))
                painter.drawLine(QPointF(x, top + 14), QPointF(x, top + 24))


def _rows_of(m: ShapeMeasures) -> list[tuple[str, str, float, float | None, bool]]:
    """Name, figure, bar and limit as shares of the width, whether it is too far."""
    if m.share is not None and m.limit_share:
        moved = (f"{m.largest_mm:.1f} mm · {m.share:.1%}", 0.75 * m.share / m.limit_share, 0.75)
    else:
        moved = (f"{m.largest_mm:.1f} mm", min(m.largest_mm / 10, 1.0), None)  # type: ignore[assignment]
    stretched = f"{m.least_stretched:.0%}\u2013{m.most_stretched:.0%}"
    far = max((m.most_stretched - 1) / (MOST_STRETCH - 1),
              (1 - m.least_stretched) / (1 - LEAST_STRETCH))  # fmt: skip
    rows = [("Largest move", moved[0], moved[1], moved[2], m.is_beyond),
            ("Stretch", stretched, 0.75 * far, 0.75, far > 1.0),
            ("Area moved", f"{m.moved_cm2:.1f} cm²", min(m.moved_cm2 / 200, 1.0), None, False)]
    if m.detail_kept is not None:
        kept = min(m.detail_kept, 1.0)
        rows.append(("Fine detail kept", f"{kept:.0%}", kept, None, kept < 0.85))
    return rows


class SymmetryMeter(QWidget):
    """A row a measure: how much larger the left side is, mm; at the start a ring, now a dot, on the
    band of what is natural."""

    def __init__(self) -> None:
        super().__init__()
        self._evenness: tuple[Evenness, ...] = ()
        self.setAccessibleName("Left against right")

    def sizeHint(self) -> QSize:
        return QSize(200, (len(self._evenness) + 1) * ROW_PX)

    minimumSizeHint = sizeHint

    def show_evenness(self, evenness: tuple[Evenness, ...]) -> None:
        self._evenness = evenness
        self.setAccessibleDescription("; ".join(
            f"{e.name}: {e.start_mm:+.1f} to {e.now_mm:+.1f} mm, {e.verdict.value}"
            for e in evenness
        ))  # fmt: skip
        self.setToolTip("The person's left less the right, with the turn of the head taken out. "
                        "The band is natural: it needs no evening.")  # fmt: skip
        self.updateGeometry()
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: ARG002
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(SMALL))
        for n, one in enumerate(self._evenness):
            self._draw_row(painter, float(n * ROW_PX), one)
        t, top = theme(), float(len(self._evenness) * ROW_PX)
        painter.setPen(QColor(t.dim))
        row = QRectF(0, top, self.width(), 16)
        draw(painter, row, "right larger", TOP_LEFT)
        draw(painter, row, "left larger", TOP_RIGHT)

    def _draw_row(self, painter: QPainter, top: float, one: Evenness) -> None:
        t, width = theme(), float(self.width())
        warns = one.verdict in (Verdict.OVERDONE, Verdict.GREW) and not (
            one.verdict is Verdict.GREW and abs(one.now_mm) <= one.natural_mm
        )
        line = QRectF(0, top, width, 16)
        painter.setPen(QColor(t.text))
        draw(painter, line, one.name.capitalize(), TOP_LEFT)
        painter.setPen(QColor(t.warning if warns else t.text))
        told = f"{one.start_mm:+.1f}"
        if one.verdict is not Verdict.AS_IT_WAS:
            told += f" → {one.now_mm:+.1f} mm {one.verdict.value}"
        else:
            told += " mm"
        draw(painter, line, told.replace("-", "\u2212"), TOP_RIGHT)

        def x(mm: float) -> float:
            return width / 2 * (1 + min(max(mm / MOST_MM, -0.97), 0.97))

        middle = top + 19.5
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.groove))
        painter.drawRoundedRect(QRectF(0, middle - 2.5, width, 5), 2.5, 2.5)
        low, high = x(-one.natural_mm), x(one.natural_mm)
        natural = QRectF(low, middle - 2.5, high - low, 5)
        painter.setBrush(QColor(t.line))
        painter.drawRoundedRect(natural, 2.5, 2.5)
        painter.setPen(QPen(QColor(t.dim), 1))
        painter.drawLine(QPointF(width / 2, middle - 5), QPointF(width / 2, middle + 5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(t.text), 1.4))
        painter.drawEllipse(QPointF(x(one.start_mm), middle), 4, 4)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.warning if warns else t.accent))
        painter.drawEllipse(QPointF(x(one.now_mm), middle), 2.8, 2.8)
