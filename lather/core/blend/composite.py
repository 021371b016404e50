"""Compositing of one layer onto a backdrop, and the mips of layer and mask tiles.

Backdrops are (H, W, 4) float32, straight alpha, and are changed in place. The formula is
the W3C's source-over with blending: with alpha as and ab,
  co = as * ((1 - ab) * cs + ab * B(cb, cs)) + (1 - as) * ab * cb,   ao = as + ab * (1 - as).
"""

from __future__ import annotations

import numpy as np

from lather.core.arrays import (
    FULL,
    FloatImage,
    LayerPixels,
    MaskPixels,
    Samples,
    full_scale,
    quantise,
)
from lather.core.blend.modes import BlendMode, blend
from lather.core.kernels import Kernel

NO_MASK = np.zeros((1, 1), dtype=np.uint16)
_MODES = tuple(BlendMode)
_MASK_NONE, _MASK_PLAIN, _MASK_INVERTED = 0, 1, 2


def composite(
    backdrop: FloatImage,
    source: FloatImage | LayerPixels,
    *,
    mode: BlendMode = BlendMode.NORMAL,
    strength: float = 1.0,
    mask: MaskPixels | None = None,
    mask_inverted: bool = False,
) -> None:
    """Blend `source` onto `backdrop` in place.

    Parameters
    ----------
    backdrop : (H, W, 4) float32, straight alpha.
    source : (H, W, 4), straight alpha; uint16 layer pixels or float32 (a group's result).
    strength : 0-1, multiplies the source's alpha.
    mask : (H, W) uint16 or None; where the source shows.
    mask_inverted : the mask hides instead of shows.
    """
    kind = _mask_kind(mask, mask_inverted)
    scale = np.float32(1.0 if source.dtype == np.float32 else 1.0 / FULL)
    plane = NO_MASK if mask is None else mask
    over = source if _has_packed_rows(source) else np.ascontiguousarray(source)
    whole = backdrop if _has_packed_rows(backdrop) else np.ascontiguousarray(backdrop)
    composite_kernel(whole, over, scale, plane, kind, np.float32(strength), mode.code)
    if whole is not backdrop:
        backdrop[...] = whole


def mix(
    backdrop: FloatImage,
    other: FloatImage,
    *,
    strength: float = 1.0,
    mask: MaskPixels | None = None,
    mask_inverted: bool = False,
) -> None:
    """Go over from `backdrop`, in place, to another picture of the same place, as far as told.

    Mixed premultiplied, so that it holds on transparency too: the same picture twice is that
    picture, whatever the strength. Parameters as for `composite`; both (H, W, 4) float32.
    """
    kind = _mask_kind(mask, mask_inverted)
    mix_kernel(backdrop, other, NO_MASK if mask is None else mask, kind, np.float32(strength))


def _has_packed_rows(image: FloatImage | LayerPixels) -> bool:
    """True if each row of pixels lies in one piece, as the kernel takes it."""
    return image.strides[1:] == (4 * image.itemsize, image.itemsize)


def _mask_kind(mask: MaskPixels | None, inverted: bool) -> int:
    return _MASK_NONE if mask is None else _MASK_INVERTED if inverted else _MASK_PLAIN


def _composite_reference(
    backdrop: FloatImage,
    source: FloatImage | LayerPixels,
    scale: float,
    mask: MaskPixels,
    mask_kind: int,
    strength: float,
    mode_code: int,
) -> None:
    cs = source[..., :3].astype(np.float32) * scale
    alpha_s = source[..., 3:].astype(np.float32) * (scale * strength)
    if mask_kind != _MASK_NONE:
        shown = mask[..., None].astype(np.float32) / FULL
        alpha_s = alpha_s * (shown if mask_kind == _MASK_PLAIN else 1 - shown)
    cb, alpha_b = backdrop[..., :3], backdrop[..., 3:]
    mixed = (1 - alpha_b) * cs + alpha_b * blend(cb, cs, _MODES[mode_code])
    alpha_o = alpha_s + alpha_b * (1 - alpha_s)
    premultiplied = alpha_s * mixed + (1 - alpha_s) * alpha_b * cb
    touched = alpha_s[..., 0] > 0
    backdrop[..., :3][touched] = (premultiplied / np.maximum(alpha_o, 1e-9))[touched]
    backdrop[..., 3] = alpha_o[..., 0]


def _mix_reference(
    backdrop: FloatImage, other: FloatImage, mask: MaskPixels, mask_kind: int, share: float
) -> None:
    amount = np.full(backdrop.shape[:2], share, dtype=np.float32)
    if mask_kind != _MASK_NONE:
        shown = mask.astype(np.float32) / FULL
        amount *= shown if mask_kind == _MASK_PLAIN else 1 - shown
    kept = (1 - amount) * backdrop[..., 3]
    taken = amount * other[..., 3]
    alpha = kept + taken
    # As a difference, so that the same picture twice is that picture to the last bit.
    part = (taken / np.maximum(alpha, 1e-9))[..., None]
    mixed = backdrop[..., :3] + part * (other[..., :3] - backdrop[..., :3])
    touched = (amount > 0) & (alpha > 0)
    backdrop[..., :3][touched] = mixed[touched]
    backdrop[..., 3] = alpha


def _halve_pixels_reference(pixels: LayerPixels, half: LayerPixels) -> None:
    """2 x 2 means, colour weighted by alpha; sizes are even."""
    h, w = half.shape[:2]
    blocks = pixels.reshape(h, 2, w, 2, 4).astype(np.float32)
    alpha = blocks[..., 3:]
    total = alpha.sum((1, 3))
    colour = (blocks[..., :3] * alpha).sum((1, 3)) / np.maximum(total, 1)
    half[..., :3] = colour + np.float32(0.5)
    half[..., 3:] = total * np.float32(0.25) + np.float32(0.5)


def _halve_mask_reference(mask: MaskPixels, half: MaskPixels) -> None:
    h, w = half.shape
    half[...] = (mask.reshape(h, 2, w, 2).astype(np.uint32).sum((1, 3)) + 2) >> 2


def _photo_to_float_reference(photo: Samples, out: FloatImage) -> None:
    """(H, W, 3) samples to opaque (H, W, 4) float32."""
    out[..., :3] = photo.astype(np.float32) * np.float32(1.0 / full_scale(photo))
    out[..., 3] = 1.0


def _on_white_reference(image: FloatImage, out: Samples) -> None:
    """(H, W, 4) float32 over white to (H, W, 3) stored samples, clipped and rounded."""
    colour, alpha = image[..., :3], image[..., 3:]
    shown = np.where(alpha < 1, 1 + alpha * (colour - 1), colour)
    out[...] = quantise(shown, out.dtype.type)


def _to_pixels_reference(image: FloatImage, out: LayerPixels) -> None:
    """(H, W, 4) float32 0-1 to stored layer pixels, rounded."""
    out[...] = np.clip(image, 0, 1) * np.float32(FULL) + np.float32(0.5)


_COMPILED = "lather.core.blend.compiled"
composite_kernel = Kernel(_COMPILED, "composite", _composite_reference)
mix_kernel = Kernel(_COMPILED, "mix", _mix_reference)
halve_pixels = Kernel(_COMPILED, "halve_pixels", _halve_pixels_reference)
halve_mask = Kernel(_COMPILED, "halve_mask", _halve_mask_reference)
photo_to_float = Kernel(_COMPILED, "photo_to_float", _photo_to_float_reference)
on_white = Kernel(_COMPILED, "on_white", _on_white_reference)
to_pixels = Kernel(_COMPILED, "to_pixels", _to_pixels_reference)
