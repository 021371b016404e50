"""The icons: SVG line drawings on one 24 px grid, tinted to the theme when drawn."""

from __future__ import annotations

from functools import lru_cache

from PyQt6.QtCore import QByteArray, QRectF, Qt
from PyQt6.QtGui import QIcon, QPainter, QPixmap
from PyQt6.QtSvg import QSvgRenderer

from lather.paths import ASSETS

SIZE_PX = 18


@lru_cache(maxsize=256)
def pixmap(name: str, colour: str, size_px: int = SIZE_PX, ratio: float = 1.0) -> QPixmap:
    text = (ASSETS / "icons" / f"{name}.svg").read_text(encoding="utf-8")
    renderer = QSvgRenderer(QByteArray(text.replace("currentColor", colour).encode()))
    picture = QPixmap(round(size_px * ratio), round(size_px * ratio))
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    renderer.render(painter, QRectF(0, 0, picture.width(), picture.height()))
    painter.end()
    picture.setDevicePixelRatio(ratio)
    return picture


def icon(name: str, colour: str, disabled: str | None = None) -> QIcon:
    result = QIcon()
    for ratio in (1.0, 2.0):
        result.addPixmap(pixmap(name, colour, SIZE_PX, ratio))
        if disabled is not None:
            result.addPixmap(pixmap(name, disabled, SIZE_PX, ratio), QIcon.Mode.Disabled)
    return result
