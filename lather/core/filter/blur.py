"""Blur: a Gaussian of colours; alpha stays."""

from __future__ import annotations

from lather.core.arrays import FloatImage
from lather.core.filter.straight import gaussian_of_colours
from lather.core.rect import Rect


def blurred(pixels: FloatImage, rect: Rect, sigma_px: float, inside: Rect) -> FloatImage:
    """The part `inside` of (h, w, 4) float32 pixels of `rect`; right where the blur's reach was
    given too."""
    return gaussian_of_colours(pixels, rect, sigma_px, inside)
