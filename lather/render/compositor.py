"""From a job's state to pixels: any rectangle, at any mip level, nothing rounded between.

A rectangle is given in the pixels of its level. Only tiles that exist are visited.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lather.core.arrays import FULL, FloatImage, MaskPixels, Plane
from lather.core.blend.composite import composite, mix
from lather.core.rect import Rect
from lather.document.layers import GroupLayer, Layer, Mask, PhotoLayer, PixelLayer
from lather.document.photo import Photo
from lather.document.state import JobState
from lather.document.tiles import DEEPEST_LEVEL, TILE_PX, Key, Tiles
from lather.document.tree import Layers, top_level_index


def render(state: JobState, rect: Rect, level: int = 0) -> FloatImage:
    """(h, w, 4) float32, straight alpha: all visible layers."""
    out = transparent(rect)
    render_layers(state.layers, state.photo, out, rect, level)
    return out


def transparent(rect: Rect) -> FloatImage:
    return np.zeros((rect.height, rect.width, 4), dtype=np.float32)


def render_photo(photo: Photo, rect: Rect, level: int = 0) -> FloatImage:
    """(h, w, 4) float32: the photo without any layer."""
    return photo.read_float(rect, level)


def render_up_to(state: JobState, layer_id: int, rect: Rect, level: int = 0) -> FloatImage:
    """All that shows up to and including a layer: what mending tools sample.

    The layer counts in full whatever its strength, so that a mend on a weakened layer
    builds on what the layer holds.
    """
    out = transparent(rect)
    index = top_level_index(state.layers, layer_id)
    render_layers(_up_to(state.layers[: index + 1], layer_id), state.photo, out, rect, level)
    return out


def render_layers(
    layers: Layers, photo: Photo, out: FloatImage, rect: Rect, level: int
) -> None:
    """Composite layers, bottom to top, onto `out` in place."""
    for layer in layers:
        if layer.visible and layer.strength > 0:
            _add_layer(layer, photo, out, rect, level)


def render_mask(layer: Layer, picture: Rect, rect: Rect, level: int = 0) -> FloatImage:
    """A layer's mask by itself, as grey: white shows, black hides.

    `picture` is the photo's own rectangle.
    """
    out = np.ones((rect.height, rect.width, 4), dtype=np.float32)
    if layer.mask is not None:
        out[..., :3] = mask_shares(layer.mask, picture, rect, level)[..., None]
    return out


def mask_shares(mask: Mask, picture: Rect, rect: Rect, level: int) -> Plane:
    """(h, w) 0-1: where a mask lets its layer show, whether it counts or not."""
    samples = read_level(mask.tiles, picture, rect, level).astype(np.float32) / np.float32(FULL)
    return 1 - samples if mask.inverted else samples


def _add_layer(layer: Layer, photo: Photo, out: FloatImage, rect: Rect, level: int) -> None:
    if isinstance(layer, PhotoLayer):
        photo.read_into(out, rect, level)
    elif isinstance(layer, PixelLayer):
        _add_pixels(layer, photo.rect, out, rect, level)
    elif isinstance(layer, GroupLayer):
        _add_group(layer, photo, out, rect, level)


def _add_pixels(
    layer: PixelLayer, picture: Rect, out: FloatImage, rect: Rect, level: int
) -> None:
    cell_px = TILE_PX >> level
    for key in _existing(layer.tiles, rect, cell_px):
        cell = Rect.cell(key, cell_px)
        part = cell.intersect(rect)
        inside = part.shifted(-cell.x0, -cell.y0).slices
        source = layer.tiles.mip(key, level, picture)[inside]
        if _hides_all(layer, key):
            continue
        composite(
            out[part.shifted(-rect.x0, -rect.y0).slices],
            source,
            mode=layer.mode,
            strength=layer.strength,
            mask=_mask_part(layer, key, picture, inside, level),
            mask_inverted=layer.mask is not None and layer.mask.inverted,
        )


def _add_group(
    group: GroupLayer, photo: Photo, out: FloatImage, rect: Rect, level: int
) -> None:
    mask = None
    if group.mask is not None and group.mask.enabled:
        mask = read_level(group.mask.tiles, photo.rect, rect, level)
    plain = group.strength >= 1 and mask is None
    if not group.isolated and plain:
        render_layers(group.children, photo, out, rect, level)
        return
    inside = transparent(rect) if group.isolated else out.copy()
    render_layers(group.children, photo, inside, rect, level)
    inverted = group.mask is not None and group.mask.inverted
    if group.isolated:
        composite(
            out, inside, mode=group.mode, strength=group.strength, mask=mask,
            mask_inverted=inverted,
        )  # fmt: skip
    else:  # what lies below is in it already
        mix(out, inside, strength=group.strength, mask=mask, mask_inverted=inverted)


def _existing(tiles: Tiles, rect: Rect, cell_px: int) -> list[tuple[int, int]]:
    """Keys of existing tiles in `rect`, whichever way of looking is shorter."""
    if not tiles:
        return []
    in_rect = (rect.width // cell_px + 2) * (rect.height // cell_px + 2)
    if in_rect < len(tiles.tiles):
        return [key for key in rect.cells(cell_px) if key in tiles.tiles]
    return [key for key in tiles.tiles if not Rect.cell(key, cell_px).intersect(rect).empty]


def _hides_all(layer: Layer, key: tuple[int, int]) -> bool:
    """True where an unpainted mask lets nothing through."""
    mask = layer.mask
    if mask is None or not mask.enabled or mask.tiles.get(key) is not None:
        return False
    return (mask.tiles.fill == FULL) == mask.inverted


def _mask_part(
    layer: Layer, key: Key, picture: Rect, inside: tuple[slice, slice], level: int
) -> MaskPixels | None:
    """The mask's samples for part of a tile; None where it lets all through."""
    mask = layer.mask
    if mask is None or not mask.enabled or mask.tiles.get(key) is None:
        return None
    return mask.tiles.mip(key, level, picture)[inside]


def read_level(tiles: Tiles, picture: Rect, rect: Rect, level: int) -> MaskPixels:
    """Samples of one-channel tiles on a picture, in a rectangle of a mip level."""
    cell_px = TILE_PX >> level
    out = np.full((rect.height, rect.width), tiles.fill, dtype=np.uint16)
    for key in _existing(tiles, rect, cell_px):
        cell = Rect.cell(key, cell_px)
        part = cell.intersect(rect)
        out[part.shifted(-rect.x0, -rect.y0).slices] = tiles.mip(key, level, picture)[
            part.shifted(-cell.x0, -cell.y0).slices
        ]
    return out


def _up_to(layers: Layers, layer_id: int) -> Layers:
    """The layers below a layer and the layer itself, at full strength."""
    *below, last = layers
    if last.id == layer_id:
        return (*below, replace(last, strength=1.0))
    assert isinstance(last, GroupLayer)
    index = top_level_index(last.children, layer_id)
    children = _up_to(last.children[: index + 1], layer_id)
    return (*below, replace(last, children=children))


def deepest_level(photo: Photo, long_side_px: int = 1024) -> int:
    """The first level at which the whole photo is at most `long_side_px` long."""
    level = 0
    while max(photo.width, photo.height) >> level > long_side_px and level < DEEPEST_LEVEL:
        level += 1
    return level
