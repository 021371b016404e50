"""More or less light, and light of another colour."""

from __future__ import annotations

from lather.core.adjust.curves import NO_TABLE, apply_curves
from lather.core.adjust.tone import exposure_tables, light_gains
from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.exposure import ExposureLayer
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import change


def add(layer: ExposureLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:  # noqa: ARG001
    given = layer.parameters
    gains = light_gains(given.exposure_ev, given.warmth_mired, given.tint_percent)
    tables = exposure_tables(*gains)
    change(layer, scene, out, rect, lambda px: apply_curves(px, NO_TABLE, tables, NO_TABLE))
