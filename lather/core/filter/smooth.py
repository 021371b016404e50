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
    moments = np.empty((n_rows, n_columns, 8), dtype=np.float32)
    counts: Plane | None = None
    if is_opaque(pixels):
        block_moments(pixels, left, top, side, moments)
    else:  # each pixel counts by its alpha
        moments, counts = _weighed_moments(pixels, rect, side)
    means = _mean(moments, sigma, counts)
    mean, mean_light = means[..., :3], means[..., 3:4]
    variance = np.maximum(means[..., 4:5] - mean_light**2, 0)
    covariance = means[..., 5:8] - mean * mean_light
    slope = covariance / (variance + np.float32(half_kept(edge_l)))
    lines = _mean(np.dstack([slope, mean - slope * mean_light]), sigma, counts)
    out = np.empty_like(pixels)
    apply_lines(pixels, lines, left, top, side, out)
    return out


def _mean(planes: FloatImage, sigma: float, counts: Plane | None) -> FloatImage:
    """`direct_planes`, of blocks that count by the alpha in them."""
    if counts is None:
        return direct_planes(planes, sigma)
    both = np.dstack([planes * counts[..., None], counts])
    soft = direct_planes(np.ascontiguousarray(both), sigma)
    return np.asarray(soft[..., :-1] / np.maximum(soft[..., -1:], LEAST))


def _weighed_moments(pixels: FloatImage, rect: Rect, side: int) -> tuple[FloatImage, Plane]:
    """As `block_moments` gives them, of pixels that count by their alpha; and the mean alpha."""
    colour, alpha = pixels[..., :3], pixels[..., 3:]
    light = lum(colour)
    planes = np.dstack([colour, light, light * light, colour * light]) * alpha
    sums = [to_blocks(np.ascontiguousarray(planes[..., n : n + 4]), rect, side) for n in (0, 4)]
    counts = to_blocks(np.ascontiguousarray(alpha[..., 0]), rect, side)
    moments = np.dstack(sums) / np.maximum(counts, LEAST)[..., None]
    return moments.astype(np.float32), counts


def half_kept(edge_l: float) -> float:
    """The variance of a step of that height, of which then half is kept; encoded lightness."""
    return (edge_l / 100) ** 2 / 4


def direct_planes(planes: FloatImage, sigma: float) -> FloatImage:
    """`direct` for more than four planes."""
    parts = [direct(np.ascontiguousarray(planes[..., n : n + 4]), sigma).reshape(
        *planes.shape[:2], -1) for n in range(0, planes.shape[2], 4)]  # fmt: skip
    return np.concatenate(parts, -1)


def _block_moments_reference(
    pixels: FloatImage, left: int, top: int, side: int, means: FloatImage
) -> None:
    """Means over blocks of colour, lightness, its square, and colour times lightness."""
    rect = Rect(left, top, left + pixels.shape[1], top + pixels.shape[0])
    colour = np.ascontiguousarray(pixels[..., :3])
    light = lum(colour)[..., 0]
    planes = np.dstack([colour, light, light * light, colour * light[..., None]])
    for n in (0, 4):
        means[..., n : n + 4] = to_blocks(np.ascontiguousarray(planes[..., n : n + 4]), rect, side)


def _apply_lines_reference(
    pixels: FloatImage, lines: FloatImage, left: int, top: int, side: int, out: FloatImage
) -> None:
    """Colours by their lines over lightness, which are interpolated between the blocks' middles."""
    rect = Rect(left, top, left + pixels.shape[1], top + pixels.shape[0])
    slope, start = (
        from_blocks(np.ascontiguousarray(part), rect, side)
        for part in (lines[..., :3], lines[..., 3:])
    )
    out[..., :3] = slope * lum(pixels[..., :3]) + start
    out[..., 3] = pixels[..., 3]


_COMPILED = "lather.core.filter.compiled"
block_moments = Kernel(_COMPILED, "block_moments", _block_moments_reference)
apply_lines = Kernel(_COMPILED, "apply_lines", _apply_lines_reference)
