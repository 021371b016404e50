"""The face map: a small drawing of this person's face, its parts shaded by a figure."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QToolTip, QWidget

from lather.actions.workbench import Workbench
from lather.assist.changed_outline import Outline
from lather.assist.face_map import (
    FIGURES,
    Figure,
    feature_outlines,
    map_rect,
    part_outlines,
)
from lather.assist.scores import PartScore, Scores, where
from lather.core.survey.regions.region import Part
from lather.document.state import JobState
from lather.ui.theme import SMALL_PX, font, theme

HEIGHT_PX = 176
DARKEST, LIGHTEST = 0.22, 0.78  # greys between which parts are shaded
HALO_PX = 2.6


class FaceMap(QWidget):
    """Shows scores by part; says which part was clicked."""

    picked = pyqtSignal(object)  # a Part

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.figure: Figure = FIGURES[0]
        self.scores: Scores | None = None
        self._outlines: dict[Part, tuple[Outline, ...]] = {}
        self._features: tuple[Outline, ...] = ()
        self._regions: object = None
        self._hovered: Part | None = None
        self.setMouseTracking(True)
        self.setMinimumHeight(HEIGHT_PX)
        self.setAccessibleName("Face map")

    def sizeHint(self) -> QSize:
        return QSize(220, HEIGHT_PX)

    def show_state(self, state: JobState | None) -> None:
        """Draw the face of a job; nothing without a face."""
        regions = (state.regions, state.findings.faces) if state is not None else None
        if regions != self._regions:
            self._regions = regions
            self._outlines = part_outlines(state) if state is not None else {}
            self._features = feature_outlines(state) if self._outlines and state else ()
        self.update()

    def show_scores(self, scores: Scores | None, figure: Figure) -> None:
        self.scores, self.figure = scores, figure
        self.update()

    def part_at(self, position: QPointF) -> Part | None:
        for part, path in self._paths().items():
            if path.contains(position):
                return part
        return None

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: ARG002
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = theme()
        paths = self._paths()
        if not paths:
            painter.setPen(QColor(t.dim))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "no face was found")
            return
        pending = self.bench.pending
        chosen = pending.parts if pending is not None else ()
        painter.setFont(font(SMALL_PX))
        for part, path in paths.items():
            grey = self._grey(part)
            shade = QColor(t.groove) if grey is None else QColor.fromRgbF(grey, grey, grey)
            painter.setPen(QPen(QColor(t.line), 1))
            painter.setBrush(shade)
            painter.drawPath(path)
            if self._is_beyond(part):
                painter.setPen(QPen(QColor(t.warning), 1.6))
                painter.setBrush(QBrush(QColor(t.warning), Qt.BrushStyle.BDiagPattern))
                painter.drawPath(path)
            if part is self._hovered or part in chosen:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(QColor(t.accent), 2.0))
                painter.drawPath(path)
        self._draw_features(painter)
        for part, path in paths.items():
            self._draw_figure(painter, part, path)

    def _draw_features(self, painter: QPainter) -> None:
        """Eyes, brows and lips: it is this person's face."""
        painter.setPen(QPen(QColor(theme().dim), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for outline in self._features:
            painter.drawPath(self._placed((outline,)))

    def _draw_figure(self, painter: QPainter, part: Part, path: QPainterPath) -> None:
        score = self._score(part)
        if score is None:
            return
        text = self._text(score)
        box = path.boundingRect()
        if painter.fontMetrics().horizontalAdvance(text) > box.width() + 8:
            return
        centre = box.center()
        if part is Part.EARS:  # on one of them, not between them
            centre = QPointF(box.left() + 8, box.center().y())
        width = painter.fontMetrics().horizontalAdvance(text)
        path = QPainterPath()
        path.addText(QPointF(centre.x() - width / 2, centre.y() + 4), painter.font(), text)
        painter.setPen(QPen(QColor(0, 0, 0, 190), HALO_PX))  # readable on any grey
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
        painter.fillPath(path, QColor("#ffffff"))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        part = self.part_at(event.position())
        if part is not self._hovered:
            self._hovered = part
            self.update()
        if part is not None:
            QToolTip.showText(event.globalPosition().toPoint(), self.told(part), self)
        else:
            QToolTip.hideText()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        part = self.part_at(event.position())
        if part is not None:
            self.picked.emit(part)

    def leaveEvent(self, event: object) -> None:  # noqa: ARG002
        self._hovered = None
        self.update()

    def told(self, part: Part) -> str:
        """A part's figure at the start and now, and the style's limit."""
        score, figure = self._score(part), self.figure
        name = where(part).capitalize()
        if score is None or self.scores is None:
            return f"{name}: not measured"
        now = figure.text(figure.value(score, score.now))
        start = figure.text(figure.value(score, score.start))
        lines = [f"{name}: {figure.title.lower()} {now}"]
        most = figure.limit(self.scores.limits)
        if most is None:
            lines[0] += f", at the start {start}"
        else:
            at = "at least" if figure.kept else "at most"
            lines.append(f"The style's limit: {at} {figure.text(most)}")
        lines += [text[:1].upper() + text[1:] + "." for text in score.beyond(self.scores.limits)]
        lines.append("Click to go there.")
        return "\n".join(lines)

    def _text(self, score: PartScore) -> str:
        value = self.figure.value(score, score.now)
        return f"{value:.0%}" if self.figure.unit == "%" else f"{value:.1f}"

    def _score(self, part: Part) -> PartScore | None:
        return self.scores.parts.get(part) if self.scores is not None else None

    def _is_beyond(self, part: Part) -> bool:
        score = self._score(part)
        if score is None or self.scores is None:
            return False
        return self.figure.is_beyond(self.figure.value(score, score.now), self.scores.limits)

    def _grey(self, part: Part) -> float | None:
        """More is lighter, against the most of all parts at the start."""
        score = self._score(part)
        if score is None or self.scores is None:
            return None
        figure = self.figure
        most = max(
            max(figure.value(s, s.start), figure.value(s, s.now))
            for s in self.scores.parts.values()
        )
        share = figure.value(score, score.now) / max(most, 1e-6)
        if figure.kept:  # what is lost is light
            share = min(1.0, 4 * (1 - min(1.0, figure.value(score, score.now))))
        return DARKEST + (LIGHTEST - DARKEST) * min(max(share, 0.0), 1.0)

    def _paths(self) -> dict[Part, QPainterPath]:
        """The parts in the widget, those that lie on others last."""
        if not self._outlines or self.bench.job is None:
            return {}
        clip = QPainterPath()
        clip.addRect(QRectF(0, 0, self.width(), self.height()))
        paths = {part: self._placed(outlines).intersected(clip)
                 for part, outlines in self._outlines.items()}  # fmt: skip
        return {part: path for part, path in paths.items() if not path.isEmpty()}

    def _placed(self, outlines: tuple[Outline, ...]) -> QPainterPath:
        """Outlines of the photo, in the widget."""
        rect = map_rect(self.bench.state)
        scale = min(self.width() / rect.width, self.height() / rect.height)
        left = (self.width() - scale * rect.width) / 2 - scale * rect.x0
        top = (self.height() - scale * rect.height) / 2 - scale * rect.y0
        path = QPainterPath()
        for outline in outlines:
            points = [QPointF(left + scale * x, top + scale * y) for x, y in outline]
            path.moveTo(points[0])
            for point in points[1:]:
                path.lineTo(point)
            path.closeSubpath()
        return path
