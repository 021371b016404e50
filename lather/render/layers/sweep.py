"""Thin lines off what lies below."""

from __future__ import annotations

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.sweep import SweepLayer
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import lay_changed


def add(layer: SweepLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:
    from lather.core.filter.sweep import swept  # OpenCV is not loaded for the first window

    p, scale = layer.parameters, 2**scene.level
    changed = swept(below.pixels, below.rect, p.width_px / scale, p.contrast_l, p.which, rect)
    lay_changed(layer, scene, out, changed, rect)
