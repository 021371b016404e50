"""What lies below and above each layer with a reach, kept as tiles.

Shared by view, tools, strokes and export.

The picture is kept in tiles of one grid. What lies below a layer that looks around itself is kept
as it was asked for to make a tile: the tile with a margin. So no tile is made that nobody looks at,
only because a margin of a few pixels lies in it.

A tile is valid for the very layers that it was made of. Where some of them are replaced, only the
tiles that the change touches are made anew. What is kept is the same, bit for bit, as what would be
computed: any part of a picture is that part of the whole.

Every photo has a cache of its own, which goes with it (`Caches`): two jobs in one process do not
push each other out, and nothing is kept of one that is closed.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from weakref import WeakKeyDictionary

from lather.core.arrays import FloatImage
from lather.core.rect import Rect, paste
from lather.document.diff import changed_between
from lather.document.layers.layer import Layers
from lather.document.photo import Photo
from lather.document.tiles import TILE_PX, Key
from lather.document.tree import limited_by_regions, walk
from lather.render.ground import Ground, RegionsThere
from lather.render.layers.scene import transparent

MOST_BYTES = 256 * 2**20
MOST_BOUNDARIES = 48

Make = Callable[[Rect], FloatImage]
_Place = tuple[int, Rect]  # level, rectangle of it


@dataclass
class _Boundary:
    """Tiles of some layers' picture; replaced as a whole by `_become`."""

    regions: RegionsThere
    layers: Layers
    tiles: OrderedDict[_Place, FloatImage] = field(default_factory=OrderedDict)

    @property
    def n_bytes(self) -> int:
        return sum(tile.nbytes for tile in self.tiles.values())


class BoundaryCache:
    """Any thread. Boundaries are told apart by the ids of the layers below them."""

    def __init__(self, most_bytes: int = MOST_BYTES) -> None:
        self._most_bytes = most_bytes
        self._n_bytes = 0
        self._lock = threading.Lock()
        self._boundaries: OrderedDict[tuple[int, ...], _Boundary] = OrderedDict()

    @property
    def n_bytes(self) -> int:
        return self._n_bytes

    def clear(self) -> None:
        with self._lock:
            self._boundaries.clear()
            self._n_bytes = 0

    def keep_only(self, layers: Layers) -> None:
        """Let go of what holds layers that are not among these, or in them."""
        there = {layer.id for layer in walk(layers)}
        with self._lock:
            self._forget(lambda boundary: any(one.id not in there for one in walk(boundary.layers)))

    def read(
        self, ground: Ground, layers: Layers, level: int, rect: Rect, make: Make
    ) -> FloatImage:
        """A fresh array of a rectangle of a level; `make` renders what is not kept."""
        out = transparent(rect)
        for key in rect.cells(TILE_PX):
            cell = Rect.cell(key, TILE_PX)
            paste(out, rect, self.read_whole(ground, layers, level, cell, make), cell)
        return out

    def read_whole(
        self, ground: Ground, layers: Layers, level: int, rect: Rect, make: Make
    ) -> FloatImage:
        """The kept array of exactly that rectangle, or a part of one, read-only; `make` renders
        what is not kept."""
        tile = self._kept(ground, layers, (level, rect))
        if tile is None:
            tile = make(rect)
            self._keep(ground, layers, (level, rect), tile)
        return tile

    def peek(
        self, ground: Ground, layers: Layers, level: int, key: Key
    ) -> FloatImage | None:
        """A tile, if these very layers' picture is kept there; read-only."""
        with self._lock:
            boundary = self._boundaries.get(tuple(layer.id for layer in layers))
            if boundary is None or boundary.layers != layers or not _holds(boundary, ground):
                return None
            return boundary.tiles.get((level, Rect.cell(key, TILE_PX)))

    def _kept(self, ground: Ground, layers: Layers, place: _Place) -> FloatImage | None:
        with self._lock:
            boundary = self._become(ground, layers)
            if place in boundary.tiles:
                boundary.tiles.move_to_end(place)
                return boundary.tiles[place]
            level, wanted = place
            for (kept_level, rect), wide in boundary.tiles.items():
                if kept_level == level and rect.intersect(wanted) == wanted:
                    part: FloatImage = wide[wanted.shifted(-rect.x0, -rect.y0).slices]
                    return part
            return None

    def _keep(self, ground: Ground, layers: Layers, place: _Place, tile: FloatImage) -> None:
        with self._lock:
            boundary = self._become(ground, layers)
            self._drop(boundary, place)
            boundary.tiles[place] = tile
            self._n_bytes += tile.nbytes
            while self._n_bytes > max(self._most_bytes, tile.nbytes):
                oldest = next(b for b in self._boundaries.values() if b.tiles)
                self._drop(oldest, next(iter(oldest.tiles)))
            self._forget(lambda boundary: not boundary.tiles)

    def _forget(self, is_gone: Callable[[_Boundary], bool]) -> None:
        for ids, boundary in list(self._boundaries.items()):
            if is_gone(boundary):
                self._n_bytes -= boundary.n_bytes
                del self._boundaries[ids]

    def _drop(self, boundary: _Boundary, place: _Place) -> None:
        tile = boundary.tiles.pop(place, None)
        if tile is not None:
            self._n_bytes -= tile.nbytes

    def _become(self, ground: Ground, layers: Layers) -> _Boundary:
        """The boundary above these very layers, with what of the earlier ones still holds."""
        ids = tuple(layer.id for layer in layers)
        boundary = self._boundaries.get(ids)
        if boundary is None or not _holds(boundary, ground):
            if boundary is not None:
                self._n_bytes -= boundary.n_bytes
            boundary = self._boundaries[ids] = _Boundary(ground.there, layers)
            while len(self._boundaries) > MOST_BOUNDARIES:
                self._n_bytes -= self._boundaries.popitem(last=False)[1].n_bytes
        elif boundary.layers != layers:
            everywhere = set(ground.photo.rect.cells(TILE_PX))
            changed = changed_between(boundary.layers, layers, everywhere)
            by_level = {
                level: {(r >> level, c >> level) for r, c in changed}
                for level in {level for level, _ in boundary.tiles}
            }
            for level, rect in list(boundary.tiles):
                if not by_level[level].isdisjoint(rect.cells(TILE_PX)):
                    self._drop(boundary, (level, rect))
            boundary.layers = layers
        self._boundaries.move_to_end(ids)
        return boundary


def _holds(boundary: _Boundary, ground: Ground) -> bool:
    """True if what is kept was made on that ground, or comes out the same on it."""
    return boundary.regions == ground.there or not limited_by_regions(boundary.layers)


class Caches:
    """A cache for each photo, as long as that is there. Any thread."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._of: WeakKeyDictionary[Photo, BoundaryCache] = WeakKeyDictionary()

    def of(self, photo: Photo) -> BoundaryCache:
        with self._lock:
            if photo not in self._of:
                self._of[photo] = BoundaryCache()
            return self._of[photo]

    def close(self, photo: Photo) -> None:
        """Let go of all that is kept of a photo."""
        with self._lock:
            self._of.pop(photo, None)

    def clear(self) -> None:
        """Let go of all that is kept."""
        with self._lock:
            self._of.clear()
