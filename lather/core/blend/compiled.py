"""Compiled forms of the kernels in composite.py; imported only by `prepare_kernels`."""

from __future__ import annotations

import math

import numpy as np
from numba import float32, int64, njit, void

from lather.core.compiled_types import (
    OPTIONS,
    R_BYTES,
    R_FLOATS,
    R_MASK,
    R_SAMPLES,
    W_FLOATS,
    W_MASK,
    W_SAMPLES,
)

_ZERO, _HALF, _ONE, _TWO = np.float32(0), np.float32(0.5), np.float32(1), np.float32(2)


@njit("float32(float32,float32,int64)", inline="always", **OPTIONS)
def _separable(cb, cs, mode):  # type: ignore[no-untyped-def]
    if mode == 1:
        return cb * cs
    if mode == 2:
        return cb + cs - cb * cs
    if mode == 3:
        return _TWO * cb * cs if cb <= _HALF else cs + (_TWO * cb - _ONE) * (_ONE - cs)
    if mode == 4:
        return min(cb, cs)
    if mode == 5:
        return max(cb, cs)
    if mode == 6:
        if cb <= _ZERO:
            return _ZERO
        return _ONE if cs >= _ONE else min(_ONE, cb / (_ONE - cs))
    if mode == 7:
        if cb >= _ONE:
            return _ONE
        return _ZERO if cs <= _ZERO else _ONE - min(_ONE, (_ONE - cb) / cs)
    if mode == 8:
        return _TWO * cb * cs if cs <= _HALF else cb + (_TWO * cs - _ONE) * (_ONE - cb)
    if mode == 9:
        bend = _TWO * cs - _ONE
        if bend <= _ZERO:
            return cb + bend * cb * (_ONE - cb)
        if cb <= np.float32(0.25):
            d = ((np.float32(16) * cb - np.float32(12)) * cb + np.float32(4)) * cb
        else:
            d = np.float32(math.sqrt(cb))
        return cb + bend * (d - cb)
    if mode == 10:
        return abs(cb - cs)
    if mode == 11:
        return cb + cs - _TWO * cb * cs
    return min(max(cb + _TWO * cs - _ONE, _ZERO), _ONE)


@njit(inline="always", **OPTIONS)
def _lum(r, g, b):  # type: ignore[no-untyped-def]
    return 0.3 * r + 0.59 * g + 0.11 * b


@njit(**OPTIONS)
def _set_lum(r, g, b, lum):  # type: ignore[no-untyped-def]
    shift = lum - _lum(r, g, b)
    r, g, b = r + shift, g + shift, b + shift
    mid = _lum(r, g, b)
    low, high = min(r, g, b), max(r, g, b)
    if low < 0:
        k = mid / max(mid - low, 1e-9)
        r, g, b = mid + (r - mid) * k, mid + (g - mid) * k, mid + (b - mid) * k
    if high > 1:
        k = (1 - mid) / max(high - mid, 1e-9)
        r, g, b = mid + (r - mid) * k, mid + (g - mid) * k, mid + (b - mid) * k
    return min(max(r, 0.0), 1.0), min(max(g, 0.0), 1.0), min(max(b, 0.0), 1.0)


@njit(**OPTIONS)
def _set_sat(r, g, b, sat):  # type: ignore[no-untyped-def]
    low, spread = min(r, g, b), max(r, g, b) - min(r, g, b)
    if spread <= 0:
        return 0.0, 0.0, 0.0
    k = sat / spread
    return (r - low) * k, (g - low) * k, (b - low) * k


@njit(**OPTIONS)
def _non_separable(br, bg, bb, sr, sg, sb, mode):  # type: ignore[no-untyped-def]
    if mode == 13:
        r, g, b = _set_sat(sr, sg, sb, max(br, bg, bb) - min(br, bg, bb))
        return _set_lum(r, g, b, _lum(br, bg, bb))
    if mode == 14:
        r, g, b = _set_sat(br, bg, bb, max(sr, sg, sb) - min(sr, sg, sb))
        return _set_lum(r, g, b, _lum(br, bg, bb))
    if mode == 15:
        return _set_lum(sr, sg, sb, _lum(br, bg, bb))
    return _set_lum(br, bg, bb, _lum(sr, sg, sb))


@njit(**OPTIONS)
def _normal(backdrop, source, scale, strength):  # type: ignore[no-untyped-def]
    """Mode normal without a mask: most layers most of the time, so a loop of its own."""
    for y in range(backdrop.shape[0]):
        for x in range(backdrop.shape[1]):
            alpha = np.float32(source[y, x, 3]) * scale * strength
            if alpha <= 0:
                continue
            under = backdrop[y, x, 3]
            share = alpha
            if under < _ONE:
                over = alpha + under * (_ONE - alpha)
                backdrop[y, x, 3] = over
                share = alpha / over
            for c in range(3):
                value = np.float32(source[y, x, c]) * scale
                backdrop[y, x, c] += share * (value - backdrop[y, x, c])


_FIRST_NON_SEPARABLE = 13


@njit(
    [
        void(W_FLOATS, R_SAMPLES, float32, R_MASK, int64, float32, int64),
        void(W_FLOATS, R_FLOATS, float32, R_MASK, int64, float32, int64),
    ],
    **OPTIONS,
)
def composite(backdrop, source, scale, mask, mask_kind, strength, mode):  # type: ignore[no-untyped-def]
    height, width = backdrop.shape[0], backdrop.shape[1]
    if mode == 0 and mask_kind == 0:
        _normal(backdrop, source, scale, strength)
        return
    one = np.float32(1)
    mask_scale = np.float32(1 / 65535)
    for y in range(height):
        for x in range(width):
            # Explicit float32: an integer times a float32 would become a float64.
            alpha = np.float32(source[y, x, 3]) * scale * strength
            if mask_kind != 0:
                shown = np.float32(mask[y, x]) * mask_scale
                alpha *= shown if mask_kind == 1 else one - shown
            if alpha <= 0:
                continue
            sr = np.float32(source[y, x, 0]) * scale
            sg = np.float32(source[y, x, 1]) * scale
            sb = np.float32(source[y, x, 2]) * scale
            under = backdrop[y, x, 3]
            br, bg, bb = backdrop[y, x, 0], backdrop[y, x, 1], backdrop[y, x, 2]
            mr, mg, mb = sr, sg, sb
            if mode >= _FIRST_NON_SEPARABLE:
                r, g, b = _non_separable(br, bg, bb, sr, sg, sb, mode)
                mr, mg, mb = np.float32(r), np.float32(g), np.float32(b)
            elif mode > 0:
                mr = _separable(br, sr, mode)
                mg = _separable(bg, sg, mode)
                mb = _separable(bb, sb, mode)
            if under >= one:
                backdrop[y, x, 0] = br + alpha * (mr - br)
                backdrop[y, x, 1] = bg + alpha * (mg - bg)
                backdrop[y, x, 2] = bb + alpha * (mb - bb)
            else:
                over = alpha + under * (one - alpha)
                rest = (one - alpha) * under
                fresh = alpha * (one - under)
                both = alpha * under
                backdrop[y, x, 0] = (fresh * sr + both * mr + rest * br) / over
                backdrop[y, x, 1] = (fresh * sg + both * mg + rest * bg) / over
                backdrop[y, x, 2] = (fresh * sb + both * mb + rest * bb) / over
                backdrop[y, x, 3] = over


@njit(void(W_FLOATS, R_FLOATS, R_MASK, int64, float32), **OPTIONS)
def mix(backdrop, other, mask, mask_kind, share):  # type: ignore[no-untyped-def]
    one, mask_scale = np.float32(1), np.float32(1 / 65535)
    for y in range(backdrop.shape[0]):
        for x in range(backdrop.shape[1]):
            amount = share
            if mask_kind != 0:
                shown = np.float32(mask[y, x]) * mask_scale
                amount *= shown if mask_kind == 1 else one - shown
            if amount <= 0:
                continue
            kept, taken = (one - amount) * backdrop[y, x, 3], amount * other[y, x, 3]
            alpha = kept + taken
            backdrop[y, x, 3] = alpha
            if alpha <= 0:
                continue
            part = taken / alpha
            for c in range(3):
                backdrop[y, x, c] += part * (other[y, x, c] - backdrop[y, x, c])


@njit(void(R_SAMPLES, W_SAMPLES), **OPTIONS)
def halve_pixels(pixels, half):  # type: ignore[no-untyped-def]
    for y in range(half.shape[0]):
        for x in range(half.shape[1]):
            a0 = float(pixels[2 * y, 2 * x, 3])
            a1 = float(pixels[2 * y, 2 * x + 1, 3])
            a2 = float(pixels[2 * y + 1, 2 * x, 3])
            a3 = float(pixels[2 * y + 1, 2 * x + 1, 3])
            total = a0 + a1 + a2 + a3
            if total == 0:
                half[y, x, 0] = half[y, x, 1] = half[y, x, 2] = half[y, x, 3] = 0
                continue
            k = 1.0 / total
            for c in range(3):
                half[y, x, c] = int(
                    (
                        a0 * pixels[2 * y, 2 * x, c]
                        + a1 * pixels[2 * y, 2 * x + 1, c]
                        + a2 * pixels[2 * y + 1, 2 * x, c]
                        + a3 * pixels[2 * y + 1, 2 * x + 1, c]
                    )
                    * k
                    + 0.5
                )
            half[y, x, 3] = int(total * 0.25 + 0.5)


@njit(void(R_MASK, W_MASK), **OPTIONS)
def halve_mask(mask, half):  # type: ignore[no-untyped-def]
    for y in range(half.shape[0]):
        for x in range(half.shape[1]):
            total = int(mask[2 * y, 2 * x]) + int(mask[2 * y, 2 * x + 1])
            total += int(mask[2 * y + 1, 2 * x]) + int(mask[2 * y + 1, 2 * x + 1])
            half[y, x] = (total + 2) >> 2


@njit([void(R_BYTES, W_FLOATS), void(R_SAMPLES, W_FLOATS)], **OPTIONS)
def photo_to_float(photo, out):  # type: ignore[no-untyped-def]
    scale = np.float32(1.0 / (255 if photo.itemsize == 1 else 65535))
    for y in range(photo.shape[0]):
        for x in range(photo.shape[1]):
            out[y, x, 0] = np.float32(photo[y, x, 0]) * scale
            out[y, x, 1] = np.float32(photo[y, x, 1]) * scale
            out[y, x, 2] = np.float32(photo[y, x, 2]) * scale
            out[y, x, 3] = 1


@njit(void(R_FLOATS, W_SAMPLES), **OPTIONS)
def to_pixels(image, out):  # type: ignore[no-untyped-def]
    for y in range(image.shape[0]):
        for x in range(image.shape[1]):
            for c in range(4):
                value = min(max(image[y, x, c], _ZERO), _ONE)
                out[y, x, c] = int(value * np.float32(65535) + _HALF)
