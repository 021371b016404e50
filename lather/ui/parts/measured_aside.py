"""Something measured of the open job aside, a while after its last change, for a panel to show."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import Generic, TypeVar

from PyQt6.QtCore import QTimer

from lather.actions.workbench import Workbench
from lather.core.work import CancelToken
from lather.document.state import JobState
from lather.errors import Cancelled
from lather.render.worker import Executor

AFTER_MS = 1200  # after the last change

M = TypeVar("M")
log = logging.getLogger(__name__)


class MeasuredAside(Generic[M]):
    """Keeps the latest measurement; `shown` is called when it, or what is under way, changes.

    Parameters
    ----------
    measure : on a worker, of a state; may give None where there is nothing to measure.
    wanted : whether it is to be measured now at all.
    """

    def __init__(
        self, bench: Workbench, executor: Executor, *,
        measure: Callable[[JobState, CancelToken], M | None], wanted: Callable[[], bool],
        shown: Callable[[], None],
    ) -> None:  # fmt: skip
        self.value: M | None = None
        self.under_way = False
        self._bench = bench
        self._executor = executor
        self._measure_of = measure
        self._wanted = wanted
        self._shown = shown
        self._cancel = CancelToken()
        self._timer = QTimer()
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._measure)

    @property
    def rests(self) -> bool:
        """True if no measurement is due or under way any more."""
        return not self._timer.isActive() and not self.under_way

    def close(self) -> None:
        self._timer.stop()
        self._cancel.cancel()

    def forget(self) -> None:
        """What was measured holds no more; what is under way is not waited for."""
        self._cancel.cancel()
        self._cancel = CancelToken()  # of nothing: what comes in late is of what is forgotten
        self.value, self.under_way = None, False
        self._shown()

    def ask(self, after_ms: int = AFTER_MS) -> None:
        """Measure the state of then."""
        self._timer.start(after_ms)

    def _measure(self) -> None:
        if not self._wanted():
            self._shown()
            return
        session = self._bench.session
        if session is not None and session.busy:  # the hand comes first
            self.ask()
            return
        self._cancel.cancel()
        token = self._cancel = CancelToken()
        state, self.under_way = self._bench.state, True
        self._shown()

        def work() -> M | None:
            try:
                return self._measure_of(state, token)
            except Cancelled:
                return None

        def done(value: M | None) -> None:
            if token is self._cancel:
                self.value, self.under_way = value, False
                self._shown()

        def failed(error: Exception) -> None:
            log.error("a measurement failed", exc_info=error)
            done(None)

        self._executor.post(work, done, failed=failed, priority=4)
