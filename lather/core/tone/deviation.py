"""How a plane deviates from its surroundings, within a mask: blotches, and what shines."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import Plane
from lather.core.filter.gaussian import gaussian
from lather.core.rect import Rect

LEAST_SHARE = 0.02  # of the surroundings that belong: with less there is nothing to compare with


def mean_within(plane: Plane, mask: Plane, rect: Rect, sigma_px: float) -> tuple[Plane, Plane]:
    """The mean of what a mask takes in around each pixel, and the share of it; (h, w) each.

    Where next to nothing of the surroundings belongs to the mask, the mean is the plane itself.
    """
    both = np.stack([plane * mask, mask], -1)
    blurred = gaussian(np.ascontiguousarray(both, dtype=np.float32), rect, sigma_px)
    share: Plane = blurred[..., 1]
    mean = np.where(share > LEAST_SHARE, blurred[..., 0] / np.maximum(share, LEAST_SHARE), plane)
    return mean.astype(np.float32), share


def band_deviation(
    plane: Plane, mask: Plane, rect: Rect, fine_px: float, coarse_px: float
) -> Plane:
    """(h, w), signed: what is larger than the one sigma and smaller than the other."""
    fine, _ = mean_within(plane, mask, rect, fine_px)
    coarse, _ = mean_within(plane, mask, rect, coarse_px)
    return fine - coarse
