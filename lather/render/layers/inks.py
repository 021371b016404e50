"""Inks in ranges, moved."""

from __future__ import annotations

from lather.core.adjust.inks import InkRange, apply_inks
from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.inks import InksLayer
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import lay_changed


def add(layer: InksLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:  # noqa: ARG001
    changed = out.copy()
    apply_inks(changed, [InkRange(**one.values) for one in layer.parameters.ranges])
    lay_changed(layer, scene, out, changed, rect)
