"""Inks in ranges, moved."""

from __future__ import annotations

from lather.core.adjust.inks import InkRange, apply_inks
from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.inks import InksLayer
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import change


def add(layer: InksLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:  # noqa: ARG001
    ranges = [InkRange(**one.values) for one in layer.parameters.ranges]
    change(layer, scene, out, rect, lambda px: apply_inks(px, ranges))
