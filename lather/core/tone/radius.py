"""The split's radius from this skin's own spectrum.

Pore-scale is what a blur of `PORE_MM` takes away: pores, fine lines, hairs, grain. The radius is
the smallest one whose tone has next to nothing left of it: a hundredth of its energy, a tenth of
its contrast.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.blur import disc
from lather.core.colour.lab import luma
from lather.core.filter.gaussian import gaussian
from lather.core.rect import Rect

RIM_MM = 2.0
PORE_MM = 0.5  # sigma: half of what has a period of 2.7 mm is taken away
MOST_LEFT = 0.01  # of the pore-scale energy
STEPS_AN_OCTAVE, LEAST_PX, MOST_PX = 4, 0.5, 100.0
LEAST_SKIN_PX = 400
SIDE_PX = 1024  # of the piece of skin that is looked at


@dataclass(frozen=True)
class Radius:
    """A proposal, and the measurement that it was made by.

    Attributes
    ----------
    sigma_px : the radius proposed.
    sigmas_px, left : how much of the pore-scale energy is left in the tone, by radius.
    most_left : how much may be left.
    """

    sigma_px: float
    sigmas_px: tuple[float, ...]
    left: tuple[float, ...]
    most_left: float = MOST_LEFT


EVERY, SURE_SKIN = 8, 0.9  # pixels that are enough to say where skin is; share of it


def proposed_radius(rgb: FloatImage, skin: Plane, mm_per_px: float) -> Radius | None:
    """None where there is too little skin to tell.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1, the photo's own pixels.
    skin : (H, W) 0-1.
    mm_per_px : scale on the person.
    """
    part = _piece(skin)
    whole_skin = (skin[part.slices] > 0.9).astype(np.uint8)
    # Where skin ends there is an edge, and none of its energy is a pore's.
    inside = cv2.erode(whole_skin, disc(RIM_MM / mm_per_px), borderValue=0) > 0
    if inside.sum() < LEAST_SKIN_PX:
        return None
    light = luma(np.ascontiguousarray(rgb[part.slices]))
    pore_px = PORE_MM / mm_per_px

    def energy(picture: Plane) -> float:
        """Of what is of pore scale: without hairs and spots, the hundredth that differs most."""
        fine = np.square(picture - gaussian(picture, part, pore_px))[inside]
        return float(fine[fine <= np.percentile(fine, 99)].mean())

    whole = energy(light)
    if whole <= 0:
        return None
    n = round(STEPS_AN_OCTAVE * np.log2(MOST_PX / LEAST_PX)) + 1
    sigmas: NDArray[np.float64] = LEAST_PX * 2 ** (np.arange(n) / STEPS_AN_OCTAVE)
    left: list[float] = []
    for sigma in sigmas:
        left.append(energy(gaussian(light, part, float(sigma))) / whole)
        if left[-1] < MOST_LEFT / 4:
            break
    chosen = next((float(s) for s, share in zip(sigmas, left, strict=False) if share <= MOST_LEFT),
                  float(sigmas[len(left) - 1]))  # fmt: skip
    return Radius(round(chosen, 1), tuple(float(s) for s in sigmas[: len(left)]), tuple(left))


def _piece(skin: Plane) -> Rect:
    """The part of the picture with most skin in it: between two people there is none."""
    picture = Rect(0, 0, skin.shape[1], skin.shape[0])
    sure = (np.ascontiguousarray(skin[::EVERY, ::EVERY]) > SURE_SKIN).astype(np.float32)
    side, half = SIDE_PX // EVERY, SIDE_PX // 2
    # A little less weight outwards, so that of places with as much the middle is taken.
    most = cv2.blur(sure, (side, side), borderType=cv2.BORDER_CONSTANT)
    most += np.float32(0.1) * cv2.blur(most, (side, side), borderType=cv2.BORDER_CONSTANT)
    y, x = (EVERY * int(v) for v in np.unravel_index(int(np.argmax(most)), most.shape))
    return Rect(x - half, y - half, x + half, y + half).intersect(picture)
