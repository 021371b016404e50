"""Pixels of a coarser level in the place of those of the view's."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import ByteImage
from lather.core.rect import Rect


def coarse_rect(rect: Rect, coarser: int) -> Rect:
    """What is rendered so many levels coarser, to be `enlarged` to a rectangle: with a rim, so that
    neighbouring pieces meet."""
    return rect.at_level(coarser).grown(1) if coarser else rect


def enlarged(image: ByteImage, coarser: int, rect: Rect) -> ByteImage:
    """(h, w, 4) of a rectangle of the view's level, of pixels of its `coarse_rect`."""
    if not coarser:
        return image
    import cv2

    wide = coarse_rect(rect, coarser).from_level(coarser)
    large = cv2.resize(image, (wide.width, wide.height), interpolation=cv2.INTER_LINEAR)
    return np.asarray(large[rect.shifted(-wide.x0, -wide.y0).slices], dtype=np.uint8)
