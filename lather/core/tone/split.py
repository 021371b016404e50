"""Tone and texture: a picture as its blur and what is left, in float.

Texture is signed; as a picture of its own it lies around the middle grey, so that every tool and
layer works on it as elsewhere.
"""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage
from lather.core.filter.straight import gaussian_of_colours
from lather.core.rect import Rect

MIDDLE = np.float32(0.5)


def split(
    pixels: FloatImage, rect: Rect, sigma_px: float, inside: Rect | None = None
) -> tuple[FloatImage, FloatImage]:
    """Tone, and texture around the middle grey; right where the blur's reach around was given.

    Parameters
    ----------
    pixels : (h, w, 4) float32 encoded RGB and alpha, of `rect`. Both parts have its alpha.
    inside : the part of `rect` that is to be split; None: all.
    """
    inside = inside or rect
    tone = gaussian_of_colours(pixels, rect, sigma_px, inside)
    whole = pixels[inside.shifted(-rect.x0, -rect.y0).slices]
    texture = whole - tone
    texture += MIDDLE
    texture[..., 3] = whole[..., 3]
    return tone, texture
