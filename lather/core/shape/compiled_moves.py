"""Compiled forms of the kernels in moves.py and shifts.py; imported only by `prepare_kernels`."""

from __future__ import annotations

import math

import numpy as np
from numba import boolean, float32, float64, int64, njit, types

from lather.core.compiled_types import OPTIONS, R_FLOATS, R_PLANE, W_FLOATS, packed
from lather.core.shape.guard import (
    INSIDE_SLOPES,
    INSIDE_WEIGHTS,
    LEAST_AREA,
    LOOK_CLOSER,
    TRIALS,
)
from lather.core.shape.moves import FASTEST

_PUSH, _GATHER, _TURN, _EASE_BACK, _CALM = 0, 1, 3, 4, 5
_FAST = {**OPTIONS, "fastmath": True}
_ZERO, _HALF, _ONE = np.float32(0), np.float32(0.5), np.float32(1)
_ONE_HALF, _TWO, _TWO_HALF = np.float32(1.5), np.float32(2), np.float32(2.5)
_PIECE = types.Array(float32, 3, "C", readonly=True)
_NUMBERS = types.Array(float64, 1, "C", readonly=True)


@njit(float64(float64), **OPTIONS)
def _smooth(t):  # type: ignore[no-untyped-def]
    t = min(max(t, 0.0), 1.0)
    return t * t * (3.0 - 2.0 * t)


@njit(
    types.UniTuple(float64, 2)(R_PLANE, float64, float64, float64, float64, float64, float64),
    **OPTIONS,
)
def _along_lines(lines, x, y, ux, uy, hold, free):  # type: ignore[no-untyped-def]
    for n in range(lines.shape[0]):
        ax, ay = lines[n, 2] - lines[n, 0], lines[n, 3] - lines[n, 1]
        square = max(ax * ax + ay * ay, 1e-9)
        fx, fy = x - lines[n, 0], y - lines[n, 1]
        share = min(max((fx * ax + fy * ay) / square, 0.0), 1.0)
        gx, gy = fx - share * ax, fy - share * ay
        away = math.sqrt(gx * gx + gy * gy)
        if away >= free:
            continue
        held = 1.0 - _smooth((away - hold) / max(free - hold, 1e-6))
        length = math.sqrt(square)
        nx, ny = -ay / length, ax / length
        across = (ux * nx + uy * ny) * held
        ux -= across * nx
        uy -= across * ny
    return ux, uy


@njit(types.UniTuple(float64, 2)(_PIECE, float64, float64), **_FAST)
def _at(nodes, x, y):  # type: ignore[no-untyped-def]
    last_row, last_column = nodes.shape[0] - 1, nodes.shape[1] - 1
    column, row = int(math.floor(x)), int(math.floor(y))
    t, s = np.float32(x - column), np.float32(y - row)
    w0, w1 = ((-_HALF * t + _ONE) * t - _HALF) * t, (_ONE_HALF * t - _TWO_HALF) * t * t + _ONE
    w2, w3 = ((-_ONE_HALF * t + _TWO) * t + _HALF) * t, (_HALF * t - _HALF) * t * t
    v0, v1 = ((-_HALF * s + _ONE) * s - _HALF) * s, (_ONE_HALF * s - _TWO_HALF) * s * s + _ONE
    v2, v3 = ((-_ONE_HALF * s + _TWO) * s + _HALF) * s, (_HALF * s - _HALF) * s * s
    if 1 <= column < last_column - 1 and 1 <= row < last_row - 1:
        a, b = nodes[row - 1], nodes[row]
        c, d = nodes[row + 1], nodes[row + 2]
        k = column - 1
        x0 = v0 * a[k, 0] + v1 * b[k, 0] + v2 * c[k, 0] + v3 * d[k, 0]
        y0 = v0 * a[k, 1] + v1 * b[k, 1] + v2 * c[k, 1] + v3 * d[k, 1]
        k += 1
        x1 = v0 * a[k, 0] + v1 * b[k, 0] + v2 * c[k, 0] + v3 * d[k, 0]
        y1 = v0 * a[k, 1] + v1 * b[k, 1] + v2 * c[k, 1] + v3 * d[k, 1]
        k += 1
        x2 = v0 * a[k, 0] + v1 * b[k, 0] + v2 * c[k, 0] + v3 * d[k, 0]
        y2 = v0 * a[k, 1] + v1 * b[k, 1] + v2 * c[k, 1] + v3 * d[k, 1]
        k += 1
        x3 = v0 * a[k, 0] + v1 * b[k, 0] + v2 * c[k, 0] + v3 * d[k, 0]
        y3 = v0 * a[k, 1] + v1 * b[k, 1] + v2 * c[k, 1] + v3 * d[k, 1]
        return (w0 * x0 + w1 * x1 + w2 * x2 + w3 * x3, w0 * y0 + w1 * y1 + w2 * y2 + w3 * y3)
    dx = dy = _ZERO
    for i in range(4):
        r = min(max(row + i - 1, 0), last_row)
        v = v0 if i == 0 else v1 if i == 1 else v2 if i == 2 else v3
        for j in range(4):
            w = v * (w0 if j == 0 else w1 if j == 1 else w2 if j == 2 else w3)
            k = min(max(column + j - 1, 0), last_column)
            dx += w * nodes[r, k, 0]
            dy += w * nodes[r, k, 1]
    return dx, dy


@njit(
    types.UniTuple(float64, 2)(R_PLANE, float64, float64, float64, float64, float64, _NUMBERS),
    inline="always", **OPTIONS,
)  # fmt: skip
def _guarded(lines, x, y, ux, uy, soft, bounds):  # type: ignore[no-untyped-def]
    """What is left of a shift by the lines that are near and the border of the picture."""
    ux, uy = _along_lines(lines, x, y, ux, uy, bounds[2], bounds[3])
    return ux * _smooth(min(x, bounds[0] - x) / soft), uy * _smooth(min(y, bounds[1] - y) / soft)


@njit(
    types.UniTuple(float64, 2)(_PIECE, int64, int64, float64, float64, float64),
    inline="always", **_FAST,
)  # fmt: skip
def _carried(nodes, column, row, ux, uy, per_step):  # type: ignore[no-untyped-def]
    """A node's displacement once the skin has come there by a shift."""
    was_x, was_y = _at(nodes, column - ux * per_step, row - uy * per_step)
    return was_x - ux, was_y - uy


@njit(types.UniTuple(float64, 2)(R_FLOATS, int64, int64, int64), **OPTIONS)
def _ring_mean(nodes, row, column, ring):  # type: ignore[no-untyped-def]
    dx = dy = 0.0
    for i in range(-1, 2):
        for j in range(-1, 2):
            if i == 0 and j == 0:
                continue
            r = min(max(row + i * ring, 0), nodes.shape[0] - 1)
            c = min(max(column + j * ring, 0), nodes.shape[1] - 1)
            dx += nodes[r, c, 0]
            dy += nodes[r, c, 1]
    return dx / 8, dy / 8


@njit(float64(_PIECE, int64, int64, float64), **_FAST)
def _least_inside(nodes, row, column, per_step):  # type: ignore[no-untyped-def]
    last_row, last_column = nodes.shape[0] - 1, nodes.shape[1] - 1
    least = 1e9
    for s in range(3):
        for t in range(3):
            ax = ay = bx = by = 0.0
            for i in range(4):
                r = min(max(row + i - 1, 0), last_row)
                for j in range(4):
                    k = min(max(column + j - 1, 0), last_column)
                    along = INSIDE_WEIGHTS[s, i] * INSIDE_SLOPES[t, j] * per_step
                    below = INSIDE_SLOPES[s, i] * INSIDE_WEIGHTS[t, j] * per_step
                    ax += along * nodes[r, k, 0]
                    ay += along * nodes[r, k, 1]
                    bx += below * nodes[r, k, 0]
                    by += below * nodes[r, k, 1]
            least = min(least, (1.0 + ax) * (1.0 + by) - ay * bx)
    return least


@njit(float64(_PIECE, int64, int64, float64), **_FAST)
def _least_area(nodes, row, column, per_step):  # type: ignore[no-untyped-def]
    least = 1e9
    for i in range(2):
        ax = (nodes[row + i, column + 1, 0] - nodes[row + i, column, 0]) * per_step
        ay = (nodes[row + i, column + 1, 1] - nodes[row + i, column, 1]) * per_step
        for j in range(2):
            bx = (nodes[row + 1, column + j, 0] - nodes[row, column + j, 0]) * per_step
            by = (nodes[row + 1, column + j, 1] - nodes[row, column + j, 1]) * per_step
            least = min(least, (1.0 + ax) * (1.0 + by) - ay * bx)
    if least < LOOK_CLOSER:
        least = min(least, _least_inside(nodes, row, column, per_step))
    return least


@njit(boolean(W_FLOATS, float32[:, :, ::1], float64), **_FAST)
def _taken(nodes, changed, per_step):  # type: ignore[no-untyped-def]
    """Take the changed nodes over, if they are not folded."""
    n_rows, n_columns = nodes.shape[0], nodes.shape[1]
    for row in range(n_rows - 1):
        for column in range(n_columns - 1):
            area = _least_area(changed, row, column, per_step)
            if area < LEAST_AREA:
                was = _least_area(packed(nodes), row, column, per_step)
                if area < was - 1e-6:
                    return False
    for row in range(n_rows):
        for column in range(n_columns):
            nodes[row, column, 0] = changed[row, column, 0]
            nodes[row, column, 1] = changed[row, column, 1]
    return True


@njit(
    float64(W_FLOATS, R_PLANE, R_PLANE, int64, int64, float64, float64, _NUMBERS, _NUMBERS),
    **_FAST,
)
def move_nodes(nodes, free, lines, kind, step_px, left, top, dab, bounds):  # type: ignore[no-untyped-def]
    n_rows, n_columns = nodes.shape[0], nodes.shape[1]
    cx, cy, radius, rim = dab[0], dab[1], dab[2], dab[3]
    per_step, soft, plateau = 1.0 / step_px, radius / 2, radius - rim
    ring = max(1, int(radius / (6 * step_px)))
    pen_x, pen_y = (cx + dab[6]) / 2, (cy + dab[7]) / 2
    piece = packed(nodes)
    changed = nodes.copy()
    share = 1.0
    for _ in range(TRIALS + 1):
        by_x, by_y = dab[4] * share, dab[5] * share
        fits = True
        for row in range(n_rows):
            y = top + row * step_px
            for column in range(n_columns):
                x = left + column * step_px
                away = math.sqrt((x - cx) * (x - cx) + (y - cy) * (y - cy))
                if away >= radius and kind != _PUSH:
                    continue
                t = min(max((away - plateau) / rim, 0.0), 1.0)
                bell = 1.0 - t * t
                weight, may = bell * bell, free[row, column]
                if may <= _ZERO:
                    continue
                dx, dy = nodes[row, column, 0], nodes[row, column, 1]
                if kind >= _EASE_BACK:
                    ux, uy = -float64(dx), -float64(dy)
                    if kind == _CALM:
                        mx, my = _ring_mean(nodes, row, column, ring)
                        ux, uy = mx - dx, my - dy
                    length = max(math.sqrt(ux * ux + uy * uy), 1e-12)
                    part = min(1.0, by_x * weight * may / length)
                    ux, uy = ux * part, uy * part
                elif kind == _PUSH:
                    half_x, half_y = x - weight * by_x / 2 - pen_x, y - weight * by_y / 2 - pen_y
                    away = math.sqrt(half_x * half_x + half_y * half_y)
                    t = min(max((away - plateau) / rim, 0.0), 1.0)
                    bell = 1.0 - t * t
                    weight = bell * bell * may
                    ux, uy = weight * by_x, weight * by_y
                else:
                    amount = weight * may * by_x / FASTEST / radius
                    if kind == _TURN:
                        ux, uy = -(y - cy) * amount, (x - cx) * amount
                    else:
                        sign = -1.0 if kind == _GATHER else 1.0
                        ux, uy = sign * (x - cx) * amount, sign * (y - cy) * amount
                if kind != _EASE_BACK:
                    ux, uy = _guarded(lines, x, y, ux, uy, soft, bounds)
                if ux == 0.0 and uy == 0.0:
                    changed[row, column, 0], changed[row, column, 1] = dx, dy
                    continue
                if kind >= _EASE_BACK:
                    new_x, new_y = dx + ux, dy + uy
                else:
                    new_x, new_y = _carried(piece, column, row, ux, uy, per_step)
                changed[row, column, 0], changed[row, column, 1] = new_x, new_y
                fits = fits and abs(new_x) <= bounds[4] and abs(new_y) <= bounds[4]
        if fits and _taken(nodes, changed, per_step):
            return share
        share /= 2
    return 0.0


@njit(
    float64(W_FLOATS, R_FLOATS, R_PLANE, R_PLANE, int64, float64, float64, _NUMBERS),
    **_FAST,
)
def shift_nodes(nodes, shift, free, lines, step_px, left, top, bounds):  # type: ignore[no-untyped-def]
    n_rows, n_columns = nodes.shape[0], nodes.shape[1]
    per_step, soft = 1.0 / step_px, bounds[5]
    piece = packed(nodes)
    changed = nodes.copy()
    share = 1.0
    for _ in range(TRIALS + 1):
        fits = True
        for row in range(n_rows):
            y = top + row * step_px
            for column in range(n_columns):
                weight = share * free[row, column]
                ux, uy = weight * shift[row, column, 0], weight * shift[row, column, 1]
                changed[row, column, 0] = nodes[row, column, 0]
                changed[row, column, 1] = nodes[row, column, 1]
                if ux == 0.0 and uy == 0.0:
                    continue
                x = left + column * step_px
                ux, uy = _guarded(lines, x, y, ux, uy, soft, bounds)
                if ux == 0.0 and uy == 0.0:
                    continue
                new_x, new_y = _carried(piece, column, row, ux, uy, per_step)
                changed[row, column, 0], changed[row, column, 1] = new_x, new_y
                fits = fits and abs(new_x) <= bounds[4] and abs(new_y) <= bounds[4]
        if fits and _taken(nodes, changed, per_step):
            return share
        share /= 2
    return 0.0
