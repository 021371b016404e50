"""Soften: takes away what is larger than pores and smaller than modelling (an inverse high-pass).

Of two blurs the difference is the band between their radii. Taking it away evens that band; what is
finer than the pores' radius stays as it is, and so does what is coarser than the other.
"""

from __future__ import annotations

from lather.core.arrays import FloatImage
from lather.core.filter.straight import gaussian_of_colours
from lather.core.rect import Rect


def softened(
    pixels: FloatImage, rect: Rect, radius_px: float, pore_px: float, inside: Rect
) -> FloatImage:
    """The part `inside` of what is given; right where the larger radius' reach was given too.

    Parameters
    ----------
    pixels : (h, w, 4) float32 encoded RGB and alpha, of `rect`; alpha stays as it is.
    radius_px, pore_px : sigmas; where the pores' is not the smaller one nothing is changed.
    """
    whole = pixels[inside.shifted(-rect.x0, -rect.y0).slices]
    if pore_px >= radius_px:
        return whole.copy()
    out = whole - gaussian_of_colours(pixels, rect, pore_px, inside)
    out += gaussian_of_colours(pixels, rect, radius_px, inside)
    out[..., 3] = whole[..., 3]
    return out
