"""Light and shade, where the map was painted."""

from __future__ import annotations

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.core.tone.light import lit, signed
from lather.document.layers.light import LightLayer
from lather.document.tiles import TILE_PX
from lather.render.layers.scene import Patch, Scene
from lather.render.levels import existing
from lather.render.masks import lay_changed


def add(layer: LightLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:  # noqa: ARG001
    cell_px = TILE_PX >> scene.level
    for key in existing(layer.map, rect, cell_px):
        cell = Rect.cell(key, cell_px)
        part = cell.intersect(rect)
        samples = layer.map.mip(key, scene.level, scene.photo.rect)
        light = signed(samples[part.shifted(-cell.x0, -cell.y0).slices])
        place = out[part.shifted(-rect.x0, -rect.y0).slices]
        lay_changed(layer, scene, place, lit(place, light, layer.parameters.shown_as), part)
