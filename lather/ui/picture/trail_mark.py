"""The outline being drawn, and how it would close."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRect, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPixmap

from lather.actions.workbench import Workbench
from lather.core.brush.stroke import PenSample
from lather.render.screen.geometry import ViewGeometry
from lather.ui.picture.area_mark import dark_pen, light_pen
from lather.ui.picture.polygons import Points, in_widget, polygon

MARGIN_PX = 4
PIECE = 64  # points; whole pieces are drawn once


class TrailMark:
    """Draws the trail of the pen; what was drawn of it before is kept as two pictures.

    Smooth lines take their time by the point: a long outline would fall behind the pen.
    """

    def __init__(self) -> None:
        self._key: tuple[object, ...] = ()
        self._n_kept = 0
        self._kept: list[QPixmap] = []  # dark and light: light lies on top of all that is dark

    def draw(self, painter: QPainter, bench: Workbench, ratio: float) -> None:
        session, geometry = bench.session, bench.geometry
        trail = session.trail if session is not None else []
        if geometry is None or len(trail) < 2:
            self._key, self._kept = (), []
            return
        self._keep(trail, geometry, ratio)
        rest = _points(trail[max(0, self._n_kept - 1) :], geometry, ratio)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for pen, picture in zip((dark_pen(), light_pen()), self._kept, strict=True):
            painter.drawPixmap(0, 0, picture)
            _draw_line(painter, pen, rest)
        pen = QPen(QColor(255, 255, 255, 130), 1)
        pen.setDashPattern([3, 4])
        painter.setPen(pen)
        first = _points(trail[:1], geometry, ratio)
        painter.drawLine(QPointF(*rest[-1]), QPointF(*first[0]))

    def _keep(self, trail: Sequence[PenSample], geometry: ViewGeometry, ratio: float) -> None:
        """Add the pieces that are whole by now to the pictures; new ones for another trail."""
        key = trail, geometry, ratio  # the list of a stroke is its own from start to end
        if not self._kept or self._key[0] is not trail or self._key[1:] != key[1:]:
            self._key, self._n_kept = key, 0
            self._kept = [QPixmap(geometry.view_width, geometry.view_height) for _ in range(2)]
            for picture in self._kept:
                picture.setDevicePixelRatio(ratio)
                picture.fill(Qt.GlobalColor.transparent)
        n_whole = len(trail) // PIECE * PIECE
        if n_whole <= self._n_kept:
            return
        piece = _points(trail[max(0, self._n_kept - 1) : n_whole], geometry, ratio)
        self._n_kept = n_whole
        for pen, picture in zip((dark_pen(), light_pen()), self._kept, strict=True):
            inner = QPainter(picture)
            inner.setRenderHint(QPainter.RenderHint.Antialiasing)
            _draw_line(inner, pen, piece)
            inner.end()


def trail_box(trail: Sequence[PenSample], geometry: ViewGeometry, ratio: float) -> QRect:
    """What the last reading of a trail can have changed, in widget coordinates."""
    points = _points([trail[0], *trail[-2:]], geometry, ratio)
    box = polygon(points).boundingRect()
    return box.toAlignedRect().adjusted(-MARGIN_PX, -MARGIN_PX, MARGIN_PX, MARGIN_PX)


def _points(trail: Sequence[PenSample], geometry: ViewGeometry, ratio: float) -> Points:
    return in_widget(geometry, np.array([(s.x, s.y) for s in trail]), ratio)


def _draw_line(painter: QPainter, pen: QPen, points: Points) -> None:
    path = QPainterPath()
    path.addPolygon(polygon(points))
    painter.setPen(pen)
    painter.drawPath(path)
