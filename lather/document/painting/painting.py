"""A stroke while it happens: coverage builds up and the layer's tiles follow.

Used by one worker thread from the first dab to the last. The tiles that it hands out are
values like any other, so the picture can be rendered from them at every moment.
"""

from __future__ import annotations

from typing import Protocol

import numpy as np

from lather.core.arrays import FULL, LayerPixels, Plane
from lather.core.blend.composite import to_pixels
from lather.core.brush.dabs import Dabs, dabs_rect, lay_colour, lay_erase, lay_mask, stamp
from lather.core.rect import Rect, paste
from lather.document.photo import Photo
from lather.document.tiles import TILE_PX, Key, Tile, Tiles


class Paint(Protocol):
    """What a brush lays down, tile by tile."""

    def lay(
        self, key: Key, part: Rect, base: LayerPixels, coverage: Plane, out: LayerPixels
    ) -> None:
        """Write `base` changed by `coverage` into `out`; all are views of `part` of a tile."""


class ColourPaint:
    """One colour, encoded RGB 0-1."""

    def __init__(self, colour: tuple[float, float, float]) -> None:
        samples = np.array([*colour, 1.0]) * FULL + 0.5
        self._tile = np.full((TILE_PX, TILE_PX, 4), samples.astype(np.uint16), dtype=np.uint16)

    def lay(
        self, key: Key, part: Rect, base: LayerPixels, coverage: Plane, out: LayerPixels
    ) -> None:
        lay_colour(base, coverage, self._tile[: part.height, : part.width], out)


class PhotoPaint:
    """The original: the photo's own pixels."""

    def __init__(self, photo: Photo) -> None:
        self._photo = photo

    def lay(
        self, key: Key, part: Rect, base: LayerPixels, coverage: Plane, out: LayerPixels
    ) -> None:
        cell = Rect.cell(key, TILE_PX)
        pixels = self._photo.read_float(part.shifted(cell.x0, cell.y0))
        source = np.empty(pixels.shape, dtype=np.uint16)
        to_pixels(pixels, source)
        lay_colour(base, coverage, source, out)


class Eraser:
    """Takes the layer's own paint away."""

    def lay(
        self, key: Key, part: Rect, base: LayerPixels, coverage: Plane, out: LayerPixels
    ) -> None:
        lay_erase(base, coverage, out)


class MaskPaint:
    """Moves a mask towards showing (1) or hiding (0)."""

    def __init__(self, target: float) -> None:
        self._target = target

    def lay(
        self, key: Key, part: Rect, base: LayerPixels, coverage: Plane, out: LayerPixels
    ) -> None:
        lay_mask(base, coverage, self._target, out)


class Coverage:
    """What the brush has covered so far: sparse float32 tiles, 0-1."""

    def __init__(self, bounds: Rect) -> None:
        self._bounds = bounds
        self._tiles: dict[Key, Plane] = {}
        self.rect = Rect(0, 0, 0, 0)

    def stamp(self, dabs: Dabs) -> Rect:
        """Add dabs; returns the pixels they can have touched, inside the bounds."""
        dirty = dabs_rect(dabs).intersect(self._bounds)
        for key in dirty.cells(TILE_PX):
            cell = Rect.cell(key, TILE_PX)
            if key not in self._tiles:
                self._tiles[key] = np.zeros((TILE_PX, TILE_PX), dtype=np.float32)
            stamp(self._tiles[key], float(cell.x0), float(cell.y0), dabs)
        self.rect = self.rect.union(dirty)
        return dirty

    def tile(self, key: Key) -> Plane:
        return self._tiles[key]

    def has(self, key: Key) -> bool:
        return key in self._tiles

    def read(self, rect: Rect) -> Plane:
        out = np.zeros((rect.height, rect.width), dtype=np.float32)
        for key in rect.cells(TILE_PX):
            if key in self._tiles:
                paste(out, rect, self._tiles[key], Rect.cell(key, TILE_PX))
        return out


class LiveStroke:
    """A brush stroke onto a layer's pixels or a mask; only inside `limit`, if there is one."""

    def __init__(
        self, base: Tiles, paint: Paint, bounds: Rect, limit: Tiles | None = None
    ) -> None:
        self.coverage = Coverage(bounds)
        self._base = base
        self._paint = paint
        self._bounds = bounds
        self._limit = limit
        self._live: dict[Key, Tile] = {}

    def add(self, dabs: Dabs) -> Rect:
        """Paint dabs; returns the dirty rectangle in full-resolution pixels."""
        if len(dabs) == 0:
            return Rect(0, 0, 0, 0)
        dirty = self.coverage.stamp(dabs)
        for key in dirty.cells(TILE_PX):
            cell = Rect.cell(key, TILE_PX)
            part = cell.intersect(dirty).shifted(-cell.x0, -cell.y0)
            base = self._base.pixels(key)
            out = (self._live[key].pixels if key in self._live else base).copy()
            self._paint.lay(
                key,
                part,
                base[part.slices],
                self.covered(key)[part.slices],
                out[part.slices],
            )
            self._live[key] = Tile(out)
        return dirty

    def covered(self, key: Key) -> Plane:
        """The coverage of a tile, inside the area if there is one."""
        covered = self.coverage.tile(key)
        if self._limit is None:
            return covered
        limit = self._limit.pixels(key).astype(np.float32) / np.float32(FULL)
        limited: Plane = covered * limit
        return limited

    @property
    def rect(self) -> Rect:
        """All that the stroke has touched."""
        return self.coverage.rect

    def tiles(self) -> Tiles:
        """The layer's tiles as they are now."""
        return self._base.with_tile_objects(self._live)

    def laid_on(self, base: Tiles) -> Tiles:
        """The finished stroke on tiles that may have changed since it began.

        Where they did, it is laid once more. Tiles that came to nothing are left out.
        """
        laid = {}
        for key, tile in self._live.items():
            same = base.get(key) is self._base.get(key)
            laid[key] = tile.pixels if same else self._laid_again(key, base.pixels(key))
        return base.with_tiles(laid)

    def _laid_again(self, key: Key, base: LayerPixels) -> LayerPixels:
        out = base.copy()
        cell = Rect.cell(key, TILE_PX)
        part = cell.intersect(self.rect).shifted(-cell.x0, -cell.y0)
        self._paint.lay(
            key, part, base[part.slices], self.covered(key)[part.slices], out[part.slices]
        )
        return out


def lay_patch(
    base: Tiles, rect: Rect, colour: LayerPixels, coverage: Plane
) -> Tiles:
    """`base` with an (h, w, 4) patch laid over `rect` through `coverage`."""
    changed = {}
    for key in rect.cells(TILE_PX):
        cell = Rect.cell(key, TILE_PX)
        part = cell.intersect(rect)
        out = base.pixels(key).copy()
        here = part.shifted(-cell.x0, -cell.y0).slices
        there = part.shifted(-rect.x0, -rect.y0).slices
        before = out[here].copy()
        lay_colour(before, coverage[there], colour[there], out[here])
        changed[key] = out
    return base.with_tiles(changed)
