"""Letting go of what takes long to let go of: hundreds of megabytes go back to the system page by
page, and nobody waits for it."""

from __future__ import annotations

import threading
import time
from typing import Any

PAUSE_S = 0.001  # between two of them


def drop_aside(things: list[Any]) -> None:
    """Empty a list on a thread of its own, the last first; here, where there can be none any more.

    Others come in between: whatever is freed holds up all threads while it is.
    """
    if not things:
        return
    try:
        threading.Thread(target=_drop, args=(things,), name="dropping").start()
    except RuntimeError:  # the process ends
        things.clear()


def _drop(things: list[Any]) -> None:
    while things:
        things.pop()
        time.sleep(PAUSE_S)
