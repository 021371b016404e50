"""Sharpening of lightness alone, up to a contrast of edges, past the grain.

Detail is lightness minus its blur of the edges' width. It is raised to the contrast that is asked
for, as far as it stands above the grain: by d^4 / (d^4 + (4 g)^4), of which grain of sigma g gets a
three-hundredth.
"""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.blend.modes import lum, set_lum
from lather.core.filter.gaussian import gaussian
from lather.core.filter.straight import gaussian_of_colours, is_opaque
from lather.core.kernels import Kernel
from lather.core.rect import Rect

ABOVE_GRAIN = 4.0  # sigmas, of detail that is raised by half


def sharpened(
    pixels: FloatImage, rect: Rect, width_px: float, contrast_percent: float, grain_l: float,
    inside: Rect,
) -> FloatImage:
    """The part `inside` of what is given; right where the blur's reach was given too.

    Parameters
    ----------
    pixels : (h, w, 4) float32 encoded RGB and alpha, of `rect`; alpha stays as it is.
    width_px : of the edges, a sigma.
    contrast_percent : of what is as wide, 100 is as it was.
    grain_l : sigma of the grain that is left alone, in L* (hundredths of encoded lightness).
    """
    out = pixels[inside.shifted(-rect.x0, -rect.y0).slices].copy()
    if contrast_percent == 100:
        return out
    detail = _detail(pixels, rect, width_px, inside)
    power = np.square(np.square(detail))
    least = np.float32(max(ABOVE_GRAIN * grain_l / 100, 1e-4) ** 4)
    share = np.float32(contrast_percent / 100 - 1)
    lighten(out, np.ascontiguousarray(share * detail * power / (power + least)))
    return out


def _detail(pixels: FloatImage, rect: Rect, width_px: float, inside: Rect) -> Plane:
    """Lightness minus its blur."""
    light = np.ascontiguousarray(lum(pixels[..., :3])[..., 0])
    if is_opaque(pixels):
        blurred = gaussian(light, rect, width_px, inside)
    else:
        blurred = lum(gaussian_of_colours(pixels, rect, width_px, inside)[..., :3])[..., 0]
    detail: Plane = light[inside.shifted(-rect.x0, -rect.y0).slices] - blurred
    return detail


def _lighten_reference(image: FloatImage, lift: Plane) -> None:
    """Move the lightness (W3C's Lum) of (h, w, 4) pixels, in place, and keep hue and chroma."""
    colour = image[..., :3]
    image[..., :3] = np.clip(set_lum(colour, lum(colour) + lift[..., None]), 0, 1)


lighten = Kernel("lather.core.filter.compiled", "lighten", _lighten_reference)
