"""Writing a job: one writer at a time, and over nobody's unsaved work.

Everything that writes a job to a name of the person's choice asks here first.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from lather.actions.job.recovery import journals_of
from lather.errors import InUseError, JobFileError, LatherError
from lather.files.jobs.jobfile import read_revision
from lather.files.jobs.lock import Lock
from lather.files.places import Places, beside


def claim(path: Path, own: Places | None = None) -> Lock:
    """The sole right to write the job at `path`. `own` is where the caller's journal lies.

    Raises
    ------
    InUseError : another process has that job open, named.
    JobFileError : steps that were never saved would lose the job that they belong to.
    OSError : the folder allows no lock.
    """
    try:
        lock = Lock.acquire(beside(path).lock, path.name)
    except InUseError as error:
        raise InUseError(f"'{path.name}' was not saved", error.why,
                         "close it there, or choose another name") from error  # fmt: skip
    try:
        _refuse_over_unsaved(path, own)
    except BaseException:
        lock.release()
        raise
    return lock


@contextmanager
def claimed(path: Path) -> Iterator[None]:
    """A claim for as long as the block runs; LatherError where there can be none."""
    try:
        lock = claim(path)
    except OSError as error:
        why = error.strerror or str(error)
        raise LatherError(f"'{path.name}' was not saved", why, "choose another folder") from error
    try:
        yield
    finally:
        lock.release()


def backups_to_keep(path: Path, n_wanted: int, known_revision: str) -> int:
    """At least one where the file is not the one that is known: somebody else wrote it."""
    is_known = not path.exists() or read_revision(path) == known_revision
    return n_wanted if is_known else max(1, n_wanted)


def _refuse_over_unsaved(path: Path, own: Places | None) -> None:
    revision = read_revision(path)
    for places, found in journals_of(path, other_than=own):
        if found is not None and not found.is_damaged and (
            found.n_steps == 0 or found.n_steps == found.revisions.get(str(revision))
        ):
            for done in (places.journal, places.base):  # all of it is in the file
                done.unlink(missing_ok=True)
            continue
        raise JobFileError(
            f"'{path.name}' was not saved",
            "work on that job was never saved, after Lather ended unexpectedly",
            "open that job once, which brings the work back, or choose another name",
        )
