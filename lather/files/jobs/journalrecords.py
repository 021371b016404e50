"""The records of a journal: how they lie in the file. docs/job-file.md describes them."""

from __future__ import annotations

import json
import os
import struct
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from lather import __version__
from lather.errors import JobFileError
from lather.files.entries import Entry
from lather.files.jobs.delta import Blobs

FORMAT, VERSION = "lather-journal", 6
OPS = ("begin", "mark", "tiles", "step")
_MAGIC = b"LthR"
_HEADER = struct.Struct("<4sIII")  # magic, bytes of JSON, bytes of pixels, CRC-32 of both
_MOST_JSON_BYTES = 256 * 2**20
_MOST_BLOB_BYTES = 2**32 - 1


def begin_entry(revision: str, about: Entry) -> Entry:
    return {
        "op": "begin", "format": FORMAT, "version": VERSION, "revision": revision,
        "application": f"Lather {__version__}", "about": about,
    }  # fmt: skip


def packed_record(entry: Entry, blobs: Blobs) -> list[memoryview]:
    """The parts of a record; samples are not copied on their way to the file."""
    text = json.dumps(entry, separators=(",", ":")).encode()
    parts = [memoryview(text), *(blob for blob in blobs if len(blob))]
    n_blob = sum(map(len, parts)) - len(text)
    if len(text) > _MOST_JSON_BYTES or n_blob > _MOST_BLOB_BYTES:
        raise JobFileError("A step was not written down", "it is too large for the journal")
    checksum = 0
    for part in parts:
        checksum = zlib.crc32(part, checksum)
    return [memoryview(_HEADER.pack(_MAGIC, len(text), n_blob, checksum)), *parts]


def write_parts(fd: int, parts: list[memoryview]) -> int:
    """Write all of it; returns how many bytes that are."""
    for part in parts:
        rest = part
        while rest:
            rest = rest[os.write(fd, rest) :]
    return sum(map(len, parts))


def records(path: Path) -> Iterator[tuple[Entry, memoryview, int]]:
    """Whole records from the start, each with the place where it ends."""
    with path.open("rb") as file:
        left_bytes = os.fstat(file.fileno()).st_size
        while len(header := file.read(_HEADER.size)) == _HEADER.size:
            magic, n_text, n_blob, checksum = _HEADER.unpack(header)
            left_bytes -= _HEADER.size + n_text + n_blob
            if magic != _MAGIC or n_text > _MOST_JSON_BYTES or left_bytes < 0:
                return
            body = file.read(n_text + n_blob)
            if len(body) < n_text + n_blob or zlib.crc32(body) != checksum:
                return
            try:
                entry: Any = json.loads(body[:n_text])
            except ValueError:
                return
            if not isinstance(entry, dict) or entry.get("op") not in OPS:
                return
            yield entry, memoryview(body)[n_text:], file.tell()


def more_than_cut_off(path: Path, at_bytes: int) -> bool:
    """True if what follows is damaged, and no record that a process had no time to finish."""
    with path.open("rb") as file:
        file.seek(at_bytes)
        header = file.read(_HEADER.size)
        if len(header) < _HEADER.size:
            return header[: len(_MAGIC)] != _MAGIC[: len(header)]
        magic, n_text, n_blob, _ = _HEADER.unpack(header)
        left_bytes = os.fstat(file.fileno()).st_size - file.tell()
        return bool(magic != _MAGIC or n_text + n_blob <= left_bytes)
