"""Compiled forms of the kernels in warp.py; imported only by `prepare_kernels`."""

from __future__ import annotations

import math

import numpy as np
from numba import float32, float64, int64, njit, types, uint16, void

from lather.core.compiled_types import OPTIONS, R_PLANE
from lather.core.shape.field import CLOSE_PX
from lather.core.shape.warp import MIDDLE, SIDE

MOST_STEPS, LEAST_SHARE = 60, 1e-3
_SAMPLES = types.Array(uint16, 3, "C", readonly=True)
_INDEX = types.Array(int64, 2, "C", readonly=True)
_NUMBERS = types.Array(int64, 1, "C", readonly=True)
_PLACES = float64[:, ::1]
_FIELD = (_SAMPLES, _SAMPLES, _INDEX, _NUMBERS, float64, R_PLANE)


@njit(float32(R_PLANE, float64, float64), **OPTIONS)
def _share_at(shares, y, x):  # type: ignore[no-untyped-def]
    last_y, last_x = shares.shape[0] - 1, shares.shape[1] - 1
    if last_y == 0 and last_x == 0:
        return shares[0, 0]
    y, x = min(max(y, 0.0), float(last_y)), min(max(x, 0.0), float(last_x))
    y0, x0 = min(int(y), max(last_y - 1, 0)), min(int(x), max(last_x - 1, 0))
    y1, x1 = min(y0 + 1, last_y), min(x0 + 1, last_x)
    u, v = np.float32(y - y0), np.float32(x - x0)
    one = np.float32(1)
    above = shares[y0, x0] * (one - v) + shares[y0, x1] * v
    below = shares[y1, x0] * (one - v) + shares[y1, x1] * v
    return above * (one - u) + below * u


@njit(void(*_FIELD, float64, float64, float64[::1]), **OPTIONS)
def _slope_at(across, down, index, origin, gain, shares, px, py, found):  # type: ignore[no-untyped-def]
    """How far a place is displaced, px, and how that changes along x and y, px a px.

    `found` becomes dx, dy, d dx/dx, d dx/dy, d dy/dx, d dy/dy.
    """
    top, left, step, pitch = origin[0], origin[1], origin[2], origin[3]
    x, y = px / step, py / step
    column, row = int(math.floor(x)), int(math.floor(y))
    t, u = x - column, y - row
    ax, ay, sx, sy = np.empty(4), np.empty(4), np.empty(4), np.empty(4)
    for k in range(2):
        v, weights, slopes = (t, ax, sx) if k == 0 else (u, ay, sy)
        weights[0] = ((-0.5 * v + 1.0) * v - 0.5) * v
        weights[1] = (1.5 * v - 2.5) * v * v + 1.0
        weights[2] = ((-1.5 * v + 2.0) * v + 0.5) * v
        weights[3] = (0.5 * v - 0.5) * v * v
        slopes[0] = (-1.5 * v + 2.0) * v - 0.5
        slopes[1] = (4.5 * v - 5.0) * v
        slopes[2] = (-4.5 * v + 4.0) * v + 0.5
        slopes[3] = (1.5 * v - 1.0) * v
    found[:] = 0.0
    for i in range(4):
        r = row + i - 1
        tile_row = r // SIDE - top
        if tile_row < 0 or tile_row >= index.shape[0]:
            continue
        for j in range(4):
            c = column + j - 1
            tile_column = c // SIDE - left
            if tile_column < 0 or tile_column >= index.shape[1]:
                continue
            tile = index[tile_row, tile_column]
            if tile < 0:
                continue
            share = gain * _share_at(shares, r * step / pitch, c * step / pitch)
            dx = share * (float64(across[tile, r % SIDE, c % SIDE]) - MIDDLE)
            dy = share * (float64(down[tile, r % SIDE, c % SIDE]) - MIDDLE)
            found[0] += ay[i] * ax[j] * dx
            found[1] += ay[i] * ax[j] * dy
            found[2] += ay[i] * sx[j] * dx
            found[3] += sy[i] * ax[j] * dx
            found[4] += ay[i] * sx[j] * dy
            found[5] += sy[i] * ax[j] * dy
    for k in range(2, 6):
        found[k] /= step


@njit(void(*_FIELD, _PLACES), **OPTIONS)
def warp_sources(across, down, index, origin, gain, shares, places):  # type: ignore[no-untyped-def]
    found = np.empty(6)
    for n in range(places.shape[0]):
        _slope_at(across, down, index, origin, gain, shares, places[n, 0], places[n, 1], found)
        places[n, 0] += found[0]
        places[n, 1] += found[1]


@njit(void(*_FIELD, _PLACES), **OPTIONS)
def warp_seen(across, down, index, origin, gain, shares, places):  # type: ignore[no-untyped-def]
    """Newton's method; a step that leads farther away is halved."""
    found = np.empty(6)
    for n in range(places.shape[0]):
        wanted_x, wanted_y = places[n, 0], places[n, 1]
        x, y = wanted_x, wanted_y
        by_x, by_y, was, share = 0.0, 0.0, np.inf, 1.0
        for _ in range(MOST_STEPS):
            _slope_at(across, down, index, origin, gain, shares, x, y, found)
            miss_x, miss_y = wanted_x - x - found[0], wanted_y - y - found[1]
            away = math.hypot(miss_x, miss_y)
            if away >= was and share > LEAST_SHARE:  # back by a half
                share /= 2.0
                x -= share * by_x
                y -= share * by_y
                continue
            if away < CLOSE_PX / 10:
                break
            was, share = away, 1.0
            a, b, c, d = 1.0 + found[2], found[3], found[4], 1.0 + found[5]
            area = a * d - b * c
            by_x, by_y = miss_x, miss_y
            if abs(area) > 1e-3:
                by_x, by_y = (d * miss_x - b * miss_y) / area, (a * miss_y - c * miss_x) / area
            x += by_x
            y += by_y
        places[n, 0], places[n, 1] = x, y
