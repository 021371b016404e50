"""Layers of a newer Lather: they cannot be computed here, and are not shown."""

from __future__ import annotations

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.unknown import UnknownLayer
from lather.render.layers.scene import Patch, Scene


def add(layer: UnknownLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:
    """Nothing: the person was told when the job was opened."""
