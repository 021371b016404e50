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
    W_BYTES,
    W_FLOATS,
    W_MASK,
    W_SAMPLES,
    packed,
)

_ZERO, _HALF, _ONE, _TWO = np.float32(0), np.float32(0.5), np.float32(1), np.float32(2)
_TINY = np.float32(1e-9)


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
        dark = ((np.float32(16) * cb - np.float32(12)) * cb + np.float32(4)) * cb
        root = dark if cb <= np.float32(0.25) else np.float32(math.sqrt(cb))
        return cb + bend * (cb * (_ONE - cb) if bend <= _ZERO else root - cb)
    if mode == 10:
        return abs(cb - cs)
    if mode == 11:
        return cb + cs - _TWO * cb * cs
    return min(max(cb + _TWO * cs - _ONE, _ZERO), _ONE)


@njit(inline="always", **OPTIONS)
def lum(r, g, b):  # type: ignore[no-untyped-def]
    return np.float32(0.3) * r + np.float32(0.59) * g + np.float32(0.11) * b


@njit(**OPTIONS)
def set_lum(r, g, b, wanted):  # type: ignore[no-untyped-def]
    shift = wanted - lum(r, g, b)
    r, g, b = r + shift, g + shift, b + shift
    mid = lum(r, g, b)
    low, high = min(r, g, b), max(r, g, b)
    if low < _ZERO:
        k = mid / max(mid - low, _TINY)
        r, g, b = mid + (r - mid) * k, mid + (g - mid) * k, mid + (b - mid) * k
    if high > _ONE:
        k = (_ONE - mid) / max(high - mid, _TINY)
        r, g, b = mid + (r - mid) * k, mid + (g - mid) * k, mid + (b - mid) * k
    return min(max(r, _ZERO), _ONE), min(max(g, _ZERO), _ONE), min(max(b, _ZERO), _ONE)


@njit(**OPTIONS)
def _set_sat(r, g, b, sat):  # type: ignore[no-untyped-def]
    low, spread = min(r, g, b), max(r, g, b) - min(r, g, b)
    if spread <= _ZERO:
        return _ZERO, _ZERO, _ZERO
    k = sat / spread
    return (r - low) * k, (g - low) * k, (b - low) * k


@njit(**OPTIONS)
def _non_separable(br, bg, bb, sr, sg, sb, mode):  # type: ignore[no-untyped-def]
    if mode == 13:
        r, g, b = _set_sat(sr, sg, sb, max(br, bg, bb) - min(br, bg, bb))
        return set_lum(r, g, b, lum(br, bg, bb))
    if mode == 14:
        r, g, b = _set_sat(br, bg, bb, max(sr, sg, sb) - min(sr, sg, sb))
        return set_lum(r, g, b, lum(br, bg, bb))
    if mode == 15:
        return set_lum(sr, sg, sb, lum(br, bg, bb))
    return set_lum(br, bg, bb, lum(sr, sg, sb))


_FIRST_NON_SEPARABLE = 13


@njit(inline="always", **OPTIONS)
def _alpha(source, at, scale, strength, mask, mask_kind, y, x):  # type: ignore[no-untyped-def]
    # Explicit float32: an integer times a float32 would become a float64.
    alpha = np.float32(source[at]) * scale * strength
    if mask_kind != 0:
        shown = np.float32(mask[y, x]) * np.float32(1 / 65535)
        alpha *= shown if mask_kind == 1 else _ONE - shown
    return alpha


@njit(inline="always", **OPTIONS)
def _lay_row(under, source, scale, share, mode):  # type: ignore[no-untyped-def]
    """One mode over a row of an opaque backdrop; alpha has no share."""
    for i in range(len(under)):
        cb = under[i]
        under[i] = cb + share[i] * (_separable(cb, np.float32(source[i]) * scale, mode) - cb)


@njit(**OPTIONS)
def _opaque_row(under, source, scale, share, mode):  # type: ignore[no-untyped-def]
    """A loop for each mode: with the mode known, it does several samples at a time."""
    if mode == 0:
        for i in range(len(under)):
            under[i] += share[i] * (np.float32(source[i]) * scale - under[i])
    elif mode == 1:
        _lay_row(under, source, scale, share, 1)
    elif mode == 2:
        _lay_row(under, source, scale, share, 2)
    elif mode == 3:
        _lay_row(under, source, scale, share, 3)
    elif mode == 4:
        _lay_row(under, source, scale, share, 4)
    elif mode == 5:
        _lay_row(under, source, scale, share, 5)
    elif mode == 6:
        _lay_row(under, source, scale, share, 6)
    elif mode == 7:
        _lay_row(under, source, scale, share, 7)
    elif mode == 8:
        _lay_row(under, source, scale, share, 8)
    elif mode == 9:
        _lay_row(under, source, scale, share, 9)
    elif mode == 10:
        _lay_row(under, source, scale, share, 10)
    elif mode == 11:
        _lay_row(under, source, scale, share, 11)
    else:
        _lay_row(under, source, scale, share, 12)


@njit(**OPTIONS)
def _cover(under, share):  # type: ignore[no-untyped-def]
    """The alpha of what is covered; shares become those in the colour that comes out."""
    for i in range(0, len(under), 4):
        alpha = share[i]
        over = alpha + under[i + 3] * (_ONE - alpha)
        under[i + 3] = over
        part = alpha / max(over, _TINY)
        share[i], share[i + 1], share[i + 2] = part, part, part


@njit(**OPTIONS)
def _any_row(under, source, scale, share, mode):  # type: ignore[no-untyped-def]
    """Every mode, over whatever transparency; pixel by pixel."""
    for i in range(0, len(under), 4):
        alpha = share[i]
        if alpha <= _ZERO:
            continue
        sr, sg, sb = (
            np.float32(source[i]) * scale,
            np.float32(source[i + 1]) * scale,
            np.float32(source[i + 2]) * scale,
        )
        br, bg, bb, opaque = under[i], under[i + 1], under[i + 2], under[i + 3]
        if mode >= _FIRST_NON_SEPARABLE:
            mr, mg, mb = _non_separable(br, bg, bb, sr, sg, sb, mode)
        else:
            mr, mg, mb = (
                _separable(br, sr, mode),
                _separable(bg, sg, mode),
                _separable(bb, sb, mode),
            )
        over = alpha + opaque * (_ONE - alpha)
        rest = (_ONE - alpha) * opaque
        fresh = alpha * (_ONE - opaque)
        both = alpha * opaque
        under[i] = (fresh * sr + both * mr + rest * br) / over
        under[i + 1] = (fresh * sg + both * mg + rest * bg) / over
        under[i + 2] = (fresh * sb + both * mb + rest * bb) / over
        under[i + 3] = over


@njit(
    [
        void(W_FLOATS, R_SAMPLES, float32, R_MASK, int64, float32, int64),
        void(W_FLOATS, R_FLOATS, float32, R_MASK, int64, float32, int64),
    ],
    **OPTIONS,
)
def composite(backdrop, source, scale, mask, mask_kind, strength, mode):  # type: ignore[no-untyped-def]
    height, width = backdrop.shape[0], backdrop.shape[1]
    n = 4 * width
    share = np.zeros(n, dtype=np.float32)  # of each sample; none of the alphas
    for y in range(height):
        under, over = packed(backdrop[y]).reshape(n), packed(source[y]).reshape(n)
        least = _ONE
        for x in range(width):
            at = 4 * x
            alpha = _alpha(over, at + 3, scale, strength, mask, mask_kind, y, x)
            share[at], share[at + 1], share[at + 2] = alpha, alpha, alpha
            least = min(least, under[at + 3])
        if least < _ONE and mode == 0:
            _cover(under, share)
        if mode < _FIRST_NON_SEPARABLE and (least >= _ONE or mode == 0):
            _opaque_row(under, over, scale, share, mode)
        else:
            _any_row(under, over, scale, share, mode)


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


@njit([void(R_FLOATS, W_SAMPLES), void(R_FLOATS, W_BYTES)], **OPTIONS)
def on_white(image, out):  # type: ignore[no-untyped-def]
    top = np.float32(255 if out.itemsize == 1 else 65535)
    for y in range(image.shape[0]):
        for x in range(image.shape[1]):
            alpha = image[y, x, 3]
            for c in range(3):
                value = image[y, x, c]
                if alpha < _ONE:
                    value = _ONE + alpha * (value - _ONE)
                out[y, x, c] = int(min(max(value, _ZERO), _ONE) * top + _HALF)


@njit(void(R_FLOATS, W_SAMPLES), **OPTIONS)
def to_pixels(image, out):  # type: ignore[no-untyped-def]
    for y in range(image.shape[0]):
        for x in range(image.shape[1]):
            for c in range(4):
                value = min(max(image[y, x, c], _ZERO), _ONE)
                out[y, x, c] = int(value * np.float32(65535) + _HALF)
