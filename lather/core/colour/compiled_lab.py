"""Encoded sRGB to CIE Lab and back, a row at a time, for compiled kernels to call.

As `srgb_to_lab` and `lab_to_srgb` to within 0.01 L* and 1e-4 of encoded sRGB (tests). Values beyond
0-1 count as the end's. Rows of one channel, and loops without a branch: those are vectorised.
"""

from __future__ import annotations

import numpy as np
from numba import float32, njit, void

from lather.core.colour.lab import SRGB_TO_WHITE, WHITE_TO_SRGB, to_encoded, to_linear
from lather.core.compiled_types import OPTIONS, R_FLOATS, W_FLOATS

_ZERO, _ONE, _TWO, _THIRD = (np.float32(v) for v in (0, 1, 2, 1 / 3))
_N_STEPS = 4096
_STEPS = np.minimum(np.arange(_N_STEPS + 2) / _N_STEPS, 1)  # one more, that 1 is followed by
_LINEAR, _ENCODED = to_linear(_STEPS).astype(np.float32), to_encoded(_STEPS).astype(np.float32)
_TOP, _NEXT = np.float32(_N_STEPS), np.uint32(1)
_XR, _XG, _XB, _YR, _YG, _YB, _ZR, _ZG, _ZB = SRGB_TO_WHITE.astype(np.float32).ravel()
_RX, _RY, _RZ, _GX, _GY, _GZ, _BX, _BY, _BZ = WHITE_TO_SRGB.astype(np.float32).ravel()
_KINK, _KINK_ROOT = np.float32(216 / 24389), np.float32(6 / 29)
_SLOPE, _FLAT, _START = (np.float32(v) for v in (24389 / 27 / 116, 27 * 116 / 24389, 16 / 116))
_16, _116, _500, _200 = (np.float32(v) for v in (16, 116, 500, 200))
_BY_116, _BY_500, _BY_200 = (np.float32(1 / v) for v in (116, 500, 200))
_GUESS = np.uint32(709921077)  # of the exponent's bits

ROW = float32[::1]


@njit(inline="always", **OPTIONS)
def _looked_up(table, value):  # type: ignore[no-untyped-def]
    place = min(max(value, _ZERO), _ONE) * _TOP
    low = np.int32(place)
    at = np.uint32(low)  # without a sign, that none is looked for from the end
    return table[at] + (place - np.float32(low)) * (table[at + _NEXT] - table[at])


@njit(inline="always", **OPTIONS)
def _root(t):  # type: ignore[no-untyped-def]
    """The cube root by a guess from the exponent's bits and one step of Halley's."""
    bits = np.float32(np.int32(np.float32(t).view(np.uint32)))
    y = np.uint32(np.uint32(bits * _THIRD) + _GUESS).view(np.float32)
    cubed = y * y * y
    return y * (cubed + _TWO * t) / (_TWO * cubed + t)


@njit(inline="always", **OPTIONS)
def _bent(t):  # type: ignore[no-untyped-def]
    return _root(t) if t > _KINK else _SLOPE * t + _START


@njit(inline="always", **OPTIONS)
def _unbent(f):  # type: ignore[no-untyped-def]
    return f * f * f if f > _KINK_ROOT else (f - _START) * _FLAT


@njit(void(ROW, ROW, ROW), **OPTIONS)
def row_to_lab(red, green, blue):  # type: ignore[no-untyped-def]
    """In place: encoded red, green and blue become L*, a* and b*."""
    for i in range(len(red)):
        red[i], green[i], blue[i] = (
            _looked_up(_LINEAR, red[i]), _looked_up(_LINEAR, green[i]), _looked_up(_LINEAR, blue[i])
        )  # fmt: skip
    for i in range(len(red)):
        r, g, b = red[i], green[i], blue[i]
        x = _bent(_XR * r + _XG * g + _XB * b)
        y = _bent(_YR * r + _YG * g + _YB * b)
        z = _bent(_ZR * r + _ZG * g + _ZB * b)
        red[i], green[i], blue[i] = _116 * y - _16, _500 * (x - y), _200 * (y - z)


@njit(void(ROW, ROW, ROW), **OPTIONS)
def row_to_srgb(light, a, b):  # type: ignore[no-untyped-def]
    """In place: L*, a* and b* become encoded red, green and blue."""
    for i in range(len(light)):
        y = (light[i] + _16) * _BY_116
        x, z = _unbent(y + a[i] * _BY_500), _unbent(y - b[i] * _BY_200)
        y = _unbent(y)
        light[i] = _RX * x + _RY * y + _RZ * z
        a[i] = _GX * x + _GY * y + _GZ * z
        b[i] = _BX * x + _BY * y + _BZ * z
    for i in range(len(light)):
        light[i], a[i], b[i] = (
            _looked_up(_ENCODED, light[i]), _looked_up(_ENCODED, a[i]), _looked_up(_ENCODED, b[i])
        )  # fmt: skip


@njit(void(ROW), **OPTIONS)
def row_to_grey(light):  # type: ignore[no-untyped-def]
    """In place: L* becomes the encoded grey."""
    for i in range(len(light)):
        light[i] = _looked_up(_ENCODED, _unbent((light[i] + _16) * _BY_116))


@njit(void(R_FLOATS, W_FLOATS), **OPTIONS)
def to_lab(pixels, out):  # type: ignore[no-untyped-def]
    width = pixels.shape[1]
    one, two, three = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(
        width, np.float32)  # fmt: skip
    for y in range(pixels.shape[0]):
        for x in range(width):
            one[x], two[x], three[x] = pixels[y, x, 0], pixels[y, x, 1], pixels[y, x, 2]
        row_to_lab(one, two, three)
        for x in range(width):
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = one[x], two[x], three[x]
