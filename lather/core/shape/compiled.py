"""Compiled forms of the kernels in this folder; imported only by `prepare_kernels`."""

from __future__ import annotations

import math

import numpy as np
from numba import boolean, float32, float64, njit, void

from lather.core.compiled_types import OPTIONS, R_FLOATS, R_PLANE, W_FLOATS, packed
from lather.core.shape.vectors import weighted_6x6

_ZERO, _ONE = np.float32(0), np.float32(1)
_FAST = {**OPTIONS, "fastmath": True}


@njit(void(float64, float32[:]), inline="always", **OPTIONS)
def _cubic(t, weights):  # type: ignore[no-untyped-def]
    weights[0] = ((-0.5 * t + 1.0) * t - 0.5) * t
    weights[1] = (1.5 * t - 2.5) * t * t + 1.0
    weights[2] = ((-1.5 * t + 2.0) * t + 0.5) * t
    weights[3] = (0.5 * t - 0.5) * t * t


@njit(
    void(R_FLOATS, R_FLOATS, R_PLANE, W_FLOATS, float64, float64, float64, float64, float64,
         boolean),
    **_FAST,
)  # fmt: skip
def through_field(below, nodes, weights, out, spacing, origin_x, origin_y, left, top, opaque):  # type: ignore[no-untyped-def]
    n_rows, n_columns = nodes.shape[0], nodes.shape[1]
    last_y, last_x = below.shape[0] - 1, below.shape[1] - 1
    width, n_across = out.shape[1], below.shape[1]
    cubic = np.empty(4, dtype=np.float32)
    line = np.empty((n_columns, 2), dtype=np.float32)  # the nodes in this row of pixels
    place = np.empty(width, dtype=np.int64)
    along = np.empty((width, 4), dtype=np.float32)
    for x in range(width):
        at = (x + 0.5) / spacing + origin_x
        place[x] = int(math.floor(at))
        _cubic(at - place[x], along[x])
    for y in range(out.shape[0]):
        at = (y + 0.5) / spacing + origin_y
        row = int(math.floor(at))
        _cubic(at - row, cubic)
        r0, r1 = min(max(row - 1, 0), n_rows - 1), min(max(row, 0), n_rows - 1)
        r2, r3 = min(max(row + 1, 0), n_rows - 1), min(max(row + 2, 0), n_rows - 1)
        moved = False
        for k in range(n_columns):
            for c in range(2):
                line[k, c] = (
                    cubic[0] * nodes[r0, k, c] + cubic[1] * nodes[r1, k, c]
                    + cubic[2] * nodes[r2, k, c] + cubic[3] * nodes[r3, k, c]
                )
            moved = moved or line[k, 0] != _ZERO or line[k, 1] != _ZERO
        if not moved:
            continue
        for x in range(width):
            k = place[x]
            c0, c1 = min(max(k - 1, 0), n_columns - 1), min(max(k, 0), n_columns - 1)
            c2, c3 = min(max(k + 1, 0), n_columns - 1), min(max(k + 2, 0), n_columns - 1)
            dx = (
                along[x, 0] * line[c0, 0] + along[x, 1] * line[c1, 0]
                + along[x, 2] * line[c2, 0] + along[x, 3] * line[c3, 0]
            )
            dy = (
                along[x, 0] * line[c0, 1] + along[x, 1] * line[c1, 1]
                + along[x, 2] * line[c2, 1] + along[x, 3] * line[c3, 1]
            )
            if dx == _ZERO and dy == _ZERO:
                continue
            sx, sy = x + left + dx, y + top + dy
            x0, y0 = int(math.floor(sx)), int(math.floor(sy))
            phase_x, phase_y = int((sx - x0) * 512 + 0.5), int((sy - y0) * 512 + 0.5)
            across, down = weights[phase_x], weights[phase_y]
            red = green = blue = alpha = _ZERO
            inside = x0 >= 2 and y0 >= 2 and x0 + 3 <= last_x and y0 + 3 <= last_y
            if inside and opaque:
                first = ((y0 - 2) * n_across + x0 - 2) * 4
                red, green, blue, alpha = weighted_6x6(
                    packed(below), first, 4 * n_across, packed(weights), phase_x, phase_y
                )
                alpha = _ONE
            else:
                for i in range(6):
                    yy = min(max(y0 + i - 2, 0), last_y)
                    for j in range(6):
                        xx = min(max(x0 + j - 2, 0), last_x)
                        w = down[i] * across[j] * below[yy, xx, 3]
                        alpha += w
                        red += w * below[yy, xx, 0]
                        green += w * below[yy, xx, 1]
                        blue += w * below[yy, xx, 2]
                share = _ONE / alpha if alpha > np.float32(1e-6) else _ZERO
                red, green, blue = red * share, green * share, blue * share
                alpha = min(max(alpha, _ZERO), _ONE)
            out[y, x, 0], out[y, x, 1], out[y, x, 2], out[y, x, 3] = red, green, blue, alpha
