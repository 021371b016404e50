"""The last answers to a question that is asked again and again about the same things."""

from __future__ import annotations

import operator
import threading
from collections.abc import Callable
from typing import Generic, TypeVar
from weakref import WeakSet

A = TypeVar("A")


class Last(Generic[A]):
    """Remembers the answers about the things that were asked about last; any thread may ask.

    What is asked about is told apart by identity, or by `same`. Two answers are remembered by
    default: two jobs that are worked on by turns do not push each other out.
    """

    def __init__(
        self, same: Callable[[object, object], bool] = operator.is_, n_kept: int = 2
    ) -> None:
        self._same = same
        self._n_kept = n_kept
        self._lock = threading.Lock()
        self._answers: list[tuple[tuple[object, ...], A]] = []  # the last asked for at the end
        _all.add(self)

    def of(self, about: tuple[object, ...], answer: Callable[[], A]) -> A:
        """The answer about these things; worked out outside of the lock if it is not known."""
        with self._lock:
            for index, (known, found) in enumerate(self._answers):
                if len(known) == len(about) and all(map(self._same, known, about)):
                    self._answers.append(self._answers.pop(index))
                    return found
        found = answer()
        with self._lock:
            self._answers = [*self._answers, (about, found)][-self._n_kept :]
        return found

    def forget(self) -> None:
        """Let go of the answers and of what was asked about."""
        with self._lock:
            self._answers = []


_all: WeakSet[Last] = WeakSet()  # type: ignore[type-arg]


def forget_all() -> None:
    """Let go of every answer: a job is closed, and what was asked about went with it."""
    for last in list(_all):
        last.forget()
