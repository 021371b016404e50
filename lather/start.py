"""The `lather` command as it is installed.

It loads nothing before signals are its own: one that comes while the rest is imported, which takes
a third of a second, ends the process at once. Nothing was begun by then.
"""

import os
import signal
import sys
from types import FrameType

_ENDING = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


def main() -> int:
    """Run the command line; returns the exit status."""
    for number in _ENDING:
        if signal.getsignal(number) is not signal.SIG_IGN:
            signal.signal(number, _leave)
    from lather.cli.main import main as run

    return run()


def _leave(number: int, frame: FrameType | None) -> None:  # noqa: ARG001
    os.write(sys.stderr.fileno(), b"lather: cancelled before anything was begun.\n")
    os._exit(128 + number)
