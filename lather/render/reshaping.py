"""Where things are under the reshapes of a job, and where they are seen.

A layer below a reshape stays where it is painted. What is seen at a place of the picture is found
by going down through the reshapes (`to_layer`), and the other way round by going up (`seen_at`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FULL, FloatImage, Plane
from lather.core.rect import Rect, paste
from lather.core.shape import field as fields
from lather.core.shape.field import Field, Points, Sources, interpolated
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layers
from lather.document.layers.reshape import ReshapeLayer, Reshapes
from lather.document.state import JobState
from lather.document.tiles import Tiles
from lather.document.tree import path_to, place_of
from lather.render.levels import read_level


def moving(layers: Layers) -> Reshapes:
    """The reshapes among layers that move all that lies below, bottom to top."""
    return tuple(_moving(layers))


def _moving(layers: Layers) -> Iterator[ReshapeLayer]:
    for layer in layers:
        if not layer.is_shown:
            continue
        if isinstance(layer, ReshapeLayer):
            yield layer
        elif isinstance(layer, GroupLayer) and not layer.isolated:
            yield from _moving(layer.children)


def above(state: JobState, layer_id: int) -> Reshapes:
    """The reshapes that move what is painted on a layer, bottom to top."""
    found: list[ReshapeLayer] = []
    for layer in reversed(path_to(state.layers, layer_id)):
        among, index = place_of(state.layers, layer.id)
        found += moving(among[index + 1 :])
    return tuple(found)


def all_of(state: JobState) -> Reshapes:
    """The reshapes that move the photo, bottom to top."""
    return above(state, state.layers[0].id)


def below(state: JobState, layer_id: int) -> Reshapes:
    """The reshapes that lie below a layer, bottom to top."""
    higher = {layer.id for layer in above(state, layer_id)} | {layer_id}
    return tuple(layer for layer in all_of(state) if layer.id not in higher)


def to_layer(reshapes: Sequence[ReshapeLayer], points: Points, picture: Rect) -> Points:
    """Where what is seen at places lies below reshapes."""
    places = np.asarray(points, dtype=np.float64)
    for layer in reversed(reshapes):
        places = sources_of(layer, picture)(places)
    return places


def seen_at(reshapes: Sequence[ReshapeLayer], points: Points, picture: Rect) -> Points:
    """Where places of what lies below reshapes are seen."""
    places = np.asarray(points, dtype=np.float64)
    for layer in reshapes:
        places = fields.seen_at(sources_of(layer, picture), places)
    return places


def seen_rect(reshapes: Sequence[ReshapeLayer], rect: Rect, picture: Rect) -> Rect:
    """Pixels that hold all that is seen of a rectangle below reshapes; its rim goes round it."""
    for layer in reshapes:
        rim = _rim(rect)
        margin_px = layer.reach_px(0) if layer.mask is not None else _MARGIN_PX
        there = fields.seen_at(sources_of(layer, picture), rim)
        (x0, y0), (x1, y1) = np.floor(there.min(0)), np.ceil(there.max(0))
        rect = Rect(int(x0), int(y0), int(x1), int(y1)).grown(margin_px)
    return rect


GRID_PX = 4
_RIM_POINTS, _MARGIN_PX, _AT_ONCE = 17, 8, 100_000


def _rim(rect: Rect) -> Points:
    share = np.linspace(0, 1, _RIM_POINTS)
    xs, ys = rect.x0 + share * rect.width, rect.y0 + share * rect.height
    x0, x1, y0, y1 = (np.full(_RIM_POINTS, v) for v in (rect.x0, rect.x1, rect.y0, rect.y1))
    return np.concatenate([np.stack(side, -1) for side in ((xs, y0), (xs, y1), (x0, ys), (x1, ys))])


def seen_through(
    reshapes: Sequence[ReshapeLayer], below: Callable[[Rect], FloatImage], rect: Rect, level: int,
    picture: Rect,
) -> FloatImage:
    """(h, w, 4): a rectangle of what lies below reshapes, as it is seen."""
    from lather.core.shape.resample import resampled

    if not reshapes:
        return below(rect)
    layer = reshapes[-1]
    wide = rect.grown(layer.reach_px(level)).intersect(picture.at_level(level))
    pixels = seen_through(reshapes[:-1], below, wide, level, picture)
    out = np.zeros((rect.height, rect.width, 4), dtype=np.float32)
    paste(out, rect, pixels, wide)
    inside = rect.intersect(wide)
    part = out[inside.shifted(-rect.x0, -rect.y0).slices]
    field = shown_field(layer, inside.from_level(level), picture, level)
    resampled(pixels, wide, part, inside, field, level)
    return out


def shifts_in(
    reshapes: Sequence[ReshapeLayer], rect: Rect, level: int, picture: Rect
) -> NDArray[np.float32]:
    """(h, w, 2): how far off, in pixels of the level, what is seen in a rectangle of it lies below.

    By the displacement of every so many pixels, of one grid for all rectangles.
    """
    import cv2

    grid = Rect(rect.x0 // GRID_PX - 1, rect.y0 // GRID_PX - 1, -(-rect.x1 // GRID_PX) + 2,
                -(-rect.y1 // GRID_PX) + 2)  # fmt: skip
    places = np.stack(np.meshgrid(np.arange(grid.x0, grid.x1), np.arange(grid.y0, grid.y1)), -1)
    points = (places.reshape(-1, 2).astype(np.float64) * GRID_PX + 0.5) * (1 << level)
    shifts = (to_layer(reshapes, points, picture) - points).reshape(places.shape) / (1 << level)
    if not shifts.any():
        return np.zeros((rect.height, rect.width, 2), dtype=np.float32)
    xs, ys = np.arange(rect.x0, rect.x1), np.arange(rect.y0, rect.y1)
    at = np.meshgrid((xs / GRID_PX - grid.x0).astype("f4"), (ys / GRID_PX - grid.y0).astype("f4"))
    out: NDArray[np.float32] = cv2.remap(shifts.astype(np.float32), at[0], at[1], cv2.INTER_CUBIC)
    return out


def area_at_nodes(state: JobState, area: Tiles, layer: ReshapeLayer, nodes: Rect) -> Plane:
    """(rows, columns) 0-1: the area as it is seen above a reshape layer, at its nodes."""
    picture = state.photo.rect
    grid = fields.node_places(nodes, layer.step_px)
    points = (grid + layer.field(nodes).nodes).reshape(-1, 2)
    lower = below(state, layer.id)
    if lower:
        parts = [to_layer(lower, points[n : n + _AT_ONCE].astype(np.float64), picture)
                 for n in range(0, len(points), _AT_ONCE)]  # fmt: skip
        points = np.concatenate(parts)
    x = np.clip(points[:, 0].astype(int), 0, picture.width - 1)
    y = np.clip(points[:, 1].astype(int), 0, picture.height - 1)
    rect = Rect(int(x.min()), int(y.min()), int(x.max()) + 1, int(y.max()) + 1)
    plane = area.read(rect)[y - rect.y0, x - rect.x0].astype(np.float32) / np.float32(FULL)
    out: Plane = plane.reshape(nodes.height, nodes.width)
    return out


def sources_of(layer: ReshapeLayer, picture: Rect) -> Sources:
    """The map of a reshape as it is shown: by its strength and mask."""
    def sources(points: Points) -> Points:
        if layer.mask is not None and layer.mask.enabled and len(points):
            low, high = np.floor(points.min(0)), np.ceil(points.max(0))
            rect = Rect(int(low[0]), int(low[1]), int(high[0]) + 1, int(high[1]) + 1)
            inside = rect.intersect(picture.grown(4 * layer.step_px))
            return shown_field(layer, inside, picture).sources(points)
        moved = interpolated(points, layer.step_px, layer.nodes_at)
        return np.asarray(points + layer.strength * moved, dtype=np.float64)

    return sources


def shown_field(layer: ReshapeLayer, rect: Rect, picture: Rect, level: int = 0) -> Field:
    """The field that a reshape shows in a rectangle of full size: its strength and mask are in it.

    For a mip level only as many nodes as its pixels need.
    """
    stride = max(1, (1 << level) // layer.step_px)
    nodes = fields.nodes_under(rect, layer.step_px * stride)
    field = layer.field(nodes, stride)
    if layer.strength < 1:
        field = field.scaled(layer.strength)
    if layer.mask is not None and layer.mask.enabled:
        shares = _mask_at_nodes(layer, nodes, field.step_px, picture)
        field = Field(field.nodes * shares[..., None], nodes, field.step_px)
    return field


def _mask_at_nodes(layer: ReshapeLayer, nodes: Rect, step_px: int, picture: Rect) -> Plane:
    """(rows, columns) 0-1: the mask, smooth enough not to fold the field."""
    import cv2

    from lather.core.filter.reach import gaussian_reach_px

    assert layer.mask is not None
    level = step_px.bit_length() - 1
    sigma = layer.mask_sigma_px / step_px
    wide = nodes.grown(gaussian_reach_px(sigma) + 1)
    # A sample lies half a step past its node: the mean of four lies on it.
    samples = read_level(layer.mask.tiles, picture, wide, level).astype(np.float32) / FULL
    shares = 1 - samples if layer.mask.inverted else samples
    shares = cv2.blur(shares, (2, 2), anchor=(1, 1), borderType=cv2.BORDER_REPLICATE)
    soft = cv2.GaussianBlur(shares, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
    inside = nodes.shifted(-wide.x0, -wide.y0).slices
    out: Plane = np.ascontiguousarray(soft[inside], dtype=np.float32)
    return out

