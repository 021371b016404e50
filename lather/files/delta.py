"""What a step changed, as JSON and raw pixels, and the way back.

Layers that stay are named by id. A tile is given as one of:
    [row, column]                              gone
    [row, column, "t", n]                      the n-th tile written since the base
    [row, column, "b", layer, plane, r, c]     a tile of the base state
    [row, column, "p", x0, y0, x1, y1]         this rectangle changed; its samples follow
Base is the state that a job file holds, or is about to hold: the state at the last mark.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from lather.document.job import JobState
from lather.document.layers import GroupLayer, Layer, Mask, PixelLayer
from lather.document.planes import Planes, named_planes
from lather.document.strokes import StrokeRecord
from lather.document.tiles import TILE_PX, Key, Tile, Tiles
from lather.document.tree import Layers, find, walk
from lather.files.description import (
    JOB,
    MASK,
    PIXELS,
    brief_entry,
    brief_from,
    layer_entry,
    layer_from,
    mask_entry,
    plane_entry,
    planes_from,
    regions_entry,
    small_extras,
    state_from,
)
from lather.files.entries import Entry
from lather.files.findings import findings_entry, findings_from
from lather.files.strokes import NUMBER, packed_readings, stroke_entry, strokes_from

Blobs = list[memoryview]
_SAMPLE = np.dtype("<u2")
_SAMPLES_PER_NUMBER = NUMBER.itemsize // _SAMPLE.itemsize


class DeltaWriter:
    """Describes changes; remembers which tiles the reader knows."""

    def __init__(self, base: JobState) -> None:
        self.rebase(base)

    def rebase(self, base: JobState) -> None:
        """From here on the reader knows the tiles of `base` and no others."""
        self._known: WeakKeyDictionary[Tile, list[Any]] = WeakKeyDictionary()
        self._n_tiles = 0
        self._new: list[Tile] = []
        for layer_id, plane, tiles in _planes(base):
            for key, tile in tiles.tiles.items():
                self._known[tile] = ["b", layer_id, plane, *key]

    def change(self, before: JobState, after: JobState) -> tuple[Entry, Blobs]:
        """The entry and pixels that lead from one state to the other."""
        self._new = []
        self._blobs: Blobs = []
        self._before = {layer.id: layer for layer in walk(before.layers)}
        entry: Entry = {
            "active": after.active_id,
            "layers": [self._layer(layer) for layer in after.layers],
        }
        if after.brief != before.brief:
            entry["brief"] = brief_entry(after.brief)
        if after.findings != before.findings:
            entry["findings"] = findings_entry(after.findings)
        if after.area is not before.area or after.regions is not before.regions:
            entry["planes"] = self._own_planes(before, after)
            entry["regions"] = regions_entry(after.regions)
        return entry, self._blobs

    def accept(self) -> None:
        """The change was written: its tiles are known now."""
        for tile in self._new:
            self._known[tile] = ["t", self._n_tiles]
            self._n_tiles += 1
        self._new = []

    def _layer(self, layer: Layer) -> Entry | int:
        before = self._before.get(layer.id)
        if before is layer:
            return layer.id
        entry = layer_entry(layer)
        if layer.mask is not None:
            old = before.mask if before is not None else None
            entry["mask"] = self._mask(layer.mask, old)
        if isinstance(layer, PixelLayer):
            old_layer = before if isinstance(before, PixelLayer) else None
            base = old_layer.tiles if old_layer else Tiles()
            entry.update(self._tiles(base, layer.tiles))
            entry["strokes"] = self._strokes(old_layer, layer)
        if isinstance(layer, GroupLayer):
            entry["layers"] = [self._layer(child) for child in layer.children]
        return entry

    def _own_planes(self, before: JobState, after: JobState) -> dict[str, Entry]:
        """The area and the regions: all of them by name, each by what changed."""
        old = named_planes(before)
        entries = {}
        for name, tiles in named_planes(after).items():
            base = old.get(name)
            if base is None or base.fill != tiles.fill:
                base = Tiles(1, tiles.fill)
            entries[name] = {**plane_entry(tiles), **self._tiles(base, tiles)}
        return entries

    def _strokes(self, before: PixelLayer | None, after: PixelLayer) -> Entry:
        """Strokes kept from before, and those added; their readings go to the samples."""
        old = before.strokes if before is not None else ()
        keep = 0
        for stroke in after.strokes[: len(old)]:
            if stroke is not old[keep]:
                break
            keep += 1
        added = after.strokes[keep:]
        self._blobs += [packed_readings(stroke) for stroke in added]
        return {"keep": keep, "add": [stroke_entry(stroke) for stroke in added]}

    def _mask(self, mask: Mask, old: Mask | None) -> Entry:
        base = old.tiles if old is not None and old.tiles.fill == mask.tiles.fill else None
        return {
            **mask_entry(mask),
            **self._tiles(base or Tiles(1, mask.tiles.fill), mask.tiles),
        }

    def _tiles(self, base: Tiles, tiles: Tiles) -> Entry:
        entries: list[list[Any]] = []
        for key in base.changed_keys(tiles) if base is not tiles else ():
            tile = tiles.get(key)
            if tile is None:
                entries.append([*key])
            else:
                known = self._known_place(tile)
                place = known or ["p", *self._patch(base.pixels(key), tile)]
                entries.append([*key, *place])
        return {**tiles.extras, "tiles": entries}

    def _known_place(self, tile: Tile) -> list[Any] | None:
        return self._known.get(tile)

    def _patch(self, before: NDArray[np.uint16], tile: Tile) -> tuple[int, int, int, int]:
        differs = _as_pixels(before) != _as_pixels(tile.pixels)
        ys, xs = np.flatnonzero(differs.any(1)), np.flatnonzero(differs.any(0))
        x0, y0, x1, y1 = (
            (int(xs[0]), int(ys[0]), int(xs[-1]) + 1, int(ys[-1]) + 1) if len(ys) else (0, 0, 0, 0)
        )
        self._new.append(tile)
        samples = np.ascontiguousarray(tile.pixels[y0:y1, x0:x1], dtype=_SAMPLE)
        self._blobs.append(memoryview(samples).cast("B") if samples.size else memoryview(b""))
        return x0, y0, x1, y1


class DeltaReader:
    """Applies changes to a base state, in the order they were written (`Contents`)."""

    def __init__(self, base: JobState) -> None:
        self._state = base
        self.rebase()

    def rebase(self) -> None:
        """The present state is the base from here on."""
        self._base = {(i, plane): tiles for i, plane, tiles in _planes(self._state)}
        self._written: list[Tile] = []

    def apply(self, entry: Entry, pixels: memoryview) -> JobState:
        """The next state; ValueError, KeyError, TypeError or IndexError if it does not fit."""
        self._pixels = np.frombuffer(pixels, dtype=_SAMPLE)
        self._position = 0
        self._new: list[Tile] = []
        before = self._state
        layers = self.layers(entry["layers"])
        brief = brief_from(entry["brief"]) if entry.get("brief") else before.brief
        findings = before.findings
        if "findings" in entry:
            findings = findings_from(entry["findings"])
        planes = Planes(before.area, before.regions, before.unknown_planes)
        if "planes" in entry:
            planes = planes_from(entry["planes"], entry["regions"], self)
        state = state_from(
            before.photo, layers, entry["active"], brief, findings, planes, before.extras,
            before.attachments,
        )  # fmt: skip
        self._written += self._new
        self._state = state
        return state

    def layers(self, entries: list[Any]) -> Layers:
        return tuple(
            self._kept(entry) if isinstance(entry, int) else layer_from(entry, self)
            for entry in entries
        )

    def tiles(self, entry: Entry, layer_id: int, plane: str, channels: int, fill: int) -> Tiles:
        if layer_id == JOB:
            base = named_planes(self._state).get(plane)
        else:
            before = find(self._state.layers, layer_id)
            base = _plane(before, plane) if before is not None else None
        if base is None or base.fill != fill:
            base = Tiles(channels, fill)
        changed: dict[Key, Tile] = {}
        gone: list[Key] = []
        for row, column, *where in entry["tiles"]:
            if not where:
                gone.append((row, column))
            else:
                changed[row, column] = self._tile(base, (row, column), where)
        tiles = base.with_tiles(dict.fromkeys(gone)).with_tile_objects(changed)
        return replace(tiles, extras=small_extras(entry))

    def strokes(self, entry: Entry, layer_id: int) -> tuple[StrokeRecord, ...]:
        before = find(self._state.layers, layer_id)
        old = before.strokes if isinstance(before, PixelLayer) else ()
        described = entry["strokes"]
        return (*old[: int(described["keep"])], *strokes_from(described["add"], self))

    def take(self, n_numbers: int) -> NDArray[np.float32]:
        """The pen's readings follow the samples of the layer that they made (`Numbers`)."""
        end = self._position + _SAMPLES_PER_NUMBER * n_numbers
        samples = self._pixels[self._position : end]
        if n_numbers < 0 or len(samples) < end - self._position:
            raise ValueError("readings of the pen are cut off")
        self._position = end
        return samples.view(NUMBER).astype(np.float32)

    def _kept(self, layer_id: int) -> Layer:
        layer = find(self._state.layers, layer_id)
        if layer is None:
            raise KeyError(layer_id)
        return layer

    def _tile(self, base: Tiles, key: Key, where: list[Any]) -> Tile:
        kind, *place = where
        if kind == "t":
            return self._written[int(place[0])]
        if kind == "b":
            layer_id, plane, row, column = place
            return self._base[layer_id, plane].tiles[row, column]
        x0, y0, x1, y1 = place
        if not (0 <= x0 <= x1 <= TILE_PX and 0 <= y0 <= y1 <= TILE_PX):
            raise ValueError("a patch lies outside of its tile")
        pixels = base.pixels(key).copy()
        target = pixels[y0:y1, x0:x1]
        end = self._position + target.size
        target[...] = self._pixels[self._position : end].reshape(target.shape)
        self._position = end
        tile = Tile(pixels)
        self._new.append(tile)
        return tile


def _as_pixels(samples: NDArray[np.uint16]) -> NDArray[Any]:
    """(H, W) with one number a pixel: four samples seen as one compare in one go."""
    if samples.ndim == 2:
        return samples
    return np.ascontiguousarray(samples).view(np.uint64)[..., 0]


def _planes(state: JobState) -> list[tuple[int, str, Tiles]]:
    """Every plane with tiles: layer id, which plane, tiles."""
    return [
        *((JOB, name, tiles) for name, tiles in named_planes(state).items()),
        *(
            (layer.id, plane, tiles)
            for layer in walk(state.layers)
            for plane in (PIXELS, MASK)
            if (tiles := _plane(layer, plane)) is not None
        ),
    ]


def _plane(layer: Layer, plane: str) -> Tiles | None:
    if plane == MASK:
        return layer.mask.tiles if layer.mask is not None else None
    return layer.tiles if isinstance(layer, PixelLayer) else None
