"""A journal in use, and what lies beside it."""

from __future__ import annotations

import os
import shutil
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from lather.files.jobs.journal import Journal
from lather.files.jobs.lock import Lock
from lather.files.places import Places


@dataclass
class Written:
    """A journal, where it lies, and the lock of a folder of its own."""

    journal: Journal
    places: Places
    lock: Lock | None = None

    def keep_base(self, job: Path | None) -> None:
        """Keep the job file that the journal goes on from, whoever replaces it meanwhile.

        A second name costs nothing. Where the disk has no hard links, the backups serve.
        """
        if job is None or self.places.is_apart:
            return
        with suppress(OSError):
            self.places.base.unlink(missing_ok=True)
            os.link(job, self.places.base)

    def drop(self) -> None:
        """Remove journal and checkpoint, and their folder if it is one of our own."""
        for path in (self.places.checkpoint, self.places.base, self.places.journal):
            with suppress(OSError):
                path.unlink(missing_ok=True)
        if self.places.is_apart:
            shutil.rmtree(self.places.folder, ignore_errors=True)
        with suppress(OSError):
            self.journal.close(delete=True)  # last: what it held is freed meanwhile
        if self.lock is not None:
            self.lock.release()

    def leave(self) -> None:
        """Close the journal and let it lie."""
        with suppress(OSError):
            self.journal.sync()
        self.journal.close(delete=False)
        if self.lock is not None:
            self.lock.release()
