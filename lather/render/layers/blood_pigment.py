"""Blood and pigment, taken out where the maps say so."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.rect import Rect
from lather.core.tone.chromophores import take_out
from lather.core.tone.light import signed
from lather.document.layers.blood_pigment import BloodPigmentLayer
from lather.document.tiles import TILE_PX, Tiles
from lather.render.layers.scene import Patch, Scene
from lather.render.levels import existing, read_level
from lather.render.masks import lay_changed


def add(
    layer: BloodPigmentLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch  # noqa: ARG001
) -> None:
    cell_px = TILE_PX >> scene.level
    keys = set(existing(layer.blood, rect, cell_px)) | set(existing(layer.pigment, rect, cell_px))
    shares = layer.parameters.blood_percent / 100, layer.parameters.pigment_percent / 100
    for key in sorted(keys):
        part = Rect.cell(key, cell_px).intersect(rect)
        blood, pigment = (
            _density(tiles, scene, part, share)
            for tiles, share in zip((layer.blood, layer.pigment), shares, strict=True)
        )
        place = out[part.shifted(-rect.x0, -rect.y0).slices]
        changed = place.copy()
        take_out(changed, blood, pigment)
        lay_changed(layer, scene, place, changed, part)


def _density(tiles: Tiles, scene: Scene, part: Rect, share: float) -> Plane:
    samples = read_level(tiles, scene.photo.rect, part, scene.level)
    return signed(samples) * np.float32(share)
