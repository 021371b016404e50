"""Smoothing that keeps edges: the guided filter (He, Sun, Tang 2013), guided by lightness.

In each place every colour is fitted as a straight line over lightness; where lightness varies less
than the edges that are to be kept, the line is level and the place becomes its mean. The lines are
fitted and averaged on blocks of the picture's grid and applied to the pixels (He, Sun 2015), so
that any part comes out as that part of the whole.
"""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.blend.modes import lum
from lather.core.filter.gaussian import direct, from_blocks, to_blocks
from lather.core.filter.reach import LEAST_SIGMA_BLOCKS, block_px
from lather.core.filter.straight import LEAST, is_opaque
from lather.core.kernels import Kernel
from lather.core.rect import Rect


def smoothed(pixels: FloatImage, rect: Rect, scale_px: float, edge_l: float) -> FloatImage:
    """What is given, smoothed; right where the reach around was given too.

    Parameters
    ----------
    pixels : (h, w, 4) float32 encoded RGB and alpha, of `rect`; alpha stays as it is.
    rect : where they lie in the picture.
    scale_px : sigma of the places.
    edge_l : a step of so many L* keeps half of its height.
    """
    side = block_px(scale_px, LEAST_SIGMA_BLOCKS)
    sigma = scale_px / side
    left, top = rect.x0 % side, rect.y0 % side
    pixels = np.ascontiguousarray(pixels)
    # The products at full size: their means over blocks hold the variance within the blocks.
    n_rows, n_columns = -(-(top + rect.height) // side), -(-(left + rect.width) // side)
    moments = np.empty((2, n_rows, n_columns, 4), dtype=np.float32)
    counts: Plane | None = None
    if is_opaque(pixels):
        block_moments(pixels, left, top, side, moments)
    else:  # each pixel counts by its alpha
        counts = _weighed_moments(pixels, rect, side, moments)
    lines = np.empty_like(moments)
    fit_lines(_mean(moments, sigma, counts), np.float32(half_kept(edge_l)), lines)
    out = np.empty_like(pixels)
    apply_lines(pixels, _mean(lines, sigma, counts), left, top, side, out)
    return out


def _mean(planes: FloatImage, sigma: float, counts: Plane | None) -> FloatImage:
    """(2, h, w, 4): the blur of each, of blocks that count by the alpha in them."""
    if counts is None:
        return np.stack([direct(half, sigma) for half in planes])
    weighed = np.stack([direct(half * counts[..., None], sigma) for half in planes])
    return np.asarray(weighed / np.maximum(direct(counts, sigma), LEAST)[..., None])


def _weighed_moments(
    pixels: FloatImage, rect: Rect, side: int, moments: FloatImage
) -> Plane:
    """As `block_moments` gives them, of pixels that count by their alpha; the mean alpha."""
    alpha = pixels[..., 3]
    counts = to_blocks(np.ascontiguousarray(alpha), rect, side)
    for half, planes in zip(moments, _products(pixels), strict=True):
        weighed = to_blocks(planes * alpha[..., None], rect, side)
        half[...] = weighed / np.maximum(counts, LEAST)[..., None]
    return counts


def _products(pixels: FloatImage) -> tuple[FloatImage, FloatImage]:
    """(h, w, 4) each: colour and lightness; its square, and colour times lightness."""
    colour = np.ascontiguousarray(pixels[..., :3])
    light = lum(colour)
    return np.dstack([colour, light]), np.dstack([light * light, colour * light])


def half_kept(edge_l: float) -> float:
    """The variance of a step of that height, of which then half is kept; encoded lightness."""
    return (edge_l / 100) ** 2 / 4


def _block_moments_reference(
    pixels: FloatImage, left: int, top: int, side: int, means: FloatImage
) -> None:
    """Means over blocks, (2, h, w, 4), of colour and lightness; of its square, and colour times
    lightness."""
    rect = Rect(left, top, left + pixels.shape[1], top + pixels.shape[0])
    for half, planes in zip(means, _products(pixels), strict=True):
        half[...] = to_blocks(np.ascontiguousarray(planes), rect, side)


def _fit_lines_reference(means: FloatImage, kept: float, lines: FloatImage) -> None:
    """Of means of moments the slopes and starts of red, green and blue over lightness."""
    (mean, light), products = np.split(means[0], [3], -1), means[1]
    variance = np.maximum(products[..., :1] - light**2, 0)
    slope = (products[..., 1:] - mean * light) / (variance + kept)
    lines[..., 3] = 0
    lines[0, ..., :3], lines[1, ..., :3] = slope, mean - slope * light


def _apply_lines_reference(
    pixels: FloatImage, lines: FloatImage, left: int, top: int, side: int, out: FloatImage
) -> None:
    """Colours by their lines over lightness, which are interpolated between the blocks' middles."""
    rect = Rect(left, top, left + pixels.shape[1], top + pixels.shape[0])
    slope, start = (from_blocks(part, rect, side)[..., :3] for part in lines)
    out[..., :3] = slope * lum(pixels[..., :3]) + start
    out[..., 3] = pixels[..., 3]


_COMPILED = "lather.core.filter.compiled"
block_moments = Kernel(_COMPILED, "block_moments", _block_moments_reference)
fit_lines = Kernel(_COMPILED, "fit_lines", _fit_lines_reference)
apply_lines = Kernel(_COMPILED, "apply_lines", _apply_lines_reference)
