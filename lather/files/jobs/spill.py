"""Tiles that only old history steps hold, parked in a nameless file.

The file has no name, so nothing of it is left whatever way the process ends.
"""

from __future__ import annotations

import os
import tempfile
import threading
import weakref
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lather.document.tiles import Extent, Tile
from lather.errors import LatherError
from lather.files.closing import close_aside


class Spill:
    """Raw samples by position in a nameless file; any thread may read and write."""

    def __init__(self, folder: Path | None = None) -> None:
        with tempfile.TemporaryFile(dir=folder) as file:
            self._fd = os.dup(file.fileno())
        weakref.finalize(self, close_aside, self._fd)
        self._lock = threading.Lock()
        self.size_bytes = 0

    def park_now(self, tiles: list[Tile], parked: Callable[[bool], None]) -> bool:
        """`park`, as histories ask for it, at once."""
        parked(self.park(tiles))
        return True

    def park(self, tiles: list[Tile]) -> bool:
        """Write tiles that lie nowhere yet, and take all out of memory; False if the disk is
        full."""
        for tile in tiles:
            if tile.in_memory:
                try:
                    tile.park(tile.stored or self._write(tile.pixels))
                except OSError:
                    return False
        return True

    def read(self, position: int, shape: tuple[int, ...]) -> NDArray[np.uint16]:
        n_bytes = 2 * int(np.prod(shape))
        try:
            data = os.pread(self._fd, n_bytes, position)
        except OSError as error:
            raise _unreadable(error.strerror or str(error)) from error
        if len(data) < n_bytes:
            raise _unreadable("its file was cut off")
        return np.frombuffer(data, dtype=np.uint16).reshape(shape)

    def _write(self, pixels: NDArray[np.uint16]) -> SpilledTile:
        data = memoryview(np.ascontiguousarray(pixels)).cast("B")
        with self._lock:
            position = self.size_bytes
            written = 0
            while written < len(data):
                written += os.pwrite(self._fd, data[written:], position + written)
            self.size_bytes = position + len(data)
        return SpilledTile(self, position, pixels.shape)


@dataclass(frozen=True)
class SpilledTile:
    """A tile in a spill file (a `StoredTile`)."""

    spill: Spill
    position: int
    shape: tuple[int, ...]

    def pixels(self) -> NDArray[np.uint16]:
        return self.spill.read(self.position, self.shape)

    def reduced(self, level: int, inside: Extent) -> NDArray[np.uint16] | None:  # noqa: ARG002
        return None


def spill_folder() -> Path | None:
    """On disk rather than in a temporary folder that may lie in memory."""
    import platformdirs

    folder = Path(platformdirs.user_cache_dir("lather"))
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError:
        return None
    return folder


def _unreadable(why: str) -> LatherError:
    return LatherError("An older state was not read", why, "undo no further; the job is unharmed")
