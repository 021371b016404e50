"""The field of a layer that moves, as it is shown: points and pixels through it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lather.core.arrays import FloatImage
from lather.core.rect import Rect, paste
from lather.core.shape import field as fields
from lather.core.shape.field import SUPPORT, Field, Points
from lather.document.layers.moving import Moving, MovingLayer
from lather.render.soft_mask import soft_mask

GROW_NODES = SUPPORT + 1


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
    if not len(points):
        return points
    return _field_around(layer, points, picture, 0).sources(points)


def seen(layer: MovingLayer, points: Points, picture: Rect) -> Points:
    """Where places below a layer are seen above it."""
    if not len(points):
        return points
    return _field_around(layer, points, picture, _most_px(layer)).seen(points)


def _field_around(layer: MovingLayer, points: Points, picture: Rect, reach_px: int) -> Field:
    """As much of the field as places, and those within a reach of them, depend on."""
    low, high = np.floor(points.min(0)), np.floor(points.max(0))
    rect = Rect(int(low[0]), int(low[1]), int(high[0]) + 1, int(high[1]) + 1).grown(reach_px)
    bounds = layer.bounds or picture
    # Beyond what it moves lies nothing but nodes that do not; a rim of them says so.
    inside = rect.intersect(bounds.grown(GROW_NODES * layer.step_px))
    if inside.empty:
        nothing = np.zeros((1, 1, 2), dtype=np.float32)
        return Field(nothing, Rect(0, 0, 1, 1), layer.step_px)
    return shown_field(layer, inside, picture)


def _most_px(layer: MovingLayer) -> int:
    """How far a place can be seen from where it lies."""
    return int(np.ceil(1.5 * layer.largest_px * layer.strength)) + 2 * layer.step_px


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
