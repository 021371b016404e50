"""From a job's state to pixels: any rectangle, at any mip level, nothing rounded between.

A rectangle is given in the pixels of its level. Only tiles that exist are visited.
"""

from __future__ import annotations

from dataclasses import replace

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.layer import Layers
from lather.document.photo import Photo
from lather.document.state import JobState
from lather.document.tiles import DEEPEST_LEVEL
from lather.document.tree import top_level_index
from lather.render.layers.scene import Scene, transparent
from lather.render.stack import paint


def render(state: JobState, rect: Rect, level: int = 0) -> FloatImage:
    """(h, w, 4) float32, straight alpha: all visible layers."""
    return render_layers(state.layers, state.photo, rect, level)


def render_photo(photo: Photo, rect: Rect, level: int = 0) -> FloatImage:
    """(h, w, 4) float32: the photo without any layer."""
    return photo.read_float(rect, level)


def render_up_to(state: JobState, layer_id: int, rect: Rect, level: int = 0) -> FloatImage:
    """All that shows up to and including a layer: what mending tools sample.

    The layer counts in full whatever its strength, so that a mend on a weakened layer
    builds on what the layer holds.
    """
    return render_layers(_up_to(state.layers, layer_id), state.photo, rect, level)


def render_layers(layers: Layers, photo: Photo, rect: Rect, level: int = 0) -> FloatImage:
    """Layers by themselves, bottom to top."""
    return paint(layers, Scene(photo, level, paint), transparent, rect)


def _up_to(layers: Layers, layer_id: int) -> Layers:
    """The layers below a layer and the layer itself, at full strength."""
    index = top_level_index(layers, layer_id)
    last = layers[index]
    if last.id == layer_id:
        return (*layers[:index], replace(last, strength=1.0))
    return (*layers[:index], last.with_children(_up_to(last.children, layer_id)))


def deepest_level(photo: Photo, long_side_px: int = 1024) -> int:
    """The first level at which the whole photo is at most `long_side_px` long."""
    level = 0
    while max(photo.width, photo.height) >> level > long_side_px and level < DEEPEST_LEVEL:
        level += 1
    return level
