"""The one notification mechanism: a signal that plain functions subscribe to."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, ParamSpec

P = ParamSpec("P")


class Signal(Generic[P]):
    """Calls its subscribers, in order of subscription, on the thread that emits.

    A subscriber may connect or disconnect during an emit; that takes effect with the next.
    All are told even if one of them fails; the first failure is raised at the end.
    """

    def __init__(self) -> None:
        self._subscribers: list[Callable[P, object]] = []

    def connect(self, subscriber: Callable[P, object]) -> None:
        self._subscribers.append(subscriber)

    def disconnect(self, subscriber: Callable[P, object]) -> None:
        if subscriber in self._subscribers:
            self._subscribers.remove(subscriber)

    def emit(self, *args: P.args, **kwargs: P.kwargs) -> None:
        failure: Exception | None = None
        for subscriber in tuple(self._subscribers):
            try:
                subscriber(*args, **kwargs)
            except Exception as error:  # noqa: BLE001 - raised below
                failure = failure or error
        if failure is not None:
            raise failure
