"""Edge-keeping smoothing of what lies below."""

from __future__ import annotations

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.smooth import SmoothLayer
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import lay_changed


def add(layer: SmoothLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:
    from lather.core.filter.smooth import smoothed  # OpenCV is not loaded for the first window

    scale_px = layer.parameters.scale_px / 2**scene.level
    pixels = smoothed(below.pixels, below.rect, scale_px, layer.parameters.edge_l)
    lay_changed(layer, scene, out, Patch(below.rect, pixels).part(rect), rect)
