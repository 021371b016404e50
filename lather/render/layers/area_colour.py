"""The mean and spread of a colour, moved."""

from __future__ import annotations

from lather.core.adjust.area_colour import apply_area_colour
from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.area_colour import AreaColourLayer
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import change


def add(layer: AreaColourLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:  # noqa: ARG001
    p = layer.parameters
    mean, move = (p.mean_l, p.mean_a, p.mean_b), (p.move_l, p.move_a, p.move_b)
    spread = p.spread_l_percent, p.spread_a_percent, p.spread_b_percent
    change(layer, scene, out, rect, lambda px: apply_area_colour(px, mean, move, spread))
