"""What was done to a picture as a whole: more or less light, or its colour taken away.

Told from the pixels, whatever did it: skin and all else went the same way.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lather.core.arrays import FloatImage
from lather.core.check.edges import Mask
from lather.core.colour.lab import luma, to_linear
from lather.core.colour.labs import lab_of

TELLS = (0.02, 0.85)  # linear light in which an exposure can be told
LEAST_EV, SAME_EV, SPREAD_EV = 0.03, 0.1, 0.08  # told at all; of skin and the rest; of the rest
COLOURFUL, GREY = 4.0, 0.7  # chroma at the start, and of what has none
LEAST_PX = 50


@dataclass(frozen=True)
class Whole:
    """Doublings of the light, and whether the colour is gone."""

    exposure_ev: float = 0.0
    is_grey: bool = False


def whole_change(start: FloatImage, now: FloatImage, skin: Mask) -> Whole:
    """What became of all of a picture; nothing where parts of it went different ways.

    Parameters
    ----------
    start, now : (h, w, 3) encoded sRGB of the same places, much reduced.
    skin : (h, w).
    """
    return Whole(_exposure_ev(start, now, skin), _is_grey(start, now))


def _exposure_ev(start: FloatImage, now: FloatImage, skin: Mask) -> float:
    was, is_now = (luma(to_linear(rgb).astype(np.float32)) for rgb in (start, now))
    tells = np.logical_and.reduce([(light > TELLS[0]) & (light < TELLS[1])
                                   for light in (was, is_now)])  # fmt: skip
    ratio = np.log2(np.where(tells, is_now, 1) / np.where(tells, was, 1))
    own, rest = ratio[tells & skin], ratio[tells & ~skin]
    if min(own.size, rest.size) < LEAST_PX:
        return 0.0
    middle = float(np.median(rest))
    is_whole = (abs(middle) >= LEAST_EV and abs(float(np.median(own)) - middle) < SAME_EV
                and float(np.median(np.abs(rest - middle))) < SPREAD_EV)  # fmt: skip
    return round(middle, 2) if is_whole else 0.0


def _is_grey(start: FloatImage, now: FloatImage) -> bool:
    was, is_now = (np.hypot(*np.moveaxis(lab_of(rgb)[..., 1:], -1, 0)) for rgb in (start, now))
    colourful = was > COLOURFUL
    return bool(colourful.sum() >= LEAST_PX and np.percentile(is_now[colourful], 95) < GREY)
