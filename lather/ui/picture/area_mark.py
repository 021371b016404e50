"""The area on the picture: a double line along its rim, its soft band, and where it is broken.

Smooth lines of some thousand points take longer than a frame may. So a worker draws them, on
a transparent picture of the view; until it is there, the one before is shown in its place.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen

from lather.actions.hand.rim_watch import RimWatch
from lather.actions.looking.sight import Sight
from lather.actions.workbench import Workbench
from lather.core.arrays import FULL
from lather.core.rect import Rect
from lather.document.tiles import Tiles
from lather.render.levels import read_level
from lather.render.screen.geometry import ViewGeometry
from lather.render.worker import Executor
from lather.ui.picture.polygons import in_widget, polygon
from lather.ui.picture.rim_mark import draw_area_rims

if TYPE_CHECKING:
    from lather.core.mend.rim import RimTest  # loads OpenCV, which the first window does without

STAIR_PX = 0.6  # steps of a rim's pixels that its line does without
BAND = (0.1, 0.9)  # coverages between which the soft band is drawn


@dataclass(frozen=True, eq=False)
class _Mark:
    """All that the drawing of an area depends on."""

    job: object
    area: Tiles
    rims: tuple[RimTest, ...]
    geometry: ViewGeometry
    ratio: float
    sight: Sight  # where the photo's places are seen

    def same(self, other: _Mark | None) -> bool:
        if other is None or self.area is not other.area or self.rims is not other.rims:
            return False
        return (self.geometry, self.ratio, self.sight.moved_by) == (
            other.geometry, other.ratio, other.sight.moved_by)  # fmt: skip

    def stands_for(self, wanted: _Mark) -> bool:
        """True if it can be shown until the one that is wanted is drawn."""
        alike = self.geometry.mirrored == wanted.geometry.mirrored
        return self.job is wanted.job and self.ratio == wanted.ratio and alike

    def drawn(self) -> QImage:
        """On a worker: the picture of it."""
        geometry = self.geometry
        image = QImage(geometry.view_width, geometry.view_height,
                       QImage.Format.Format_ARGB32_Premultiplied)  # fmt: skip
        image.setDevicePixelRatio(self.ratio)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        rim, band = _paths(self.area, geometry, self.ratio, self.sight)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(255, 255, 255, 46))
        painter.drawPath(band)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        double_line(painter, rim)
        draw_area_rims(painter, geometry, self.rims, self.ratio, self.sight)
        painter.end()
        return image


class AreaMark:
    """Shows the area of the open job; `arrived` is called when a newer picture of it is there."""

    def __init__(
        self, bench: Workbench, rims: RimWatch, executor: Executor, arrived: Callable[[], None]
    ) -> None:
        self._bench = bench
        self._rims = rims
        self._executor = executor
        self._arrived = arrived
        self._shown: tuple[_Mark, QImage] | None = None
        self._drawing: _Mark | None = None

    def draw(self, painter: QPainter, ratio: float) -> None:
        area, geometry = self._bench.state.area, self._bench.geometry
        if area is None or geometry is None:
            self._shown = None
            return
        wanted = _Mark(self._bench.job, area, self._rims.area, geometry, ratio,
                       self._bench.photo_sight)  # fmt: skip
        shown = self._shown
        if not wanted.same(shown[0] if shown is not None else None):
            self._ask(wanted)
            shown = self._shown  # it may be there at once
        if shown is not None and shown[0].stands_for(wanted):
            painter.drawImage(_place(shown[0].geometry, geometry, ratio), shown[1])

    def _ask(self, mark: _Mark) -> None:
        if self._drawing is None:  # else it is asked for when that one is there
            self._drawing = mark
            self._executor.post(mark.drawn, lambda image: self._show(mark, image),
                                failed=self._fail)  # fmt: skip

    def _show(self, mark: _Mark, image: QImage) -> None:
        self._shown, self._drawing = (mark, image), None
        self._arrived()

    def _fail(self, error: Exception) -> None:
        self._drawing = None
        raise error


def _place(drawn: ViewGeometry, now: ViewGeometry, ratio: float) -> QRectF:
    """Where a picture of the view as it was lies in the view of now, in widget coordinates."""
    corners = drawn.to_photo(0, 0), drawn.to_photo(drawn.view_width, drawn.view_height)
    (x0, y0), (x1, y1) = (now.to_view(*corner) for corner in corners)
    return QRectF(QPointF(x0, y0) / ratio, QPointF(x1, y1) / ratio).normalized()


def double_line(painter: QPainter, path: QPainterPath) -> None:
    """Light on dark: it shows on any picture."""
    painter.setPen(dark_pen())
    painter.drawPath(path)
    painter.setPen(light_pen())
    painter.drawPath(path)


def dark_pen() -> QPen:
    return QPen(QColor(0, 0, 0, 160), 2.8)


def light_pen() -> QPen:
    return QPen(QColor(255, 255, 255, 235), 1.2)


def _paths(
    area: Tiles, geometry: ViewGeometry, ratio: float, sight: Sight
) -> tuple[QPainterPath, QPainterPath]:
    """The visible rim, and the soft band around it where there is one."""
    reach_px = sum(layer.reach_px(geometry.level) for layer in sight.moved_by)
    rect = geometry.visible.grown(2 + reach_px)
    picture = Rect(0, 0, geometry.photo_width, geometry.photo_height)
    samples = read_level(area, picture, rect, geometry.level)
    rim = _path(_contours(samples, 0.5, rect), geometry, ratio, sight)
    band = QPainterPath()
    soft = (samples > BAND[0] * FULL) & (samples < BAND[1] * FULL)
    if soft.any() and _is_feathered(samples, soft):
        for share in BAND:
            band.addPath(_path(_contours(samples, share, rect), geometry, ratio, sight))
        band.setFillRule(Qt.FillRule.OddEvenFill)
    return rim, band


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
    contours: list[NDArray[np.float64]], geometry: ViewGeometry, ratio: float, sight: Sight
) -> QPainterPath:
    path = QPainterPath()
    step = 1 << geometry.level
    for contour in contours:
        path.addPolygon(polygon(in_widget(geometry, sight.seen_points(contour * step), ratio)))
        path.closeSubpath()
    return path
