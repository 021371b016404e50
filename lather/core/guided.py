"""The guided filter: a mask that follows the edges of the picture.

Source: He, Sun, Tang 2010, "Guided Image Filtering", with a colour guide.
"""

from __future__ import annotations

import cv2
import numpy as np

from lather.core.arrays import FloatImage, Plane

_PAIRS = ((0, 0), (0, 1), (0, 2), (1, 1), (1, 2), (2, 2))


def guided(mask: Plane, guide: FloatImage, radius_px: int, evenness: float) -> Plane:
    """`mask` smoothed where `guide` is even, sharp where it has an edge.

    Parameters
    ----------
    mask : (H, W) float32, 0-1.
    guide : (H, W, 3) float32.
    radius_px : of the square windows.
    evenness : variance of the guide below which a window counts as even, in its own units.
    """
    side = (2 * radius_px + 1,) * 2

    def mean(plane: FloatImage) -> FloatImage:
        averaged: FloatImage = cv2.blur(plane, side, borderType=cv2.BORDER_REFLECT)
        return averaged

    centre, level = mean(guide), mean(mask)
    together = mean(guide * mask[..., None]) - centre * level[..., None]
    covariance = {
        pair: mean(guide[..., pair[0]] * guide[..., pair[1]])
        - centre[..., pair[0]] * centre[..., pair[1]]
        + np.float32(evenness if pair[0] == pair[1] else 0)
        for pair in _PAIRS
    }
    slope = _solved(covariance, together)
    offset = level - (slope * centre).sum(-1)
    out: Plane = (mean(slope) * guide).sum(-1) + mean(offset)
    return np.clip(out, 0, 1)


def _solved(matrix: dict[tuple[int, int], Plane], right: FloatImage) -> FloatImage:
    """The solutions of symmetric 3 x 3 systems, one a pixel, by cofactors."""
    a, b, c, d, e, f = (matrix[pair] for pair in _PAIRS)
    cofactors = (d * f - e * e, c * e - b * f, b * e - c * d,
                 a * f - c * c, b * c - a * e, a * d - b * b)  # fmt: skip
    p, q, r, s, t, u = cofactors
    scale = 1 / (a * p + b * q + c * r)
    x, y, z = right[..., 0], right[..., 1], right[..., 2]
    rows = (p * x + q * y + r * z, q * x + s * y + t * z, r * x + t * y + u * z)
    return np.dstack([row * scale for row in rows])
