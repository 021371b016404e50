"""The journal: every step of a job, on disk before it is acknowledged.

An append-only file of records. Each holds what one step changed, with a checksum; a
record that was cut off by the end of the process does not count. Layers that a step left
alone are named, tiles are given by the rectangle that changed. Pixels may be written ahead
of the step that needs them, so that the step itself is short. docs/job-file.md describes the
format.
"""

from __future__ import annotations

import itertools
import json
import os
import struct
import threading
import zlib
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

from lather import __version__
from lather.document.job import JobState
from lather.errors import JobFileError, NewerError
from lather.files.atomic import flush, replacing
from lather.files.delta import Blobs, DeltaReader, DeltaWriter, new_tiles
from lather.files.entries import Entry

FORMAT, VERSION = "lather-journal", 3
_MAGIC = b"LthR"
_HEADER = struct.Struct("<4sIII")  # magic, bytes of JSON, bytes of pixels, CRC-32 of both
_MOST_JSON_BYTES = 256 * 2**20
_MOST_BLOB_BYTES = 2**32 - 1
_AHEAD_TILES = 4  # in one record: whoever wants to write waits no longer than for these
_OPS = ("begin", "mark", "tiles", "step")
_MISFIT = (ValueError, KeyError, TypeError, IndexError, AttributeError, OverflowError)


class Journal:
    """Writes a journal; any thread.

    Attributes
    ----------
    n_steps : steps written since the journal's base.
    size_bytes : how long the file is.
    """

    def __init__(
        self, path: Path, state: JobState, revision: str, about: Entry,
        found: Replayed | None = None,
    ) -> None:  # fmt: skip
        """A new, empty journal on the state that a job file calls `revision`.

        `about` says where the work belongs: title, job or photo path, photo hash. With
        `found` the journal at `path` goes on instead, after what was replayed of it; `state`
        is where that led to.

        Raises
        ------
        OSError : the folder cannot be written or the disk is full.
        """
        self.path = path
        self._about = about
        self._writer = DeltaWriter(state)
        self._state = state
        self._marks: dict[str, tuple[int, int]] = {}
        self._lock = threading.Lock()
        self._is_placed = found is not None  # its name is safe on the disk, too
        self.n_steps = 0
        if found is None:
            # The interface thread waits for this; `sync` flushes it, aside.
            with replacing(path, flushed=False) as temporary:
                temporary.write_bytes(b"".join(_record(_begin_entry(revision, about), [])))
        self._fd = os.open(path, os.O_RDWR | os.O_APPEND | os.O_CLOEXEC)
        self.size_bytes = os.fstat(self._fd).st_size
        if found is not None:
            self.n_steps = found.n_steps
            self.size_bytes = found.end_bytes
            os.ftruncate(self._fd, self.size_bytes)
            self.mark(revision)

    def record(self, name: str, after: JobState, gesture: str | None = None) -> None:
        """Append the step that leads to `after`; it is with the system when this returns.

        Whatever an earlier failed call left out is in the next record.

        Raises
        ------
        OSError, LatherError : nothing was written; the journal is as it was.
        """
        with self._lock:
            entry, blobs = self._writer.change(self._state, after)
            self._append({"op": "step", "name": name, "gesture": gesture, **entry}, blobs)
            self._writer.accept()
            self._state = after
            self.n_steps += 1

    def ahead(self, before: JobState, after: JobState) -> None:
        """Write the pixels that a step from one state to the other is going to need.

        What no step uses does no harm.

        Raises
        ------
        OSError : the rest was not written.
        """
        tiles = new_tiles(before, after)
        while part := list(itertools.islice(tiles, _AHEAD_TILES)):
            with self._lock:
                if self._fd < 0:
                    return
                entry, blobs = self._writer.ahead(part)
                if entry["tiles"]:
                    self._append({"op": "tiles", **entry}, blobs)
                    self._writer.accept()

    def mark(self, revision: str) -> None:
        """Note that the state written last is going to be saved as `revision`."""
        with self._lock:
            self._append({"op": "mark", "revision": revision}, [])
            self._marks[revision] = (self.size_bytes, self.n_steps)
            self._writer.rebase(self._state)

    def restart(self, revision: str) -> None:
        """`revision` is saved: drop what lies before its mark, unless the journal is closed.

        Most of the rest is copied while others write; they wait for what comes meanwhile.

        Raises
        ------
        OSError, LatherError : the journal is as it was.
        KeyError : it has no such mark.
        """
        begin = b"".join(_record(_begin_entry(revision, self._about), []))
        with ExitStack() as held, self._also_open() as source:
            position, n_steps = self._marks[revision]
            with replacing(self.path) as temporary, temporary.open("wb") as file:
                file.write(begin)
                position = _copy(source, position, file)
                os.fsync(file.fileno())
                held.enter_context(self._lock)  # until the new file is in its place
                if self._fd < 0:
                    raise FileNotFoundError
                _copy(source, position, file)
                size_bytes = file.tell()
            os.close(self._fd)
            self._fd = os.open(self.path, os.O_RDWR | os.O_APPEND | os.O_CLOEXEC)
            self.size_bytes = size_bytes
            self.n_steps -= n_steps
            self._marks.clear()

    def sync(self) -> None:
        """Make what was written safe from a power cut; any thread."""
        with suppress(FileNotFoundError), self._also_open() as fd:
            os.fsync(fd)
            if not self._is_placed:
                flush(self.path.parent)
                self._is_placed = True

    def close(self, *, delete: bool) -> None:
        with self._lock:
            fd, self._fd = self._fd, -1
        try:
            if delete:
                self.path.unlink(missing_ok=True)
        finally:
            # A long file's place on disk is freed as its last descriptor goes: nobody waits.
            threading.Thread(target=os.close, args=(fd,)).start()

    @contextmanager
    def _also_open(self) -> Iterator[int]:
        """A descriptor of the file that stays open when the journal is closed.

        FileNotFoundError if it is closed already.
        """
        with self._lock:
            if self._fd < 0:
                raise FileNotFoundError(f"{self.path} is closed")
            fd = os.dup(self._fd)
        try:
            yield fd
        finally:
            os.close(fd)

    def _append(self, entry: Entry, blobs: Blobs) -> None:
        parts = _record(entry, blobs)
        try:
            n_bytes = _write(self._fd, parts)
        except OSError:
            os.ftruncate(self._fd, self.size_bytes)
            raise
        self.size_bytes += n_bytes


@dataclass(frozen=True)
class Recorded:
    """One step read back. Steps in a row with the same gesture are one."""

    name: str
    state: JobState
    gesture: str | None
    end_bytes: int  # where its record ends


@dataclass(frozen=True)
class Replayed:
    """How far a journal could be replayed.

    Attributes
    ----------
    n_steps : replayed, of all that the journal holds.
    end_bytes : where the last record ends that was replayed.
    n_lost : whole steps after them that do not fit.
    """

    n_steps: int
    end_bytes: int
    n_lost: int


@dataclass(frozen=True)
class FoundJournal:
    """A journal that a process left behind.

    Attributes
    ----------
    about : where the work belongs: title, job or photo path, photo hash.
    revisions : saved states that the journal goes on from, oldest first, each with the
        number of whole steps before it.
    revision_bytes : where the records end that name them.
    n_steps : whole steps in it.
    whole_bytes : length of the file up to the end of its last whole record.
    is_damaged : more follows after that than a record that was cut off.
    last_name, last_s : name of the last step, and when the file was last written to.
    """

    path: Path
    about: Entry
    revisions: dict[str, int]
    revision_bytes: dict[str, int]
    n_steps: int
    whole_bytes: int
    last_name: str
    last_s: float
    is_damaged: bool = False

    def n_steps_since(self, revision: str) -> int:
        return self.n_steps - self.revisions[revision]

    def steps(self, revision: str, base: JobState) -> Iterator[Recorded]:
        """The steps since `revision`, the state of which is `base`.

        Ends at the first record that is cut off or does not fit: see `replayed`.
        """
        reader: DeltaReader | None = None
        for entry, blobs, end_bytes in _records(self.path):
            if entry.get("revision") == revision:
                reader = DeltaReader(base)
            elif reader is None or entry["op"] == "begin":
                continue
            elif entry["op"] == "mark":
                reader.rebase()
            else:
                try:
                    if entry["op"] == "tiles":
                        reader.learn(entry, blobs)
                        continue
                    state = reader.apply(entry, blobs)
                except _MISFIT:
                    return
                yield Recorded(_name(entry), state, entry.get("gesture"), end_bytes)

    def replayed(self, revision: str, n_since: int, last: Recorded | None) -> Replayed:
        """How far that is, if `steps` gave so many since `revision`, the last of them `last`."""
        n_steps = self.revisions[revision] + n_since
        if n_steps == self.n_steps:
            return Replayed(n_steps, self.whole_bytes, 0)
        end_bytes = self.revision_bytes[revision] if last is None else last.end_bytes
        return Replayed(n_steps, end_bytes, self.n_steps - n_steps)


def read_about(path: Path) -> Entry:
    """Where the work in a journal belongs, without reading the rest; raises as `read_journal`."""
    entry, _, _ = next(_records(path), ({}, None, 0))
    about = _about(entry, path)
    if about is None:
        raise _damaged(path)
    return about


def read_journal(path: Path) -> FoundJournal:
    """What a journal holds, without building any state.

    Raises
    ------
    NewerError : it was made by a newer Lather.
    JobFileError : it is not a journal.
    OSError : it cannot be read.
    """
    about: Entry | None = None
    revisions: dict[str, int] = {}
    revision_bytes: dict[str, int] = {}
    n_steps = whole_bytes = 0
    last_name = ""
    for entry, _, end in _records(path):
        if entry["op"] in ("begin", "mark"):
            if entry["op"] == "begin":
                about = _about(entry, path)
            revisions[str(entry.get("revision"))] = n_steps
            revision_bytes[str(entry.get("revision"))] = end
        elif entry["op"] == "step":
            n_steps += 1
            last_name = _name(entry)
        if about is None:
            break
        whole_bytes = end
    if about is None:
        raise _damaged(path)
    return FoundJournal(
        path, about, revisions, revision_bytes, n_steps, whole_bytes, last_name,
        path.stat().st_mtime, _more_than_cut_off(path, whole_bytes),
    )  # fmt: skip


def _damaged(path: Path) -> JobFileError:
    return JobFileError(
        f"The journal '{path.name}' was not read",
        "its beginning is damaged",
        "the job file itself is not concerned",
    )


def _about(entry: Entry, path: Path) -> Entry | None:
    version = entry.get("version")
    if entry.get("format") != FORMAT or not isinstance(version, int) or version < 1:
        return None
    if version > VERSION:
        raise NewerError(
            f"The journal '{path.name}' was not read",
            f"it was made by a newer Lather (format {version}; this one reads {VERSION})",
            "update Lather",
        )
    about = entry.get("about")
    return dict(about) if isinstance(about, dict) else None


def _name(entry: Entry) -> str:
    return str(entry.get("name", "a step"))


def _begin_entry(revision: str, about: Entry) -> Entry:
    return {
        "op": "begin", "format": FORMAT, "version": VERSION, "revision": revision,
        "application": f"Lather {__version__}", "about": about,
    }  # fmt: skip


def _record(entry: Entry, blobs: Blobs) -> list[memoryview]:
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


def _copy(source: int, position: int, file: BinaryIO) -> int:
    """Append a file from a place on to another; returns how far it went."""
    while chunk := os.pread(source, 2**22, position):
        file.write(chunk)
        position += len(chunk)
    file.flush()
    return position


def _write(fd: int, parts: list[memoryview]) -> int:
    """Write all of it; returns how many bytes that are."""
    for part in parts:
        rest = part
        while rest:
            rest = rest[os.write(fd, rest) :]
    return sum(map(len, parts))


def _records(path: Path) -> Iterator[tuple[Entry, memoryview, int]]:
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
            if not isinstance(entry, dict) or entry.get("op") not in _OPS:
                return
            yield entry, memoryview(body)[n_text:], file.tell()


def _more_than_cut_off(path: Path, at_bytes: int) -> bool:
    """True if what follows is damaged, and no record that a process had no time to finish."""
    with path.open("rb") as file:
        file.seek(at_bytes)
        header = file.read(_HEADER.size)
        if len(header) < _HEADER.size:
            return header[: len(_MAGIC)] != _MAGIC[: len(header)]
        magic, n_text, n_blob, _ = _HEADER.unpack(header)
        left_bytes = os.fstat(file.fileno()).st_size - file.tell()
        return bool(magic != _MAGIC or n_text + n_blob <= left_bytes)
