"""Long work that runs aside."""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass, field

from lather.core.work import CancelToken
from lather.document.state import JobState
from lather.errors import Cancelled, LatherError

log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Offer:
    """Something that can be done about what was said, by one button.

    `of` is the state that it belongs to: once the work on it goes on, the offer is withdrawn.
    Every offer is withdrawn when another job is opened.
    """

    title: str
    run: Callable[[], None]
    of: JobState | None = None


def told_error(error: Exception, what: str) -> tuple[str, bool]:
    """What is said of an error, and whether it was to be expected; '' for what was cancelled. A bug
    is logged."""
    if isinstance(error, LatherError):
        return error.sentence(), True
    if isinstance(error, Cancelled):
        return "", True
    log.error(what, exc_info=error)
    return f"{what}: {error!r}. This is a fault of Lather; the job is unharmed.", False


@dataclass
class Task:
    """Long work that runs aside.

    What `must_end` is waited for before the window closes; what `gives_way` was begun by
    nobody, and is given up as soon as somebody wants something else. `about` is what work that is
    done ahead is about.
    """

    title: str
    must_end: bool = False
    gives_way: bool = False
    about: object = None
    cancel: CancelToken = field(default_factory=CancelToken)
    share: float = 0.0
    what: str = ""

    def report(self, share: float, what: str) -> None:
        """How far it is, as the work itself says; a `Progress`."""
        self.share, self.what = share, what
