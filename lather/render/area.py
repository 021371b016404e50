"""The area, which lies on the photo, in the space of what it limits."""

from __future__ import annotations

import operator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import Plane
from lather.core.last import Last
from lather.core.rect import Rect
from lather.document.planes import read_plane
from lather.document.state import JobState
from lather.document.tiles import TILE_PX, Extent, Tiles
from lather.render.space import Space, painted_space


def area_in(state: JobState, space: Space) -> Tiles | None:
    """The area as it lies in a space; its tiles are worked out where they are looked at."""
    area = state.area
    if area is None or not space.below:
        return area
    return _KEPT.of((area, *space.below), lambda: _moved(area, space))


def area_on(state: JobState, layer_id: int) -> Tiles | None:
    """The area where it lies on a layer: what limits painting there."""
    return area_in(state, painted_space(state, layer_id))


def limit_on(state: JobState, layer_id: int, rect: Rect) -> Plane | None:
    """(h, w) 0-1: how far the tools may change a layer in a rectangle; None: all of it."""
    area = area_on(state, layer_id)
    return None if area is None else read_plane(area, rect)


@dataclass(frozen=True)
class _MovedTile:
    """A tile of an area above what moved it (a `StoredTile`)."""

    area: Tiles
    space: Space
    cell: Rect

    def pixels(self) -> NDArray[np.uint16]:
        import cv2

        shift = self.space.shifts_below(self.cell, 0)
        if not shift.any():
            return self.area.read(self.cell)
        far = int(np.ceil(np.abs(shift).max())) + 1
        wide = self.area.read(self.cell.grown(far))
        y, x = (grid.astype("f4") + far for grid in np.mgrid[:TILE_PX, :TILE_PX])
        out: NDArray[np.uint16] = cv2.remap(
            wide, x + shift[..., 0], y + shift[..., 1], cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        )  # fmt: skip
        return out

    def reduced(self, level: int, inside: Extent) -> NDArray[np.uint16] | None:  # noqa: ARG002
        return None


def _moved(area: Tiles, space: Space) -> Tiles:
    there = Space(space.picture, above=space.below).seen_rect(area.bounds())
    cells = there.intersect(space.picture).cells(TILE_PX)
    moved = {key: _MovedTile(area, space, Rect.cell(key, TILE_PX)) for key in cells}
    return Tiles(1, area.fill).with_kept_outside(moved)


_KEPT: Last[Tiles] = Last(operator.eq)
