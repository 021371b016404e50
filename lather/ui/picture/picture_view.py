"""The visible part of the picture as images, and how they are drawn."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen

from lather.actions.workbench import Workbench
from lather.core.arrays import ByteImage
from lather.core.rect import Rect
from lather.render.screen.geometry import ViewGeometry
from lather.render.screen.request import Shown
from lather.render.screen.view import ViewTiles
from lather.ui.parts.texts import CENTRE, draw
from lather.ui.parts.theme import theme

SHARP_FROM_ZOOM = 2.0  # from here on picture pixels are shown as squares


@dataclass
class _Picture:
    """The visible part of a mip level, as last known."""

    level: int
    rect: Rect
    pixels: ByteImage
    image: QImage
    is_wanted: bool = True  # whatever is out of date in it has been asked for


class PictureView:
    """Keeps one image of the visible rectangle for each thing shown; draws one or two of them."""

    def __init__(self, bench: Workbench) -> None:
        self._bench = bench
        self._pictures: dict[Shown, _Picture] = {}
        self.focus: tuple[float, float] | None = None  # photo pixels; where the pen is, if it is

    def clear(self) -> None:
        """Assemble all anew from the tiles when next drawn."""
        self._pictures.clear()

    def want_anew(self) -> None:
        """Ask for what is out of date when next drawn; it comes in tile by tile."""
        for picture in self._pictures.values():
            picture.is_wanted = False

    def ask(self, tiles: ViewTiles, geometry: ViewGeometry) -> bool:
        """Ask at once, so that it is under way while all else is drawn; True if all that is seen
        is about to come in as one picture."""
        looks = self._bench.looks
        for shown in (Shown.BEFORE, Shown.AFTER) if looks.splits else (looks.shown,):
            self._picture(tiles, shown, geometry)
        return not looks.splits and tiles.comes_at_once(
            looks.shown, geometry.level, geometry.visible
        )

    def forget(self, shown: Shown) -> None:
        self._pictures.pop(shown, None)

    def visible(self, shown: Shown, level: int) -> Rect | None:
        """The kept rectangle of a level; None if another level is kept, or nothing."""
        picture = self._pictures.get(shown)
        return picture.rect if picture is not None and picture.level == level else None

    def blit(self, shown: Shown, level: int, rect: Rect, pixels: ByteImage) -> Rect:
        """Put fresh pixels of `rect` in; returns the part that is visible."""
        picture = self._pictures.get(shown)
        if picture is None or picture.level != level:
            return Rect(0, 0, 0, 0)
        part = rect.intersect(picture.rect)
        if not part.empty:
            inside = part.shifted(-picture.rect.x0, -picture.rect.y0).slices
            picture.pixels[inside] = pixels[part.shifted(-rect.x0, -rect.y0).slices]
        return part

    def draw(self, painter: QPainter, tiles: ViewTiles, geometry: ViewGeometry) -> None:
        """Draw in device pixels; a mirrored view has its painter mirrored already."""
        looks = self._bench.looks
        if not looks.splits:
            self._draw_one(painter, tiles, geometry, looks.shown)
            return
        at = round(geometry.view_width * looks.line_at)
        left = QRect(0, 0, at, geometry.view_height)
        right = QRect(at, 0, geometry.view_width - at, geometry.view_height)
        if geometry.mirrored:  # the clip is mirrored with the painter
            left.moveLeft(geometry.view_width - left.width())
            right.moveLeft(0)
        for side, shown in ((left, Shown.BEFORE), (right, Shown.AFTER)):
            painter.save()
            painter.setClipRect(side, Qt.ClipOperation.IntersectClip)
            self._draw_one(painter, tiles, geometry, shown)
            painter.restore()

    def _draw_one(
        self, painter: QPainter, tiles: ViewTiles, geometry: ViewGeometry, shown: Shown
    ) -> None:
        picture = self._picture(tiles, shown, geometry)
        if picture.rect.empty:
            return
        full = picture.rect.from_level(picture.level)
        x = geometry.view_width / 2 + (full.x0 - geometry.centre_x) * geometry.zoom
        y = geometry.view_height / 2 + (full.y0 - geometry.centre_y) * geometry.zoom
        scale = geometry.level_zoom
        if abs(scale - 1) < 1e-9:
            painter.drawImage(QPointF(round(x), round(y)), picture.image)
            return
        smooth = geometry.zoom < SHARP_FROM_ZOOM
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smooth)
        size = QRectF(0, 0, picture.rect.width, picture.rect.height)
        target = QRectF(x, y, size.width() * scale, size.height() * scale)
        painter.drawImage(target, picture.image, size)

    def _picture(self, tiles: ViewTiles, shown: Shown, geometry: ViewGeometry) -> _Picture:
        picture = self._pictures.get(shown)
        visible = geometry.visible
        if picture is None or picture.level != geometry.level or picture.rect != visible:
            pixels = tiles.look(shown, geometry.level, visible, self._focus(geometry.level))
            image = QImage(
                pixels.data,  # type: ignore[call-overload]
                visible.width,
                visible.height,
                4 * visible.width,
                QImage.Format.Format_RGB32,
            )
            picture = self._pictures[shown] = _Picture(geometry.level, visible, pixels, image)
        elif not picture.is_wanted:
            tiles.want(shown, geometry.level, visible, self._focus(geometry.level))
            picture.is_wanted = True
        return picture

    def _focus(self, level: int) -> tuple[float, float] | None:
        if self.focus is None:
            return None
        x, y = self.focus
        return x / (1 << level), y / (1 << level)


def draw_invitation(painter: QPainter, box: QRect) -> None:
    """What to do while no picture is open."""
    painter.setPen(QColor(theme().dim))
    text = "Drop a photo here, or open one with Ctrl+O"
    draw(painter, QRectF(box), text, CENTRE)


def draw_split_line(painter: QPainter, x: float, height: int) -> None:
    """The line between before and after, with their names."""
    painter.setPen(QPen(QColor(0, 0, 0, 160), 3))
    painter.drawLine(QPointF(x, 0), QPointF(x, height))
    painter.setPen(QPen(QColor(255, 255, 255), 1))
    painter.drawLine(QPointF(x, 0), QPointF(x, height))
    for text, left in (("before", True), ("after", False)):
        width = painter.fontMetrics().horizontalAdvance(text) + 16
        box = QRectF(x - width - 8 if left else x + 8, 8, width, 22)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(0, 0, 0, 150))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(QColor(255, 255, 255))
        draw(painter, QRectF(box), text, CENTRE)
