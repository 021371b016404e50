"""Findings drawn on the picture: a shape for each kind, double lines that show on any skin."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import (
    QColor,
    QImage,
    QPainter,
    QPainterPath,
    QPainterPathStroker,
    QPen,
    QPolygonF,
)

from lather.actions.looking.sight import Sight
from lather.actions.workbench import Workbench
from lather.core.bounds import N_DIRECTIONS
from lather.core.survey.findings.finding import Finding, Kind
from lather.document.findings import FindingState
from lather.render.screen.geometry import ViewGeometry
from lather.ui.parts.theme import theme

SMALLEST_PX = 7.0  # radius below which a mark could not be told
MOST_CORNER = 1.4  # radii from the centre; a triangle around the circle would be too large
FAINT = 90  # of 255: what is doubtful
NEAR_PX, DOT_PX = 120.0, 2.6
GAP_PX = 3.0  # between what is marked and its mark
_CORNERS = {
    Kind.DARK: 4, Kind.BRIGHT: 3, Kind.MILK_SPOT: 3, Kind.FLAKE: 5, Kind.MOLE: 6, Kind.SCAR: 6,
    Kind.FRECKLES: 6, Kind.MARK: 6,
}  # fmt: skip
# Of a line's two sides.
_DASHES = {
    Kind.CREASE: (), Kind.FOLD: (), Kind.SKIN_HAIR: (2, 3), Kind.VEIN: (7, 3),
    Kind.SHINE: (1, 2), Kind.REDNESS: (5, 2), Kind.UNEVEN: (9, 4),
}
_SHOWN = (FindingState.OPEN, FindingState.KEPT)


@dataclass(frozen=True)
class _View:
    """Where places of the photo are on the screen."""

    sight: Sight
    geometry: ViewGeometry
    ratio: float

    def at(self, x: float, y: float) -> QPointF:
        return QPointF(*self.sight.to_view(self.geometry, x, y)) / self.ratio

    def px(self, length_px: float) -> float:
        """A length on the photo."""
        return length_px * self.geometry.zoom / self.ratio


def draw_findings(painter: QPainter, bench: Workbench, ratio: float) -> None:
    """Mark what is open or kept of the stage that is looked at."""
    if bench.job is None or bench.geometry is None or bench.pending is not None:
        return
    if bench.looks.handles or bench.looks.lens:
        return  # one thing at a time
    if bench.session is not None and bench.session.drawing:
        return  # nothing between the pen and the skin
    view = _View(bench.photo_sight, bench.geometry, ratio)
    findings = bench.state.findings
    current = bench.walk.current(findings)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for finding in findings.of_stage(bench.stage.value):
        state = findings.state(finding)
        kept = state is FindingState.KEPT
        if current is not None and finding.id == current.id:
            path = _sides if finding.path_px else _outline
            _draw(painter, finding, path(view, finding), QColor(theme().accent), 1.6)
        elif state not in _SHOWN:
            continue
        elif bench.looks.all_findings or _is_near(view, finding, current):
            patch = finding.kind.is_patch
            shape = _sides if finding.path_px else _outline if patch else _shape
            light = QColor(255, 255, 255, FAINT if finding.doubtful else 150 if kept else 230)
            _draw(painter, finding, shape(view, finding), light, 1.2)
        else:
            at = view.at(finding.x, finding.y)
            _draw_dot(painter, at, ratio, hollow=kept, faint=finding.doubtful)


def _draw(
    painter: QPainter, finding: Finding, path: QPainterPath, colour: QColor, width_px: float
) -> None:
    """A line with a dark one below it, dashed by kind."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(0, 0, 0, 150), width_px + 1.4))
    painter.drawPath(path)
    pen = QPen(colour, width_px)
    dashes = _DASHES.get(finding.kind, ())
    if dashes:
        pen.setDashPattern(dashes)
    painter.setPen(pen)
    painter.drawPath(path)


def _draw_dot(painter: QPainter, at: QPointF, ratio: float, *, hollow: bool, faint: bool) -> None:
    """What does not matter now: full where it is open, a ring where it is kept. There may be
    hundreds: it is drawn once, and put on whole pixels."""
    dot = _dot(ratio, hollow, faint)
    half = dot.width() / (2 * ratio)
    x, y = (round((v - half) * ratio) / ratio for v in (at.x(), at.y()))
    painter.drawImage(QPointF(x, y), dot)


@lru_cache(maxsize=8)
def _dot(ratio: float, hollow: bool, faint: bool) -> QImage:  # noqa: FBT001
    side = math.ceil((2 * DOT_PX + 4) * ratio)
    image = QImage(side, side, QImage.Format.Format_ARGB32_Premultiplied)
    image.setDevicePixelRatio(ratio)
    image.fill(QColor(0, 0, 0, 0))
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    at = QPointF(side / (2 * ratio), side / (2 * ratio))
    painter.setOpacity(0.4 if faint else 1.0)
    painter.setPen(QPen(QColor(0, 0, 0, 150), 1.2))
    painter.setBrush(Qt.BrushStyle.NoBrush if hollow else QColor(255, 255, 255, 220))
    painter.drawEllipse(at, DOT_PX, DOT_PX)
    if hollow:
        painter.setPen(QPen(QColor(255, 255, 255, 200), 1.0))
        painter.drawEllipse(at, DOT_PX - 0.8, DOT_PX - 0.8)
    painter.end()
    return image


def _is_near(view: _View, finding: Finding, current: Finding | None) -> bool:
    """Close enough on the screen to the one looked at to be taken for it."""
    if current is None:
        return False
    away = view.at(finding.x, finding.y) - view.at(current.x, current.y)
    return math.hypot(away.x(), away.y()) < NEAR_PX


def _shape(view: _View, finding: Finding) -> QPainterPath:
    """By kind: red a circle, dark four corners, bright and pale three, flakes five, kept six."""
    centre = view.at(finding.x, finding.y)
    radius = max(view.px(finding.reach_px) + GAP_PX, SMALLEST_PX)
    path = QPainterPath()
    corners = _CORNERS.get(finding.kind)
    if corners is None:
        path.addEllipse(centre, radius, radius)
        return path
    outer = radius * min(MOST_CORNER, 1 / math.cos(math.pi / corners))
    turns = (2 * math.pi * n / corners - math.pi / 2 for n in range(corners))
    points = [centre + QPointF(outer * math.cos(t), outer * math.sin(t)) for t in turns]
    path.addPolygon(QPolygonF([*points, points[0]]))
    return path


def _sides(view: _View, finding: Finding) -> QPainterPath:
    """Both sides of a line, beside what is marked."""
    view.sight.learn(finding.path_px)
    places = [view.at(x, y) for x, y in finding.path_px]
    half = max(view.px(finding.reach_px), 2.0) + GAP_PX
    middle = QPainterPath()
    middle.addPolygon(QPolygonF(places))
    stroker = QPainterPathStroker()
    stroker.setWidth(2 * half)
    stroker.setCapStyle(Qt.PenCapStyle.RoundCap)
    stroker.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    return stroker.createStroke(middle).simplified()


def _outline(view: _View, finding: Finding) -> QPainterPath:
    """The measured extent itself."""
    seen_x, seen_y = view.sight.seen(finding.x, finding.y)
    points = []
    for n, radius_px in enumerate((*finding.extent_px, finding.extent_px[0])):
        turn = 2 * math.pi * n / N_DIRECTIONS
        x, y = view.geometry.to_view(
            seen_x + radius_px * math.cos(turn), seen_y + radius_px * math.sin(turn)
        )
        points.append(QPointF(x, y) / view.ratio)
    path = QPainterPath()
    path.addPolygon(QPolygonF(points))
    return path
