"""Marks drawn into screen bytes: the diagonal hatch that shows coverage and masks."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import ByteImage, Plane
from lather.core.rect import Rect

HATCH_PERIOD_PX = 8
HATCH_WIDTH_PX = 2
HATCH_AMOUNT = 0.75


def hatch(image: ByteImage, coverage: Plane, rect: Rect) -> None:
    """Draw a light diagonal hatch where `coverage` is, in place.

    Parameters
    ----------
    image : (h, w, 4) screen bytes of `rect`.
    coverage : (h, w) 0-1.
    rect : place of the image in the view's level, so that the lines meet between calls.
    """
    ys = np.arange(rect.y0, rect.y1)[:, None]
    xs = np.arange(rect.x0, rect.x1)[None, :]
    phase = (xs + ys) % HATCH_PERIOD_PX
    light = (phase < HATCH_WIDTH_PX) * coverage * np.float32(HATCH_AMOUNT)
    dark = ((phase >= HATCH_WIDTH_PX) & (phase < 2 * HATCH_WIDTH_PX)) * coverage
    colour = image[..., :3].astype(np.float32)
    colour += (255 - colour) * light[..., None]
    colour *= 1 - np.float32(0.35) * dark[..., None]
    image[..., :3] = colour
