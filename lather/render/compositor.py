"""From a job's state to pixels: any rectangle, at any mip level, nothing rounded between.

A rectangle is given in the pixels of its level. Only tiles that exist are visited.
"""

from __future__ import annotations

from dataclasses import replace

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.layer import Layer, Layers
from lather.document.photo import Photo
from lather.document.state import JobState
from lather.document.tiles import DEEPEST_LEVEL, Key
from lather.document.tree import path_to
from lather.render.cache import Caches
from lather.render.ground import Ground, photo_ground
from lather.render.layers.scene import Base, Scene, transparent
from lather.render.layers.table import BASE_IN
from lather.render.stack import paint

kept = Caches()


def render(state: JobState, rect: Rect, level: int = 0) -> FloatImage:
    """(h, w, 4) float32, straight alpha: all visible layers."""
    if any(layer.is_shown and layer.reach_px(level) for layer in state.layers):
        return render_kept(state, rect, level)
    return paint(state.layers, scene_of(photo_ground(state), level), transparent, rect)


def render_kept(state: JobState, rect: Rect, level: int = 0) -> FloatImage:
    """`render`, for who asks for the same pixels again and again: all of it is kept in tiles."""
    shown = tuple(layer for layer in state.layers if layer.is_shown)
    return _kept_below(scene_of(photo_ground(state), level), shown, rect)


def render_piece(state: JobState, rect: Rect, level: int = 0) -> FloatImage:
    """`render` of a rectangle large against the layers' reach, at once: of a tile by itself the
    surroundings that a wide layer looks at would be many times as large as the tile."""
    scene = Scene(photo_ground(state), level, paint, _below_at_once, _below_at_once)
    return paint(state.layers, scene, transparent, rect)


def render_on_kept(
    state: JobState, n_kept: int, rect: Rect, level: int = 0
) -> FloatImage:
    """`render`, of which what the lowest `n_kept` layers make is kept, and nothing else: for who
    asks again while those above change."""
    lower = tuple(layer for layer in state.layers[:n_kept] if layer.is_shown)
    if not lower:
        return render_piece(state, rect, level)
    scene = scene_of(photo_ground(state), level)
    return paint(state.layers[n_kept:], at_once_above(scene, lower), on_kept(scene, lower), rect)


def at_once_above(scene: Scene, lower: Layers) -> Scene:
    """What layers above others are rendered in, of which nothing is kept."""
    return replace(scene, below=_below_at_once, tiled=_below_at_once).moved_by(lower)


def on_kept(scene: Scene, lower: Layers) -> Base:
    """What shown layers make, kept in tiles."""

    def below(wide: Rect) -> FloatImage:
        if len(lower) == 1:  # the photo by itself is read as fast
            return paint(lower, scene, transparent, wide)
        return _kept_below(scene, lower, wide)

    return below


def kept_picture(state: JobState, level: int, key: Key) -> FloatImage | None:
    """A tile of `render`, if it is kept; read-only. None too where no layer has a reach."""
    shown = tuple(layer for layer in state.layers if layer.is_shown)
    return kept.of(state.photo).peek(photo_ground(state), shown, level, key)


def render_photo(photo: Photo, rect: Rect, level: int = 0) -> FloatImage:
    """(h, w, 4) float32: the photo without any layer."""
    return photo.read_float(rect, level)


def render_up_to(state: JobState, layer_id: int, rect: Rect, level: int = 0) -> FloatImage:
    """What a layer is laid on with the layer: what mending tools sample.

    The layer counts in full whatever its strength, so that a mend on a weakened layer
    builds on what the layer holds.
    """
    return render_with(state, replace(state.layer(layer_id), strength=1.0), rect, level)


def render_with(state: JobState, layer: Layer, rect: Rect, level: int = 0) -> FloatImage:
    """What a layer is laid on, with a version of it."""
    below, scene = _beneath(state, layer.id, level)
    return paint((layer,), scene, below, rect)


def render_below(state: JobState, layer_id: int, rect: Rect, level: int = 0) -> FloatImage:
    """What a layer is laid on: in a group what lies below in it, in a split a part of that."""
    below, _ = _beneath(state, layer_id, level)
    return below(rect)


def render_content(state: JobState, group_id: int, rect: Rect, level: int = 0) -> FloatImage:
    """The layers of a group, on what they lie on."""
    (*_, last) = state.layer(group_id).children
    return render_with(state, last, rect, level)


def render_layers(layers: Layers, photo: Photo, rect: Rect, level: int = 0) -> FloatImage:
    """Layers by themselves, bottom to top."""
    return paint(layers, scene_of(Ground(photo), level), transparent, rect)


def scene_of(ground: Ground, level: int) -> Scene:
    """What layers are rendered in, with what is kept of all pictures."""
    return Scene(ground, level, paint, _kept_below, _kept_below)


def _kept_below(scene: Scene, layers: Layers, rect: Rect) -> FloatImage:
    """Put together from tiles of the grid."""
    tile = replace(scene, below=_kept_whole)
    return kept.of(scene.photo).read(
        scene.ground, layers, scene.level, rect,
        lambda cell: paint(layers, tile, transparent, cell),
    )  # fmt: skip


def _kept_whole(scene: Scene, layers: Layers, rect: Rect) -> FloatImage:
    """As it is asked for to make a tile, which is the same every time."""
    return kept.of(scene.photo).read_whole(
        scene.ground, layers, scene.level, rect,
        lambda wide: paint(layers, scene, transparent, wide),
    ).copy()  # fmt: skip


def _below_at_once(scene: Scene, layers: Layers, rect: Rect) -> FloatImage:
    return paint(layers, scene, transparent, rect)


def _beneath(state: JobState, layer_id: int, level: int) -> tuple[Base, Scene]:
    """What a layer is laid on, and the scene there: the path down from the outermost group, of
    which every kind says what layers in it lie on."""
    layers, scene = state.layers, scene_of(photo_ground(state), level)
    base: Base = transparent
    path = path_to(state.layers, layer_id)
    for layer, inner in zip(path, (*path[1:], None), strict=True):
        rest = layers[: next(n for n, one in enumerate(layers) if one.id == layer.id)]
        base, scene = _on_top(rest, scene, base), scene.moved_by(rest)
        if inner is not None:
            base = BASE_IN[type(layer)](layer, inner, scene, base)
            layers = (inner,) if layer.HOLDS_PARTS else layer.children
    return base, scene


def _on_top(layers: Layers, scene: Scene, base: Base) -> Base:
    return lambda rect: paint(layers, scene, base, rect)


def deepest_level(photo: Photo, long_side_px: int = 1024) -> int:
    """The first level at which the whole photo is at most `long_side_px` long."""
    level = 0
    while max(photo.width, photo.height) >> level > long_side_px and level < DEEPEST_LEVEL:
        level += 1
    return level
