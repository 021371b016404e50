"""Small pictures of places in the photo, for lists."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QIcon, QImage, QPixmap

from lather.core.rect import Rect
from lather.document.state import JobState
from lather.render.compositor import render_photo
from lather.render.screen.request import screen_bytes

CROP_PX = 44


def crop_of(state: JobState, rect: Rect, surround: float) -> QIcon:
    """A square around a place as it was in the photo, at least `CROP_PX` wide."""
    side = max(rect.width, rect.height, CROP_PX)
    centre_x, centre_y = (rect.x0 + rect.x1) // 2, (rect.y0 + rect.y1) // 2
    square = Rect(centre_x - side // 2, centre_y - side // 2,
                  centre_x + side // 2, centre_y + side // 2)
    level = max(0, (side // (2 * CROP_PX)).bit_length() - 1)
    part = square.at_level(level)
    pixels = screen_bytes(state, render_photo(state.photo, part, level), surround)
    image = QImage(pixels.data, part.width, part.height, 4 * part.width,  # type: ignore[call-overload]
                   QImage.Format.Format_RGB32)
    scaled = image.scaled(CROP_PX, CROP_PX, Qt.AspectRatioMode.IgnoreAspectRatio,
                          Qt.TransformationMode.SmoothTransformation)
    # A copy: an image of the very size wanted would still lie in the array's memory.
    picture = QPixmap.fromImage(scaled.copy())
    icon = QIcon(picture)
    icon.addPixmap(picture, QIcon.Mode.Selected)  # the toolkit would tint it
    return icon
