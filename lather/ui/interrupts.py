"""Signals from a terminal or the session, brought into the toolkit's event loop.

Python's own handlers run only when the interpreter does, and the toolkit sleeps outside of
it; a socket that the interpreter writes the signal's number to wakes it up.
"""

from __future__ import annotations

import signal
import socket
from collections.abc import Callable

from PyQt6.QtCore import QObject, QSocketNotifier

ENDING = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


class Interrupts(QObject):
    """Calls `on_signal(number)` on the interface thread for every signal that ends programs.

    Attributes
    ----------
    seen : the numbers so far, in order.
    """

    def __init__(self, on_signal: Callable[[int], None]) -> None:
        super().__init__()
        self.seen: list[int] = []
        self._on_signal = on_signal
        self._reader, self._writer = socket.socketpair()
        self._reader.setblocking(False)
        self._writer.setblocking(False)
        self._notifier = QSocketNotifier(  # any number is a socket to it, whatever its stubs say
            self._reader.fileno(), QSocketNotifier.Type.Read, self  # type: ignore[call-overload]
        )
        self._notifier.activated.connect(self._read)
        self._wakeup_fd = signal.set_wakeup_fd(self._writer.fileno())
        self._handlers = {
            number: signal.signal(number, _leave_to_the_loop)
            for number in ENDING
            if signal.getsignal(number) is not signal.SIG_IGN  # as nohup asks for
        }

    def close(self) -> None:
        """Let signals do what they did before."""
        self._notifier.setEnabled(False)
        signal.set_wakeup_fd(self._wakeup_fd)
        for number, handler in self._handlers.items():
            signal.signal(number, handler)
        self._reader.close()
        self._writer.close()

    def _read(self) -> None:
        for number in self._reader.recv(64):
            self.seen.append(number)
            self._on_signal(number)


def _leave_to_the_loop(number: int, frame: object) -> None:
    """The wake-up has brought the number already."""
