"""Findings drawn on the picture: a shape for each kind, double lines that show on any skin."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPainterPathStroker, QPen, QPolygonF

from lather.actions.workbench import Workbench
from lather.core.survey.findings.finding import N_DIRECTIONS, Finding, Kind
from lather.document.findings import FindingState
from lather.ui.theme import theme

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


def draw_findings(painter: QPainter, bench: Workbench, ratio: float) -> None:
    """Mark what is open or kept of the stage that is looked at."""
    if bench.job is None or bench.geometry is None or bench.pending is not None:
        return
    if bench.looks.handles or bench.looks.lens:
        return  # one thing at a time
    if bench.session is not None and bench.session.drawing:
        return  # nothing between the pen and the skin
    findings = bench.state.findings
    current = bench.walk.current(findings)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for finding in findings.of_stage(bench.stage.value):
        state = findings.state(finding)
        kept = state is FindingState.KEPT
        if current is not None and finding.id == current.id:
            path = _sides if finding.path_px else _outline
            _draw(painter, finding, path(bench, finding, ratio), QColor(theme().accent), 1.6)
        elif state not in _SHOWN:
            continue
        elif bench.looks.all_findings or _is_near(bench, finding, current, ratio):
            patch = finding.kind.is_patch
            shape = _sides if finding.path_px else _outline if patch else _shape
            light = QColor(255, 255, 255, FAINT if finding.doubtful else 150 if kept else 230)
            _draw(painter, finding, shape(bench, finding, ratio), light, 1.2)
        else:
            at = _placed(bench, finding, ratio)[0]
            _draw_dot(painter, at, hollow=kept, faint=finding.doubtful)


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


def _draw_dot(painter: QPainter, at: QPointF, *, hollow: bool, faint: bool) -> None:
    """What does not matter now: full where it is open, a ring where it is kept."""
    painter.setOpacity(0.4 if faint else 1.0)
    painter.setPen(QPen(QColor(0, 0, 0, 150), 1.2))
    painter.setBrush(Qt.BrushStyle.NoBrush if hollow else QColor(255, 255, 255, 220))
    painter.drawEllipse(at, DOT_PX, DOT_PX)
    if hollow:
        painter.setPen(QPen(QColor(255, 255, 255, 200), 1.0))
        painter.drawEllipse(at, DOT_PX - 0.8, DOT_PX - 0.8)
    painter.setOpacity(1.0)


def _is_near(
    bench: Workbench, finding: Finding, current: Finding | None, ratio: float
) -> bool:
    """Close enough on the screen to the one looked at to be taken for it."""
    if current is None:
        return False
    away = _placed(bench, finding, ratio)[0] - _placed(bench, current, ratio)[0]
    return math.hypot(away.x(), away.y()) < NEAR_PX


def _shape(bench: Workbench, finding: Finding, ratio: float) -> QPainterPath:
    """By kind: red a circle, dark four corners, bright and pale three, flakes five, kept six."""
    centre, radius = _placed(bench, finding, ratio)
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


def _sides(bench: Workbench, finding: Finding, ratio: float) -> QPainterPath:
    """Both sides of a line, beside what is marked."""
    assert bench.geometry is not None
    sight = bench.photo_sight
    places = [QPointF(*sight.to_view(bench.geometry, x, y)) / ratio for x, y in finding.path_px]
    half = max(finding.reach_px * bench.geometry.zoom / ratio, 2.0) + GAP_PX
    middle = QPainterPath()
    middle.addPolygon(QPolygonF(places))
    stroker = QPainterPathStroker()
    stroker.setWidth(2 * half)
    stroker.setCapStyle(Qt.PenCapStyle.RoundCap)
    stroker.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    return stroker.createStroke(middle).simplified()


def _outline(bench: Workbench, finding: Finding, ratio: float) -> QPainterPath:
    """The measured extent itself."""
    assert bench.geometry is not None
    seen_x, seen_y = bench.photo_sight.seen(finding.x, finding.y)
    points = []
    for n, radius_px in enumerate((*finding.extent_px, finding.extent_px[0])):
        turn = 2 * math.pi * n / N_DIRECTIONS
        x, y = bench.geometry.to_view(
            seen_x + radius_px * math.cos(turn), seen_y + radius_px * math.sin(turn)
        )
        points.append(QPointF(x, y) / ratio)
    path = QPainterPath()
    path.addPolygon(QPolygonF(points))
    return path


def _placed(bench: Workbench, finding: Finding, ratio: float) -> tuple[QPointF, float]:
    assert bench.geometry is not None
    x, y = bench.photo_sight.to_view(bench.geometry, finding.x, finding.y)
    radius = finding.reach_px * bench.geometry.zoom / ratio + GAP_PX
    return QPointF(x, y) / ratio, max(radius, SMALLEST_PX)
