"""Hues in brackets, moved."""

from __future__ import annotations

from lather.core.adjust.hues import Bracket, apply_hues
from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.hues import HuesLayer
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import change


def add(layer: HuesLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:  # noqa: ARG001
    ranges = [Bracket(**one.values) for one in layer.parameters.ranges]
    change(layer, scene, out, rect, lambda px: apply_hues(px, ranges))
