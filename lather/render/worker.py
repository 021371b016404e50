"""Threads that compute while the interface draws.

Work is a function without arguments over values that never change. Its outcome comes back
through `marshal`, which the owner sets to run a callback on its own thread.
"""

from __future__ import annotations

import itertools
import logging
import os
import queue
import threading
from collections.abc import Callable
from typing import Any, TypeVar

T = TypeVar("T")
Marshal = Callable[[Callable[[], None]], None]
Failed = Callable[[Exception], None]

log = logging.getLogger(__name__)


def run_now(callback: Callable[[], None]) -> None:
    """The marshal of owners without an event loop: run on the thread at hand."""
    callback()


def ignore(outcome: object) -> None:  # noqa: ARG001
    """For work that is done for its effect."""


def log_failure(error: Exception) -> None:
    log.error("work failed", exc_info=error)


class Workers:
    """A few daemon threads on one priority queue; equal priorities run in order.

    `niceness` 0-19: how much they stand back for other threads where cores are few.
    """

    def __init__(
        self, n_threads: int, marshal: Marshal = run_now, name: str = "worker",
        niceness: int = 0,
    ) -> None:  # fmt: skip
        self.marshal = marshal
        self._niceness = niceness
        self._queue: queue.PriorityQueue[tuple[int, int, Any]] = queue.PriorityQueue()
        self._order = itertools.count()
        self._threads = [
            threading.Thread(target=self._run, name=f"{name}-{i}", daemon=True)
            for i in range(n_threads)
        ]
        for thread in self._threads:
            thread.start()

    @property
    def n_threads(self) -> int:
        return len(self._threads)

    def post(
        self,
        work: Callable[[], T],
        done: Callable[[T], None] = ignore,
        *,
        failed: Failed = log_failure,
        priority: int = 0,
    ) -> None:
        """Run `work` on a thread, then `done(outcome)` or `failed(error)` via marshal."""
        self._queue.put((priority, next(self._order), (work, done, failed)))

    def close(self) -> None:
        """Let the threads end after what they are doing; queued work is dropped."""
        for _ in self._threads:
            self._queue.put((-(2**31), next(self._order), None))
        for thread in self._threads:
            thread.join()

    def _run(self) -> None:
        if self._niceness:  # of this thread alone, as Linux has it
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), self._niceness)
        while True:
            _, _, item = self._queue.get()
            if item is None:
                return
            work, done, failed = item
            del item
            self._answer(work, done, failed)
            del work, done, failed  # what they hold must not outlive them while idle

    def _answer(self, work: Callable[[], T], done: Callable[[T], None], failed: Failed) -> None:
        try:
            outcome = work()
        except Exception as error:  # noqa: BLE001 - handed to the owner, whatever it is
            kept = error
            self.marshal(lambda: failed(kept))
        else:
            self.marshal(lambda: done(outcome))


class SameThread:
    """Stands in for `Workers` where everything should happen at once (tests, scripts)."""

    n_threads = 1

    def post(
        self,
        work: Callable[[], T],
        done: Callable[[T], None] = ignore,
        *,
        failed: Failed = log_failure,
        priority: int = 0,  # noqa: ARG002
    ) -> None:
        try:
            outcome = work()
        except Exception as error:  # noqa: BLE001
            failed(error)
        else:
            done(outcome)

    def close(self) -> None:
        """Nothing to end."""


Executor = Workers | SameThread
