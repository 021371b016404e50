"""Curves, pixel by pixel."""

from __future__ import annotations

from functools import lru_cache

from lather.core.adjust.curves import Table, apply_curves, table_of
from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.curves import CurvesLayer, CurvesParameters
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import change


def add(layer: CurvesLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:  # noqa: ARG001
    rgb, red, green, blue, lightness = _tables(layer.parameters)
    channels = red, green, blue
    change(layer, scene, out, rect, lambda px: apply_curves(px, rgb, channels, lightness))


@lru_cache(maxsize=64)
def _tables(parameters: CurvesParameters) -> tuple[Table, ...]:
    return tuple(
        table_of(points)
        for points in (
            parameters.rgb, parameters.red, parameters.green, parameters.blue, parameters.lightness
        )
    )  # fmt: skip
