"""From a job's state to pixels: any rectangle, at any mip level, nothing rounded between.

A rectangle is given in the pixels of its level. Only tiles that exist are visited.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layers
from lather.document.layers.split import Part, SplitLayer, StackLayer
from lather.document.photo import Photo
from lather.document.state import JobState
from lather.document.tiles import DEEPEST_LEVEL, Key
from lather.document.tree import path_to, replaced, top_level_index
from lather.render.cache import BoundaryCache
from lather.render.ground import Ground, ground_of
from lather.render.layers.scene import Base, Scene, transparent
from lather.render.layers.split import part_below
from lather.render.stack import paint

kept = BoundaryCache()  # of the picture that is worked on


def render(state: JobState, rect: Rect, level: int = 0) -> FloatImage:
    """(h, w, 4) float32, straight alpha: all visible layers."""
    if any(layer.is_shown and layer.reach_px(level) for layer in state.layers):
        return render_kept(state, rect, level)
    return paint(state.layers, scene_of(ground_of(state), level), transparent, rect)


def render_kept(state: JobState, rect: Rect, level: int = 0) -> FloatImage:
    """`render`, for who asks for the same pixels again and again: all of it is kept in tiles."""
    shown = tuple(layer for layer in state.layers if layer.is_shown)
    return _kept_below(scene_of(ground_of(state), level), shown, rect)


def render_piece(state: JobState, rect: Rect, level: int = 0) -> FloatImage:
    """`render` of a rectangle large against the layers' reach, at once: of a tile by itself the
    surroundings that a wide layer looks at would be many times as large as the tile."""
    scene = Scene(ground_of(state), level, paint, _below_at_once, _below_at_once)
    return paint(state.layers, scene, transparent, rect)


def kept_picture(state: JobState, level: int, key: Key) -> FloatImage | None:
    """A tile of `render`, if it is kept; read-only. None too where no layer has a reach."""
    shown = tuple(layer for layer in state.layers if layer.is_shown)
    return kept.peek(ground_of(state), shown, level, key)


def render_photo(photo: Photo, rect: Rect, level: int = 0) -> FloatImage:
    """(h, w, 4) float32: the photo without any layer."""
    return photo.read_float(rect, level)


def render_up_to(state: JobState, layer_id: int, rect: Rect, level: int = 0) -> FloatImage:
    """All that shows up to and including a layer: what mending tools sample.

    The layer counts in full whatever its strength, so that a mend on a weakened layer
    builds on what the layer holds.
    """
    scene = scene_of(ground_of(state), level)
    return _up_to(state.layers, layer_id, scene, transparent)(rect)


def render_below(state: JobState, layer_id: int, rect: Rect, level: int = 0) -> FloatImage:
    """What a layer is laid on."""
    hidden = replace(state.layer(layer_id), visible=False)
    layers = replaced(state.layers, layer_id, (hidden,))
    return _up_to(layers, layer_id, scene_of(ground_of(state), level), transparent)(rect)


def split_part(state: JobState, split: SplitLayer, part: Part) -> Base:
    """One part of what lies below a split, with the layers of its stack, of any rectangle."""
    scene = scene_of(ground_of(state), 0)

    def beneath(rect: Rect) -> FloatImage:
        return render_below(state, split.id, rect)

    below = part_below(split, part, scene, beneath)
    return lambda rect: paint((split.stack(part),), scene, below, rect)


def picture_up_to(state: JobState) -> Callable[[int, Rect], FloatImage]:
    """`render_up_to` of one state at full size, by layer id and rectangle."""
    return lambda layer_id, rect: render_up_to(state, layer_id, rect)


def render_layers(layers: Layers, photo: Photo, rect: Rect, level: int = 0) -> FloatImage:
    """Layers by themselves, bottom to top."""
    return paint(layers, scene_of(Ground(photo), level), transparent, rect)


def scene_of(ground: Ground, level: int) -> Scene:
    """What layers are rendered in, with what is kept of all pictures."""
    return Scene(ground, level, paint, _kept_below, _kept_below)


def _kept_below(scene: Scene, layers: Layers, rect: Rect) -> FloatImage:
    """Put together from tiles of the grid."""
    tile = replace(scene, below=_kept_whole)
    return kept.read(
        scene.ground, layers, scene.level, rect,
        lambda cell: paint(layers, tile, transparent, cell),
    )  # fmt: skip


def _kept_whole(scene: Scene, layers: Layers, rect: Rect) -> FloatImage:
    """As it is asked for to make a tile, which is the same every time."""
    return kept.read_whole(
        scene.ground, layers, scene.level, rect,
        lambda wide: paint(layers, scene, transparent, wide),
    ).copy()  # fmt: skip


def _below_at_once(scene: Scene, layers: Layers, rect: Rect) -> FloatImage:
    return paint(layers, scene, transparent, rect)


def _up_to(layers: Layers, layer_id: int, scene: Scene, base: Base) -> Base:
    """The layers below a layer and the layer itself, at full strength.

    In a split that is the part of the picture that its stack works on.
    """
    index = top_level_index(layers, layer_id)
    below, last = layers[:index], layers[index]

    def beneath(rect: Rect) -> FloatImage:
        return paint(below, scene, base, rect)

    if isinstance(last, SplitLayer) and last.id != layer_id:
        inner = last.children[top_level_index(last.children, layer_id)]
        assert isinstance(inner, StackLayer)
        part = part_below(last, inner.part, scene, beneath)
        return part if inner.id == layer_id else _up_to(inner.children, layer_id, scene, part)
    if any(isinstance(layer, SplitLayer) for layer in path_to(last.children, layer_id)[:-1]):
        isolated = isinstance(last, GroupLayer) and last.isolated
        return _up_to(last.children, layer_id, scene, transparent if isolated else beneath)
    cut = _cut_above(layers, layer_id)
    return lambda rect: paint(cut, scene, base, rect)


def _cut_above(layers: Layers, layer_id: int) -> Layers:
    """Without the layers above one, and that one at full strength."""
    index = top_level_index(layers, layer_id)
    last = layers[index]
    if last.id == layer_id:
        return (*layers[:index], replace(last, strength=1.0))
    return (*layers[:index], last.with_children(_cut_above(last.children, layer_id)))


def deepest_level(photo: Photo, long_side_px: int = 1024) -> int:
    """The first level at which the whole photo is at most `long_side_px` long."""
    level = 0
    while max(photo.width, photo.height) >> level > long_side_px and level < DEEPEST_LEVEL:
        level += 1
    return level
