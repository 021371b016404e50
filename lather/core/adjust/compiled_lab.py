"""Compiled form of the kernels that work in CIE Lab; imported only by `prepare_kernels`.

Row by row: its channels apart, to Lab, moved, back, and those pixels stored that were to change.
"""

from __future__ import annotations

import math

import numpy as np
from numba import float32, njit, types, uint32, void

from lather.core.adjust.bracket import FULL_CHROMA, GREY_CHROMA, N_STEPS, SOFT_END_L
from lather.core.adjust.hues import FULL_TONE_CHROMA
from lather.core.colour.compiled_lab import ROW, row_to_grey, row_to_lab, row_to_srgb
from lather.core.compiled_types import OPTIONS, W_FLOATS

_ZERO, _HALF, _ONE, _TWO, _THREE, _FOUR = (np.float32(v) for v in (0, 0.5, 1, 2, 3, 4))
_TINY, _TOP_L = np.float32(1e-9), np.float32(100)
_STEPS = np.float32(N_STEPS / 4)
_GREY, _GATE = np.float32(GREY_CHROMA), np.float32(1 / (FULL_CHROMA - GREY_CHROMA))
_SOFT = np.float32(1 / (2 * SOFT_END_L))
_FULL_TONE = np.float32(FULL_TONE_CHROMA)
_TABLE = types.Array(float32, 2, "C", readonly=True)
_FEW = types.Array(float32, 1, "C", readonly=True)


@njit(inline="always", **OPTIONS)
def _ring_place(a, b):  # type: ignore[no-untyped-def]
    along = abs(b) / max(abs(a) + abs(b), _TINY)
    right = along if b >= _ZERO else _FOUR - along
    left = _TWO - along if b >= _ZERO else _TWO + along
    return np.uint32(np.int32((right if a >= _ZERO else left) * _STEPS))


@njit(inline="always", **OPTIONS)
def _smooth_step(share):  # type: ignore[no-untyped-def]
    t = min(max(share, _ZERO), _ONE)
    return t * t * (_THREE - _TWO * t)


@njit(inline="always", **OPTIONS)
def _chroma(a, b):  # type: ignore[no-untyped-def]
    return np.float32(math.sqrt(a * a + b * b))


@njit(inline="always", **OPTIONS)
def _gate(a, b):  # type: ignore[no-untyped-def]
    return _smooth_step((_chroma(a, b) - _GREY) * _GATE)


@njit(inline="always", **OPTIONS)
def _rows(width):  # type: ignore[no-untyped-def]
    return np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)


@njit(**OPTIONS)
def _apart(pixels, red, green, blue):  # type: ignore[no-untyped-def]
    for x in range(len(red)):
        red[x], green[x], blue[x] = pixels[x, 0], pixels[x, 1], pixels[x, 2]


@njit(**OPTIONS)
def _store(pixels, red, green, blue, moved):  # type: ignore[no-untyped-def]
    """Where something moved, and the pixel is seen."""
    for x in range(len(red)):
        if moved[x] != _ZERO and pixels[x, 3] > _ZERO:
            pixels[x, 0], pixels[x, 1], pixels[x, 2] = red[x], green[x], blue[x]


@njit(void(ROW, ROW, uint32[::1]), **OPTIONS)
def _places(a, b, place):  # type: ignore[no-untyped-def]
    for x in range(len(a)):
        place[x] = _ring_place(a[x], b[x])


@njit(void(ROW, ROW, ROW), **OPTIONS)
def _gates(a, b, gate):  # type: ignore[no-untyped-def]
    for x in range(len(a)):
        gate[x] = _gate(a[x], b[x])


@njit(void(ROW, ROW, ROW, uint32[::1], ROW, ROW, ROW, ROW, ROW), **OPTIONS)
def _turn_row(light, a, b, place, gate, moved, along_ring, across_ring, lift_ring):  # type: ignore[no-untyped-def]
    for x in range(len(light)):
        along = gate[x] * along_ring[place[x]]
        across = gate[x] * across_ring[place[x]]
        lift = gate[x] * lift_ring[place[x]]
        moved[x] = abs(along) + abs(across) + abs(lift)
        light[x] = min(max(light[x] + lift, _ZERO), _TOP_L)
        a[x], b[x] = a[x] + along * a[x] - across * b[x], b[x] + along * b[x] + across * a[x]


@njit(void(W_FLOATS, _TABLE), **OPTIONS)
def hues(image, table):  # type: ignore[no-untyped-def]
    width = image.shape[1]
    one, two, three = _rows(width)
    place, gate, moved = np.empty(width, np.uint32), np.empty(width, np.float32), np.empty(
        width, np.float32)  # fmt: skip
    along, across, lift = table[:, 0].copy(), table[:, 1].copy(), table[:, 2].copy()
    for y in range(image.shape[0]):
        _apart(image[y], one, two, three)
        row_to_lab(one, two, three)
        _places(two, three, place)
        _gates(two, three, gate)
        _turn_row(one, two, three, place, gate, moved, along, across, lift)
        row_to_srgb(one, two, three)
        _store(image[y], one, two, three, moved)


@njit(void(ROW, ROW, ROW, ROW), **OPTIONS)
def _grey_row(light, a, b, lift_ring):  # type: ignore[no-untyped-def]
    for x in range(len(light)):
        lift = lift_ring[_ring_place(a[x], b[x])]
        lift *= min(_chroma(a[x], b[x]) / _FULL_TONE, _ONE)
        light[x] = min(max(light[x] + lift, _ZERO), _TOP_L)


@njit(void(W_FLOATS, _TABLE), **OPTIONS)
def mono(image, table):  # type: ignore[no-untyped-def]
    width = image.shape[1]
    one, two, three = _rows(width)
    moved, lift = np.ones(width, np.float32), table[:, 2].copy()
    for y in range(image.shape[0]):
        _apart(image[y], one, two, three)
        row_to_lab(one, two, three)
        _grey_row(one, two, three, lift)
        row_to_grey(one)
        _store(image[y], one, one, one, moved)


@njit(void(ROW, ROW, ROW, ROW, float32, float32, float32, ROW), **OPTIONS)
def _weigh_row(light, a, b, ring, low, high, whole, weight):  # type: ignore[no-untyped-def]
    for x in range(len(light)):
        found = ring[_ring_place(a[x], b[x])]
        found *= max(_gate(a[x], b[x]), whole)
        above = _smooth_step((light[x] - low) * _SOFT + _HALF) if low > _ZERO else _ONE
        below = _smooth_step((high - light[x]) * _SOFT + _HALF) if high < _TOP_L else _ONE
        weight[x] = found * above * below


@njit(void(ROW, ROW, ROW, float32[:, ::1]), **OPTIONS)
def _print_row(red, green, blue, moves):  # type: ignore[no-untyped-def]
    for x in range(len(red)):
        r, g, b = red[x], green[x], blue[x]
        top = max(max(r, g), b)
        paper = _ONE - min(max((_ONE - top) * (_ONE + moves[3, x]), _ZERO), _ONE)
        scale = _ONE / max(top, _TINY)
        cyan = max(_ONE - r * scale, _ZERO) if top > _ZERO else _ZERO
        magenta = max(_ONE - g * scale, _ZERO) if top > _ZERO else _ZERO
        yellow = max(_ONE - b * scale, _ZERO) if top > _ZERO else _ZERO
        red[x] = (_ONE - min(max(cyan * (_ONE + moves[0, x]), _ZERO), _ONE)) * paper
        green[x] = (_ONE - min(max(magenta * (_ONE + moves[1, x]), _ZERO), _ONE)) * paper
        blue[x] = (_ONE - min(max(yellow * (_ONE + moves[2, x]), _ZERO), _ONE)) * paper


@njit(void(W_FLOATS, _TABLE, _TABLE, _TABLE), **OPTIONS)
def inks(image, table, spans, points):  # type: ignore[no-untyped-def]
    width = image.shape[1]
    one, two, three = _rows(width)
    weight, moved = np.empty(width, np.float32), np.empty(width, np.float32)
    moves = np.empty((4, width), np.float32)
    for y in range(image.shape[0]):
        _apart(image[y], one, two, three)
        row_to_lab(one, two, three)
        moves[:] = _ZERO
        moved[:] = _ZERO
        for n in range(points.shape[0]):
            ring = table[:, n].copy()
            _weigh_row(one, two, three, ring, spans[n, 0], spans[n, 1], spans[n, 2], weight)
            for ink in range(4):
                for x in range(width):
                    moves[ink, x] += points[n, ink] * weight[x]
            for x in range(width):
                moved[x] += weight[x]
        _apart(image[y], one, two, three)
        _print_row(one, two, three, moves)
        _store(image[y], one, two, three, moved)


@njit(void(W_FLOATS, _FEW, _FEW, _FEW), **OPTIONS)
def area_colour(image, mean, move, spread):  # type: ignore[no-untyped-def]
    width = image.shape[1]
    one, two, three = _rows(width)
    moved = np.ones(width, np.float32)
    for y in range(image.shape[0]):
        _apart(image[y], one, two, three)
        row_to_lab(one, two, three)
        for x in range(width):
            light = mean[0] + move[0] + spread[0] * (one[x] - mean[0])
            one[x] = min(max(light, _ZERO), _TOP_L)
            two[x] = mean[1] + move[1] + spread[1] * (two[x] - mean[1])
            three[x] = mean[2] + move[2] + spread[2] * (three[x] - mean[2])
        row_to_srgb(one, two, three)
        _store(image[y], one, two, three, moved)
