"""Gaussian blurs that come out the same for a part as for the whole.

Up to a sigma of `DIRECT_PX` the kernel is cut off at four sigmas and applied as it is. Wider ones
work on means of blocks that lie on one grid for the whole picture, wherever the part begins, and
are interpolated between the blocks' middles: the variances of block and interpolation are taken off
the kernel's. Against the exact blur a step differs by less than 0.002 of its height (tests).
"""

from __future__ import annotations

import math

import cv2
import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.filter.reach import CUT_OFF, DIRECT_PX, block_px, gaussian_reach_px
from lather.core.rect import Rect

# The last few pixels of a row are computed by other instructions, and their last bit differs: so
# many are added, and dropped again.
_TAIL = 8
_BAND = 16  # rows of blocks
_BLOCK_VARIANCE = 0.25  # of a block's mean (1/12) and of the interpolation (1/6), in blocks squared


def gaussian(
    pixels: FloatImage, rect: Rect, sigma_px: float, inside: Rect | None = None
) -> FloatImage:
    """The blur of what is given; right where the reach around was given too.

    What lies beyond the given pixels counts as their border, repeated (of wide blurs, the mean of
    the block at the border).

    Parameters
    ----------
    pixels : (h, w, C) float32, of `rect`.
    rect : where they lie in the picture.
    inside : the part of it whose blur is asked for; None: all.
    """
    inside = inside or rect
    near = inside.grown(gaussian_reach_px(sigma_px)).intersect(rect)
    pixels, rect = pixels[near.shifted(-rect.x0, -rect.y0).slices], near
    if sigma_px < DIRECT_PX:
        return direct(pixels, sigma_px)[inside.shifted(-rect.x0, -rect.y0).slices]
    side = block_px(sigma_px)
    blocks = to_blocks(pixels, rect, side)
    coarse = direct(blocks, math.sqrt((sigma_px / side) ** 2 - _BLOCK_VARIANCE))
    return from_blocks(coarse, rect, side, inside)


def direct(pixels: FloatImage, sigma_px: float) -> FloatImage:
    """The exact blur, cut off at four sigmas."""
    size = 2 * math.ceil(CUT_OFF * sigma_px) + 1
    padded = cv2.copyMakeBorder(pixels, 0, 0, 0, _TAIL, cv2.BORDER_REPLICATE)
    blurred = cv2.GaussianBlur(padded, (size, size), sigma_px, borderType=cv2.BORDER_REPLICATE)
    inner: FloatImage = blurred[:, : pixels.shape[1]]
    return inner


def to_blocks(pixels: FloatImage, rect: Rect, side: int) -> FloatImage:
    """Means of the blocks of the picture's grid that touch `rect`, of what is given of them."""
    if side == 1:
        return pixels
    left, top = rect.x0 % side, rect.y0 % side
    right = -rect.x1 % side + _TAIL * side
    width, height = (left + rect.width + right) // side, -(-(top + rect.height) // side)
    means = np.empty((height, width, *pixels.shape[2:]), dtype=np.float32)
    for first in range(0, height, _BAND):  # so that no second copy of all pixels is needed
        last = min(first + _BAND, height)
        start, end = first * side - top, last * side - top
        band = pixels[max(start, 0) : end]
        above, under = max(-start, 0), max(end - rect.height, 0)
        padded = cv2.copyMakeBorder(band, above, under, left, right, cv2.BORDER_CONSTANT)
        size = width, last - first
        means[first:last] = cv2.resize(padded, size, interpolation=cv2.INTER_AREA).reshape(
            last - first, *means.shape[1:])
    means = means[:, :-_TAIL]
    rows = _given(top, rect.height, side, means.shape[0])
    columns = _given(left, rect.width, side, means.shape[1])
    shape = (*means.shape[:2], *[1] * (means.ndim - 2))
    given = (rows[:, None] * columns[None, :]).reshape(shape)
    return np.asarray(means / given, dtype=np.float32)


def _given(before: int, length: int, side: int, n_blocks: int) -> Plane:
    """The share of each block that is given, along one axis."""
    starts = np.arange(n_blocks) * side
    ends = np.minimum(starts + side, before + length)
    share: Plane = ((ends - np.maximum(starts, before)) / side).astype(np.float32)
    return share


def from_blocks(
    blocks: FloatImage, rect: Rect, side: int, inside: Rect | None = None
) -> FloatImage:
    """Interpolated between the middles of the blocks that touch `rect`, in the pixels of it, or
    of a part of it."""
    inside = inside or rect
    if side == 1:
        return blocks[inside.shifted(-rect.x0, -rect.y0).slices]
    column, row = rect.x0 // side, rect.y0 // side  # of the first block
    # A block more on each side: the outermost pixels lie between its middle and the next one's.
    left, top = max(inside.x0 // side - 1, column), max(inside.y0 // side - 1, row)
    right, bottom = -(-inside.x1 // side) + 1, -(-inside.y1 // side) + 1
    near = blocks[top - row : bottom - row, left - column : right - column]
    near = cv2.copyMakeBorder(near, 0, 0, 0, _TAIL, cv2.BORDER_REPLICATE)
    size = near.shape[1] * side, near.shape[0] * side
    # A power of two: the weights come out the same wherever the part begins.
    wide: FloatImage = cv2.resize(near, size, interpolation=cv2.INTER_LINEAR)
    return wide[inside.shifted(-left * side, -top * side).slices]
