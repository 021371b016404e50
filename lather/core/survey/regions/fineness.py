"""How fine a picture's texture is: what tells hair from skin whatever their colours.

The energy of the gradient relative to the local lightness is several times higher in hair than on
skin, cropped, grey, dark and rim-lit hair alike. The median of a neighbourhood is taken, so that a
single edge between two plain things, a collar or the rim of an ear, does not count.
"""

from __future__ import annotations

import cv2
import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.lab import luma

FINE_PX = 0.7  # sigma of the derivative
REACH_MM, CELL_MM = 2.2, 0.5  # half side of the neighbourhood; what is averaged before
LEAST_REACH = 4  # cells: an edge is three wide, and must not fill half of the neighbourhood
DARKEST = 0.03  # luma added, so that black is not all texture
_FLOOR, _STEPS = -8.0, 32.0  # of the logarithm in 8 bits


def fineness(rgb: FloatImage, mm_per_px: float, size: tuple[int, int]) -> Plane:
    """(h, w) natural logarithm of gradient over lightness, per pixel.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1.
    size : (w, h) of the plane that is asked for.
    """
    light = luma(rgb)
    smooth = cv2.GaussianBlur(light, (0, 0), FINE_PX)
    across = cv2.Sobel(smooth, cv2.CV_32F, 1, 0, ksize=3, scale=1 / 8)
    down = cv2.Sobel(smooth, cv2.CV_32F, 0, 1, ksize=3, scale=1 / 8)
    gradient = cv2.magnitude(across, down)
    cell = max(1, round(CELL_MM / mm_per_px))
    cells = max(1, rgb.shape[1] // cell), max(1, rgb.shape[0] // cell)
    gradient = cv2.resize(gradient, cells, interpolation=cv2.INTER_AREA)
    light = cv2.GaussianBlur(cv2.resize(light, cells, interpolation=cv2.INTER_AREA), (0, 0), 3)
    logarithm = np.log(gradient / (light + np.float32(DARKEST)) + np.float32(1e-4))
    steps = np.clip((logarithm - _FLOOR) * _STEPS, 0, 255).astype(np.uint8)
    reach = min(15, max(LEAST_REACH, round(REACH_MM / (cell * mm_per_px))))
    middle = cv2.medianBlur(steps, 2 * reach + 1).astype(np.float32) / _STEPS + _FLOOR
    interpolation = cv2.INTER_AREA if size[0] < cells[0] else cv2.INTER_LINEAR
    resized: Plane = cv2.resize(
        cv2.GaussianBlur(middle.astype(np.float32), (0, 0), 1), size, interpolation=interpolation
    )
    return resized
