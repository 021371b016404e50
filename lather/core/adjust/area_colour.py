"""Colour by area: mean and spread in CIE Lab moved to a target (after Reinhard et al. 2001)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage
from lather.core.colour.lab import lab_to_srgb, srgb_to_lab
from lather.core.kernels import Kernel

Three = tuple[float, float, float]  # L*, a*, b*


def apply_area_colour(image: FloatImage, mean: Three, move: Three, spread_percent: Three) -> None:
    """Lab becomes mean + move + spread x (Lab - mean), on (H, W, 4) float32 encoded pixels, in
    place; alpha stays. Neutral values change no bit."""
    if any(move) or any(spread != 100 for spread in spread_percent):
        of, by = np.array(mean, np.float32), np.array(move, np.float32)
        area_colour_kernel(image, of, by, np.array(spread_percent, np.float32) / np.float32(100))


def _area_colour_reference(
    image: FloatImage, mean: NDArray[np.float32], move: NDArray[np.float32],
    spread: NDArray[np.float32],
) -> None:
    seen = image[..., 3] > 0
    moved = mean + move + spread * (srgb_to_lab(image[seen][:, :3]) - mean)
    moved[:, 0] = np.clip(moved[:, 0], 0, 100)
    image[seen, :3] = lab_to_srgb(moved)


area_colour_kernel = Kernel(
    "lather.core.adjust.compiled_lab", "area_colour", _area_colour_reference
)
