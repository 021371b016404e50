"""Where the brush would take from: a cross at the source, and its ghost inside the brush."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QTransform

from lather.actions.workbench import Workbench
from lather.core.mend.placement import Placement
from lather.core.rect import Rect
from lather.render.screen.geometry import ViewGeometry
from lather.render.screen.request import Shown
from lather.render.screen.view import ViewTiles
from lather.tools.source import SourceGoes
from lather.tools.table import tool

ARM_PX = 6.0
MARGIN_PX = 4.0
GHOST_OPACITY = 0.6
SMALLEST_GHOST_PX = 5.0


def placement_at(
    bench: Workbench, cursor: QPointF | None, ratio: float
) -> tuple[Placement, float, float] | None:
    """The placement of a stroke that began at the cursor, and the cursor in the photo."""
    hand, geometry = bench.hand, bench.geometry
    if geometry is None or hand.source is None or not tool(hand.tool).uses_source:
        return None
    if hand.source_goes is SourceGoes.FRESH:
        return None
    if cursor is None:
        x, y = hand.source.x, hand.source.y
    else:
        x, y = bench.layer_sight.to_photo(geometry, cursor.x() * ratio, cursor.y() * ratio)
    return hand.source.placement(x, y, hand.source_goes, hand.turn), x, y


def source_place(bench: Workbench, cursor: QPointF | None, ratio: float) -> QPointF | None:
    """Where the source lies in the widget now; None if there is none to show."""
    placed = placement_at(bench, cursor, ratio)
    if placed is None or bench.geometry is None:
        return None
    placement, x, y = placed
    view_x, view_y = bench.layer_sight.to_view(bench.geometry, *placement.source_of(x, y))
    return QPointF(view_x, view_y) / ratio


def source_box(bench: Workbench, cursor: QPointF | None, ratio: float) -> QRectF | None:
    """What drawing the mark can touch, in widget coordinates."""
    place = source_place(bench, cursor, ratio)
    if place is None:
        return None
    reach = max(_radius(bench, ratio), ARM_PX) + MARGIN_PX
    return QRectF(place.x() - reach, place.y() - reach, 2 * reach, 2 * reach)


def draw_source(
    painter: QPainter, bench: Workbench, cursor: QPointF | None, ratio: float
) -> None:
    place = source_place(bench, cursor, ratio)
    if place is None:
        return
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    radius = _radius(bench, ratio)
    for colour, width in ((QColor(0, 0, 0, 150), 2.6), (QColor(255, 255, 255, 220), 1.2)):
        pen = QPen(colour, width)
        painter.setPen(pen)
        painter.drawLine(place - QPointF(ARM_PX, 0), place + QPointF(ARM_PX, 0))
        painter.drawLine(place - QPointF(0, ARM_PX), place + QPointF(0, ARM_PX))
        pen.setDashPattern([3, 3])
        painter.setPen(pen)
        painter.drawEllipse(place, radius, radius)


def draw_ghost(
    painter: QPainter, bench: Workbench, tiles: ViewTiles, cursor: QPointF, ratio: float
) -> None:
    """What the source would lay down, faintly, inside the brush at the cursor."""
    geometry = bench.geometry
    placed = placement_at(bench, cursor, ratio)
    radius = _radius(bench, ratio)
    if placed is None or geometry is None or radius < SMALLEST_GHOST_PX:
        return
    placement, x, y = placed
    radius_px = bench.hand.brush.size_px / 2
    wanted = placement.source_rect(Rect.around(x, y, radius_px))
    level = geometry.level
    rect = wanted.at_level(level).intersect(bench.state.photo.rect.at_level(level))
    if rect.empty:
        return
    pixels = tiles.picture(Shown.AFTER, level, rect)
    image = QImage(pixels.data, rect.width, rect.height, 4 * rect.width,  # type: ignore[call-overload]
                   QImage.Format.Format_RGB32)  # fmt: skip
    painter.save()
    circle = QPainterPath()
    circle.addEllipse(cursor, radius, radius)
    painter.setClipPath(circle)
    painter.setOpacity(GHOST_OPACITY)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.setTransform(_onto_target(placement, geometry, ratio), combine=True)
    full = rect.from_level(level)
    painter.drawImage(QRectF(full.x0, full.y0, full.width, full.height), image)
    painter.restore()


def _onto_target(placement: Placement, geometry: ViewGeometry, ratio: float) -> QTransform:
    """From photo pixels of the source to the widget, where the target lies."""
    (a, b), (c, d) = placement.turn.to_source
    (x, y) = placement.about
    # `QTransform` multiplies from the left: m11 and m21 give x.
    to_source = QTransform(a, c, b, d, x + placement.dx - a * x - b * y,
                           y + placement.dy - c * x - d * y)  # fmt: skip
    back, _ = to_source.inverted()
    origin, right = geometry.to_view(0, 0), geometry.to_view(1, 0)
    down = geometry.to_view(0, 1)
    view = QTransform(
        (right[0] - origin[0]) / ratio, (right[1] - origin[1]) / ratio,
        (down[0] - origin[0]) / ratio, (down[1] - origin[1]) / ratio,
        origin[0] / ratio, origin[1] / ratio,
    )  # fmt: skip
    return back * view


def _radius(bench: Workbench, ratio: float) -> float:
    zoom = bench.geometry.zoom if bench.geometry is not None else 1.0
    return bench.hand.brush.size_px / 2 * zoom / ratio
