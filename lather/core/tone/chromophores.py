"""Blood and pigment: what colours skin, as shares of the light that they take.

In front of white skin both are filters: what they take of the light is a density, a natural
logarithm, that adds up. Source: Tsumura et al. 2003, "Image-based skin color and texture analysis
/ synthesis by extracting hemoglobin and melanin information in the skin". The directions are
fixed. That of blood is what blotches add on skin, from pale to brown, within 2 degrees; that of
pigment is between that source's and the absorption of melanin.
"""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.kernels import Kernel

BLOOD = np.array([0.137, 0.71, 0.69], dtype=np.float32)  # density of red, green, blue
PIGMENT = np.array([0.38, 0.56, 0.74], dtype=np.float32)
SHADE = np.array([1.0, 1.0, 1.0], dtype=np.float32)
# Redness: green against red and blue, which a change of light alone does not move.
REDNESS = np.array([0.7, -1.0, 0.3], dtype=np.float32)  # of logarithms of light
REDNESS_OF_BLOOD = float(-BLOOD @ REDNESS)
_TO_PARTS = np.linalg.inv(np.stack([BLOOD, PIGMENT, SHADE])).astype(np.float32)


def redness(light: FloatImage) -> Plane:
    """(h, w): more where blood takes more; of logarithms of light."""
    return np.asarray(light @ REDNESS, dtype=np.float32)


def pigment(light: FloatImage) -> Plane:
    """(h, w): the density of pigment, with blood and shade told apart from it."""
    return np.asarray(-light @ _TO_PARTS[:, 1], dtype=np.float32)


def _take_out_reference(image: FloatImage, blood: Plane, pigment: Plane) -> None:
    """Take densities out of (h, w, 4) float32 encoded pixels, in place; alpha stays.

    A factor of linear light is, where the encoding is a power, one of encoded + 0.055.
    """
    density = blood[..., None] * BLOOD + pigment[..., None] * PIGMENT
    colour = image[..., :3]
    curved = (colour + 0.055) * np.exp(density / 2.4) - 0.055
    changed = np.where(colour > 0.04045, curved, colour * np.exp(density))
    stays = (blood == 0) & (pigment == 0) | (image[..., 3] <= 0)
    image[..., :3] = np.where(stays[..., None], colour, changed)


take_out = Kernel("lather.core.tone.compiled", "take_out", _take_out_reference)
