"""Compiled forms of the kernels in display.py; imported only by `prepare_kernels`."""

from __future__ import annotations

import numpy as np
from numba import float32, njit, void

from lather.core.compiled_types import OPTIONS, R_FLOATS, R_LATTICE, W_BYTES, W_FLOATS


@njit(inline="always", **OPTIONS)
def _through(r, g, b, lattice):  # type: ignore[no-untyped-def]
    zero, one = np.float32(0), np.float32(1)
    r, g, b = min(max(r, zero), one), min(max(g, zero), one), min(max(b, zero), one)
    top = lattice.shape[0] - 1
    pr, pg, pb = r * top, g * top, b * top
    ir, ig, ib = min(int(pr), top - 1), min(int(pg), top - 1), min(int(pb), top - 1)
    fr, fg, fb = pr - ir, pg - ig, pb - ib
    r = g = b = zero
    for corner in range(8):
        cr, cg, cb = corner & 1, (corner >> 1) & 1, corner >> 2
        weight = (fr if cr else 1 - fr) * (fg if cg else 1 - fg) * (fb if cb else 1 - fb)
        r += weight * lattice[ir + cr, ig + cg, ib + cb, 0]
        g += weight * lattice[ir + cr, ig + cg, ib + cb, 1]
        b += weight * lattice[ir + cr, ig + cg, ib + cb, 2]
    return r, g, b


@njit(void(W_FLOATS, R_LATTICE), **OPTIONS)
def convert(image, lattice):  # type: ignore[no-untyped-def]
    for y in range(image.shape[0]):
        for x in range(image.shape[1]):
            r, g, b = _through(image[y, x, 0], image[y, x, 1], image[y, x, 2], lattice)
            image[y, x, 0], image[y, x, 1], image[y, x, 2] = r, g, b


@njit(void(R_FLOATS, R_LATTICE, float32, W_BYTES), **OPTIONS)
def to_bytes(image, lattice, surround, out):  # type: ignore[no-untyped-def]
    zero, one = np.float32(0), np.float32(1)
    half, full = np.float32(0.5), np.float32(255)
    for y in range(image.shape[0]):
        for x in range(image.shape[1]):
            r = min(max(image[y, x, 0], zero), one)
            g = min(max(image[y, x, 1], zero), one)
            b = min(max(image[y, x, 2], zero), one)
            if lattice.shape[0] > 1:
                r, g, b = _through(r, g, b, lattice)
            alpha = image[y, x, 3]
            out[y, x, 2] = int((surround + alpha * (r - surround)) * full + half)
            out[y, x, 1] = int((surround + alpha * (g - surround)) * full + half)
            out[y, x, 0] = int((surround + alpha * (b - surround)) * full + half)
            out[y, x, 3] = 255
