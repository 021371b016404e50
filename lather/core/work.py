"""How long work reports and stops: progress callbacks and cancel tokens."""

from __future__ import annotations

import threading
from collections.abc import Callable

from lather.errors import Cancelled

Progress = Callable[[float, str], None]  # share done 0-1, what is being done


def no_progress(share: float, what: str) -> None:  # noqa: ARG001
    """For callers who do not look."""


class CancelToken:
    """Asked by long work between steps; set by whoever no longer wants the outcome."""

    def __init__(self) -> None:
        self._event = threading.Event()

    def cancel(self) -> None:
        self._event.set()

    @property
    def cancelled(self) -> bool:
        return self._event.is_set()

    def check(self) -> None:
        """Raise `Cancelled` once cancelled."""
        if self._event.is_set():
            raise Cancelled


NEVER = CancelToken()  # for callers who want the outcome in any case
