"""What a step changed, as JSON and raw pixels, and the way back.

Layers that stay are named by id. A tile is given as one of:
    [row, column]                              gone
    [row, column, "t", n]                      the n-th tile written since the base
    [row, column, "b", layer, plane, r, c]     a tile of the base state
    [row, column, "p", x0, y0, x1, y1]         this rectangle changed; its samples follow
Base is the state that a job file holds, or is about to hold: the state at the last mark.

Tiles may also be written ahead of the step that needs them, each as
    [channels, fill, x0, y0, x1, y1, *place]
on the tile at a place, given as above, or on a blank one.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FULL
from lather.document.layers.layer import Layer, Layers, Mask
from lather.document.layers.unknown import UnknownLayer
from lather.document.painting.strokes import StrokeRecord
from lather.document.planes import current_name
from lather.document.state import JobState
from lather.document.tiles import TILE_PX, Key, Tile, Tiles, blank_pixels
from lather.document.tree import walk_held
from lather.files.entries import Entry
from lather.files.jobs.brief import brief_entry, kept_brief_from
from lather.files.jobs.delta_operations import DoneReader, DoneWriter, with_earlier_step
from lather.files.jobs.description import (
    JOB,
    MASK,
    layer_entry,
    layer_from,
    mask_entry,
    plane_entry,
    planes_from,
    regions_entry,
    small_extras,
    state_from,
)
from lather.files.jobs.findings import findings_entry, findings_from
from lather.files.jobs.migrations import with_named_planes
from lather.files.jobs.strokes import NUMBER, packed_readings, stroke_entry, strokes_from
from lather.files.jobs.trials import trials_entry, trials_from

Blobs = list[memoryview]
Patch = tuple[int, int, int, int]  # x0, y0, x1, y1 of a tile
_PLANES = "area", "reference", "regions"
_SAMPLE = np.dtype("<u2")
_SAMPLES_PER_NUMBER = NUMBER.itemsize // _SAMPLE.itemsize


@dataclass(frozen=True)
class NewTile:
    """A tile, and the one that lay in its place before; `patch` is where they differ."""

    channels: int
    fill: int
    key: Key
    before: Tile | None
    tile: Tile
    patch: Patch


def new_tiles(before: JobState, after: JobState) -> Iterator[NewTile]:
    """What has other pixels in the second state; any thread."""
    for base, key, tile in replaced_tiles(before, after):
        patch = _changed(base.pixels(key), tile)
        yield NewTile(base.channels, base.fill, key, base.get(key), tile, patch)


def replaced_tiles(before: JobState, after: JobState) -> Iterator[tuple[Tiles, Key, Tile]]:
    """Tiles of the second state that do not lie there in the same plane of the first, and what that
    plane was."""
    old = {(layer_id, plane): tiles for layer_id, plane, tiles in _planes(before)}
    for layer_id, plane, tiles in _planes(after):
        base = _base_for(tiles, old.get((layer_id, plane)))
        for key in base.changed_keys(tiles) if base is not tiles else ():
            tile = tiles.get(key)
            if tile is not None:
                yield base, key, tile


class DeltaWriter:
    """Describes changes; remembers which tiles the reader knows."""

    def __init__(self, base: JobState) -> None:
        self.rebase(base)

    def rebase(self, base: JobState) -> None:
        """From here on the reader knows the tiles of `base` and no others."""
        self._base = _planes(base)
        self._written: WeakKeyDictionary[Tile, int] = WeakKeyDictionary()
        self._n_written = 0
        self._new: list[Tile] = []
        self._blobs: Blobs = []
        self._done = DoneWriter(base.operations)

    def change(self, before: JobState, after: JobState) -> tuple[Entry, Blobs]:
        """The entry and pixels that lead from one state to the other."""
        self._new, self._blobs = [], []
        self._before = {layer.id: layer for layer in walk_held(before.layers)}
        entry: Entry = {
            "active": after.active_id,
            "layers": [self._layer(layer) for layer in after.layers],
        }
        if after.brief != before.brief:
            entry["brief"] = brief_entry(after.brief)
        if after.trials != before.trials:
            entry["trials"] = trials_entry(after.trials)
        if after.findings != before.findings:
            entry["findings"] = findings_entry(after.findings)
        if any(getattr(after, name) is not getattr(before, name) for name in _PLANES):
            entry["planes"] = self._planes(before.planes.named(), after.planes.named())
            entry["regions"] = regions_entry(after.regions)
        entry["operations"], strokes = self._done.change(before, after)
        self._blobs += map(packed_readings, strokes)
        return entry, self._blobs

    def ahead(self, tiles: list[NewTile]) -> tuple[Entry, Blobs]:
        """The entry and pixels of tiles that a step is going to need."""
        self._new, self._blobs = [], []
        self._done.forget()
        entries = []
        for new in tiles:
            if self.place(new.tile, new.key) is not None:
                continue
            on = [] if new.before is None else self.place(new.before, new.key)
            patch = new.patch if on is not None else (0, 0, TILE_PX, TILE_PX)
            self._add_patch(new.tile, patch)
            entries.append([new.channels, new.fill, *patch, *(on or [])])
        return {"tiles": entries}, self._blobs

    def accept(self) -> None:
        """What was described last is written: its tiles are known now."""
        for tile in self._new:
            self._written[tile] = self._n_written
            self._n_written += 1
        self._new, self._blobs = [], []
        self._done.accept()

    def place(self, tile: Tile, key: Key) -> list[Any] | None:
        """Where the reader finds a tile that lies at `key` of some plane; None: nowhere."""
        number = self._written.get(tile)
        if number is not None:
            return ["t", number]
        for layer_id, plane, tiles in self._base:
            if tiles.get(key) is tile:
                return ["b", layer_id, plane, *key]
        return None

    def _layer(self, layer: Layer) -> Entry | int:
        before = self._before.get(layer.id)
        if before is layer:
            return layer.id
        entry = layer_entry(layer)
        if layer.mask is not None:
            old = before.mask if before is not None else None
            entry["mask"] = self._mask(layer.mask, old)
        if layer.planes:
            entry["planes"] = self._planes(before.planes if before else {}, layer.planes)
            entry["strokes"] = self._strokes(before.strokes if before else (), layer.strokes)
        if layer.held:
            entry["layers"] = [self._layer(child) for child in layer.held]
        return entry

    def _planes(self, before: Mapping[str, Tiles], after: Mapping[str, Tiles]) -> dict[str, Entry]:
        """All planes by name, each by what changed."""
        entries = {}
        for name, tiles in after.items():
            base = _base_for(tiles, before.get(name))
            entries[name] = {**plane_entry(tiles), **self._tiles(base, tiles)}
        return entries

    def _strokes(
        self, before: Sequence[StrokeRecord], after: Sequence[StrokeRecord]
    ) -> Entry:
        """Strokes kept from before, and those added; their readings go to the samples."""
        keep = 0
        for stroke in after[: len(before)]:
            if stroke is not before[keep]:
                break
            keep += 1
        added = after[keep:]
        self._blobs += [packed_readings(stroke) for stroke in added]
        return {"keep": keep, "add": [stroke_entry(stroke) for stroke in added]}

    def _mask(self, mask: Mask, old: Mask | None) -> Entry:
        base = _base_for(mask.tiles, old.tiles if old is not None else None)
        return {**mask_entry(mask), **self._tiles(base, mask.tiles)}

    def _tiles(self, base: Tiles, tiles: Tiles) -> Entry:
        entries: list[list[Any]] = []
        for key in base.changed_keys(tiles) if base is not tiles else ():
            tile = tiles.get(key)
            if tile is None:
                entries.append([*key])
            else:
                place = self.place(tile, key)
                if place is None:
                    patch = _changed(base.pixels(key), tile)
                    self._add_patch(tile, patch)
                    place = ["p", *patch]
                entries.append([*key, *place])
        return {**tiles.extras, "tiles": entries}

    def _add_patch(self, tile: Tile, patch: Patch) -> None:
        x0, y0, x1, y1 = patch
        self._new.append(tile)
        samples = np.ascontiguousarray(tile.pixels[y0:y1, x0:x1], dtype=_SAMPLE)
        self._blobs.append(memoryview(samples).cast("B") if samples.size else memoryview(b""))


class DeltaReader:
    """Applies changes to a base state, in the order they were written (`Contents`)."""

    keeps_members = False  # what a step changed is in the journal alone

    _position: int  # of the next sample

    def __init__(self, base: JobState) -> None:
        self._state = base
        self._begin(memoryview(b""))
        self.rebase()

    def rebase(self) -> None:
        """The present state is the base from here on."""
        self._base = {(i, plane): tiles for i, plane, tiles in _planes(self._state)}
        self._written: list[Tile] = []
        self._done = DoneReader(self._state.operations)

    def learn(self, entry: Entry, pixels: memoryview) -> None:
        """Tiles that were written ahead of their step; raises as `apply`."""
        self._begin(pixels)
        for channels, fill, *rest in entry["tiles"]:
            patch, place = rest[:4], rest[4:]
            if channels not in (1, 4) or not 0 <= fill <= FULL:
                raise ValueError("no plane has such tiles")
            below = self._tile_at(place).pixels if place else blank_pixels(channels, fill)
            self._patched(below, patch)
        self._written += self._new

    def apply(self, entry: Entry, pixels: memoryview) -> JobState:
        """The next state; ValueError, KeyError, TypeError or IndexError if it does not fit."""
        self._begin(pixels)
        before = self._state
        layers = self.layers(list(map(with_named_planes, entry["layers"])))
        brief = kept_brief_from(entry["brief"]) if entry.get("brief") else before.brief
        findings = before.findings
        if "findings" in entry:
            findings = findings_from(entry["findings"])
        planes = before.planes
        if "planes" in entry:
            planes = planes_from(entry["planes"], entry["regions"], self)
        state = state_from(
            before.photo, layers, entry["active"], brief, findings, planes, before.extras,
            before.attachments,
        )  # fmt: skip
        if "trials" in entry:
            state = replace(state, trials=trials_from(entry["trials"])[0])
        else:
            state = replace(state, trials=before.trials)
        if "operations" in entry:
            done = self._done.apply(entry["operations"], before, state, self)
        else:
            done = with_earlier_step(str(entry.get("name", "")), before, state)
        self._written += self._new
        self._state = replace(state, operations=done)
        return self._state

    def layers(self, entries: list[Any]) -> Layers:
        return tuple(
            self._kept(entry) if isinstance(entry, int) else layer_from(entry, self)
            for entry in entries
        )

    def tiles(self, entry: Entry, layer_id: int, plane: str, channels: int, fill: int) -> Tiles:
        if layer_id == JOB:
            base = self._state.planes.named().get(current_name(plane))
        else:
            before = self._find(layer_id)
            base = _layer_planes(before).get(plane) if before is not None else None
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
        before = self._find(layer_id)
        old = before.strokes if before is not None else ()
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
        layer = self._find(layer_id)
        if layer is None:
            raise KeyError(layer_id)
        return layer

    def _find(self, layer_id: int) -> Layer | None:
        return next((x for x in walk_held(self._state.layers) if x.id == layer_id), None)

    def refers_to_file(self, layer_id: int) -> bool:
        layer = self._find(layer_id)
        return isinstance(layer, UnknownLayer) and layer.refers_to_file

    def _begin(self, pixels: memoryview) -> None:
        self._pixels = np.frombuffer(pixels, dtype=_SAMPLE)
        self._position = 0
        self._new: list[Tile] = []

    def _tile(self, base: Tiles, key: Key, where: list[Any]) -> Tile:
        if where[0] == "p":
            return self._patched(base.pixels(key), where[1:])
        return self._tile_at(where)

    def _tile_at(self, where: list[Any]) -> Tile:
        if where[0] == "t":
            return self._written[int(where[1])]
        _, layer_id, plane, row, column = where
        name = current_name(plane) if layer_id == JOB else plane
        return self._base[layer_id, name].tiles[row, column]

    def _patched(self, below: NDArray[np.uint16], patch: list[Any]) -> Tile:
        """A tile with the next samples laid on others."""
        x0, y0, x1, y1 = patch
        if not (0 <= x0 <= x1 <= TILE_PX and 0 <= y0 <= y1 <= TILE_PX):
            raise ValueError("a patch lies outside of its tile")
        pixels = below.copy()
        target = pixels[y0:y1, x0:x1]
        end = self._position + target.size
        target[...] = self._pixels[self._position : end].reshape(target.shape)
        self._position = end
        tile = Tile(pixels)
        self._new.append(tile)
        return tile


def _base_for(tiles: Tiles, before: Tiles | None) -> Tiles:
    """What a plane is described on: itself as it was, if it can be compared with that."""
    alike = before is not None and (before.channels, before.fill) == (tiles.channels, tiles.fill)
    return before if before is not None and alike else Tiles(tiles.channels, tiles.fill)


def _changed(before: NDArray[np.uint16], tile: Tile) -> Patch:
    """The rectangle in which a tile has other pixels."""
    differs = _as_pixels(before) != _as_pixels(tile.pixels)
    ys, xs = np.flatnonzero(differs.any(1)), np.flatnonzero(differs.any(0))
    if not len(ys):
        return (0, 0, 0, 0)
    return int(xs[0]), int(ys[0]), int(xs[-1]) + 1, int(ys[-1]) + 1


def _as_pixels(samples: NDArray[np.uint16]) -> NDArray[Any]:
    """(H, W) with one number a pixel: four samples seen as one compare in one go."""
    if samples.ndim == 2:
        return samples
    return np.ascontiguousarray(samples).view(np.uint64)[..., 0]


def _planes(state: JobState) -> list[tuple[int, str, Tiles]]:
    """Every plane with tiles: layer id, which plane, tiles."""
    return [
        *((JOB, name, tiles) for name, tiles in state.planes.named().items()),
        *(
            (layer.id, name, tiles)
            for layer in walk_held(state.layers)
            for name, tiles in _layer_planes(layer).items()
        ),
    ]


def _layer_planes(layer: Layer) -> dict[str, Tiles]:
    """A layer's own planes, and its mask."""
    mask = {} if layer.mask is None else {MASK: layer.mask.tiles}
    return {**layer.planes, **mask}
