"""Both cores for one piece of work under the hand."""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

LARGE_PX = 60_000  # below that another thread costs more than it helps
_HELPER, _HELPING = ThreadPoolExecutor(1, "second"), threading.Lock()


def in_two_parts(
    rows: Callable[[int, int], None], n_rows: int, n_pixels: int, least_px: int = LARGE_PX
) -> None:
    """Do rows of a large piece on two threads, if the other one is free."""
    if n_pixels < least_px or n_rows < 2 or not _HELPING.acquire(blocking=False):
        rows(0, n_rows)
        return
    try:
        half = _HELPER.submit(rows, n_rows // 2, n_rows)
        try:
            rows(0, n_rows // 2)
        finally:
            half.exception()  # its rows are done, whatever became of the others
        half.result()
    finally:
        _HELPING.release()
