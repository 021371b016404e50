"""The rim test on the picture: broken parts of a rim in the warning colour, and their share."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from lather.actions.looking.sight import Sight
from lather.actions.workbench import Workbench
from lather.core.survey.findings.finding import MOST_BROKEN
from lather.render.screen.geometry import ViewGeometry
from lather.ui.parts.theme import theme
from lather.ui.picture.polygons import in_widget, polygon
from lather.ui.picture.worded import draw_tag

if TYPE_CHECKING:
    from lather.core.mend.rim import RimTest

TAG_GAP_PX = 10.0
TAG_SIZE_PX = (150, 26)


def draw_cursor_rim(
    painter: QPainter, bench: Workbench, rim: RimTest | None, ratio: float
) -> None:
    """What is broken of the brush's rim as it hovers; nothing where it is clean."""
    if rim is None or not rim.broken.any() or bench.geometry is None:
        return
    seen = bench.layer_sight.seen_points(rim.points.astype(np.float64))
    points = in_widget(bench.geometry, seen, ratio)
    _draw_broken(painter, points, rim.broken)
    if rim.share > MOST_BROKEN:
        right = points[np.argmax(points[:, 0])]
        at = QPointF(right[0] + TAG_GAP_PX, right[1])
        draw_tag(painter, at, f"rim {rim.share:.0%} broken", warning=True)


def draw_area_rims(
    painter: QPainter, geometry: ViewGeometry, rims: Sequence[RimTest], ratio: float, sight: Sight
) -> None:
    """What is broken of the area's outlines, with the share of each; they lie on the photo."""
    for rim in rims:
        if not rim.broken.any():
            continue
        seen = sight.seen_points(rim.points.astype(np.float64))
        points = in_widget(geometry, seen, ratio)
        _draw_broken(painter, points, rim.broken)
        top = points[np.argmin(points[:, 1])]
        at = QPointF(top[0], top[1] - 2 * TAG_GAP_PX)
        draw_tag(painter, at, f"rim {rim.share:.0%} broken", warning=rim.share > MOST_BROKEN)


def rim_box(bench: Workbench, at: QPointF, ratio: float) -> QRect:
    """What drawing the rim under the cursor can touch."""
    zoom = bench.geometry.zoom if bench.geometry is not None else 1.0
    radius = bench.hand.brush.size_px / 2 * zoom / ratio
    width, height = TAG_SIZE_PX
    box = QRectF(at.x() - radius, at.y() - radius, 2 * radius, 2 * radius)
    return box.adjusted(-6, -height, TAG_GAP_PX + width, height).toAlignedRect()


def _draw_broken(painter: QPainter, points: np.ndarray, broken: np.ndarray) -> None:
    path = QPainterPath()
    for part in _runs(broken):
        path.addPolygon(polygon(points[part]))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(0, 0, 0, 190), 4.6))
    painter.drawPath(path)
    painter.setPen(QPen(QColor(theme().warning), 2.4))
    painter.drawPath(path)


def _runs(broken: np.ndarray) -> list[np.ndarray]:
    """Numbers of the points along each broken part, up to the first one that is whole again.

    Point 0 follows the last one.
    """
    n_points = len(broken)
    start = int(np.argmin(broken))  # a whole one, if there is any
    turned = np.roll(broken, -start)
    edges = np.flatnonzero(np.diff(np.concatenate([[False], turned, [False]]).astype(np.int8)))
    return [
        (np.arange(first, last + 1) + start) % n_points
        for first, last in zip(edges[::2], edges[1::2], strict=True)
    ]
