"""The photo."""

from __future__ import annotations

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.photo import PhotoLayer
from lather.render.layers.scene import Patch, Scene


def add(layer: PhotoLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:  # noqa: ARG001
    scene.photo.read_into(out, rect, scene.level)
