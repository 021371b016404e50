"""Hues in brackets, moved."""

from __future__ import annotations

from lather.core.adjust.hues import Bracket, apply_hues
from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.hues import HuesLayer
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import lay_changed


def add(layer: HuesLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:  # noqa: ARG001
    changed = out.copy()
    apply_hues(changed, [Bracket(**one.values) for one in layer.parameters.ranges])
    lay_changed(layer, scene, out, changed, rect)
