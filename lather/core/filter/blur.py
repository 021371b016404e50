"""Blur: a Gaussian of colours; alpha stays."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage
from lather.core.filter.gaussian import gaussian
from lather.core.rect import Rect


def blurred(pixels: FloatImage, rect: Rect, sigma_px: float, inside: Rect) -> FloatImage:
    """The part `inside` of (h, w, 4) float32 pixels of `rect`; right where the blur's reach was
    given too."""
    soft = gaussian(np.ascontiguousarray(pixels), rect, sigma_px, inside)
    out = np.ascontiguousarray(soft)
    out[..., 3] = pixels[inside.shifted(-rect.x0, -rect.y0).slices][..., 3]
    return out
