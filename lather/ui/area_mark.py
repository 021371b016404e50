"""The area on the picture: a double line along its rim, and its soft band."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from lather.actions.workbench import Workbench
from lather.core.arrays import FULL
from lather.core.brush.stroke import PenSample
from lather.core.rect import Rect
from lather.document.tiles import Tiles
from lather.render.compositor import read_level
from lather.render.geometry import ViewGeometry
from lather.ui.polygons import in_widget, polygon

STAIR_PX = 0.6  # steps of a rim's pixels that its line does without
BAND = (0.1, 0.9)  # coverages between which the soft band is drawn


class AreaMark:
    """Draws the area; its paths are kept while neither it nor the view changes."""

    def __init__(self) -> None:
        self._key: tuple[object, ...] = ()  # holds the area: while it does, no other has its id
        self._rim = QPainterPath()
        self._band = QPainterPath()

    def draw(self, painter: QPainter, bench: Workbench, ratio: float) -> None:
        area, geometry = bench.state.area, bench.geometry
        if area is None or geometry is None:
            return
        key = area, geometry, ratio
        if self._key != key:
            self._key = key
            self._find(area, geometry, ratio)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(255, 255, 255, 46))
        painter.drawPath(self._band)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        double_line(painter, self._rim)

    def _find(self, area: Tiles, geometry: ViewGeometry, ratio: float) -> None:
        level = geometry.level
        rect = geometry.visible.grown(2)
        picture = Rect(0, 0, geometry.photo_width, geometry.photo_height)
        samples = read_level(area, picture, rect, level)
        self._rim = _path(_contours(samples, 0.5, rect), geometry, level, ratio)
        self._band = QPainterPath()
        soft = (samples > BAND[0] * FULL) & (samples < BAND[1] * FULL)
        if soft.mean() > 0 and _is_feathered(samples, soft):
            for share in BAND:
                found = _contours(samples, share, rect)
                self._band.addPath(_path(found, geometry, level, ratio))
            self._band.setFillRule(Qt.FillRule.OddEvenFill)


def draw_trail(
    painter: QPainter, bench: Workbench, trail: Sequence[PenSample], ratio: float
) -> None:
    """The outline being drawn, and how it would close."""
    geometry = bench.geometry
    if geometry is None or len(trail) < 2:
        return
    points = in_widget(geometry, np.array([(s.x, s.y) for s in trail]), ratio)
    path = QPainterPath()
    path.addPolygon(polygon(points))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    double_line(painter, path)
    pen = QPen(QColor(255, 255, 255, 130), 1)
    pen.setDashPattern([3, 4])
    painter.setPen(pen)
    painter.drawLine(QPointF(*points[-1]), QPointF(*points[0]))


def double_line(painter: QPainter, path: QPainterPath) -> None:
    """Light on dark: it shows on any picture."""
    painter.setPen(QPen(QColor(0, 0, 0, 160), 2.8))
    painter.drawPath(path)
    painter.setPen(QPen(QColor(255, 255, 255, 235), 1.2))
    painter.drawPath(path)


def _contours(
    samples: NDArray[np.uint16], share: float, rect: Rect
) -> list[NDArray[np.float64]]:
    import cv2  # not loaded for the first window

    inside = cv2.copyMakeBorder(
        (samples >= share * FULL).astype(np.uint8), 1, 1, 1, 1, cv2.BORDER_REPLICATE
    )
    found, _ = cv2.findContours(inside, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_SIMPLE)
    corner = np.array([rect.x0 - 0.5, rect.y0 - 0.5])
    return [cv2.approxPolyDP(contour, STAIR_PX, True)[:, 0] + corner for contour in found]


def _is_feathered(samples: NDArray[np.uint16], soft: NDArray[np.bool_]) -> bool:
    """More soft pixels than an anti-aliased rim has."""
    import cv2

    inside = (samples >= FULL // 2).astype(np.uint8)
    rim = cv2.morphologyEx(inside, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8))
    return bool(soft.sum() > 1.5 * max(1, int(rim.sum())))


def _path(
    contours: list[NDArray[np.float64]], geometry: ViewGeometry, level: int, ratio: float
) -> QPainterPath:
    path = QPainterPath()
    step = 1 << level
    for contour in contours:
        path.addPolygon(polygon(in_widget(geometry, contour * step, ratio)))
        path.closeSubpath()
    return path
