"""Softening of what lies below."""

from __future__ import annotations

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.soften import SoftenLayer
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import lay_changed


def add(layer: SoftenLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:
    from lather.core.filter.soften import softened  # OpenCV is not loaded for the first window

    p, scale = layer.parameters, 2**scene.level
    changed = softened(below.pixels, below.rect, p.radius_px / scale, p.pore_px / scale, rect)
    lay_changed(layer, scene, out, changed, rect)
