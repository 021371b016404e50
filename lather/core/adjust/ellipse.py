"""Where a radial light falls: an ellipse with a soft rim."""

from __future__ import annotations

import math

import numpy as np

from lather.core.adjust.bracket import smooth_step
from lather.core.arrays import Plane
from lather.core.rect import Rect

INSIDE, OUTSIDE = "inside", "outside"


def ellipse_share(
    rect: Rect, step: int, centre: tuple[float, float], radii: tuple[float, float],
    angle_deg: float, softness: float, side: str,
) -> Plane:
    """(h, w) 0-1 over a rectangle of a mip level; 1 all inside of the ellipse (or outside).

    Parameters
    ----------
    step : full-resolution pixels in a pixel of the level.
    centre, radii : full-resolution pixels, x right, y down; may lie beyond the picture.
    angle_deg : by which the ellipse is turned, clockwise as it is seen.
    softness : 0-1; the rim fades over so much of the radius, half of it to each side.
    """
    x = (np.arange(rect.x0, rect.x1) + 0.5) * step - centre[0]
    y = (np.arange(rect.y0, rect.y1) + 0.5) * step - centre[1]
    turn = math.radians(angle_deg)
    along = (x[None, :] * math.cos(turn) + y[:, None] * math.sin(turn)) / radii[0]
    across = (y[:, None] * math.cos(turn) - x[None, :] * math.sin(turn)) / radii[1]
    away = np.sqrt(along * along + across * across)
    least = step / min(radii)  # a hard rim is a pixel wide
    share = smooth_step((1 - away) / max(2 * softness, least) + 0.5)
    return (share if side == INSIDE else 1 - share).astype(np.float32)
