"""Scores of the skin: as the face map, or as a table with bars; measured aside."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QStackedWidget,
    QToolButton,
    QWidget,
)

from lather.actions.action import Action
from lather.actions.findings.finding import is_surveyed
from lather.actions.findings.geometry import has_regions
from lather.actions.looking.people import person_of
from lather.actions.stages.evening import look_at_part
from lather.actions.work.proposing import turn_part
from lather.actions.workbench import Workbench
from lather.assist.even.scores import Scores, skin_scores, where
from lather.assist.face_map import FIGURES, Figure, shades_of_scores
from lather.core.survey.regions.region import Part
from lather.document.layers.layer import Stage
from lather.document.state import JobState
from lather.render.worker import Executor
from lather.ui.parts.face_map import HEIGHT_PX, FaceMap
from lather.ui.parts.measured_aside import MeasuredAside
from lather.ui.parts.texts import RIGHT, draw
from lather.ui.parts.theme import GAP_1, SMALL, font, theme
from lather.ui.parts.widgets import column_in, label
from lather.ui.stages.part import StagePart

ROW_PX = (15, 22)  # where there are many parts, and few
MOST_SAID = 1  # parts that are beyond a limit
WITHIN = "Every part, as a whole, is within the style's limits."
SINGLE_PLACES = "What is listed below are single places that stand out in theirs."


class ScorePanel(StagePart):
    """The stage's overview: which part of the skin is how uneven, and what became of it."""

    def __init__(
        self, stage: Stage, bench: Workbench, actions: dict[str, Action], executor: Executor
    ) -> None:
        super().__init__(stage, bench, actions, executor)
        self._aside: MeasuredAside[Scores] = MeasuredAside(
            bench, executor, measure=lambda state, cancel: skin_scores(state, cancel=cancel),
            wanted=lambda: has_regions(bench) and self.is_looked_at, shown=self._show,
        )  # fmt: skip
        column = column_in(self, GAP_1)
        row = QHBoxLayout()
        self.figures = QComboBox()
        self.figures.setAccessibleName("What the map shows")
        self.figures.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.figures.setMinimumContentsLength(8)
        self.figures.setProperty("role", "tight")
        for figure in FIGURES:
            self.figures.addItem(figure.title)
        self.figures.currentIndexChanged.connect(lambda index: self._show())
        row.addWidget(self.figures, 1)
        self.as_table = QToolButton()
        self.as_table.setText("Table")
        self.as_table.setCheckable(True)
        self.as_table.setProperty("role", "compact")
        self.as_table.setToolTip("The figures of all parts as bars: at the start, now, the limit.")
        self.as_table.toggled.connect(lambda on: self.stack.setCurrentIndex(int(on)))
        row.addWidget(self.as_table)
        column.addLayout(row)
        self.map = FaceMap(bench, executor)
        self.map.picked.connect(self._on_picked)
        self.table = ScoreTable()
        self.stack = QStackedWidget()
        self.stack.addWidget(self.map)
        self.stack.addWidget(self.table)
        column.addWidget(self.stack)
        self.said = label("", "dim")
        self.said.setWordWrap(True)
        column.addWidget(self.said)
        self.heard.to(bench.job_opened, self.reset)
        self.heard.to(bench.job_changed, self._on_job_changed)
        self.heard.to(bench.stage_changed, self._on_stage_changed)
        self.heard.to(bench.pending_changed, self.map.update)
        self.heard.to(bench.looks_changed, self._on_looks_changed)
        self.reset()

    def close_view(self) -> None:
        self._aside.close()
        super().close_view()

    def is_wanted(self) -> bool:
        return is_surveyed(self.bench)

    def reset(self) -> None:
        self._aside.forget()
        self._on_stage_changed()

    @property
    def figure(self) -> Figure:
        return FIGURES[max(0, self.figures.currentIndex())]

    @property
    def measured(self) -> bool:
        """True if no measurement is due or under way any more."""
        return self._aside.rests

    @property
    def measuring(self) -> bool:
        return self._aside.under_way

    @property
    def scores(self) -> Scores | None:
        """The latest, of the person that is looked at; None before there are any."""
        measured = self._aside.value
        return None if measured is None else measured.of(person_of(self.bench))

    def _on_stage_changed(self) -> None:
        if self.is_looked_at and self.scores is None:
            self._aside.ask(1)

    def _on_looks_changed(self) -> None:
        if self.map.person != person_of(self.bench):
            self._show()

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        same = (before.layers, before.regions, before.brief) == (
            after.layers, after.regions, after.brief)  # fmt: skip
        if before.regions is not after.regions:  # another face
            self._aside.forget()
        if not same and self.is_looked_at:
            self._aside.ask()
        elif not same:
            self._aside.forget()

    def _show(self) -> None:
        job = self.bench.job
        self.map.show_state(job.state if job is not None and has_regions(self.bench) else None)
        self.map.show_shades(shades_of_scores(self.scores, self.figure) if self.scores else {})
        self.table.show_scores(self.scores, self.figure)
        if self.measuring:
            self.said.setText("Measuring the skin …")
        elif self.scores is None:
            self.said.setText("")
        else:
            self.said.setText(_said(self.bench, self.scores))
        self.said.setProperty("role", "caution" if self.scores and self.scores.said else "dim")
        style = self.said.style()
        assert style is not None
        style.polish(self.said)

    def _on_picked(self, part: Part) -> None:
        try:
            if self.bench.pending is not None:
                turn_part(self.bench, part)
            else:
                look_at_part(self.bench, part)
        except Exception as error:  # noqa: BLE001 - the edge
            self.bench.report(error, "Going there failed")


def _said(bench: Workbench, scores: Scores) -> str:
    """Which parts are beyond a limit; how that goes together with what was found."""
    lines = [text[:1].upper() + text[1:] + "." for text in scores.said]
    n_more = len(lines) - MOST_SAID
    if n_more > 0:
        lines[MOST_SAID:] = [f"{n_more} more beyond a limit: see the table."]
    if lines:
        return "\n".join(lines)
    n_open = len(bench.state.findings.open_of_stage(bench.stage.value))
    return f"{WITHIN} {SINGLE_PLACES}" if n_open else WITHIN


class ScoreTable(QWidget):
    """A row a part: the figure now as a bar, at the start as a notch, the limit as a line."""

    def __init__(self) -> None:
        super().__init__()
        self._scores: Scores | None = None
        self._figure: Figure = FIGURES[0]
        self._row_px = ROW_PX[1]
        self.setMinimumHeight(HEIGHT_PX)
        self.setAccessibleName("Scores by part")

    def sizeHint(self) -> QSize:
        return QSize(220, HEIGHT_PX)

    def show_scores(self, scores: Scores | None, figure: Figure) -> None:
        self._scores, self._figure = scores, figure
        n_parts = 0 if scores is None else len(scores.parts)
        low, high = ROW_PX
        self._row_px = max(low, min(high, HEIGHT_PX // max(n_parts, 1)))
        self.setMinimumHeight(max(HEIGHT_PX, n_parts * self._row_px + 2))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: ARG002
        if self._scores is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(SMALL))
        t, figure, limits = theme(), self._figure, self._scores.limits
        pairs = {
            part: (figure.value(score, score.start), figure.value(score, score.now))
            for part, score in self._scores.parts.items()
        }
        limit = figure.limit(limits)
        most = max((v for pair in pairs.values() for v in pair), default=1.0)
        most = max(most, 1.2 * limit if limit is not None else 0.0, 1e-6)
        names_px, figures_px, row_px = 94.0, 86.0, self._row_px
        room = self.width() - names_px - figures_px
        for n, (part, (start, now)) in enumerate(pairs.items()):
            top = n * row_px + 2.0
            text = QRectF(0, top, names_px, row_px)
            painter.setPen(QColor(t.text))
            draw(painter, text, where(part).capitalize())
            groove = QRectF(names_px, top + row_px / 2 - 3, room, 6)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.groove))
            painter.drawRoundedRect(groove, 3, 3)
            beyond = figure.is_beyond(now, limits)
            painter.setBrush(QColor(t.warning if beyond else t.text))
            bar = QRectF(groove.left(), groove.top(), room * min(now / most, 1.0), 6)
            painter.drawRoundedRect(bar, 3, 3)
            if limit is None:
                self._notch(painter, groove, start / most, t.accent)
            else:
                self._notch(painter, groove, limit / most, t.warning)
            painter.setPen(QColor(t.warning if beyond else t.text))
            told = figure.text(now)
            if limit is None:
                told = f"{start:.1f} → {told}"
            place = QRectF(self.width() - figures_px, top, figures_px, row_px)
            draw(painter, place, ("! " if beyond else "") + told, RIGHT)

    @staticmethod
    def _notch(painter: QPainter, groove: QRectF, share: float, colour: str) -> None:
        x = groove.left() + groove.width() * min(share, 1.0)
        painter.setPen(QPen(QColor(colour), 2.0))
        painter.drawLine(QPointF(x, groove.top() - 3), QPointF(x, groove.bottom() + 3))
