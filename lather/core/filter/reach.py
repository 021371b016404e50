"""How far around a pixel the filters look; without the libraries that compute them."""

from __future__ import annotations

import math

DIRECT_PX = 8.0  # sigma up to which a blur's kernel is applied as it is
CUT_OFF = 4.0  # sigmas
LEAST_SIGMA_BLOCKS = 1.5  # of the guided filter's places
MEDIAN_BLOCKS = 5  # on a side of the place whose median is taken


def block_px(sigma_px: float, least_sigma: float = DIRECT_PX / 2) -> int:
    """The side of the blocks, a power of two, of which sigma is at least so many wide."""
    return 1 << math.floor(math.log2(max(sigma_px / least_sigma, 1)))


def gaussian_reach_px(sigma_px: float) -> int:
    """How far around a pixel its blur looks."""
    if sigma_px < DIRECT_PX:
        return math.ceil(CUT_OFF * sigma_px)
    side = block_px(sigma_px)
    return side * (math.ceil(CUT_OFF * sigma_px / side) + 3)


def smooth_reach_px(scale_px: float) -> int:
    """How far around a pixel edge-keeping smoothing looks: two averages of whole blocks."""
    side = block_px(scale_px, LEAST_SIGMA_BLOCKS)
    return side * (2 * math.ceil(CUT_OFF * scale_px / side) + 2)


def median_block_px(width_px: float) -> int:
    """The side of the blocks of which a line of that width crosses less than half of a place."""
    return 1 << max(0, math.ceil(math.log2(width_px / 2)))


def median_reach_px(width_px: float) -> int:
    """How far around a pixel the median looks: whole blocks, and one between their middles."""
    return median_block_px(width_px) * (MEDIAN_BLOCKS // 2 + 2)
