"""The mean and spread of a colour, moved."""

from __future__ import annotations

from lather.core.adjust.area_colour import apply_area_colour
from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.area_colour import AreaColourLayer
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import lay_changed


def add(layer: AreaColourLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:  # noqa: ARG001
    p = layer.parameters
    changed = out.copy()
    apply_area_colour(
        changed, (p.mean_l, p.mean_a, p.mean_b), (p.move_l, p.move_a, p.move_b),
        (p.spread_l_percent, p.spread_a_percent, p.spread_b_percent),
    )  # fmt: skip
    lay_changed(layer, scene, out, changed, rect)
