"""Compiled forms of the kernels in this folder; imported only by `prepare_kernels`."""

from __future__ import annotations

import math

import numpy as np
from numba import boolean, float32, float64, int64, njit, types, void

from lather.core.compiled_types import OPTIONS, R_FLOATS, R_PLANE, W_FLOATS, packed
from lather.core.shape.resample import N_PHASES
from lather.core.shape.vectors import weighted_6x6

_ZERO, _ONE = np.float32(0), np.float32(1)
_FAST = {**OPTIONS, "fastmath": True}


@njit(void(float64, float32[:]), inline="always", **OPTIONS)
def _cubic(t, weights):  # type: ignore[no-untyped-def]
    weights[0] = ((-0.5 * t + 1.0) * t - 0.5) * t
    weights[1] = (1.5 * t - 2.5) * t * t + 1.0
    weights[2] = ((-1.5 * t + 2.0) * t + 0.5) * t
    weights[3] = (0.5 * t - 0.5) * t * t


@njit(types.UniTuple(float32, 4)(R_FLOATS, R_PLANE, int64, int64, int64, int64), **_FAST)
def _at_border(below, weights, x0, y0, phase_x, phase_y):  # type: ignore[no-untyped-def]
    """The sum where taps lie beyond the border, which is repeated, or pixels are transparent."""
    last_y, last_x = below.shape[0] - 1, below.shape[1] - 1
    red = green = blue = alpha = _ZERO
    for i in range(6):
        y = min(max(y0 + i - 2, 0), last_y)
        for j in range(6):
            x = min(max(x0 + j - 2, 0), last_x)
            w = weights[phase_y, i] * weights[phase_x, j] * below[y, x, 3]
            alpha += w
            red += w * below[y, x, 0]
            green += w * below[y, x, 1]
            blue += w * below[y, x, 2]
    share = _ONE / alpha if alpha > np.float32(1e-6) else _ZERO
    return red * share, green * share, blue * share, min(max(alpha, _ZERO), _ONE)


@njit(void(R_FLOATS, int64, int64, float32[::1], float32[:, ::1]), **_FAST)
def _between_rows(nodes, row, first, cubic, line):  # type: ignore[no-untyped-def]
    """Nodes between rows, from column `first` on; the border's go on beyond it."""
    n_rows, n_columns = nodes.shape[0], nodes.shape[1]
    r0, r1 = min(max(row - 1, 0), n_rows - 1), min(max(row, 0), n_rows - 1)
    r2, r3 = min(max(row + 1, 0), n_rows - 1), min(max(row + 2, 0), n_rows - 1)
    for n in range(line.shape[1]):
        k = min(max(first + n, 0), n_columns - 1)
        for c in range(2):
            line[c, n] = (
                cubic[0] * nodes[r0, k, c] + cubic[1] * nodes[r1, k, c]
                + cubic[2] * nodes[r2, k, c] + cubic[3] * nodes[r3, k, c]
            )


@njit(
    void(R_FLOATS, R_FLOATS, R_PLANE, W_FLOATS, float64, float64, float64, float64, float64,
         boolean),
    **_FAST,
)  # fmt: skip
def through_field(below, nodes, weights, out, spacing, origin_x, origin_y, left, top, opaque):  # type: ignore[no-untyped-def]
    last_y, last_x = below.shape[0] - 1, below.shape[1] - 1
    width, n_across = out.shape[1], below.shape[1]
    wide = np.empty((weights.shape[0], 24), dtype=np.float32)  # each weight for four channels
    for k in range(weights.shape[0]):
        for j in range(24):
            wide[k, j] = weights[k, j // 4]
    first_column = int(math.floor(0.5 / spacing + origin_x)) - 1
    last_column = int(math.floor((width - 0.5) / spacing + origin_x)) + 2
    place = np.empty(width, dtype=np.int64)  # of the first of four nodes around a pixel
    along = np.empty((width, 4), dtype=np.float32)
    for x in range(width):
        at = (x + 0.5) / spacing + origin_x
        column = int(math.floor(at))
        place[x] = column - 1 - first_column
        _cubic(at - column, along[x])
    cubic = np.empty(4, dtype=np.float32)
    line = np.empty((2, last_column - first_column + 1), dtype=np.float32)
    by = np.empty((2, width), dtype=np.float32)  # how far off the pixels of a row come from
    for y in range(out.shape[0]):
        at = (y + 0.5) / spacing + origin_y
        row = int(math.floor(at))
        _cubic(at - row, cubic)
        _between_rows(nodes, row, first_column, cubic, line)
        if not line.any():
            continue
        for c in range(2):
            for x in range(width):
                k = place[x]
                by[c, x] = (
                    along[x, 0] * line[c, k] + along[x, 1] * line[c, k + 1]
                    + along[x, 2] * line[c, k + 2] + along[x, 3] * line[c, k + 3]
                )
        for x in range(width):
            if by[0, x] == _ZERO and by[1, x] == _ZERO:
                continue
            sx, sy = x + left + by[0, x], y + top + by[1, x]
            x0, y0 = int(math.floor(sx)), int(math.floor(sy))
            phase_x, phase_y = int((sx - x0) * N_PHASES + 0.5), int((sy - y0) * N_PHASES + 0.5)
            if opaque and x0 >= 2 and y0 >= 2 and x0 + 3 <= last_x and y0 + 3 <= last_y:
                start = ((y0 - 2) * n_across + x0 - 2) * 4
                red, green, blue, alpha = weighted_6x6(
                    packed(below), start, 4 * n_across, wide, phase_x, packed(weights), phase_y
                )
                alpha = _ONE
            else:
                red, green, blue, alpha = _at_border(below, weights, x0, y0, phase_x, phase_y)
                alpha = _ONE if opaque else alpha
            out[y, x, 0], out[y, x, 1], out[y, x, 2], out[y, x, 3] = red, green, blue, alpha
