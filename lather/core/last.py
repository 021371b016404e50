"""The last answer to a question that is asked again and again about the same things."""

from __future__ import annotations

import operator
import threading
from collections.abc import Callable
from typing import Generic, TypeVar

A = TypeVar("A")


class Last(Generic[A]):
    """Remembers one answer; any thread may ask. What is asked about is told apart by identity, or
    by `same`."""

    def __init__(self, same: Callable[[object, object], bool] = operator.is_) -> None:
        self._same = same
        self._lock = threading.Lock()
        self._last: tuple[tuple[object, ...], A] | None = None

    def of(self, about: tuple[object, ...], answer: Callable[[], A]) -> A:
        """The answer about these things; worked out outside of the lock if it is not the last."""
        with self._lock:
            last = self._last
        if last is not None and len(last[0]) == len(about) and all(
            map(self._same, last[0], about)
        ):
            return last[1]
        found = answer()
        with self._lock:
            self._last = about, found
        return found

    def forget(self) -> None:
        """Let go of the answer and of what was asked about."""
        with self._lock:
            self._last = None
