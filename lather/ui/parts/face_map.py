"""The face map: a small drawing of this person's face, its parts shaded by a figure, with places
that something is to be said of."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QBrush,
    QColor,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PyQt6.QtWidgets import QToolTip, QWidget

from lather.actions.looking.people import person_of
from lather.actions.workbench import Workbench
from lather.assist.changed_outline import Outline
from lather.assist.even.scores import where
from lather.assist.face_map import (
    Shade,
    feature_outlines,
    map_rect,
    part_outlines,
)
from lather.core.survey.regions.region import Part
from lather.document.state import JobState
from lather.render.worker import Executor
from lather.ui.parts.texts import CENTRE, Told, draw, tell, width_of
from lather.ui.parts.theme import SMALL, font, theme

HEIGHT_PX = 176
DARKEST, LIGHTEST = 0.22, 0.78  # greys between which parts are shaded
HALO_PX, SPOT_PX = 2.6, 4.0
NEAR, LEAST_LABELS, APART_PX = 0.75, 2, 3.0


Drawn = tuple[dict[Part, tuple[Outline, ...]], tuple[Outline, ...]]  # parts, features


def _drawn(state: JobState, person: int) -> Drawn:
    outlines = part_outlines(state, person)
    return outlines, feature_outlines(state, person) if outlines else ()


class FaceMap(QWidget):
    """Shows a figure by part; says which part was clicked."""

    picked = pyqtSignal(object)  # a Part

    def __init__(self, bench: Workbench, executor: Executor) -> None:
        super().__init__()
        self.bench = bench
        self._executor = executor
        self.shades: Mapping[Part, Shade] = {}
        self._spots: tuple[tuple[float, float], ...] = ()
        self._outlines: dict[Part, tuple[Outline, ...]] = {}
        self._features: tuple[Outline, ...] = ()
        self._regions: object = None
        self.person = 0  # who is shown
        self._hovered: Part | None = None
        self.setMouseTracking(True)
        self.setMinimumHeight(HEIGHT_PX)
        self.setAccessibleName("Face map")

    def sizeHint(self) -> QSize:
        return QSize(220, HEIGHT_PX)

    def show_state(self, state: JobState | None) -> None:
        """Draw the face of a job; nothing without a face."""
        person = person_of(self.bench)
        regions = (state.regions, state.findings.faces, person) if state is not None else None
        if regions != self._regions:
            self._regions, self.person = regions, person
            self._outlines, self._features = {}, ()
            if state is not None:
                self._draw_aside(state, regions)
        self.update()

    def _draw_aside(self, state: JobState, regions: object) -> None:
        """Where the parts lie is not known at once in a job that was surveyed earlier."""
        def drawn(found: Drawn) -> None:
            if self._regions is regions:
                self._outlines, self._features = found
                self.update()

        person = person_of(self.bench)
        self._executor.post(lambda: _drawn(state, person), drawn, priority=3)

    def show_shades(
        self, shades: Mapping[Part, Shade], spots: tuple[tuple[float, float], ...] = ()
    ) -> None:
        """Shade the parts; mark places of the photo."""
        self.shades, self._spots = shades, spots
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
            draw(painter, QRectF(self.rect()), "no face was found", CENTRE)
            return
        pending = self.bench.pending
        chosen = pending.parts if pending is not None else ()
        painter.setFont(font(SMALL))
        for part, path in paths.items():
            grey = self._grey(part)
            shade = QColor(t.groove) if grey is None else QColor.fromRgbF(grey, grey, grey)
            painter.setPen(QPen(QColor(t.line), 1))
            painter.setBrush(shade)
            painter.drawPath(path)
            if part in self.shades and self.shades[part].is_beyond:
                painter.setPen(QPen(QColor(t.warning), 1.6))
                painter.setBrush(QBrush(QColor(t.warning), Qt.BrushStyle.BDiagPattern))
                painter.drawPath(path)
            if part is self._hovered or part in chosen:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(QColor(t.accent), 2.0))
                painter.drawPath(path)
        self._draw_features(painter)
        self._draw_figures(painter, paths)
        for x, y in self._spots:
            self._draw_spot(painter, self._placed_point(x, y))

    def _draw_spot(self, painter: QPainter, at: QPointF) -> None:
        """A small square on its tip."""
        painter.setPen(QPen(QColor(0, 0, 0, 190), 1.0))
        painter.setBrush(QColor(theme().warning))
        tip = SPOT_PX
        painter.drawPolygon(QPolygonF([at + QPointF(0, -tip), at + QPointF(tip, 0),
                                       at + QPointF(0, tip), at + QPointF(-tip, 0)]))  # fmt: skip

    def _draw_features(self, painter: QPainter) -> None:
        """Eyes, brows and lips: it is this person's face."""
        painter.setPen(QPen(QColor(theme().dim), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for outline in self._features:
            painter.drawPath(self._placed((outline,)))

    def _draw_figures(self, painter: QPainter, paths: Mapping[Part, QPainterPath]) -> None:
        """Those of parts beyond a limit or near it, and of the two that come first; the others are
        told on hover. None lies on another."""
        shades = sorted((part for part in paths if part in self.shades),
                        key=lambda part: -self.shades[part].share)  # fmt: skip
        shades.sort(key=lambda part: not self.shades[part].is_beyond)
        taken: list[QRectF] = []
        for number, part in enumerate(shades):
            shade = self.shades[part]
            if not shade.is_beyond and shade.share < NEAR and number >= LEAST_LABELS:
                continue
            box = paths[part].boundingRect()
            width, height = width_of(shade.text, painter), painter.fontMetrics().height()
            place = QRectF(0, 0, width, height)
            place.moveCenter(box.center())
            if part is Part.EARS:  # on one of them, not between them
                place.moveCenter(QPointF(box.left() + 8, box.center().y()))
            place.moveLeft(min(max(place.left(), 1.0), self.width() - width - 1))
            place.moveTop(min(max(place.top(), 1.0), self.height() - height - 1))
            if not any(place.intersects(other) for other in taken):
                taken.append(place.adjusted(-APART_PX, 0, APART_PX, 0))
                self._draw_figure(painter, place, shade.text)

    def _draw_figure(self, painter: QPainter, place: QRectF, text: str) -> None:
        path = QPainterPath()
        path.addText(QPointF(place.left(), place.top() + painter.fontMetrics().ascent()),
                     painter.font(), text)  # fmt: skip
        painter.setPen(QPen(QColor(0, 0, 0, 190), HALO_PX))  # readable on any grey
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
        painter.fillPath(path, QColor("#ffffff"))
        tell(painter.device(), Told(text, place.size(), QRectF(self.rect()), place))

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
        """A part's figure and limit in words."""
        shade = self.shades.get(part)
        return shade.told if shade is not None else f"{where(part).capitalize()}: not measured"

    def _grey(self, part: Part) -> float | None:
        shade = self.shades.get(part)
        if shade is None:
            return None
        return DARKEST + (LIGHTEST - DARKEST) * min(max(shade.share, 0.0), 1.0)

    def _paths(self) -> dict[Part, QPainterPath]:
        """The parts in the widget, those that lie on others last."""
        if not self._outlines or self.bench.job is None:
            return {}
        clip = QPainterPath()
        clip.addRect(QRectF(0, 0, self.width(), self.height()))
        paths = {part: self._placed(outlines).intersected(clip)
                 for part, outlines in self._outlines.items()}  # fmt: skip
        return {part: path for part, path in paths.items() if not path.isEmpty()}

    def _scale(self) -> tuple[float, float, float]:
        """Pixels of the widget per pixel of the photo, and where the photo's origin lies in it."""
        rect = map_rect(self.bench.state, self.person)
        scale = min(self.width() / rect.width, self.height() / rect.height)
        left = (self.width() - scale * rect.width) / 2 - scale * rect.x0
        top = (self.height() - scale * rect.height) / 2 - scale * rect.y0
        return scale, left, top

    def _placed_point(self, x: float, y: float) -> QPointF:
        scale, left, top = self._scale()
        return QPointF(left + scale * x, top + scale * y)

    def _placed(self, outlines: tuple[Outline, ...]) -> QPainterPath:
        """Outlines of the photo, in the widget."""
        scale, left, top = self._scale()
        path = QPainterPath()
        for outline in outlines:
            points = [QPointF(left + scale * x, top + scale * y) for x, y in outline]
            path.moveTo(points[0])
            for point in points[1:]:
                path.lineTo(point)
            path.closeSubpath()
        return path
