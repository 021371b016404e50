"""Layers treated as one: on what lies below, or by themselves first."""

from __future__ import annotations

from lather.core.arrays import FloatImage
from lather.core.blend.composite import composite
from lather.core.rect import Rect
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layer
from lather.render.layers.scene import Base, Patch, Scene, transparent
from lather.render.masks import mix_in, shown_samples


def add(layer: GroupLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:
    if layer.isolated:
        inside = scene.paint(layer.children, scene, transparent, rect)
        mask, inverted = shown_samples(layer, scene, out, rect)
        composite(out, inside, mode=layer.mode, strength=layer.strength, mask=mask,
                  mask_inverted=inverted)  # fmt: skip
    else:  # what lies below is in it already
        inside = scene.paint(layer.children, scene, below.part, rect)
        mix_in(layer, scene, out, inside, rect)


def base_in(layer: GroupLayer, inner: Layer, scene: Scene, below: Base) -> Base:  # noqa: ARG001
    """What the lowest layer in a group lies on."""
    return transparent if layer.isolated else below
