"""An open job file, of which members are read when they are needed.

The file is opened once and read by position, so a job that is saved over, renamed or
deleted meanwhile goes on being read as it was.
"""

from __future__ import annotations

import os
import struct
import tempfile
import threading
import weakref
import zipfile
import zlib
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lather.core.work import CancelToken
from lather.document.tiles import TILE_PX, Extent, Key, blank_pixels, halved
from lather.errors import JobFileError, LatherError
from lather.files.closing import close_aside
from lather.files.jobs.tilecodec import decode_tile

_LOCAL_HEADER = struct.Struct("<4s22sHH")
_COPY_BYTES = 4 * 2**20
_FOLDERS = {"operations": "what was done"}  # in words


class Archive:
    """The members of a ZIP file by name, read by position; any thread may read."""

    def __init__(self, path: Path) -> None:
        self._fd = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
        self._close = weakref.finalize(self, close_aside, self._fd)
        self.size_bytes = os.fstat(self._fd).st_size
        with os.fdopen(os.dup(self._fd), "rb") as file, zipfile.ZipFile(file) as members:
            self._members = {info.filename: info for info in members.infolist()}
        self.damaged: set[str] = set()

    def __contains__(self, name: str) -> bool:
        return name in self._members

    def read(self, name: str, most_bytes: int) -> bytes:
        """A member's bytes, unpacked, never more than `most_bytes`.

        Raises
        ------
        KeyError : there is no such member.
        ValueError : it is larger than allowed or packed in another way than it says.
        """
        info = self._members[name]
        if info.file_size > most_bytes or info.compress_size > most_bytes:
            raise ValueError(f"'{name}' is too large")
        packed = self._packed(info)
        if info.compress_type == zipfile.ZIP_STORED:
            content = packed
        elif info.compress_type == zipfile.ZIP_DEFLATED:
            # One byte more than said would show that the size is a lie.
            content = zlib.decompressobj(-15).decompress(packed, info.file_size + 1)
        else:
            raise ValueError(f"'{name}' is packed in an unknown way")
        if len(content) != info.file_size or zlib.crc32(content) != info.CRC:
            raise ValueError(f"'{name}' is damaged")
        return content

    def check(self, cancel: CancelToken | None = None) -> None:
        """Read everything once; `damaged` then names the members that are not whole."""
        for name, info in self._members.items():
            if cancel is not None:
                cancel.check()
            try:
                self.read(name, info.file_size)
            except (OSError, ValueError, zlib.error):
                self.damaged.add(name)

    def damage(self, layers: Mapping[int, str]) -> str:
        """What is known to be unreadable, in words; '' if nothing is. `layers`: names by id."""
        if not self.damaged:
            return ""
        n_parts, ids = len(self.damaged), set()
        for name in self.damaged:
            folder, _, rest = name.partition("/")
            ids.add(rest.split("/")[0] if folder == "layers" else _FOLDERS.get(folder, folder))
        where = sorted(layers.get(int(i), i) if i.isdigit() else i for i in ids)
        parts = "1 part" if n_parts == 1 else f"{n_parts} parts"
        return f"{parts} of it cannot be read, and nothing is shown for it ({', '.join(where)})"

    def copy_to(self, folder: Path, cancel: CancelToken) -> None:
        """Go on with a nameless copy in `folder`, so that the disk it came from may go."""
        with tempfile.TemporaryFile(dir=folder) as copy:
            position = 0
            while chunk := os.pread(self._fd, _COPY_BYTES, position):
                cancel.check()
                copy.write(chunk)
                position += len(chunk)
            copy.flush()
            if position == self.size_bytes:
                os.dup2(copy.fileno(), self._fd, inheritable=False)

    def _packed(self, info: zipfile.ZipInfo) -> bytes:
        header = os.pread(self._fd, _LOCAL_HEADER.size, info.header_offset)
        if len(header) < _LOCAL_HEADER.size:
            raise ValueError(f"'{info.filename}' is cut off")
        signature, _, name_bytes, extra_bytes = _LOCAL_HEADER.unpack(header)
        if signature != b"PK\x03\x04":
            raise ValueError(f"'{info.filename}' is not where it should be")
        start = info.header_offset + _LOCAL_HEADER.size + name_bytes + extra_bytes
        return os.pread(self._fd, info.compress_size, start)


@dataclass(frozen=True)
class SmallPlane:
    """All tiles of a plane reduced and laid side by side: enough for a first view.

    `places` says where: tile number n lies in row n // per_row, column n % per_row.
    """

    archive: Archive
    name: str
    level: int
    per_row: int
    channels: int
    places: Mapping[Key, int]
    _lock: threading.Lock = field(default_factory=threading.Lock, repr=False)
    _pixels: list[NDArray[np.uint16] | None] = field(default_factory=list, repr=False)

    def tile(self, key: Key, level: int, inside: Extent) -> NDArray[np.uint16] | None:
        """A tile at `level`, or None if this picture cannot give it; see `Tile.level`."""
        pixels = self.read() if level >= self.level else None
        if pixels is None:
            return None
        row, column = divmod(self.places[key], self.per_row)
        side = TILE_PX >> self.level
        block = pixels[row * side : (row + 1) * side, column * side : (column + 1) * side]
        for finer in range(self.level, level):
            block = halved(block, inside, finer)
        return block

    def read(self) -> NDArray[np.uint16] | None:
        """The whole picture, read once; None if it cannot be."""
        with self._lock:
            if not self._pixels:
                side = TILE_PX >> self.level
                height, width = -(-len(self.places) // self.per_row) * side, self.per_row * side
                pixels = None
                with suppress(OSError, ValueError, KeyError, zlib.error):  # the tiles serve then
                    encoded = self.archive.read(self.name, 2 * 8 * height * width + 4096)
                    pixels = decode_tile(encoded, height, width, self.channels)
                self._pixels.append(pixels)
        return self._pixels[0]


@dataclass(frozen=True)
class ArchivedTile:
    """A tile that lies in a job file (a `StoredTile`)."""

    archive: Archive
    name: str
    key: Key
    channels: int
    fill: int
    small: SmallPlane | None = None

    MOST_BYTES = 4 * 2**20

    def encoded(self) -> bytes:
        """The PNG as it lies there; ValueError or OSError if it cannot be read."""
        return self.archive.read(self.name, self.MOST_BYTES)

    def pixels(self) -> NDArray[np.uint16]:
        """The samples; an empty tile, and a note in `archive.damaged`, if it is not whole.

        Raises
        ------
        JobFileError : the disk cannot be read now. The tile may be whole, so it is not
            taken as empty.
        """
        try:
            return decode_tile(self.encoded(), TILE_PX, TILE_PX, self.channels)
        except OSError as error:
            raise JobFileError(
                "A part of a layer was not read",
                error.strerror or str(error),
                "connect the job's disk again",
            ) from error
        except (ValueError, zlib.error):
            self.archive.damaged.add(self.name)
            return blank_pixels(self.channels, self.fill)

    def reduced(self, level: int, inside: Extent) -> NDArray[np.uint16] | None:
        return self.small.tile(self.key, level, inside) if self.small is not None else None


def unopened(kind: type[LatherError], path: Path, error: OSError) -> LatherError:
    """What the system's refusal to open or read a file is to a person."""
    what = f"'{path.name}' was not opened"
    if isinstance(error, FileNotFoundError):
        return kind(what, "there is no such file", "check the name and folder")
    return kind(what, error.strerror or str(error), "check the disk")
