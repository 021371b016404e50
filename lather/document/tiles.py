"""Sparse, immutable pixels: a grid of tiles that shares whatever did not change.

A `Tiles` is a value. Editing makes a new one with some tiles replaced, so keeping an old
state for undo or handing one to another thread costs nothing and needs no lock.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FULL
from lather.core.blend.composite import halve_mask, halve_pixels
from lather.core.rect import Rect

TILE_PX = 256
DEEPEST_LEVEL = 8  # a tile is one pixel there

Key = tuple[int, int]  # row, column


Extent = tuple[int, int]  # rows, columns
WHOLE: Extent = (TILE_PX, TILE_PX)


class StoredTile(Protocol):
    """A tile's samples kept outside of memory."""

    def pixels(self) -> NDArray[np.uint16]:
        """The samples, read now; read-only."""

    def reduced(self, level: int, inside: Extent) -> NDArray[np.uint16] | None:
        """A mip kept for itself, or None if only the samples are; `inside` as for a tile."""


class Tile:
    """One 256 x 256 block of uint16 samples, read-only, with its mips made when asked for.

    The samples may lie outside of memory until they are needed (`stored`) and be sent back
    there (`park`). Two threads may read or reduce the same tile at once; both get the same
    values.
    """

    __slots__ = ("__weakref__", "_mips", "stored")

    def __init__(self, pixels: NDArray[np.uint16]) -> None:
        assert pixels.shape[:2] == (TILE_PX, TILE_PX) and pixels.dtype == np.uint16
        pixels.flags.writeable = False
        self._mips = [pixels]
        self.stored: StoredTile | None = None

    @classmethod
    def kept_outside(cls, stored: StoredTile) -> Tile:
        """A tile that is read when its samples are first needed."""
        tile = cls.__new__(cls)
        tile._mips = []
        tile.stored = stored
        return tile

    @property
    def pixels(self) -> NDArray[np.uint16]:
        mips = self._mips  # once: another thread may park it meanwhile
        return (mips or self._read())[0]

    def level(self, level: int, inside: Extent = WHOLE) -> NDArray[np.uint16]:
        """The tile reduced 2**level times: (256 >> level) squared.

        `inside` is how much of it lies on the picture, always the same for one tile. The
        border is repeated before each halving, as the photo's own mips do it: what lies beyond
        is nothing, and must not shine through.
        """
        mips = self._mips
        if not mips:
            assert self.stored is not None
            reduced = self.stored.reduced(level, inside) if level else None
            if reduced is not None:
                return reduced
            mips = self._read()
        while len(mips) <= level:
            half = halved(mips[-1], inside, len(mips) - 1)
            half.flags.writeable = False
            mips = [*mips, half]
        if len(mips) > len(self._mips):
            self._mips = mips
        return mips[level]

    @property
    def nbytes(self) -> int:
        """Memory in use now."""
        return sum(mip.nbytes for mip in self._mips)

    @property
    def in_memory(self) -> bool:
        return bool(self._mips)

    def park(self, stored: StoredTile) -> None:
        """Give the memory back; `stored` holds the same samples."""
        self.stored = stored
        self._mips = []

    def _read(self) -> list[NDArray[np.uint16]]:
        assert self.stored is not None
        mips = [self.stored.pixels()]
        self._mips = mips
        return mips


@dataclass(frozen=True, eq=False)
class Tiles:
    """An endless plane of pixels of which only some tiles exist.

    Attributes
    ----------
    channels : 4 for layer pixels (straight RGBA), 1 for masks (two-dimensional tiles).
    fill : the sample value where no tile exists.
    extras : fields of a newer Lather that describe the plane, kept and saved again; those of
        its reduced picture under 'small'.
    """

    channels: int = 4
    fill: int = 0
    tiles: Mapping[Key, Tile] = field(default_factory=lambda: MappingProxyType({}))
    extras: Mapping[str, Any] = field(default_factory=dict)

    def __bool__(self) -> bool:
        return bool(self.tiles)

    def get(self, key: Key) -> Tile | None:
        return self.tiles.get(key)

    def pixels(self, key: Key) -> NDArray[np.uint16]:
        """The samples of a tile, existing or not; read-only."""
        tile = self.tiles.get(key)
        return tile.pixels if tile else blank_pixels(self.channels, self.fill)

    def with_tiles(self, changed: Mapping[Key, NDArray[np.uint16] | None]) -> Tiles:
        """A copy with some tiles replaced; None, or an array all `fill`, removes one."""
        tiles = dict(self.tiles)
        for key, pixels in changed.items():
            if pixels is None or self._is_blank(pixels):
                tiles.pop(key, None)
            else:
                tiles[key] = Tile(pixels)
        return self._with(tiles)

    def with_tile_objects(self, changed: Mapping[Key, Tile]) -> Tiles:
        return self._with({**self.tiles, **changed})

    def with_kept_outside(self, stored: Mapping[Key, StoredTile]) -> Tiles:
        """A copy with tiles that are read when needed."""
        added = {key: Tile.kept_outside(where) for key, where in stored.items()}
        return self.with_tile_objects(added)

    def changed_keys(self, other: Tiles) -> Iterator[Key]:
        """Keys whose tiles are not the same object in both."""
        for key in self.tiles.keys() | other.tiles.keys():
            if self.tiles.get(key) is not other.tiles.get(key):
                yield key

    def mip(self, key: Key, level: int, picture: Rect) -> NDArray[np.uint16]:
        """An existing tile reduced 2**level times; see `Tile.level`.

        `picture` is what the plane lies on, full resolution.
        """
        tile = self.tiles[key]
        return tile.level(level, extent(key, picture)) if level else tile.pixels

    def bounds(self) -> Rect:
        """Pixels covered by existing tiles."""
        return Rect.union_of(Rect.cell(key, TILE_PX) for key in self.tiles)

    def read(self, rect: Rect) -> NDArray[np.uint16]:
        """A fresh array of the samples in `rect`."""
        shape = (rect.height, rect.width) + ((self.channels,) if self.channels > 1 else ())
        out = np.full(shape, self.fill, dtype=np.uint16)
        for key in rect.cells(TILE_PX):
            tile = self.tiles.get(key)
            if tile is None:
                continue
            cell = Rect.cell(key, TILE_PX)
            part = cell.intersect(rect)
            inside = part.shifted(-rect.x0, -rect.y0).slices
            out[inside] = tile.pixels[part.shifted(-cell.x0, -cell.y0).slices]
        return out

    def equals(self, other: Tiles) -> bool:
        """Same samples everywhere; only tiles that are not the same objects are looked at."""
        return self.fill == other.fill and all(
            np.array_equal(self.pixels(key), other.pixels(key)) for key in self.changed_keys(other)
        )

    def _with(self, tiles: dict[Key, Tile]) -> Tiles:
        return Tiles(self.channels, self.fill, MappingProxyType(tiles), self.extras)

    def _is_blank(self, pixels: NDArray[np.uint16]) -> bool:
        if self.channels == 4:
            return not pixels[..., 3].any()
        return bool((pixels == self.fill).all())


def extent(key: Key, picture: Rect) -> Extent:
    """How much of a tile lies on the picture."""
    rows, columns = picture.y1 - key[0] * TILE_PX, picture.x1 - key[1] * TILE_PX
    return min(max(rows, 1), TILE_PX), min(max(columns, 1), TILE_PX)


def halved(mip: NDArray[np.uint16], inside: Extent, level: int) -> NDArray[np.uint16]:
    """The next mip of a tile's mip of `level`, of which `inside` lies on the picture."""
    if inside != WHOLE:
        mip = _with_border(mip, inside, level)
    half = np.empty((mip.shape[0] // 2, mip.shape[1] // 2, *mip.shape[2:]), dtype=np.uint16)
    (halve_pixels if mip.ndim == 3 else halve_mask)(np.ascontiguousarray(mip), half)
    return half


def _with_border(mip: NDArray[np.uint16], inside: Extent, level: int) -> NDArray[np.uint16]:
    """A mip with its last row and column on the picture repeated beyond it."""
    rows, columns = -(-inside[0] // (1 << level)), -(-inside[1] // (1 << level))
    repeated = mip.copy()
    repeated[rows:] = repeated[rows - 1]
    repeated[:, columns:] = repeated[:, columns - 1 : columns]
    return repeated


_blanks: dict[tuple[int, int], NDArray[Any]] = {}


def blank_pixels(channels: int, fill: int) -> NDArray[np.uint16]:
    """The shared read-only samples of a tile that does not exist."""
    if (channels, fill) not in _blanks:
        shape = (TILE_PX, TILE_PX) + ((channels,) if channels > 1 else ())
        blank = np.full(shape, fill, dtype=np.uint16)
        blank.flags.writeable = False
        _blanks[channels, fill] = blank
    return _blanks[channels, fill]


NO_PIXELS = Tiles()
WHITE_MASK = Tiles(channels=1, fill=FULL)
BLACK_MASK = Tiles(channels=1, fill=0)
