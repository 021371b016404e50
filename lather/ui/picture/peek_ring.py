"""The ring around the pen in which the original shows, the picture at delivery size, or what is
proposed."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen

from lather.actions.looking.looks import Peek
from lather.actions.workbench import Workbench
from lather.core.rect import Rect
from lather.render.screen.geometry import ViewGeometry
from lather.render.screen.request import Shown
from lather.render.screen.view import ViewTiles

RADIUS_PX = 90.0
MARGIN_PX = 4


def ring_box(at: QPointF) -> QRectF:
    """What the ring around a place can touch, in widget coordinates."""
    reach = RADIUS_PX + MARGIN_PX
    return QRectF(at.x() - reach, at.y() - reach, 2 * reach, 2 * reach)


def has_ring(bench: Workbench) -> bool:
    """True if something is peeked at, or a proposal shows around the pen."""
    return bench.looks.peek is not Peek.NONE or bench.pending is not None


def draw_peek(
    painter: QPainter, bench: Workbench, tiles: ViewTiles, at: QPointF, ratio: float
) -> None:
    """Draw what is peeked at, if anything is."""
    geometry, peek = bench.geometry, bench.looks.peek
    if geometry is None or not has_ring(bench):
        return
    inside = QPainterPath()
    inside.addEllipse(at, RADIUS_PX, RADIUS_PX)
    painter.save()
    painter.setClipPath(inside, Qt.ClipOperation.IntersectClip)
    zoom = bench.state.delivery_scale if peek is Peek.DELIVERY else geometry.zoom
    shown = {Peek.BEFORE: Shown.BEFORE, Peek.NONE: Shown.PROPOSED}.get(peek, bench.looks.shown)
    _draw_part(painter, tiles, shown, _seen_at(geometry, zoom, at * ratio), at, ratio)
    painter.restore()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, width_px in ((QColor(0, 0, 0, 160), 3.0), (QColor(255, 255, 255, 235), 1.4)):
        painter.setPen(QPen(colour, width_px))
        painter.drawEllipse(at, RADIUS_PX, RADIUS_PX)


def _seen_at(geometry: ViewGeometry, zoom: float, at: QPointF) -> ViewGeometry:
    """The view at another zoom, with the picture under a place (device pixels) staying there."""
    x, y = geometry.to_photo(at.x(), at.y())
    there = replace(geometry, zoom=zoom)
    moved_x, moved_y = there.to_photo(at.x(), at.y())
    return replace(
        there, centre_x=there.centre_x + x - moved_x, centre_y=there.centre_y + y - moved_y
    )


def _draw_part(
    painter: QPainter, tiles: ViewTiles, shown: Shown, geometry: ViewGeometry, at: QPointF,
    ratio: float,
) -> None:
    """The part of a view that lies in the ring."""
    box = ring_box(at)
    corners = [geometry.to_photo(x * ratio, y * ratio)
               for x, y in ((box.left(), box.top()), (box.right(), box.bottom()))]  # fmt: skip
    (x0, y0), (x1, y1) = corners
    level, scale = geometry.level, 1 << geometry.level
    rect = Rect(
        int(min(x0, x1) // scale) - 1, int(min(y0, y1) // scale) - 1,
        int(max(x0, x1) // scale) + 2, int(max(y0, y1) // scale) + 2,
    )  # fmt: skip
    pixels = tiles.picture(shown, level, rect)
    image = QImage(pixels.data, rect.width, rect.height, 4 * rect.width,  # type: ignore[call-overload]
                   QImage.Format.Format_RGB32)  # fmt: skip
    full = rect.from_level(level)
    left, top = geometry.to_view(full.x0, full.y0)
    right, bottom = geometry.to_view(full.x1, full.y1)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    if geometry.mirrored:
        image = image.mirrored(True, False)
    target = QRectF(QPointF(left, top) / ratio, QPointF(right, bottom) / ratio).normalized()
    painter.drawImage(target, image)
