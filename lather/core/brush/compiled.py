"""Compiled forms of the kernels in dabs.py; imported only by `prepare_kernels`."""

from __future__ import annotations

import math

import numpy as np
from numba import float64, njit, void

from lather.core.compiled_types import (
    OPTIONS,
    R_MASK,
    R_PLANE,
    R_SAMPLES,
    W_MASK,
    W_PLANE,
    W_SAMPLES,
)


@njit(void(W_PLANE, float64, float64, R_PLANE), **OPTIONS)
def stamp(coverage, x0, y0, dabs):  # type: ignore[no-untyped-def]
    height, width = coverage.shape
    for i in range(dabs.shape[0]):
        cx, cy = dabs[i, 0] - x0, dabs[i, 1] - y0
        radius, hardness = float(dabs[i, 2]), float(dabs[i, 3])
        flow, opacity = dabs[i, 4], dabs[i, 5]
        soft = (1.0 - hardness) * radius
        disc = max(0.0, 1.0 - soft)
        inner, rim = hardness * radius - disc / 2, max(1.0, soft)
        reach = inner + rim
        top, bottom = max(0, math.floor(cy - reach)), min(height, math.ceil(cy + reach))
        for y in range(top, bottom):
            dy = y + 0.5 - cy
            span2 = reach * reach - dy * dy
            if span2 <= 0:
                continue
            span = math.sqrt(span2)
            left, right = max(0, math.floor(cx - span)), min(width, math.ceil(cx + span))
            for x in range(left, right):
                missing = opacity - coverage[y, x]
                if missing <= 0:
                    continue
                dx = x + 0.5 - cx
                distance = math.sqrt(dx * dx + dy * dy)
                if distance <= inner:
                    p = 1.0
                else:
                    t = min((distance - inner) / rim, 1.0)
                    bell = (1.0 - t * t) * (1.0 - t * t)
                    p = disc * (1.0 - t) + (1.0 - disc) * bell
                coverage[y, x] += flow * p * missing


@njit(void(R_SAMPLES, R_PLANE, R_SAMPLES, W_SAMPLES), **OPTIONS)
def lay_colour(base, coverage, source, out):  # type: ignore[no-untyped-def]
    unit, one, half = np.float32(1 / 65535), np.float32(1), np.float32(0.5)
    for y in range(coverage.shape[0]):
        for x in range(coverage.shape[1]):
            if coverage[y, x] <= 0 or source[y, x, 3] == 0:
                for c in range(4):
                    out[y, x, c] = base[y, x, c]
                continue
            alpha_s = coverage[y, x] * np.float32(source[y, x, 3]) * unit
            rest = (one - alpha_s) * np.float32(base[y, x, 3]) * unit
            alpha_o = alpha_s + rest
            share_s, share_b = alpha_s / alpha_o, rest / alpha_o
            for c in range(3):
                mixed = share_s * np.float32(source[y, x, c]) + share_b * np.float32(base[y, x, c])
                out[y, x, c] = int(mixed + half)
            out[y, x, 3] = int(min(alpha_o, one) * np.float32(65535) + half)


@njit(void(R_SAMPLES, R_PLANE, W_SAMPLES), **OPTIONS)
def lay_erase(base, coverage, out):  # type: ignore[no-untyped-def]
    for y in range(coverage.shape[0]):
        for x in range(coverage.shape[1]):
            for c in range(3):
                out[y, x, c] = base[y, x, c]
            out[y, x, 3] = int(base[y, x, 3] * (1.0 - coverage[y, x]) + 0.5)


@njit(void(R_MASK, R_PLANE, float64, W_MASK), **OPTIONS)
def lay_mask(base, coverage, target, out):  # type: ignore[no-untyped-def]
    for y in range(coverage.shape[0]):
        for x in range(coverage.shape[1]):
            value = base[y, x] + coverage[y, x] * (target * 65535.0 - base[y, x])
            out[y, x] = int(value + 0.5)
