"""Compiled forms of the kernels in this folder; imported only by `prepare_kernels`."""

from __future__ import annotations

import math

import numpy as np
from numba import float32, int64, njit, void

from lather.core.compiled_types import OPTIONS, R_PLANE, W_FLOATS
from lather.core.tone.chromophores import BLOOD, PIGMENT

_ZERO, _ONE, _QUARTER = np.float32(0), np.float32(1), np.float32(0.25)
_BLOOD, _PIGMENT = tuple(BLOOD), tuple(PIGMENT)


@njit(void(W_FLOATS, R_PLANE, int64), **OPTIONS)
def light_up(image, light, by_curves):  # type: ignore[no-untyped-def]
    for y in range(image.shape[0]):
        for x in range(image.shape[1]):
            s = light[y, x]
            if s == _ZERO or image[y, x, 3] <= _ZERO:
                continue
            for c in range(3):
                v = image[y, x, c]
                if by_curves or s < _ZERO:
                    within = min(max(v, _ZERO), _ONE) if by_curves else v
                    image[y, x, c] = v + s * within * (_ONE - within)
                else:
                    dark = ((np.float32(16) * v - np.float32(12)) * v + np.float32(4)) * v
                    root = dark if v <= _QUARTER else np.float32(math.sqrt(v))
                    image[y, x, c] = v + s * (root - v)


@njit(void(W_FLOATS, R_PLANE, R_PLANE, R_PLANE, float32), **OPTIONS)
def show_signed(image, share, mask, colours, dimmed):  # type: ignore[no-untyped-def]
    third = np.float32(1 / 3)
    for y in range(image.shape[0]):
        for x in range(image.shape[1]):
            s = min(max(share[y, x], -_ONE), _ONE)
            end, far = (1, s) if s >= _ZERO else (2, -s)
            grey = dimmed * third * (image[y, x, 0] + image[y, x, 1] + image[y, x, 2])
            inside = mask[y, x]
            for c in range(3):
                shown = colours[0, c] + far * (colours[end, c] - colours[0, c])
                image[y, x, c] = grey + inside * (shown - grey)


@njit(void(W_FLOATS, R_PLANE, R_PLANE), **OPTIONS)
def take_out(image, blood, pigment):  # type: ignore[no-untyped-def]
    knee, offset, steep = np.float32(0.04045), np.float32(0.055), np.float32(1 / 2.4)
    for y in range(image.shape[0]):
        for x in range(image.shape[1]):
            b, p = blood[y, x], pigment[y, x]
            if (b == _ZERO and p == _ZERO) or image[y, x, 3] <= _ZERO:
                continue
            for c in range(3):
                density = b * _BLOOD[c] + p * _PIGMENT[c]
                v = image[y, x, c]
                if v > knee:
                    image[y, x, c] = (v + offset) * np.float32(math.exp(density * steep)) - offset
                else:
                    image[y, x, c] = v * np.float32(math.exp(density))
