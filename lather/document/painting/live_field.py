"""A reshape stroke while it happens: moves add up, and the layer's planes follow.

Used by one worker thread, like `LiveStroke`. What it hands out are values.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FULL, Plane
from lather.core.rect import Rect, paste
from lather.core.shape.field import Field, node_rect, pixels_around
from lather.core.shape.guard import Guard
from lather.core.shape.moves import MARGIN, Dab, Move, moved
from lather.core.shape.shifts import shifted
from lather.document.layers.reshape import ReshapeLayer
from lather.document.tiles import TILE_PX, Key

Limit = Callable[[ReshapeLayer, Rect], Plane]  # (rows, columns) 0-1 of a rectangle of nodes

FREE_MARGIN = 8  # nodes: the rim of what is held is smoothed over so many
NOTHING = Rect(0, 0, 0, 0)


@dataclass(frozen=True)
class Made:
    """A move that was made, to be made again on another state of the layer."""

    move: Move
    dab: Dab
    guard: Guard


class LiveField:
    """Moves onto a reshape layer.

    Parameters
    ----------
    picture : the pixels that the field lies on.
    limit : how far nodes may move, beside what the layer holds; None: all the way.
    """

    def __init__(self, layer: ReshapeLayer, picture: Rect, limit: Limit | None = None) -> None:
        self.layer = layer
        self.made: list[Made] = []
        self.rect = NOTHING  # all that was changed, pixels of the picture
        self.stopped = False  # a move was made smaller, for it would have folded
        self._picture = picture
        self._whole = node_rect(picture, layer.step_px)
        self._limit = limit
        self._nodes: dict[Key, NDArray[np.float32]] = {}
        self._free: dict[Key, Plane] = {}

    def add(self, moves: Iterable[Made]) -> Rect:
        """Make moves; the pixels of the picture that changed."""
        changed = NOTHING
        for made in moves:
            changed = changed.union(self._add(made))
        if changed.empty:
            return changed
        self._store(changed)
        dirty = pixels_around(changed, self.layer.step_px).intersect(self._picture)
        self.rect = self.rect.union(dirty)
        return dirty

    def set_nodes(self, field: Field) -> Rect:
        """Take over nodes that were worked out otherwise."""
        self._scatter(field.rect, field.nodes)
        self._store(field.rect)
        dirty = pixels_around(field.rect, self.layer.step_px).intersect(self._picture)
        self.rect = self.rect.union(dirty)
        return dirty

    def _add(self, made: Made) -> Rect:
        step, dab = self.layer.step_px, made.dab
        at = node_rect(dab.rect, step).grown(MARGIN).intersect(self._whole)
        if at.empty:
            return NOTHING
        nodes = self.nodes(at)
        before = nodes.copy()
        share = moved(nodes, at, step, self.free(at), made.move, dab, self._picture, made.guard,
                      self.layer.most_px)  # fmt: skip
        self.stopped = self.stopped or share < 1
        if share == 0 or np.array_equal(before, nodes):  # it would fold, or all of it is held
            return NOTHING
        self._scatter(at, nodes)
        self.made.append(made)
        return at

    def shift(self, rect: Rect, shift: NDArray[np.float32], guard: Guard) -> float:
        """Shift nodes of a rectangle at once; how much of it was made, 0-1."""
        nodes = self.nodes(rect)
        share = shifted(nodes, rect, self.layer.step_px, self.free(rect), shift, self._picture,
                        guard, self.layer.most_px)  # fmt: skip
        self.stopped = self.stopped or share < 1
        if share > 0:
            self.set_nodes(Field(nodes, rect, self.layer.step_px))
        return share

    def nodes(self, rect: Rect) -> NDArray[np.float32]:
        """(rows, columns, 2): displacements of nodes as they are now, a fresh array."""
        out = np.zeros((rect.height, rect.width, 2), dtype=np.float32)
        for key in rect.cells(TILE_PX):
            paste(out, rect, self._tile(key), Rect.cell(key, TILE_PX))
        return out

    def free(self, rect: Rect) -> Plane:
        """(rows, columns) 0-1: 0 where nothing may move."""
        out = np.ones((rect.height, rect.width), dtype=np.float32)
        for key in rect.cells(TILE_PX):
            if key not in self._free:
                self._free[key] = self._free_of(Rect.cell(key, TILE_PX))
            paste(out, rect, self._free[key], Rect.cell(key, TILE_PX))
        return out

    def _free_of(self, cell: Rect) -> Plane:
        wide = cell.grown(FREE_MARGIN)
        near = set(wide.cells(TILE_PX))
        if self._limit is None and not near & self.layer.hold.tiles.keys():
            return np.full((cell.height, cell.width), 1 - self.layer.hold.fill / FULL, "f4")
        import cv2

        held = self.layer.hold.read(wide).astype(np.float32) / np.float32(FULL)
        free = 1 - held
        if self._limit is not None:
            free *= self._limit(self.layer, wide)
        soft = cv2.GaussianBlur(free, (0, 0), FREE_MARGIN / 3, borderType=cv2.BORDER_REPLICATE)
        # What is held wholly stays so: only the free side fades.
        soft = np.minimum(soft, free)
        out: Plane = np.ascontiguousarray(soft[FREE_MARGIN:-FREE_MARGIN, FREE_MARGIN:-FREE_MARGIN])
        return out

    def _tile(self, key: Key) -> NDArray[np.float32]:
        if key not in self._nodes:
            self._nodes[key] = self.layer.field(Rect.cell(key, TILE_PX)).nodes
        return self._nodes[key]

    def _scatter(self, rect: Rect, nodes: NDArray[np.float32]) -> None:
        for key in rect.cells(TILE_PX):
            paste(self._tile(key), Rect.cell(key, TILE_PX), nodes, rect)

    def _store(self, rect: Rect) -> None:
        self.layer = self.layer.with_nodes(rect, self.nodes(rect))
