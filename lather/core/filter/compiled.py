"""Compiled forms of the kernels in this folder; imported only by `prepare_kernels`."""

from __future__ import annotations

import math

import numpy as np
from numba import float32, int64, njit, void

from lather.core.blend.compiled import lum, set_lum
from lather.core.compiled_types import OPTIONS, R_FLOATS, R_PAIR, R_PLANE, W_FLOATS, W_PAIR

_ZERO, _ONE, _HALF = np.float32(0), np.float32(1), np.float32(0.5)


@njit(void(R_FLOATS, int64, int64, int64, W_PAIR), **OPTIONS)
def block_moments(pixels, left, top, side, means):  # type: ignore[no-untyped-def]
    height, width = pixels.shape[0], pixels.shape[1]
    for row in range(means.shape[1]):
        y0, y1 = max(row * side - top, 0), min((row + 1) * side - top, height)
        for column in range(means.shape[2]):
            x0, x1 = max(column * side - left, 0), min((column + 1) * side - left, width)
            r_sum = g_sum = b_sum = l_sum = ll = rl = gl = bl = _ZERO
            for y in range(y0, y1):
                for x in range(x0, x1):
                    r, g, b = pixels[y, x, 0], pixels[y, x, 1], pixels[y, x, 2]
                    light = lum(r, g, b)
                    r_sum += r
                    g_sum += g
                    b_sum += b
                    l_sum += light
                    ll += light * light
                    rl += r * light
                    gl += g * light
                    bl += b * light
            k = _ONE / np.float32((y1 - y0) * (x1 - x0))
            colour, products = means[0, row, column], means[1, row, column]
            colour[0], colour[1], colour[2], colour[3] = k * r_sum, k * g_sum, k * b_sum, k * l_sum
            products[0], products[1], products[2], products[3] = k * ll, k * rl, k * gl, k * bl


@njit(void(R_PAIR, float32, W_PAIR), **OPTIONS)
def fit_lines(means, kept, lines):  # type: ignore[no-untyped-def]
    for y in range(means.shape[1]):
        for x in range(means.shape[2]):
            light = means[0, y, x, 3]
            variance = max(means[1, y, x, 0] - light * light, _ZERO)
            for c in range(3):
                mean = means[0, y, x, c]
                slope = (means[1, y, x, c + 1] - mean * light) / (variance + kept)
                lines[0, y, x, c], lines[1, y, x, c] = slope, mean - slope * light
            lines[0, y, x, 3] = lines[1, y, x, 3] = _ZERO


@njit(void(R_FLOATS, R_PAIR, int64, int64, int64, W_FLOATS), **OPTIONS)
def apply_lines(pixels, lines, left, top, side, out):  # type: ignore[no-untyped-def]
    if side == 1:  # nothing lies between
        for y in range(pixels.shape[0]):
            for x in range(pixels.shape[1]):
                light = lum(pixels[y, x, 0], pixels[y, x, 1], pixels[y, x, 2])
                for c in range(3):
                    out[y, x, c] = lines[0, y, x, c] * light + lines[1, y, x, c]
                out[y, x, 3] = pixels[y, x, 3]
        return
    last_row, last_column = lines.shape[1] - 1, lines.shape[2] - 1
    scale = _ONE / np.float32(side)
    between = np.empty((lines.shape[2], 6), dtype=np.float32)  # the lines in this row of pixels
    for y in range(pixels.shape[0]):
        down = (np.float32(top + y) + _HALF) * scale - _HALF
        row = int(np.floor(down))
        v = down - np.float32(row)
        above, below = min(max(row, 0), last_row), min(max(row + 1, 0), last_row)
        for column in range(lines.shape[2]):
            for half in range(2):
                for c in range(3):
                    start, end = lines[half, above, column, c], lines[half, below, column, c]
                    between[column, 3 * half + c] = (_ONE - v) * start + v * end
        for x in range(pixels.shape[1]):
            across = (np.float32(left + x) + _HALF) * scale - _HALF
            column = int(np.floor(across))
            u = across - np.float32(column)
            near, far = min(max(column, 0), last_column), min(max(column + 1, 0), last_column)
            light = lum(pixels[y, x, 0], pixels[y, x, 1], pixels[y, x, 2])
            for c in range(3):
                slope = (_ONE - u) * between[near, c] + u * between[far, c]
                start = (_ONE - u) * between[near, c + 3] + u * between[far, c + 3]
                out[y, x, c] = slope * light + start
            out[y, x, 3] = pixels[y, x, 3]


@njit(void(W_FLOATS, R_PLANE), **OPTIONS)
def lighten(image, lift):  # type: ignore[no-untyped-def]
    for y in range(image.shape[0]):
        for x in range(image.shape[1]):
            up = lift[y, x]
            if up == _ZERO:
                continue
            r, g, b = image[y, x, 0], image[y, x, 1], image[y, x, 2]
            r, g, b = set_lum(r, g, b, lum(r, g, b) + up)
            image[y, x, 0], image[y, x, 1], image[y, x, 2] = r, g, b


@njit(void(W_FLOATS, R_FLOATS, float32, float32), **OPTIONS)
def to_middle(out, middle, sign, contrast_l):  # type: ignore[no-untyped-def]
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            r, g, b = out[y, x, 0], out[y, x, 1], out[y, x, 2]
            u, v, w = middle[y, x, 0], middle[y, x, 1], middle[y, x, 2]
            stands_out = np.float32(100) * (lum(r, g, b) - lum(u, v, w))
            stands_out = abs(stands_out) if sign == _ZERO else sign * stands_out
            t = min(max(stands_out / contrast_l - _HALF, _ZERO), _ONE)
            if t == _ZERO:
                continue
            share = t * t * (np.float32(3) - np.float32(2) * t)
            out[y, x, 0] = r + share * (u - r)
            out[y, x, 1] = g + share * (v - g)
            out[y, x, 2] = b + share * (w - b)


@njit(void(W_FLOATS, R_FLOATS, R_FLOATS, int64, int64, float32, float32), **OPTIONS)
def add_noise(out, one, other, left, top, light, tint):  # type: ignore[no-untyped-def]
    four = np.float32(4)
    for y in range(out.shape[0]):
        near, far = one[(top + y) % one.shape[0]], other[(top + y) % other.shape[0]]
        u, v = left % one.shape[1], left % other.shape[1]
        for x in range(out.shape[1]):
            grey = light * (near[u, 0] + far[v, 0])
            for c in range(3):
                value = min(max(out[y, x, c], _ZERO), _ONE)
                room = np.float32(math.sqrt(four * value * (_ONE - value)))
                out[y, x, c] += room * (grey + tint * (near[u, c + 1] + far[v, c + 1]))
            u = u + 1 if u + 1 < one.shape[1] else 0
            v = v + 1 if v + 1 < other.shape[1] else 0


@njit(void(W_FLOATS), **OPTIONS)
def standardise(noise):  # type: ignore[no-untyped-def]
    """Summed pixel after pixel, as NumPy does: the same bits as its form."""
    height, width, n_channels = noise.shape
    n_px = np.float32(height * width)
    sums, squares = np.zeros((2, n_channels), np.float32), np.zeros(n_channels, np.float32)
    for again in range(2):  # what rounding left of the mean counts too
        for y in range(height):
            for x in range(width):
                for c in range(n_channels):
                    sums[again, c] += noise[y, x, c]
        sums[again] /= n_px
        for y in range(height):
            for x in range(width):
                for c in range(n_channels):
                    if again:
                        off = noise[y, x, c] - sums[1, c]
                        squares[c] += off * off
                    else:
                        noise[y, x, c] -= sums[0, c]
    sigmas = np.sqrt(squares / n_px)
    for y in range(height):
        for x in range(width):
            for c in range(n_channels):
                noise[y, x, c] /= sigmas[c]
