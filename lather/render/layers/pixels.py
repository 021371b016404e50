"""Painted pixels, tile by tile."""

from __future__ import annotations

from lather.core.arrays import FloatImage
from lather.core.blend.composite import composite
from lather.core.rect import Rect
from lather.document.layers.pixels import PixelLayer
from lather.document.tiles import TILE_PX
from lather.render.layers.scene import Patch, Scene
from lather.render.levels import existing
from lather.render.masks import hides_all, limited, mask_part


def add(layer: PixelLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:  # noqa: ARG001
    picture, level = scene.photo.rect, scene.level
    cell_px = TILE_PX >> level
    for key in existing(layer.tiles, rect, cell_px):
        cell = Rect.cell(key, cell_px)
        part = cell.intersect(rect)
        inside = part.shifted(-cell.x0, -cell.y0).slices
        source = layer.tiles.mip(key, level, picture)[inside]
        if hides_all(layer, key):
            continue
        place = out[part.shifted(-rect.x0, -rect.y0).slices]
        mask, inverted = limited(
            layer, scene, place, part, mask_part(layer, key, picture, inside, level),
            layer.mask is not None and layer.mask.inverted,
        )  # fmt: skip
        composite(place, source, mode=layer.mode, strength=layer.strength, mask=mask,
                  mask_inverted=inverted)  # fmt: skip
