"""Black and white, by hue."""

from __future__ import annotations

from lather.core.adjust.hues import Bracket, apply_black_and_white
from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.mono import MonoLayer
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import change


def add(layer: MonoLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:  # noqa: ARG001
    ranges = [Bracket(**one.values) for one in layer.parameters.ranges]
    change(layer, scene, out, rect, lambda px: apply_black_and_white(px, ranges))
