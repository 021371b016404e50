"""A stack of a split: its layers on the part of the picture that it is given."""

from __future__ import annotations

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.layer import Layer
from lather.document.layers.split import StackLayer
from lather.render.layers.scene import Base, Patch, Scene
from lather.render.masks import mix_in


def add(layer: StackLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:
    inside = scene.paint(layer.children, scene, below.part, rect)
    mix_in(layer, scene, out, inside, rect)


def base_in(layer: StackLayer, inner: Layer, scene: Scene, below: Base) -> Base:  # noqa: ARG001
    """What the lowest layer in a stack lies on: the part that the stack is given."""
    return below
