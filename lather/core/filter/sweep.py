"""Sweeping fine lines away: a median over a place wider than they are.

The median of 5 x 5 blocks of the picture's grid forgets a line that crosses fewer than half of
them. It takes the place of what stands out from it on the side that is asked for; what does not
stand out, grain and soft light, stays as it is.
"""

from __future__ import annotations

import cv2
import numpy as np
from scipy.ndimage import distance_transform_edt

from lather.core.adjust.bracket import smooth_step
from lather.core.arrays import FloatImage
from lather.core.blend.modes import lum
from lather.core.filter.gaussian import from_blocks, to_blocks
from lather.core.filter.reach import MEDIAN_BLOCKS, median_block_px
from lather.core.filter.straight import LEAST, colours_of, is_opaque, premultiplied
from lather.core.kernels import Kernel
from lather.core.rect import Rect

DARK, LIGHT, BOTH = "dark", "light", "both"
_SIGNS = {DARK: -1.0, LIGHT: 1.0, BOTH: 0.0}  # of what stands out


def swept(
    pixels: FloatImage, rect: Rect, width_px: float, contrast_l: float, which: str, inside: Rect
) -> FloatImage:
    """The part `inside` of what is given; right where the median's reach was given too.

    Parameters
    ----------
    pixels : (h, w, 4) float32 encoded RGB and alpha, of `rect`; alpha stays as it is.
    width_px : of the widest line that goes.
    contrast_l : how far a line stands out, in L* (hundredths of encoded lightness): half of one
        that does by so much goes, all of one that does by 1.5 times as much.
    """
    side = median_block_px(width_px)
    blocks = cv2.medianBlur(np.ascontiguousarray(_blocks(pixels, rect, side)), MEDIAN_BLOCKS)
    middle = from_blocks(blocks, rect, side, inside)
    out = pixels[inside.shifted(-rect.x0, -rect.y0).slices].copy()
    go_to_middle(out, middle, _SIGNS[which], np.float32(contrast_l))
    return out


def _blocks(pixels: FloatImage, rect: Rect, side: int) -> FloatImage:
    """Means of blocks, each colour by its alpha; a block that holds none has the nearest one's."""
    if is_opaque(pixels):
        return to_blocks(np.ascontiguousarray(pixels), rect, side)
    means = to_blocks(premultiplied(pixels), rect, side)
    there = means[..., 3] > LEAST
    if not there.any():
        return means
    nearest = distance_transform_edt(~there, return_distances=False, return_indices=True)
    filled: FloatImage = means[tuple(nearest)]
    filled[..., :3] = colours_of(filled, filled)
    return filled


def _to_middle_reference(
    out: FloatImage, middle: FloatImage, sign: float, contrast_l: float
) -> None:
    """(h, w, 4) pixels, in place, towards the median of their surroundings, by how far they stand
    out from it on the side of that sign; 0: on both."""
    stands_out = 100 * (lum(out[..., :3]) - lum(middle[..., :3]))
    stands_out = sign * stands_out if sign else np.abs(stands_out)
    share = smooth_step(stands_out / contrast_l - 0.5).astype(np.float32)
    out[..., :3] += share * (middle[..., :3] - out[..., :3])


go_to_middle = Kernel("lather.core.filter.compiled", "to_middle", _to_middle_reference)
