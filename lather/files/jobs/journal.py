"""The journal: every step of a job, on disk before it is acknowledged.

An append-only file of records. Each holds what one step changed, with a checksum; a
record that was cut off by the end of the process does not count. Layers that a step left
alone are named, tiles are given by the rectangle that changed. Pixels may be written ahead
of the step that needs them, so that the step itself is short. docs/job-file.md describes the
format.
"""

from __future__ import annotations

import itertools
import os
import threading
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager, suppress
from pathlib import Path
from typing import BinaryIO

from lather.document.state import JobState
from lather.files.atomic import flush, replacing
from lather.files.closing import close_aside
from lather.files.entries import Entry
from lather.files.jobs.delta import Blobs, DeltaWriter, new_tiles, replaced_tiles
from lather.files.jobs.journalreader import Replayed
from lather.files.jobs.journalrecords import begin_entry, packed_record, write_parts

_AHEAD_TILES = 4  # in one record: whoever wants to write waits no longer than for these


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
                temporary.write_bytes(b"".join(packed_record(begin_entry(revision, about), [])))
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

    def n_unwritten(self, after: JobState, most: int) -> int:
        """How many tiles a step to a state would have to write, counted up to `most`."""
        n_tiles = 0
        with self._lock:
            for _, key, tile in replaced_tiles(self._state, after):
                n_tiles += self._writer.place(tile, key) is None
                if n_tiles >= most:
                    break
        return n_tiles

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
        begin = b"".join(packed_record(begin_entry(revision, self._about), []))
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
            close_aside(fd)

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
        parts = packed_record(entry, blobs)
        try:
            n_bytes = write_parts(self._fd, parts)
        except OSError:
            os.ftruncate(self._fd, self.size_bytes)
            raise
        self.size_bytes += n_bytes


def _copy(source: int, position: int, file: BinaryIO) -> int:
    """Append a file from a place on to another; returns how far it went."""
    while chunk := os.pread(source, 2**22, position):
        file.write(chunk)
        position += len(chunk)
    file.flush()
    return position
