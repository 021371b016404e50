"""What is wanted next: the newest first, and nothing that nobody wants any more."""

from __future__ import annotations

import itertools
import threading
from collections.abc import Callable
from typing import Generic, TypeVar

P = TypeVar("P")


class Wanted(Generic[P]):
    """Places to be rendered. One thread puts, any thread takes.

    Taken are the lowest priority first, and of those the ones that were looked at last, in
    the order in which they were put.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._places: dict[P, tuple[int, int, int]] = {}
        self._order = itertools.count()

    def __len__(self) -> int:
        return len(self._places)

    def put(self, place: P, priority: int, look: int) -> bool:
        """Want a place, as part of a look at the picture; True if it was not wanted yet."""
        with self._lock:
            is_new = place not in self._places
            self._places[place] = (priority, -look, next(self._order))
        return is_new

    def drop(self, is_unwanted: Callable[[P], bool]) -> None:
        """Forget places."""
        with self._lock:
            self._places = {p: order for p, order in self._places.items() if not is_unwanted(p)}

    def take(self) -> P | None:
        """The next place; None if nothing is wanted."""
        with self._lock:
            if not self._places:
                return None
            place = min(self._places, key=self._places.__getitem__)
            del self._places[place]
            return place
