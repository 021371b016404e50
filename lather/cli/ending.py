"""A verb that is asked to end cleans up: no half file, no hidden one, is left behind.

A signal sets a token that all work of the verb looks at. An exception that the handler raised at
once could come up inside of a callback from C, which swallows it; so it is raised only where the
work has not ended by itself after a while, and again where that was swallowed.
"""

from __future__ import annotations

import signal
import threading
from collections.abc import Iterator
from contextlib import contextmanager

from lather.core.work import CancelToken
from lather.errors import Cancelled

ENDING = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
PATIENCE_S, AGAIN_S = 1.0, 3.0  # until it is raised; again, which cleaning up does not take


class Terminated(BaseException):
    """The process is asked to end. Like `KeyboardInterrupt`, it passes every handler."""

    def __init__(self, number: int) -> None:
        super().__init__(number)
        self.number = number


class _Asked:
    """What was asked of a verb while it runs: the signal's number, 0 before one came."""

    def __init__(self) -> None:
        self.token = CancelToken()
        self.number = 0

    def take(self, number: int, frame: object) -> None:  # noqa: ARG002
        if self.number:  # a person who asks twice does not want to wait
            raise Terminated(self.number)
        self.number = number
        self.token.cancel()
        signal.setitimer(signal.ITIMER_REAL, PATIENCE_S, AGAIN_S)

    def lose_patience(self, number: int, frame: object) -> None:  # noqa: ARG002
        raise Terminated(self.number)


_asked = _Asked()


def asked() -> CancelToken:
    """Cancelled once the process is asked to end: for all work that a verb does."""
    return _asked.token


@contextmanager
def ending_cleanly() -> Iterator[None]:
    """Signals that would end the process end the work, and raise `Terminated` outside of it."""
    global _asked  # noqa: PLW0603 - there is one process, and one verb in it
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    mine = _asked = _Asked()
    handlers = {number: mine.take for number in ENDING
                if signal.getsignal(number) is not signal.SIG_IGN}  # fmt: skip
    handlers[signal.SIGALRM] = mine.lose_patience
    before = {number: signal.signal(number, handler) for number, handler in handlers.items()}
    try:
        yield
    except (Exception, Cancelled) as error:
        if mine.number:  # whatever became of it on its way out of the work
            raise Terminated(mine.number) from error
        raise
    else:
        if mine.number:
            raise Terminated(mine.number)
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        for number, handler in before.items():
            signal.signal(number, handler)
        _asked = _Asked()
