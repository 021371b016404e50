"""Writing a job file."""

from __future__ import annotations

import json
import math
import os
import zipfile
import zlib
from collections import deque
from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lather.core.rect import Rect
from lather.core.work import CancelToken, Progress, no_progress
from lather.document.layers.layer import Layer
from lather.document.painting.strokes import StrokeRecord
from lather.document.photo import Photo, photo_hash
from lather.document.planes import plane_size
from lather.document.state import JobState
from lather.document.tiles import TILE_PX, WHOLE, Extent, Key, Tile, Tiles, extent
from lather.document.tree import walk_held
from lather.errors import JobFileError, LatherError
from lather.files.atomic import replacing
from lather.files.entries import Entry
from lather.files.jobs.archive import Archive, ArchivedTile
from lather.files.jobs.backups import keep_backup
from lather.files.jobs.carried import OperationsWriter
from lather.files.jobs.description import layer_entry, mask_entry, mentioned, plane_entry
from lather.files.jobs.jobfile import check_readable, job_entry, new_revision
from lather.files.jobs.jobreader import MOST_ATTACHMENT_BYTES, MOST_READINGS_BYTES
from lather.files.jobs.strokes import packed_readings, stroke_entry
from lather.files.jobs.tilecodec import encode_tile

SMALL_LEVEL = 2  # what a 24-megapixel portrait shows at when it fits the window
N_THREADS = 2
N_AHEAD = 16  # tiles encoded and waiting to be written
STROKES_A_PART, READINGS_A_PART_BYTES = 250, 4 * 2**20
_SMALL_PX = TILE_PX >> SMALL_LEVEL
assert READINGS_A_PART_BYTES < MOST_READINGS_BYTES


def save_job(
    state: JobState,
    path: Path,
    *,
    worked_s: float = 0.0,
    link_photo: bool = False,
    n_backups: int = 0,
    revision: str | None = None,
    progress: Progress = no_progress,
    cancel: CancelToken | None = None,
) -> str:
    """Write a job, atomically; returns the revision that the file now holds.

    Cancelling leaves the earlier file as it was. Up to `n_backups` earlier versions are
    kept beside it. Tiles that lie unchanged in a job file are copied as they are.

    Raises
    ------
    LatherError : the folder cannot be written, the disk is full, a linked photo is nowhere, or
        what was written cannot be read back: then the earlier file stays.
    """
    revision = revision or new_revision()
    path = Path(os.path.realpath(path))  # a link stays one
    if link_photo:
        _check_link(state.photo, path)
    with replacing(path) as temporary:
        with zipfile.ZipFile(temporary, "w") as archive:
            writer = _Writer(archive, path, state, progress, cancel)
            writer.write(revision, worked_s, link_photo)
        _check(temporary, path, cancel)
        keep_backup(path, n_backups)
    written = Archive(path)
    for tile, where in writer.written:
        if tile.in_memory:
            tile.stored = ArchivedTile(written, *where)
    progress(1.0, "saved")
    return revision


def _check(written: Path, path: Path, cancel: CancelToken | None) -> None:
    """Nothing replaces a job that cannot be opened again."""
    try:
        check_readable(Archive(written), cancel)
    except JobFileError as error:
        raise JobFileError(
            f"'{path.name}' was not saved",
            f"what was written cannot be read back ({error.why})",
            "the earlier file and the journal are unharmed: go back a few steps and save again",
        ) from error


def _check_link(photo: Photo, path: Path) -> None:
    """Raise `LatherError` unless the photo can be found again from the job."""
    why = ""
    if photo.path is None:
        why = "the photo it should refer to has no place of its own"
    else:
        try:
            if photo_hash(photo.path.read_bytes()) != photo.sha256:
                why = f"the photo at {photo.path} was changed since"
        except OSError:
            why = f"the photo at {photo.path} is no longer there"
    if why:
        raise LatherError(
            f"'{path.name}' was not saved",
            why,
            "take the photo into the job (switch off 'Leave the photo outside of the job')",
        )


class _Writer:
    def __init__(
        self,
        archive: zipfile.ZipFile,
        path: Path,
        state: JobState,
        progress: Progress,
        cancel: CancelToken | None,
    ) -> None:
        self.written: list[tuple[Tile, tuple[str, Key, int, int]]] = []
        self._names: dict[tuple[object, ...], str] = {}  # of tiles that were written
        self._archive = archive
        self._path = path
        self._state = state
        self._progress = progress
        self._cancel = cancel
        self._n_layers = sum(1 for _ in walk_held(state.layers))
        self._n_done = 0
        self._pool = ThreadPoolExecutor(N_THREADS, "encode")
        self._smalls: list[tuple[str, Future[bytes]]] = []

    def write(self, revision: str, worked_s: float, link_photo: bool) -> None:
        try:
            self._write(revision, worked_s, link_photo)
        finally:
            self._pool.shutdown(cancel_futures=True)

    def _write(self, revision: str, worked_s: float, link_photo: bool) -> None:
        state = self._state
        layers = [self._layer(layer) for layer in state.layers]
        planes = {}
        for name, tiles in state.planes.named().items():
            size = plane_size(name, state.photo.rect, state.regions)
            planes[name] = {**plane_entry(tiles), **self._tiles(f"planes/{name}", tiles, size)}
        photo = self._photo(link_photo)
        operations = self._operations()
        entry = job_entry(state, revision, worked_s, photo, layers, planes, operations)
        for name, small in self._smalls:
            self._check_cancel()
            self._archive.writestr(name, small.result())
        self._attachments()
        self._text("job.json", json.dumps(entry, indent=1))

    def _photo(self, link_photo: bool) -> Entry:
        photo = self._state.photo
        entry: Entry = {
            "width": photo.width,
            "height": photo.height,
            "depth_bits": photo.depth_bits,
            "sha256": photo.sha256,
        }
        if link_photo and photo.path is not None:
            link = os.path.relpath(photo.path.resolve(), self._path.parent.resolve())
            return {**entry, "file": None, "link": link}
        name = f"photo/{Path(photo.name).name}"
        self._archive.writestr(name, photo.encoded)
        return {**entry, "file": name}

    def _layer(self, layer: Layer) -> Entry:
        self._progress(self._n_done / self._n_layers, f"saving {layer.name}")
        self._n_done += 1
        folder, picture = f"layers/{layer.id}", self._state.photo.rect
        entry = layer_entry(layer)
        if layer.mask is not None:
            entry["mask"] = mask_entry(layer.mask)
            entry["mask"].update(self._tiles(f"{folder}/mask", layer.mask.tiles, picture))
        if layer.planes:
            entry["planes"] = {
                name: {**plane_entry(tiles), **self._tiles(f"{folder}/{name}", tiles, picture)}
                for name, tiles in layer.planes.items()
            }
        if layer.strokes:
            entry["strokes"] = self._strokes(f"{folder}/strokes", layer.strokes)
        if layer.held:
            entry["layers"] = [self._layer(child) for child in layer.held]
        return entry

    def _strokes(self, folder: str, strokes: Sequence[StrokeRecord]) -> list[list[str]]:
        """Strokes in parts, each of which is small enough to be read again.

        Encoded one by one: other threads come in between.
        """
        parts: list[list[str]] = []
        for part in _parts(strokes):
            name, readings = (f"{folder}/{len(parts)}.{suffix}" for suffix in ("json", "f32"))
            lines = []
            for stroke in part:
                self._check_cancel()
                lines.append(json.dumps(stroke_entry(stroke)))
            self._text(name, "[\n" + ",\n".join(lines) + "\n]")
            self._archive.writestr(readings, b"".join(map(packed_readings, part)))
            parts.append([name, readings])
        return parts

    def _operations(self) -> list[list[Any]]:
        """What was done, in parts; most strokes lie on the layers already, and most tiles."""
        writer, parts = OperationsWriter(self._state.layers, self), list[list[Any]]()
        for text, readings, n in writer.parts(self._state.operations):
            self._check_cancel()
            names = [f"operations/{len(parts)}.{suffix}" for suffix in ("json", "f32")]
            self._text(names[0], text)
            if readings:
                self._packed_text(names[1], readings)
            parts.append([names[0], names[1] if readings else "", n])
        return parts

    def carried_layer(self, layer: Layer, folder: str) -> Entry:
        entry = layer_entry(layer)
        if layer.mask is not None:
            mask = self._carried_tiles(f"{folder}/mask", layer.mask.tiles)
            entry["mask"] = {**mask_entry(layer.mask), **mask}
        if layer.planes:
            entry["planes"] = {
                name: {**plane_entry(tiles), **self._carried_tiles(f"{folder}/{name}", tiles)}
                for name, tiles in layer.planes.items()
            }
        return entry

    def carried_plane(self, name: str, tiles: Tiles, folder: str) -> Entry:
        return {**plane_entry(tiles), **self._carried_tiles(f"{folder}/planes/{name}", tiles)}

    def _carried_tiles(self, folder: str, tiles: Tiles) -> Entry:
        """A plane of which most tiles may lie in the file already."""
        entries: list[list[Any]] = []
        for key, tile in sorted(tiles.tiles.items()):
            self._check_cancel()
            name = self._names.get(_same(tile))
            if name is None:
                name = f"{folder}/{key[0]}_{key[1]}.png"
                encoded = _pack(tile, WHOLE).encoded
                self._add_tile(name, encoded, tile, key, tiles)
            entries.append([*key, name])
        return {"tiles": entries}

    def _add_tile(self, name: str, encoded: bytes, tile: Tile, key: Key, tiles: Tiles) -> None:
        self._archive.writestr(name, encoded)
        self.written.append((tile, (name, key, tiles.channels, tiles.fill)))
        self._names[_same(tile)] = name

    def _attachments(self) -> None:
        """What fields of a newer Lather refer to, as it was."""
        kept = self._state.attachments
        if kept is None:
            return
        for name in sorted(mentioned(self._state) - set(self._archive.namelist())):
            if name in kept:
                self._check_cancel()
                self._archive.writestr(name, kept.read(name, MOST_ATTACHMENT_BYTES))

    def _check_cancel(self) -> None:
        if self._cancel is not None:
            self._cancel.check()

    def _tiles(self, folder: str, tiles: Tiles, picture: Rect) -> Entry:
        entries, smalls = [], []
        for (key, tile), packed in self._packed(sorted(tiles.tiles.items()), picture):
            self._check_cancel()
            name = f"{folder}/{key[0]}_{key[1]}.png"
            self._add_tile(name, packed.encoded, tile, key, tiles)
            entries.append([*key, name])
            smalls.append(packed.small)
        entry: Entry = {"tiles": entries}
        if entries:
            per_row = math.isqrt(len(smalls) - 1) + 1
            name = f"{folder}/small.png"
            self._smalls.append((name, self._pool.submit(_side_by_side, smalls, per_row)))
            place = {"file": name, "level": SMALL_LEVEL, "per_row": per_row}
            entry["small"] = {**tiles.extras.get("small", {}), **place}
        return entry

    def _packed(
        self, ordered: list[tuple[Key, Tile]], picture: Rect
    ) -> Iterator[tuple[tuple[Key, Tile], _Packed]]:
        """Tiles as they are written, packed on threads a little ahead of the writing."""
        ahead: deque[tuple[tuple[Key, Tile], Future[_Packed]]] = deque()
        for item in ordered:
            ahead.append((item, self._pool.submit(_pack, item[1], extent(item[0], picture))))
            if len(ahead) >= N_AHEAD:
                done, future = ahead.popleft()
                yield done, future.result()
        while ahead:
            done, future = ahead.popleft()
            yield done, future.result()

    def _text(self, name: str, text: str) -> None:
        self._packed_text(name, text)

    def _packed_text(self, name: str, content: str | bytes) -> None:
        self._archive.writestr(name, content, compress_type=zipfile.ZIP_DEFLATED, compresslevel=1)


def _same(tile: Tile) -> tuple[object, ...]:
    """Equal for tiles that hold the same: one and the same, or out of one place of a file."""
    stored = tile.stored
    if isinstance(stored, ArchivedTile):
        return id(stored.archive), stored.name
    return (id(tile),)


def _parts(strokes: Sequence[StrokeRecord]) -> Iterator[list[StrokeRecord]]:
    part: list[StrokeRecord] = []
    n_bytes = 0
    for stroke in strokes:
        if part and (
            len(part) == STROKES_A_PART
            or n_bytes + stroke.readings.nbytes > READINGS_A_PART_BYTES
        ):
            yield part
            part, n_bytes = [], 0
        part.append(stroke)
        n_bytes += stroke.readings.nbytes
    if part:
        yield part


@dataclass(frozen=True)
class _Packed:
    """A tile ready to be written: its PNG, and the tile reduced."""

    encoded: bytes
    small: NDArray[np.uint16]


def _pack(tile: Tile, inside: Extent) -> _Packed:
    """The PNG as it lies in a job file, if it still can be read there; or made anew."""
    small = tile.level(SMALL_LEVEL, inside)
    if isinstance(tile.stored, ArchivedTile):
        try:
            return _Packed(tile.stored.encoded(), small)
        except (OSError, ValueError, zlib.error):
            pass  # the disk is gone or the file damaged: from memory, if it is there
    return _Packed(encode_tile(tile.pixels), small)


def _side_by_side(smalls: list[NDArray[np.uint16]], per_row: int) -> bytes:
    """All reduced tiles of a plane as one PNG."""
    n_rows = -(-len(smalls) // per_row)
    whole = np.zeros((n_rows * _SMALL_PX, per_row * _SMALL_PX, *smalls[0].shape[2:]), np.uint16)
    for number, small in enumerate(smalls):
        top, left = (_SMALL_PX * place for place in divmod(number, per_row))
        whole[top : top + _SMALL_PX, left : left + _SMALL_PX] = small
    return encode_tile(whole)
