"""The colour of an area brought to that of another: what is measured of both, and the move.

Only colour is moved, and of lightness what the same change of blood accounts for: light stays.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.lab import ciede2000, lab_to_srgb, srgb_to_lab, to_encoded, to_linear
from lather.core.colour.labs import lab_of
from lather.core.tone.chromophores import BLOOD
from lather.core.tone.robust_fit import MAD_TO_SIGMA
from lather.errors import EditError

LEAST_PX = 40  # of an area, with fewer its middle is chance
MOST_SPREAD = (14.0, 7.0, 8.0)  # L*, a*, b*: beyond it more than one thing is in an area
ROUNDS, WITHIN = 4, 2.5  # of the robust mean; spreads
ALIKE = 0.7  # CIEDE2000, below which there is nothing to match
ENOUGH = 1.2  # CIEDE2000, to which lightness is moved, if it has to be

Three = tuple[float, float, float]


@dataclass(frozen=True)
class AreaColour:
    """The colour of an area: mean and spread of L*, a*, b*, and how many pixels count."""

    mean: Three
    spread: Three
    n_px: int

    @property
    def srgb(self) -> Three:
        """The mean as encoded sRGB 0-1, for a swatch."""
        red, green, blue = lab_to_srgb(np.array(self.mean))
        return float(red), float(green), float(blue)


def area_colour(rgb: FloatImage, share: Plane, what: str) -> AreaColour:
    """The robust mean of (h, w, 3) encoded pixels where (h, w) 0-1 says so.

    Outliers are left out: pixels beyond 2.5 spreads of the middle in any of the three.

    Raises
    ------
    EditError : it has too few pixels, or more than one thing in it.
    """
    lab = lab_of(rgb)[share > 0.5].astype(np.float64)
    if len(lab) < LEAST_PX:
        raise EditError(
            "No colours were matched", f"the {what} has {len(lab)} pixels, too few to measure",
            "take a larger piece of even skin",
        )  # fmt: skip
    for _ in range(ROUNDS):
        middle = np.median(lab, axis=0)
        spread = MAD_TO_SIGMA * np.median(np.abs(lab - middle), axis=0) + 0.3
        lab = lab[(np.abs(lab - middle) <= WITHIN * spread).all(-1)]
    whole = lab_of(rgb)[share > 0.5].std(0)
    if (whole > MOST_SPREAD).any():
        raise EditError(
            "No colours were matched",
            f"the {what} holds more than one thing: an edge, hair or a shadow runs through it",
            "take a piece of even skin",
        )
    mean, spread = lab.mean(0), lab.std(0)
    return AreaColour(_three(mean), _three(spread), len(lab))


def difference(one: AreaColour, other: AreaColour) -> float:
    """CIEDE2000 of two means."""
    return float(ciede2000(np.array(one.mean), np.array(other.mean)))


def difference_of_colour(one: AreaColour, other: AreaColour) -> float:
    """CIEDE2000 of two means as if both were equally light."""
    light = (one.mean[0] + other.mean[0]) / 2
    colours = [np.array((light, *area.mean[1:])) for area in (one, other)]
    return float(ciede2000(*colours))


def move_to(target: AreaColour, reference: AreaColour, *, with_light: bool = False) -> Three:
    """What to add to L*, a*, b* of the target.

    Raises
    ------
    EditError : the two are alike already.
    """
    if difference(target, reference) < ALIKE:
        raise EditError(
            "No colours were matched", "target and reference have the same colour already",
            "choose another target or reference",
        )
    light, a, b = (r - t for r, t in zip(reference.mean, target.mean, strict=True))
    if with_light:
        return light, a, b
    most = _of_blood(target, reference.mean[1], light)
    for share in np.linspace(0, 1, 21):  # no more of it than is needed to look alike
        move = float(share) * most, a, b
        if difference(moved(target, move), reference) <= ENOUGH:
            return move
    return most, a, b


def moved(colour: AreaColour, move: Three) -> AreaColour:
    """The colour after a move."""
    return AreaColour(
        _three(np.add(colour.mean, move)), colour.spread, colour.n_px
    )


def _of_blood(target: AreaColour, a: float, most_l: float) -> float:
    """The move of L* that goes with the blood that brings the target to that a*; at most the whole
    difference, and none against it."""
    light = to_linear(np.array(target.srgb))
    steps = np.linspace(-1.5, 1.5, 301)
    colours = srgb_to_lab(to_encoded(np.clip(light * np.exp(steps[:, None] * BLOOD), 0, 1)))
    nearest = int(np.argmin(np.abs(colours[:, 1] - a)))
    by_blood = float(colours[nearest, 0] - target.mean[0])
    low, high = min(0.0, most_l), max(0.0, most_l)
    return min(max(by_blood, low), high)


def _three(values: NDArray[np.floating]) -> Three:
    light, a, b = (float(v) for v in values)
    return light, a, b
