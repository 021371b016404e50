"""A verb that is asked to end cleans up: no half file, no hidden one, is left behind."""

from __future__ import annotations

import signal
import threading
from collections.abc import Iterator
from contextlib import contextmanager

_ENDING = (signal.SIGTERM, signal.SIGHUP)


class Terminated(BaseException):
    """The system asks the process to end. Like `KeyboardInterrupt`, it passes every handler."""

    def __init__(self, number: int) -> None:
        super().__init__(number)
        self.number = number


@contextmanager
def ending_cleanly() -> Iterator[None]:
    """Signals that would end the process at once raise `Terminated` instead."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    before = {
        number: signal.signal(number, _raise)
        for number in _ENDING
        if signal.getsignal(number) is not signal.SIG_IGN
    }
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)


def _raise(number: int, frame: object) -> None:  # noqa: ARG001
    raise Terminated(number)
