"""Masks, and other one-channel planes, at any level."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lather.core.adjust.bracket import span_weight
from lather.core.arrays import FULL, FloatImage, MaskPixels, Plane, quantise
from lather.core.blend.composite import composite, mix
from lather.core.blend.modes import BlendMode
from lather.core.colour.labs import lab_of
from lather.core.rect import Rect
from lather.document.layers.layer import Layer, Mask
from lather.document.layers.limits import Limits
from lather.document.tiles import Key
from lather.render.ground import Ground
from lather.render.layers.scene import Scene
from lather.render.levels import read_level
from lather.render.regions import region_coverage


def mask_shares(mask: Mask, picture: Rect, rect: Rect, level: int) -> Plane:
    """(h, w) 0-1: where a mask lets its layer show, whether it counts or not."""
    samples = read_level(mask.tiles, picture, rect, level).astype(np.float32) / np.float32(FULL)
    return 1 - samples if mask.inverted else samples


def shown_samples(
    layer: Layer, scene: Scene, below: FloatImage, rect: Rect
) -> tuple[MaskPixels | None, bool]:
    """Where a layer shows in a rectangle, by its mask and its limits, None where nothing limits it;
    whether that hides. `below` are the pixels that it is laid on."""
    mask = layer.mask
    if mask is None or not mask.enabled:
        samples, inverted = None, False
    else:
        samples = read_level(mask.tiles, scene.photo.rect, rect, scene.level)
        inverted = mask.inverted
    return limited(layer, scene, below, rect, samples, inverted)


def limited(
    layer: Layer, scene: Scene, below: FloatImage, rect: Rect, samples: MaskPixels | None,
    inverted: bool,
) -> tuple[MaskPixels | None, bool]:
    """A mask's samples times what the layer's limits leave of it."""
    if layer.limits.are_open:
        return samples, inverted
    share = limit_shares(layer.limits, scene.ground, below, rect, scene.level)
    if samples is not None:
        shown = samples.astype(np.float32) / np.float32(FULL)
        share = share * (1 - shown if inverted else shown)
    return quantise(share, np.uint16), False


def limit_shares(
    limits: Limits, ground: Ground, below: FloatImage, rect: Rect, level: int
) -> Plane:
    """(h, w) 0-1: what a layer's limits leave of it on the pixels (h, w, 4) that it is laid on; the
    ground is that of the layer's space."""
    share = np.ones((rect.height, rect.width), dtype=np.float32)
    span = limits.span
    if not span.is_open:
        light = lab_of(below)[..., 0]
        share = span_weight(
            light, span.low_l, span.high_l, span.soft_low_l, span.soft_high_l
        ).astype(np.float32)
    if limits.regions:
        regions = sum(region_coverage(ground, one, rect, level) for one in limits.regions)
        share = share * np.minimum(regions, 1)
    return share


def change(
    layer: Layer, scene: Scene, out: FloatImage, rect: Rect, apply: Callable[[FloatImage], None]
) -> None:
    """Let a pointwise layer change pixels: `apply` does it in place, on `out` itself where nothing
    limits the layer."""
    mask = layer.mask
    is_whole = layer.strength >= 1 and (mask is None or not mask.enabled)
    if is_whole and layer.mode is BlendMode.NORMAL and layer.limits.are_open:
        apply(out)
        return
    changed = out.copy()
    apply(changed)
    lay_changed(layer, scene, out, changed, rect)


def lay_changed(
    layer: Layer, scene: Scene, out: FloatImage, changed: FloatImage, rect: Rect
) -> None:
    """What a computed layer made of `out`, laid on it: by its mode, strength and mask."""
    if layer.mode is BlendMode.NORMAL:
        mix_in(layer, scene, out, changed, rect)
        return
    mask, inverted = shown_samples(layer, scene, out, rect)
    for pixels in (out, changed):  # modes are defined for 0-1, and would square what is beyond it
        np.clip(pixels, 0, 1, out=pixels)
    composite(out, changed, mode=layer.mode, strength=layer.strength, mask=mask,
              mask_inverted=inverted)  # fmt: skip


def mix_in(layer: Layer, scene: Scene, out: FloatImage, changed: FloatImage, rect: Rect) -> None:
    """Go over from `out` to what a layer made of it, by its strength and mask."""
    mask, inverted = shown_samples(layer, scene, out, rect)
    if mask is None and layer.strength >= 1:
        out[...] = changed
    else:
        mix(out, changed, strength=layer.strength, mask=mask, mask_inverted=inverted)


def hides_all(layer: Layer, key: Key) -> bool:
    """True where an unpainted mask lets nothing through."""
    mask = layer.mask
    if mask is None or not mask.enabled or mask.tiles.get(key) is not None:
        return False
    return (mask.tiles.fill == FULL) == mask.inverted


def mask_part(
    layer: Layer, key: Key, picture: Rect, inside: tuple[slice, slice], level: int
) -> MaskPixels | None:
    """The mask's samples for part of a tile; None where it lets all through."""
    mask = layer.mask
    if mask is None or not mask.enabled or mask.tiles.get(key) is None:
        return None
    return mask.tiles.mip(key, level, picture)[inside]
