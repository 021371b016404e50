"""Where a radial light falls, an ellipse with a soft rim; and the light there."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from lather.core.adjust.bracket import smooth_step
from lather.core.adjust.curves import NO_TABLE, Table, apply_curves
from lather.core.arrays import FloatImage, Plane
from lather.core.kernels import Kernel
from lather.core.rect import Rect

INSIDE, OUTSIDE = "inside", "outside"

# Of the middle of a rectangle's first pixel from the ellipse's, in pixels of the level; how far a
# pixel across and one down go along its two axes, of which it is the unit circle; its rim.
Placed = tuple[float, float, float, float, float, float, float]


@dataclass(frozen=True)
class Ellipse:
    """On the picture, in full-resolution pixels, x right, y down; it may lie beyond it.

    Parameters
    ----------
    angle_deg : by which it is turned, clockwise as it is seen.
    softness : 0-1; the rim fades over so much of the radius, half of it to each side.
    """

    centre: tuple[float, float]
    radii: tuple[float, float]
    angle_deg: float
    softness: float
    side: str

    def placed(self, rect: Rect, step: int) -> Placed:
        """As it is seen from a rectangle of a level of which a pixel is `step` pixels wide."""
        turn = math.radians(self.angle_deg)
        return (
            rect.x0 + 0.5 - self.centre[0] / step, rect.y0 + 0.5 - self.centre[1] / step,
            step * math.cos(turn) / self.radii[0], step * math.sin(turn) / self.radii[0],
            -step * math.sin(turn) / self.radii[1], step * math.cos(turn) / self.radii[1],
            max(2 * self.softness, step / min(self.radii)),  # a hard one is a pixel wide
        )  # fmt: skip


def light_ellipse(
    image: FloatImage, rect: Rect, step: int, ellipse: Ellipse, tables: tuple[Table, Table, Table]
) -> None:
    """Curves of red, green and blue on (h, w, 4) encoded pixels of a rectangle, where the ellipse
    is; in place. What is transparent stays."""
    light_kernel(image, *tables, *ellipse.placed(rect, step), ellipse.side == OUTSIDE)


def ellipse_share(shape: tuple[int, int], placed: Placed, outside: bool) -> Plane:
    """(h, w) 0-1; 1 all inside of the ellipse (or outside)."""
    left, top, along_x, along_y, across_x, across_y, rim = placed
    x = left + np.arange(shape[1])[None, :]
    y = top + np.arange(shape[0])[:, None]
    away = np.hypot(along_x * x + along_y * y, across_x * x + across_y * y)
    share: Plane = smooth_step((1 - away) / rim + 0.5).astype(np.float32)
    return 1 - share if outside else share


def _light_reference(
    image: FloatImage, red: Table, green: Table, blue: Table, left: float, top: float,
    along_x: float, along_y: float, across_x: float, across_y: float, rim: float, outside: bool,
) -> None:
    placed = left, top, along_x, along_y, across_x, across_y, rim
    share = ellipse_share(image.shape[:2], placed, outside)
    lit = image.copy()
    apply_curves(lit, NO_TABLE, (red, green, blue), NO_TABLE)
    image[..., :3] += share[..., None] * (lit[..., :3] - image[..., :3])


light_kernel = Kernel("lather.core.adjust.compiled", "light_ellipse", _light_reference)
