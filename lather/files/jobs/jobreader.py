"""From the description in a job file to the state it describes.

Whatever is read here may come from anybody, so names, sizes and values are checked before
they are used. Tiles are read when they are needed.
"""

from __future__ import annotations

import json
import os
import struct
import zipfile
import zlib
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from lather.core.bounds import DEEPEST_GROUPS, MOST_OPERATIONS
from lather.core.rect import Rect
from lather.core.work import CancelToken, Progress, no_progress
from lather.document.agreed.brief import Brief
from lather.document.agreed.trials import Trial
from lather.document.findings import Findings
from lather.document.layers.layer import Layer, Layers
from lather.document.operations.operation import Operation, Operations
from lather.document.painting.strokes import StrokeRecord
from lather.document.photo import Photo, photo_hash
from lather.document.planes import Planes, Regions
from lather.document.state import JobState
from lather.document.tiles import (
    DEEPEST_LEVEL,
    TILE_PX,
    WHOLE,
    Key,
    StoredTile,
    Tiles,
    extent,
)
from lather.errors import JobFileError, PhotoMissingError
from lather.files.entries import Entry, unknown
from lather.files.jobs.archive import Archive, ArchivedTile, SmallPlane
from lather.files.jobs.brief import kept_brief_from
from lather.files.jobs.carried import OperationsReader
from lather.files.jobs.description import (
    JOB,
    layer_from,
    mentioned,
    planes_from,
    regions_entry,
    small_extras,
    state_from,
    with_own_ids,
)
from lather.files.jobs.findings import findings_from
from lather.files.jobs.operations import damaged_operation
from lather.files.jobs.strokes import PackedNumbers, strokes_from
from lather.files.jobs.trials import trials_from
from lather.files.photos.reading import MOST_MEGAPIXELS, decode_photo, read_photo
from lather.names import readable

MOST_STROKES_BYTES = 64 * 2**20  # of one member without the readings
MOST_EARLY_STROKES_BYTES = 256 * 2**20  # before format 3, readings included
MOST_READINGS_BYTES = 256 * 2**20
MOST_ATTACHMENT_BYTES = 2**30
MOST_PHOTO_BYTES = 4 * 2**30
REPEATS_BORDERS = 3  # the first version whose reduced layers reach the picture's border
_JOB_KEYS = {
    "format", "version", "revision", "application", "photo", "brief", "worked_s",
    "trials",
    "active_layer", "layers", "findings", "planes", "regions", "operations",
}  # fmt: skip
_PHOTO_KEYS = {"file", "link", "sha256", "width", "height", "depth_bits"}
T = TypeVar("T")


DAMAGE = (
    zipfile.BadZipFile,
    zipfile.LargeZipFile,
    json.JSONDecodeError,
    UnicodeDecodeError,
    struct.error,
    zlib.error,
    KeyError,
    TypeError,
    ValueError,
    AttributeError,
    IndexError,
    EOFError,
    NotImplementedError,
    RecursionError,
    RuntimeError,
    OverflowError,
)


class JobReader:
    """Builds a job's state from an open archive (`Contents`).

    A part that cannot be read is left out and noted in the archive's `damaged`; the rest of
    the picture stays.
    """

    keeps_members = True

    def __init__(
        self, archive: Archive, description: Entry, *, fades: bool = False,
        progress: Progress = no_progress, cancel: CancelToken | None = None,
    ) -> None:  # fmt: skip
        """`fades`: reduced layers fade out at the picture's border, and are not used there."""
        self._archive = archive
        self._fades = fades
        self._description = description
        self._progress = progress
        self._cancel = cancel
        self._depth = 0
        described = description["photo"]
        width, height = self.size = int(described["width"]), int(described["height"])
        if not 0 < width * height <= MOST_MEGAPIXELS * 1e6:
            raise ValueError(f"a picture of {width} x {height} px")
        self._grid = (-(-height // TILE_PX), -(-width // TILE_PX))
        self._reduced: list[SmallPlane] = []

    def job(self, path: Path, photo_at: Path | None) -> tuple[JobState, bool]:
        """The state, and whether its photo lies outside of the job file."""
        self._progress(0.1, "reading the photo and the layers")
        with ThreadPoolExecutor(1, "layers") as aside:
            reading = aside.submit(self._layers_and_first_view)
            photo, linked = self._photo(path, photo_at)
        if (photo.width, photo.height) != self.size:
            if photo_at is None:
                raise ValueError("the photo is not the one the job was made with")
            raise PhotoMissingError(
                f"'{path.name}' was not opened",
                f"'{photo_at.name}' is another picture: {photo.width} x {photo.height} px instead "
                f"of {self.size[0]} x {self.size[1]}", "choose the photo that it was made with",
            )  # fmt: skip
        return self._state(photo, reading.result()), linked

    def check(self) -> None:
        """Everything but the photo; raises for what `job` would refuse."""
        state = self._state(Photo(np.zeros((1, 1, 3), np.uint8)), self._all_layers())
        list(state.operations)

    def _state(self, photo: Photo, layers: Layers) -> JobState:
        about = self._description
        extras = unknown(about, _JOB_KEYS)
        of_photo = unknown(about["photo"], _PHOTO_KEYS)
        if of_photo:
            extras["photo"] = of_photo
        planes = self._part("the area and the regions", lambda: planes_from(
            about.get("planes", {}), about.get("regions") or regions_entry(Regions()), self
        ), Planes())  # fmt: skip
        state = state_from(
            photo,
            layers,
            about["active_layer"],
            self._part("the brief", lambda: kept_brief_from(about["brief"]), Brief()),
            self._part("the findings", lambda: findings_from(about.get("findings")), Findings()),
            planes,
            extras,
        )
        none: tuple[tuple[Trial, ...], tuple[Any, ...]] = (), ()
        entries = about.get("trials", [])
        trials, odd = self._part("the blinded tests", lambda: trials_from(entries), none)
        state = replace(state, trials=trials,
                        extras={**state.extras, **({"trials": odd} if odd else {})})  # fmt: skip
        state = replace(state, operations=self._operations(state.layers))
        refers = any(text in self._archive for text in mentioned(state))
        return replace(state, attachments=self._archive) if refers else state

    def _operations(self, layers: Layers) -> Operations:
        """What was done; it is read when somebody asks for it."""
        described = _listed(self._description.get("operations"))
        parts = [self._part(f"operations/{number}", partial(_counted, part), ("", "", 1))
                 for number, part in enumerate(described)]  # fmt: skip
        n = sum(part[2] for part in parts)
        if n > MOST_OPERATIONS:
            raise ValueError(f"more than {MOST_OPERATIONS:,} operations")
        return Operations.to_be_read(n, lambda: self._read_operations(layers, parts))

    def _read_operations(self, layers: Layers, parts: list[tuple[str, str, int]]) -> Operations:
        """A part, or one of them, that cannot be read is as many that say so."""
        reader, found = OperationsReader(layers, self), list[Operation]()
        try:
            for number, part in enumerate(parts):
                if self._cancel is not None:
                    self._cancel.check()
                read = partial(self._operations_part, reader, *part)
                lost = [damaged_operation()] * part[2]
                found += self._part(f"operations/{number}", read, lost)
        except OSError as error:
            raise JobFileError("What was done was not read", error.strerror or str(error),
                               "connect the job's disk again") from error  # fmt: skip
        if reader.n_lost:
            self._archive.damaged.add(f"operations/{reader.n_lost} steps")
        return Operations.of(tuple(found))

    def _operations_part(
        self, reader: OperationsReader, name: str, readings: str, n: int
    ) -> list[Operation]:
        entries = json.loads(self._archive.read(name, MOST_STROKES_BYTES))
        content = self._archive.read(readings, MOST_READINGS_BYTES) if readings else b""
        return reader.read(entries, PackedNumbers(content), n)

    def layers(self, entries: list[Any]) -> Layers:
        if self._depth == DEEPEST_GROUPS:
            raise ValueError("its groups are nested too deep")
        self._depth += 1
        try:
            read = (self._part(f"layers/{_id_of(entry)}", partial(self._layer, entry), None)
                    for entry in entries)  # fmt: skip
            return tuple(layer for layer in read if layer is not None)
        finally:
            self._depth -= 1

    def _layer(self, entry: Entry) -> Layer | None:
        return layer_from(entry, self)

    def refers_to_file(self, layer_id: int) -> bool:  # noqa: ARG002
        return False

    def tiles(self, entry: Entry, layer_id: int, plane: str, channels: int, fill: int) -> Tiles:
        where = f"planes/{plane}" if layer_id == JOB else f"layers/{layer_id}/{plane}"
        empty = Tiles(channels, fill)
        return self._part(where, lambda: self._tiles(entry, layer_id, empty), empty)

    def strokes(self, entry: Entry, layer_id: int) -> tuple[StrokeRecord, ...]:
        read: list[StrokeRecord] = []
        for number, part in enumerate(_listed(entry.get("strokes"))):
            if self._cancel is not None:
                self._cancel.check()
            where = f"layers/{layer_id}/strokes/{number}"
            read += self._part(where, partial(self._strokes, part), ())
        return tuple(read)

    def _part(self, where: str, read: Callable[[], T], instead: T) -> T:
        """What `read` gives; `instead`, and a note of the damage, if it cannot be read."""
        try:
            return read()
        except DAMAGE:
            self._archive.damaged.add(where)
            return instead

    def _strokes(self, part: Any) -> tuple[StrokeRecord, ...]:
        name, readings = part
        if readings is None:
            entries = json.loads(self._archive.read(name, MOST_EARLY_STROKES_BYTES))
            return strokes_from(entries, PackedNumbers(b""))
        entries = json.loads(self._archive.read(name, MOST_STROKES_BYTES))
        return strokes_from(
            entries, PackedNumbers(self._archive.read(readings, MOST_READINGS_BYTES))
        )

    def _tiles(self, entry: Entry, layer_id: int, empty: Tiles) -> Tiles:
        names: dict[Key, str] = {}
        for row, column, name in entry["tiles"]:
            key = int(row), int(column)
            inside = 0 <= key[0] < self._grid[0] and 0 <= key[1] < self._grid[1]
            if inside and name in self._archive:
                names[key] = name
            else:
                self._archive.damaged.add(str(name))
        # Its tiles lie by number: with one left out, the numbers are those of others.
        whole = len(names) == len(entry["tiles"])
        small = self._small(entry.get("small"), empty.channels, names) if whole else None
        picture = Rect(0, 0, *self.size)
        stored: dict[Key, StoredTile] = {}
        for key, name in names.items():
            at_border = layer_id == JOB or extent(key, picture) != WHOLE
            reduced = None if self._fades and at_border else small
            stored[key] = ArchivedTile(
                self._archive, name, key, empty.channels, empty.fill, reduced
            )
        return replace(empty, extras=small_extras(entry)).with_kept_outside(stored)

    def _small(
        self, entry: Entry | None, channels: int, names: dict[Key, str]
    ) -> SmallPlane | None:
        if entry is None:
            return None
        level, per_row = int(entry["level"]), int(entry["per_row"])
        if not (1 <= level <= DEEPEST_LEVEL and 1 <= per_row <= max(1, len(names))):
            raise ValueError("a reduced layer is laid out in an impossible way")
        places = {key: number for number, key in enumerate(names)}
        name = str(entry["file"])
        self._reduced.append(SmallPlane(self._archive, name, level, per_row, channels, places))
        return self._reduced[-1]

    def _layers_and_first_view(self) -> Layers:
        """All layers, and what the first view needs of them; while the photo is decoded."""
        layers = self._all_layers()
        for plane in self._reduced:
            plane.read()
        return layers

    def _all_layers(self) -> Layers:
        return self.layers(with_own_ids(self._description["layers"]))

    def _photo(self, path: Path, photo_at: Path | None) -> tuple[Photo, bool]:
        """The photo, and whether it lies outside of the job file."""
        described = self._description["photo"]
        name = described.get("file")
        if name is not None:
            encoded = self._archive.read(name, MOST_PHOTO_BYTES)
            return decode_photo(encoded, Path(name).name, partial=True), False
        if photo_at is not None:
            return read_photo(photo_at, partial=True), True
        linked = Path(os.path.realpath(path)).parent / str(described["link"])
        try:
            encoded = linked.read_bytes()
        except OSError as error:
            raise PhotoMissingError(
                f"'{path.name}' was not opened",
                f"its photo '{linked.name}' is not there ({error.strerror})",
                "say where the photo is now",
            ) from None
        if photo_hash(encoded) != described["sha256"]:
            raise PhotoMissingError(
                f"'{path.name}' was not opened",
                f"its photo '{linked.name}' was changed since",
                "choose the photo as it was, or accept the changed one",
            )
        photo = decode_photo(encoded, readable(linked.name), partial=True)
        photo.path = linked
        return photo, True


def _counted(part: Any) -> tuple[str, str, int]:
    """The members of a part of the operations, and how many it has."""
    name, readings, n = part
    if type(n) is not int or not 0 <= n <= MOST_OPERATIONS:
        raise ValueError(f"{n!r} operations")
    return str(name), str(readings), n


def _id_of(entry: Any) -> Any:
    return entry.get("id") if isinstance(entry, dict) else None


def _listed(value: Any) -> list[Any]:
    """A list; anything else as the one part that cannot be read."""
    return value if isinstance(value, list) else [] if value is None else [value]
