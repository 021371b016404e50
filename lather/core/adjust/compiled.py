"""Compiled form of the kernels in this folder; imported only by `prepare_kernels`."""

from __future__ import annotations

import math

import numpy as np
from numba import boolean, float32, float64, njit, types, void

from lather.core.blend.compiled import lum, set_lum
from lather.core.compiled_types import OPTIONS, W_FLOATS

_ZERO, _ONE, _NEXT = np.float32(0), np.float32(1), np.uint32(1)
_TABLE = types.Array(float32, 1, "C", readonly=True)


@njit(float32(_TABLE, float32), inline="always", **OPTIONS)
def _looked_up(table, value):  # type: ignore[no-untyped-def]
    if table.shape[0] == 1:
        return value
    n_steps = table.shape[0] - 1
    place = min(max(value, _ZERO), _ONE) * np.float32(n_steps)
    low = min(np.int32(place), np.int32(n_steps - 1))
    at = np.uint32(low)  # without a sign, that none is looked for from the end
    return table[at] + (place - np.float32(low)) * (table[at + _NEXT] - table[at])


@njit(void(W_FLOATS, _TABLE, _TABLE, _TABLE, _TABLE, _TABLE), **OPTIONS)
def curves(image, rgb, red, green, blue, lightness):  # type: ignore[no-untyped-def]
    lifts = lightness.shape[0] > 1
    for y in range(image.shape[0]):
        for x in range(image.shape[1]):
            if image[y, x, 3] <= _ZERO:
                continue
            r = _looked_up(red, _looked_up(rgb, image[y, x, 0]))
            g = _looked_up(green, _looked_up(rgb, image[y, x, 1]))
            b = _looked_up(blue, _looked_up(rgb, image[y, x, 2]))
            if lifts:
                r, g, b = set_lum(r, g, b, _looked_up(lightness, lum(r, g, b)))
            image[y, x, 0], image[y, x, 1], image[y, x, 2] = r, g, b


@njit(void(W_FLOATS, _TABLE, _TABLE, _TABLE, *[float64] * 7, boolean), **OPTIONS)
def light_ellipse(  # type: ignore[no-untyped-def]
    image, red, green, blue, left, top, along_x, along_y, across_x, across_y, rim, outside
):
    # Beyond the rim, and within it, the root need not be drawn.
    dark = np.float32(1 if outside else 0)
    far, near = (1 + 0.5 * rim) ** 2, max(1 - 0.5 * rim, 0.0) ** 2
    for y in range(image.shape[0]):
        for x in range(image.shape[1]):
            along = along_x * (left + x) + along_y * (top + y)
            across = across_x * (left + x) + across_y * (top + y)
            squared = along * along + across * across
            if squared >= far:
                share = dark
            elif squared <= near:
                share = _ONE - dark
            else:
                t = min(max((1 - math.sqrt(squared)) / rim + 0.5, 0.0), 1.0)
                share = abs(dark - np.float32(t * t * (3 - 2 * t)))
            if share == _ZERO or image[y, x, 3] <= _ZERO:
                continue
            r, g, b = image[y, x, 0], image[y, x, 1], image[y, x, 2]
            image[y, x, 0] = r + share * (_looked_up(red, r) - r)
            image[y, x, 1] = g + share * (_looked_up(green, g) - g)
            image[y, x, 2] = b + share * (_looked_up(blue, b) - b)
