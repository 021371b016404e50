"""Reading a journal that a process left behind, and replaying it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from lather.document.state import JobState
from lather.errors import JobFileError, NewerError
from lather.files.entries import MISFIT, Entry
from lather.files.jobs.delta import DeltaReader
from lather.files.jobs.journalrecords import FORMAT, VERSION, more_than_cut_off, records


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
        for entry, blobs, end_bytes in records(self.path):
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
                except MISFIT:
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
    entry, _, _ = next(records(path), ({}, None, 0))
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
    for entry, _, end in records(path):
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
        path.stat().st_mtime, more_than_cut_off(path, whole_bytes),
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
