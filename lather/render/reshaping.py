"""The field of a layer that moves, as it is shown: points and pixels through it."""

from __future__ import annotations

import operator
from collections.abc import Callable

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.last import Last
from lather.core.rect import Rect, paste
from lather.core.shape import field as fields
from lather.core.shape.field import Field, Points
from lather.core.shape.warp import Warp
from lather.document.layers.moving import Moving, MovingLayer
from lather.document.tiles import TILE_PX
from lather.render.soft_mask import SoftMask, soft_mask


def shown_field(layer: MovingLayer, rect: Rect, picture: Rect, level: int = 0) -> Field:
    """The field that a layer shows in a rectangle of full size: its strength and mask are in it.

    For a mip level only as many nodes as its pixels need.
    """
    stride = max(1, (1 << level) // layer.step_px)
    nodes = fields.nodes_under(rect, layer.step_px * stride)
    field = layer.field(nodes, stride)
    if layer.strength < 1:
        field = field.scaled(layer.strength)
    soft = soft_mask(layer, picture)
    if soft is not None:
        shares = soft.at_nodes(nodes, field.step_px)
        field = Field(field.nodes * shares[..., None], nodes, field.step_px)
    return field


def sources(layer: MovingLayer, points: Points, picture: Rect) -> Points:
    """Where what is seen at places above a layer lies below it."""
    return _warp(layer, picture).sources(points)


def seen(layer: MovingLayer, points: Points, picture: Rect) -> Points:
    """Where places below a layer are seen above it."""
    return _warp(layer, picture).seen(points)


def prepare_places(layer: MovingLayer, picture: Rect) -> None:
    """On a worker: have all that places go by ready before the interface thread asks."""
    _warp(layer, picture)


def _warp(layer: MovingLayer, picture: Rect) -> Warp:
    soft = soft_mask(layer, picture)
    about = *layer.displaced, layer.step_px, layer.strength, soft
    return _KEPT.of(about, lambda: _found_warp(layer, soft))


def _found_warp(layer: MovingLayer, soft: SoftMask | None) -> Warp:
    shares, pitch_px = (NO_MASK, layer.step_px) if soft is None else (soft.shares, soft.pitch_px)
    across, down = layer.displaced
    keys = sorted(across.tiles.keys() | down.tiles.keys())
    top = min((row for row, _ in keys), default=0)
    left = min((column for _, column in keys), default=0)
    size = tuple(1 + max((key[axis] for key in keys), default=0) - first
                 for axis, first in enumerate((top, left)))  # fmt: skip
    index = np.full(size, -1, dtype=np.int64)
    for number, (row, column) in enumerate(keys):
        index[row - top, column - left] = number
    none = np.zeros((0, TILE_PX, TILE_PX), dtype=np.uint16)
    samples = [np.stack([tiles.pixels(key) for key in keys]) if keys else none
               for tiles in (across, down)]  # fmt: skip
    return Warp(samples[0], samples[1], index, top, left, layer.step_px,
                layer.strength * layer.px_per_sample, shares, pitch_px)  # fmt: skip


NO_MASK: Plane = np.ones((1, 1), dtype=np.float32)
_KEPT: Last[Warp] = Last(operator.eq, n_kept=6)


def seen_through(
    layers: Moving, below: Callable[[Rect], FloatImage], rect: Rect, level: int, picture: Rect
) -> FloatImage:
    """(h, w, 4): a rectangle of what lies below layers that move, as it is seen."""
    from lather.core.shape.resample import resampled

    if not layers:
        return below(rect)
    layer = layers[-1]
    wide = rect.grown(layer.reach_px(level)).intersect(picture.at_level(level))
    pixels = seen_through(layers[:-1], below, wide, level, picture)
    out = np.zeros((rect.height, rect.width, 4), dtype=np.float32)
    paste(out, rect, pixels, wide)
    inside = rect.intersect(wide)
    part = out[inside.shifted(-rect.x0, -rect.y0).slices]
    field = shown_field(layer, inside.from_level(level), picture, level)
    resampled(pixels, wide, part, inside, field, level)
    return out
