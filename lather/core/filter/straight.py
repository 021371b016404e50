"""Filters of straight colour: where alpha is not one everywhere, each colour counts by its alpha.

A transparent pixel has no colour, whatever its samples say: averaged like any other it would pull
the rim of what is there towards black (Porter, Duff 1984 premultiply for the same reason).
"""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.filter.gaussian import gaussian
from lather.core.rect import Rect

LEAST = np.float32(1e-6)  # of alpha, by which colour can be told


def is_opaque(pixels: FloatImage) -> bool:
    """True if alpha is one in all of (h, w, 4) pixels: as they nearly always are."""
    return bool(pixels[..., 3].min(initial=1.0) >= 1)


def premultiplied(pixels: FloatImage) -> FloatImage:
    """(h, w, 4): colours times alpha, and alpha."""
    out = pixels.copy()
    out[..., :3] *= pixels[..., 3:]
    return out


def colours_of(means: FloatImage, otherwise: FloatImage) -> FloatImage:
    """(h, w, 3) straight colours of premultiplied means; those of `otherwise` where they hold
    nothing."""
    alpha: Plane = means[..., 3:]
    straight = means[..., :3] / np.maximum(alpha, LEAST)
    out: FloatImage = np.where(alpha > LEAST, straight, otherwise[..., :3])
    return out


def gaussian_of_colours(
    pixels: FloatImage, rect: Rect, sigma_px: float, inside: Rect
) -> FloatImage:
    """(h, w, 4): the Gaussian of straight colours, with the alpha that was; as `gaussian`."""
    whole = pixels[inside.shifted(-rect.x0, -rect.y0).slices]
    if is_opaque(pixels):
        soft = np.ascontiguousarray(gaussian(np.ascontiguousarray(pixels), rect, sigma_px, inside))
    else:
        means = gaussian(premultiplied(pixels), rect, sigma_px, inside)
        soft = np.empty_like(whole)
        soft[..., :3] = colours_of(means, whole)
    soft[..., 3] = whole[..., 3]
    return soft
