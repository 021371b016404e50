"""Skin as a filter in front of white: optical density, in which marks are alike on any skin.

Pigment and blood absorb a share of the light, whatever light and skin there are. So their
marks have the same contrast in the logarithm of linear light on pale and on dark skin, in
light and in shade. Source: Tsumura et al. 1999, "Independent-component analysis of skin
color image", without its calibration: the planes here are fixed combinations.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.lab import to_linear

NOISE_FLOOR = np.float32(0.004)  # linear light below which density means nothing
_DARKNESS_WEIGHTS = np.array([0.3, 0.6, 0.1], dtype=np.float32)


@dataclass(frozen=True)
class Density:
    """Planes of optical density, (H, W) float32, natural logarithms: 0.1 is a tenth of the light.

    Attributes
    ----------
    darkness : mean absorption.
    redness : how much more green is absorbed than red, as blood does.
    yellowness : how much more blue is absorbed than green, as pus and horn do; white light that
        shine adds makes it less.
    """

    darkness: Plane
    redness: Plane
    yellowness: Plane

    @property
    def in_red(self) -> Plane:
        """The density of red light, of which pigment takes a share and blood hardly any."""
        red: Plane = self.darkness - np.float32(0.7) * self.redness
        red -= np.float32(0.1) * self.yellowness
        return red


def optical_density(rgb: FloatImage) -> Density:
    """Density of (H, W, 3) float32 encoded RGB 0-1."""
    light = np.log(np.maximum(to_linear(rgb), 0).astype(np.float32) + NOISE_FLOOR)
    red, green, blue = light[..., 0], light[..., 1], light[..., 2]
    return Density(-(light @ _DARKNESS_WEIGHTS), red - green, green - blue)
