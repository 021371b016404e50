"""Light and shade from one signed map.

As soft light the map is a grey over the picture (W3C's soft-light; its middle changes nothing). As
two curves the picture moves along c + s c (1 - c): monotone for every s from -1 to 1, with the ends
fixed.
"""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage, MaskPixels, Plane
from lather.core.blend.composite import composite
from lather.core.blend.modes import BlendMode

SOFT_LIGHT, TWO_CURVES = "soft light", "two curves"
_MIDDLE, _REACH = np.float32(32768), np.float32(32767)


def signed(samples: MaskPixels) -> Plane:
    """(h, w) -1 to 1; 0 exactly in the middle."""
    light: Plane = np.clip((samples.astype(np.float32) - _MIDDLE) / _REACH, -1, 1)
    return light


def lit(image: FloatImage, light: Plane, shown_as: str) -> FloatImage:
    """(h, w, 4) float32 encoded pixels in other light, a fresh array; alpha stays."""
    out = image.copy()
    if shown_as == SOFT_LIGHT:
        grey = np.ones_like(out)
        grey[..., :3] = (0.5 + 0.5 * light)[..., None]
        composite(out, grey, mode=BlendMode.SOFT_LIGHT)
        out[..., 3] = image[..., 3]
        unchanged = (light == 0) | (image[..., 3] <= 0)
        out[unchanged] = image[unchanged]
    else:
        colour = image[..., :3]
        within = np.clip(colour, 0, 1)
        out[..., :3] = colour + light[..., None] * within * (1 - within)
    return out
