"""Light and shade from one signed map.

As soft light the map is a grey over the picture (W3C's soft-light; its middle changes nothing). As
two curves the picture moves along c + s c (1 - c): monotone for every s from -1 to 1, with the ends
fixed.
"""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage, MaskPixels, Plane
from lather.core.kernels import Kernel

SOFT_LIGHT, TWO_CURVES = "soft light", "two curves"
_MIDDLE, _REACH = np.float32(32768), np.float32(32767)


def signed(samples: MaskPixels) -> Plane:
    """(h, w) -1 to 1; 0 exactly in the middle."""
    light: Plane = np.clip((samples.astype(np.float32) - _MIDDLE) / _REACH, -1, 1)
    return light


def lit(image: FloatImage, light: Plane, shown_as: str) -> FloatImage:
    """(h, w, 4) float32 encoded pixels in other light, a fresh array; alpha stays."""
    out = image.copy()
    light_kernel(out, light, int(shown_as == TWO_CURVES))
    return out


def _light_reference(image: FloatImage, light: Plane, by_curves: int) -> None:
    """In place; what is transparent or not painted stays, to the last bit."""
    colour, s = image[..., :3], light[..., None]
    if by_curves:
        within = np.clip(colour, 0, 1)
        lit_up = colour + s * within * (1 - within)
    else:
        # W3C's soft-light of a grey of 0.5 + s / 2, written in s.
        dark = ((16 * colour - 12) * colour + 4) * colour
        root = np.where(colour <= 0.25, dark, np.sqrt(np.maximum(colour, 0)))
        lit_up = colour + s * np.where(s < 0, colour * (1 - colour), root - colour)
    changed = (light != 0) & (image[..., 3] > 0)
    colour[changed] = lit_up[changed]


light_kernel = Kernel("lather.core.tone.compiled", "light_up", _light_reference)
