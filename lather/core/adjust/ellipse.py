"""Where a radial light falls: an ellipse with a soft rim."""

from __future__ import annotations

import math

import numpy as np

from lather.core.adjust.bracket import smooth_step
from lather.core.arrays import FloatImage, Plane
from lather.core.kernels import Kernel
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
    turn = math.radians(angle_deg)
    share = np.empty((rect.height, rect.width), dtype=np.float32)
    rim = max(2 * softness, step / min(radii))  # a hard one is a pixel wide
    # Of a place on the picture to one on the ellipse's own axes, of which it is the unit circle.
    along_x, along_y = step * math.cos(turn) / radii[0], step * math.sin(turn) / radii[0]
    across_x, across_y = -step * math.sin(turn) / radii[1], step * math.cos(turn) / radii[1]
    left, top = rect.x0 + 0.5 - centre[0] / step, rect.y0 + 0.5 - centre[1] / step
    ellipse_kernel(share, left, top, along_x, along_y, across_x, across_y, rim)
    return share if side == INSIDE else 1 - share


def _ellipse_reference(
    share: Plane, left: float, top: float, along_x: float, along_y: float, across_x: float,
    across_y: float, rim: float,
) -> None:
    x = left + np.arange(share.shape[1])[None, :]
    y = top + np.arange(share.shape[0])[:, None]
    away = np.hypot(along_x * x + along_y * y, across_x * x + across_y * y)
    share[...] = smooth_step((1 - away) / rim + 0.5)


def _go_over_reference(image: FloatImage, other: FloatImage, share: Plane) -> None:
    """The colours of (h, w, 4) pixels towards those of others by their share, in place."""
    image[..., :3] += share[..., None] * (other[..., :3] - image[..., :3])


go_over = Kernel("lather.core.adjust.compiled", "go_over", _go_over_reference)
ellipse_kernel = Kernel("lather.core.adjust.compiled", "ellipse", _ellipse_reference)
