"""Curves, pixel by pixel."""

from __future__ import annotations

from functools import lru_cache

from lather.core.adjust.curves import Table, apply_curves, table_of
from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.curves import CurvesLayer, CurvesParameters
from lather.render.layers.scene import Patch, Scene
from lather.render.masks import lay_changed


def add(layer: CurvesLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:  # noqa: ARG001
    changed = out.copy()
    rgb, red, green, blue, lightness = _tables(layer.parameters)
    apply_curves(changed, rgb, (red, green, blue), lightness)
    lay_changed(layer, scene, out, changed, rect)


@lru_cache(maxsize=64)
def _tables(parameters: CurvesParameters) -> tuple[Table, ...]:
    return tuple(
        table_of(points)
        for points in (
            parameters.rgb, parameters.red, parameters.green, parameters.blue, parameters.lightness
        )
    )  # fmt: skip
