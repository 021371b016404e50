"""What lies below, shown through a displacement field."""

from __future__ import annotations

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.core.shape.field import nodes_under
from lather.document.layers.reshape import ReshapeLayer
from lather.render.layers.scene import Patch, Scene
from lather.render.reshaping import shown_field


def add(layer: ReshapeLayer, scene: Scene, out: FloatImage, rect: Rect, below: Patch) -> None:
    from lather.core.shape.resample import resampled  # only where it is used

    full = rect.from_level(scene.level)
    if layer.moves_in(nodes_under(full, layer.step_px)):
        field = shown_field(layer, full, scene.photo.rect, scene.level)
        resampled(below.pixels, below.rect, out, rect, field, scene.level)
