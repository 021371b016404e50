"""Grain over what lies below."""

from __future__ import annotations

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.grain import GrainLayer
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import change


def add(layer: GrainLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:  # noqa: ARG001
    p = layer.parameters
    if p.sigma_l == 0:
        return
    from lather.core.filter.grain import add_grain  # SciPy is not loaded for the first window

    how = p.sigma_l, p.size_px, p.colour_percent / 100, int(p.seed)
    change(layer, scene, out, rect, lambda px: add_grain(px, rect, scene.level, *how))
