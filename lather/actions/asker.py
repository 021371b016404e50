"""What the application asks the person; the window answers through dialogs."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Protocol

from lather.actions.job.recovery import Recovered
from lather.document.agreed.trials import Trial
from lather.document.job import Job
from lather.files.exchange.delivery import Delivery
from lather.files.jobs.journalreader import FoundJournal
from lather.tools.base import Colour


class Asker(Protocol):
    """Questions to the person. Every answer may be None: nothing is to be done."""

    def path_to_open(self) -> Path | None: ...

    def path_to_save(self, suggested: Path) -> Path | None: ...

    def replace(self, path: Path) -> bool:
        """Whether a file that is there may be replaced."""

    def orders(self, job: Job) -> Sequence[tuple[Path, Delivery]] | None:
        """Which pictures to deliver, and where to."""

    def blind_trial(self, job: Job) -> Trial | None:
        """Photo and retouch without labels: which is which?"""

    def brief_to_open(self) -> Path | None: ...

    def brief_to_save(self, suggested: Path) -> Path | None: ...

    def path_to_export(self, suggested: Path, losses: Sequence[str]) -> Path | None:
        """Where to write the layers, after telling what the format does not carry."""

    def unsaved(self, title: str) -> str | None:
        """'save', 'discard' or None to stay."""

    def ungroup(self, name: str, lost: Sequence[str]) -> bool:
        """Whether to take a group apart although the picture changes: what of it is lost."""

    def recovery(self, title: str, recovered: Recovered) -> str | None:
        """Unsaved steps of a job: 'recovered', 'saved' for what the file holds."""

    def unsaved_work(self, found: Sequence[FoundJournal]) -> tuple[str, int] | None:
        """Work without a job file: 'recover' or 'throw away', and which; None for later."""

    def open_copy(self, sentence: str) -> bool:
        """Whether to open a copy of a job that another process has open."""

    def photo_of_job(self, sentence: str, name: str) -> Path | None:
        """Where a linked photo is now."""

    def text(self, title: str, label: str, value: str) -> str | None: ...

    def colour(self, current: Colour) -> Colour | None: ...

    def show_commands(self) -> None: ...

    def show_shortcuts(self) -> None: ...

    def show_preferences(self) -> None: ...

    def show_history(self) -> None: ...

    def full_screen(self) -> None:
        """Fill the screen with the window, or give the rest of it back."""

    def quit(self) -> None: ...
