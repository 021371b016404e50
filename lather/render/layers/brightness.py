"""Brightness and contrast, by the curves' kernel."""

from __future__ import annotations

from lather.core.adjust.curves import NO_TABLE, NO_TABLES, apply_curves
from lather.core.adjust.tone import brightness_table
from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.brightness import LIGHTNESS, BrightnessLayer
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import change


def add(
    layer: BrightnessLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch  # noqa: ARG001
) -> None:
    given = layer.parameters
    table = brightness_table(given.brightness / 100, given.contrast / 100, given.pivot / 100)
    rgb, lightness = (NO_TABLE, table) if given.acts_on == LIGHTNESS else (table, NO_TABLE)
    change(layer, scene, out, rect, lambda px: apply_curves(px, rgb, NO_TABLES, lightness))
