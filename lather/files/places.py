"""Where the files lie that keep work safe: beside the job, or in the user's own folder."""

from __future__ import annotations

import itertools
import os
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

_JOURNAL = "journal"


@dataclass(frozen=True)
class Places:
    """The journal, the checkpoint, the lock of one job, and the file that it was opened from."""

    journal: Path
    checkpoint: Path
    lock: Path
    base: Path

    @property
    def is_apart(self) -> bool:
        """True for a folder of its own."""
        return self.journal.name == _JOURNAL

    @property
    def folder(self) -> Path:
        return self.journal.parent

    def aside(self, ending: str) -> Path:
        """A name under which a journal can be kept that these places no longer use."""
        kept = self.journal.with_name(f"{self.journal.name}.{ending}")
        if self.is_apart:  # the folder goes with the work
            kept = self.folder.with_name(f"{self.folder.name}.{_JOURNAL}.{ending}")
        return first_free(lambda n: kept.with_name(f"{kept.name}.{n}") if n else kept)


def first_free(name: Callable[[str], Path]) -> Path:
    """The first of `name("")`, `name("2")`, `name("3")` and so on that nothing has."""
    numbers = itertools.chain([""], map(str, itertools.count(2)))
    return next(path for path in map(name, numbers) if not path.exists())


def beside(job: Path) -> Places:
    """For a job with a file: hidden files next to it, wherever a link to it lies."""
    job = Path(os.path.realpath(job))
    return Places(
        job.with_name(f".{job.name}.journal"),
        job.with_name(f".{job.name}.checkpoint"),
        job.with_name(f".{job.name}.lock"),
        job.with_name(f".{job.name}.base"),
    )


def apart(title: str) -> Places:
    """A new folder of its own, for a job without a file or in a folder that is read-only."""
    folder = apart_root() / f"{title[:60]}-{uuid.uuid4().hex[:8]}"
    folder.mkdir(parents=True)
    return in_folder(folder)


def all_apart() -> list[Places]:
    """Every such folder that there is."""
    root = apart_root()
    return [in_folder(path) for path in sorted(root.iterdir())] if root.is_dir() else []


def in_folder(folder: Path) -> Places:
    return Places(folder / _JOURNAL, folder / "checkpoint.lather", folder / "lock", folder / "base")


def apart_root() -> Path:
    import platformdirs

    return Path(platformdirs.user_state_dir("lather")) / "unsaved"
