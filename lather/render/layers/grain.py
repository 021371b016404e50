"""Grain over what lies below."""

from __future__ import annotations

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.grain import GrainLayer
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import lay_changed


def add(layer: GrainLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:  # noqa: ARG001
    p = layer.parameters
    if p.sigma_l == 0:
        return
    from lather.core.filter.grain import add_grain  # SciPy is not loaded for the first window

    changed = out.copy()
    add_grain(changed, rect, scene.level, p.sigma_l, p.size_px, p.colour_percent / 100, int(p.seed))
    lay_changed(layer, scene, out, changed, rect)
