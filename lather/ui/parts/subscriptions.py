"""What a view listens to, for as long as it is there."""

from __future__ import annotations

from collections.abc import Callable
from typing import ParamSpec

from lather.document.events import Signal

P = ParamSpec("P")


class Subscriptions:
    """Each is named once, and all end together."""

    def __init__(self) -> None:
        self._ends: list[Callable[[], None]] = []

    def to(self, signal: Signal[P], subscriber: Callable[P, object]) -> None:
        signal.connect(subscriber)
        self._ends.append(lambda: signal.disconnect(subscriber))

    def end(self) -> None:
        for end in self._ends:
            end()
        self._ends.clear()
