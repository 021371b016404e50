"""Closing files that may be long and have no name any more.

Freeing their place on disk takes as long as it takes, and nobody waits for it.
"""

from __future__ import annotations

import os
import threading


def close_aside(fd: int) -> None:
    """Close a file descriptor on a thread of its own; here, where there can be none any more."""
    try:
        threading.Thread(target=os.close, args=(fd,), name="closing").start()
    except RuntimeError:  # the process ends
        os.close(fd)
