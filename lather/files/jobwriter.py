"""Writing a job file."""

from __future__ import annotations

import json
import os
import zipfile
import zlib
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lather.core.work import CancelToken, Progress, no_progress
from lather.document.job import JobState
from lather.document.layers import GroupLayer, Layer, PixelLayer
from lather.document.tiles import TILE_PX, Key, Tile, Tiles
from lather.document.tree import walk
from lather.errors import LatherError
from lather.files.archive import Archive, ArchivedTile
from lather.files.atomic import replacing
from lather.files.backups import keep_backup
from lather.files.description import Entry, brief_entry, layer_entry, mask_entry
from lather.files.jobfile import job_entry, new_revision, photo_hash
from lather.files.strokes import strokes_to_json
from lather.files.tilecodec import encode_tile

SMALL_LEVEL = 3  # what a 24-megapixel portrait shows at when it fits the window
N_THREADS = 2
N_AHEAD = 16  # tiles encoded and waiting to be written
_SMALL_PX = TILE_PX >> SMALL_LEVEL


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
    LatherError : the folder cannot be written, the disk is full, a linked photo is nowhere.
    """
    revision = revision or new_revision()
    if link_photo and state.photo.path is None:
        raise LatherError(
            f"'{path.name}' was not saved",
            "the photo it should refer to has no place of its own",
            "keep the photo inside the job",
        )
    with replacing(path) as temporary:
        with zipfile.ZipFile(temporary, "w") as archive:
            writer = _Writer(archive, path, state, progress, cancel)
            writer.write(revision, worked_s, link_photo)
        keep_backup(path, n_backups)
    written = Archive(path)
    for tile, where in writer.written:
        if tile.in_memory:
            tile.stored = ArchivedTile(written, *where)
    progress(1.0, "saved")
    return revision


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
        self._archive = archive
        self._path = path
        self._state = state
        self._progress = progress
        self._cancel = cancel
        self._n_layers = sum(1 for _ in walk(state.layers))
        self._n_done = 0

    def write(self, revision: str, worked_s: float, link_photo: bool) -> None:
        layers = [self._layer(layer) for layer in self._state.layers]
        entry = job_entry(
            self._state, revision, worked_s, self._photo(link_photo), layers,
            brief_entry(self._state.brief),
        )  # fmt: skip
        self._text("job.json", json.dumps(entry, indent=1))

    def _photo(self, link_photo: bool) -> Entry:
        photo = self._state.photo
        entry: Entry = {
            "width": photo.width,
            "height": photo.height,
            "depth_bits": photo.depth_bits,
            "sha256": photo_hash(photo.encoded),
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
        folder = f"layers/{layer.id}"
        entry = layer_entry(layer)
        if layer.mask is not None:
            entry["mask"] = mask_entry(layer.mask)
            entry["mask"].update(self._tiles(f"{folder}/mask", layer.mask.tiles))
        if isinstance(layer, PixelLayer):
            entry.update(self._tiles(f"{folder}/pixels", layer.tiles))
            if layer.strokes:
                entry["strokes"] = f"{folder}/strokes.json"
                self._text(entry["strokes"], json.dumps(strokes_to_json(layer.strokes)))
        if isinstance(layer, GroupLayer):
            entry["layers"] = [self._layer(child) for child in layer.children]
        return entry

    def _tiles(self, folder: str, tiles: Tiles) -> Entry:
        ordered = sorted(tiles.tiles.items())
        entries = []
        for (key, tile), encoded in self._encoded(ordered):
            if self._cancel is not None:
                self._cancel.check()
            name = f"{folder}/{key[0]}_{key[1]}.png"
            self._archive.writestr(name, encoded)
            self.written.append((tile, (name, key, tiles.channels, tiles.fill)))
            entries.append([*key, name])
        entry: Entry = {"tiles": entries}
        if entries:
            entry["small"] = self._small(f"{folder}/small.png", tiles)
        return entry

    def _encoded(
        self, ordered: list[tuple[Key, Tile]]
    ) -> Iterator[tuple[tuple[Key, Tile], bytes]]:
        """Tiles with their PNGs, encoded on threads a little ahead of the writing."""
        with ThreadPoolExecutor(N_THREADS, "encode") as pool:
            ahead: deque[tuple[tuple[Key, Tile], Future[bytes]]] = deque()
            try:
                for item in ordered:
                    ahead.append((item, pool.submit(_png_of, item[1])))
                    if len(ahead) >= N_AHEAD:
                        done, future = ahead.popleft()
                        yield done, future.result()
                while ahead:
                    done, future = ahead.popleft()
                    yield done, future.result()
            finally:
                for _, future in ahead:
                    future.cancel()

    def _small(self, name: str, tiles: Tiles) -> Entry:
        rows, columns = zip(*tiles.tiles, strict=True)
        row, column = min(rows), min(columns)
        n_rows, n_columns = max(rows) - row + 1, max(columns) - column + 1
        shape = (n_rows * _SMALL_PX, n_columns * _SMALL_PX)
        whole: NDArray[np.uint16] = np.full(
            shape + ((4,) if tiles.channels == 4 else ()), tiles.fill, dtype=np.uint16
        )
        for (y, x), tile in tiles.tiles.items():
            top, left = (y - row) * _SMALL_PX, (x - column) * _SMALL_PX
            whole[top : top + _SMALL_PX, left : left + _SMALL_PX] = tile.level(SMALL_LEVEL)
        self._archive.writestr(name, encode_tile(whole))
        return {
            "file": name, "level": SMALL_LEVEL, "row": row, "column": column,
            "rows": n_rows, "columns": n_columns,
        }  # fmt: skip

    def _text(self, name: str, text: str) -> None:
        self._archive.writestr(name, text, compress_type=zipfile.ZIP_DEFLATED, compresslevel=1)


def _png_of(tile: Tile) -> bytes:
    """The tile's PNG, as it lies in a job file if it still can be read there."""
    if isinstance(tile.stored, ArchivedTile):
        try:
            return tile.stored.encoded()
        except (OSError, ValueError, zlib.error):
            pass  # the disk is gone or the file damaged: from memory, if it is there
    return encode_tile(tile.pixels)
