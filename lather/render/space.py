"""Where a place is meant: of the photo, of a layer, or as it is seen.

Layers that move lie between. What is found in the photo (regions, findings, faces, the area) is
in the photo's space; what is painted on a layer, in the layer's; what the pen points at is what
is seen. Whatever reads, marks, previews or limits at a place is given the space that it is in.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FULL, FloatImage, Plane
from lather.core.rect import Rect
from lather.core.shape import field as fields
from lather.core.shape.field import Points
from lather.core.work import NEVER, CancelToken
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layers
from lather.document.layers.moving import Moving, MovingLayer
from lather.document.state import JobState
from lather.document.tiles import Tiles
from lather.document.tree import path_to, place_of, without
from lather.render.reshaping import seen, seen_through, sources

GRID_PX = 4
ROWS_AT_ONCE = 128  # of nodes
_RIM_POINTS, _MARGIN_PX = 17, 8


@dataclass(frozen=True)
class Space:
    """The space of what lies between layers that move.

    Attributes
    ----------
    picture : the pixels that all of it lies on.
    below : what moves the photo to here, bottom to top.
    above : what moves this to where it is seen, bottom to top.
    """

    picture: Rect
    below: Moving = ()
    above: Moving = ()

    def to_seen(self, points: Points) -> Points:
        """(N, 2): where places of this space are seen."""
        return _upwards(self.above, points, self.picture)

    def from_seen(self, points: Points) -> Points:
        """What lies where places are seen."""
        return _downwards(self.above, points, self.picture)

    def to_photo(self, points: Points) -> Points:
        """Where the photo has what lies at places."""
        return _downwards(self.below, points, self.picture)

    def from_photo(self, points: Points) -> Points:
        """Where places of the photo lie in this space."""
        return _upwards(self.below, points, self.picture)

    def lifted(self, points: Points, higher: Space) -> Points:
        """(N, 2): where places of this space lie in one that is part of its way up."""
        between = self.above[: len(self.above) - len(higher.above)]
        return _upwards(between, points, self.picture)

    def seen_rect(self, rect: Rect) -> Rect:
        """Pixels that hold all that is seen of a rectangle; its rim goes round it."""
        for layer in self.above:
            there = seen(layer, _rim(rect), self.picture)
            margin_px = _MARGIN_PX if layer.mask is None else layer.reach_px(0)
            (x0, y0), (x1, y1) = np.floor(there.min(0)), np.ceil(there.max(0))
            rect = Rect(int(x0), int(y0), int(x1), int(y1)).grown(margin_px)
        return rect

    def shown(self, read: Callable[[Rect], FloatImage], rect: Rect, level: int) -> FloatImage:
        """(h, w, 4): pixels of this space as they are seen in a rectangle of a level."""
        return seen_through(self.above, read, rect, level, self.picture)

    def shifts_below(self, rect: Rect, level: int) -> NDArray[np.float32]:
        """(h, w, 2): how far off, in pixels of the level, the photo has what lies in a rectangle.

        By the displacement of every so many pixels, of one grid for all rectangles.
        """
        import cv2

        nothing = np.zeros((rect.height, rect.width, 2), dtype=np.float32)
        if not self.below:
            return nothing
        grid = Rect(rect.x0 // GRID_PX - 1, rect.y0 // GRID_PX - 1, -(-rect.x1 // GRID_PX) + 2,
                    -(-rect.y1 // GRID_PX) + 2)  # fmt: skip
        places = np.stack(np.meshgrid(np.arange(grid.x0, grid.x1), np.arange(grid.y0, grid.y1)), -1)
        points = (places.reshape(-1, 2).astype(np.float64) * GRID_PX + 0.5) * (1 << level)
        shifts = (self.to_photo(points) - points).reshape(places.shape) / (1 << level)
        if not shifts.any():
            return nothing
        xs, ys = np.arange(rect.x0, rect.x1), np.arange(rect.y0, rect.y1)
        at = np.meshgrid((xs / GRID_PX - grid.x0).astype("f4"),
                         (ys / GRID_PX - grid.y0).astype("f4"))  # fmt: skip
        out: NDArray[np.float32] = cv2.remap(shifts.astype("f4"), at[0], at[1], cv2.INTER_CUBIC)
        return out

    def over(self, layer: MovingLayer) -> Space:
        """Directly above a layer of this space that moves."""
        return replace(self, below=(*self.below, layer))

    def flat(self, state: JobState) -> JobState:
        """The state whose picture lies in this space: nothing above moves it."""
        ids = {layer.id for layer in self.above}
        return replace(state, layers=without(state.layers, ids)) if ids else state


def photo_space(state: JobState) -> Space:
    """Of what the photo has: regions, findings, faces, the area."""
    return layer_space(state, state.layers[0].id)


def layer_space(state: JobState, layer_id: int) -> Space:
    """Of what is painted on a layer, and of what it is laid on."""
    below: list[MovingLayer] = []
    above: list[MovingLayer] = []
    for layer in path_to(state.layers, layer_id):
        among, index = place_of(state.layers, layer.id)
        below += moving(among[:index])
        above = [*moving(among[index + 1 :]), *above]
    return Space(state.photo.rect, tuple(below), tuple(above))


def in_photo_space(state: JobState) -> JobState:
    """The state whose picture lies where the photo has it: for what is measured and found."""
    return photo_space(state).flat(state)


def above_layer(state: JobState, layer_id: int) -> Space:
    """Of what is seen directly above a layer: the places of a field are there."""
    space, layer = layer_space(state, layer_id), state.layer(layer_id)
    return replace(space, below=(*space.below, *moving((layer,))))


def painted_space(state: JobState, layer_id: int) -> Space:
    """Of a layer's own places: a field's are above it, all others' below."""
    layer = state.layer(layer_id)
    return above_layer(state, layer_id) if layer.MOVES else layer_space(state, layer_id)


def seen_space(state: JobState) -> Space:
    """Of the picture as it is seen."""
    return Space(state.photo.rect, photo_space(state).above)


def moving(layers: Layers) -> Moving:
    """Those among layers that move all that lies below, bottom to top."""
    return tuple(_moving(layers))


def _moving(layers: Layers) -> Iterator[MovingLayer]:
    for layer in layers:
        if not layer.is_shown:
            continue
        if isinstance(layer, MovingLayer):
            yield layer
        elif isinstance(layer, GroupLayer) and not layer.isolated:
            yield from _moving(layer.children)


def area_at_nodes(
    area: Tiles, space: Space, nodes: Rect, step_px: int, cancel: CancelToken = NEVER
) -> Plane:
    """(rows, columns) 0-1: the area, which lies on the photo, at nodes of a space."""
    picture = space.picture
    out: Plane = np.empty((nodes.height, nodes.width), dtype=np.float32)
    for top in range(nodes.y0, nodes.y1, ROWS_AT_ONCE):
        cancel.check()
        band = Rect(nodes.x0, top, nodes.x1, min(top + ROWS_AT_ONCE, nodes.y1))
        places = fields.node_places(band, step_px).reshape(-1, 2)
        x, y = space.to_photo(places).astype(int).T
        x, y = np.clip(x, 0, picture.width - 1), np.clip(y, 0, picture.height - 1)
        rect = Rect(int(x.min()), int(y.min()), int(x.max()) + 1, int(y.max()) + 1)
        plane = area.read(rect)[y - rect.y0, x - rect.x0].astype(np.float32) / np.float32(FULL)
        out[top - nodes.y0 : band.y1 - nodes.y0] = plane.reshape(band.height, band.width)
    return out


def _upwards(layers: Moving, points: Points, picture: Rect) -> Points:
    places = np.asarray(points, dtype=np.float64)
    for layer in layers:
        places = seen(layer, places, picture)
    return places


def _downwards(layers: Moving, points: Points, picture: Rect) -> Points:
    places = np.asarray(points, dtype=np.float64)
    for layer in reversed(layers):
        places = sources(layer, places, picture)
    return places


def _rim(rect: Rect) -> Points:
    share = np.linspace(0, 1, _RIM_POINTS)
    xs, ys = rect.x0 + share * rect.width, rect.y0 + share * rect.height
    x0, x1, y0, y1 = (np.full(_RIM_POINTS, v) for v in (rect.x0, rect.x1, rect.y0, rect.y1))
    return np.concatenate([np.stack(side, -1) for side in ((xs, y0), (xs, y1), (x0, ys), (x1, ys))])
