"""Long work aside: one at a time, with progress and cancel; what is asked for meanwhile queues."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol, TypeVar

from lather.actions.work.task import Offer, Task
from lather.core.work import CancelToken, Progress
from lather.document.events import Signal
from lather.errors import BusyError, Cancelled
from lather.render.worker import Executor

T = TypeVar("T")


class Say(Protocol):
    """Tells the person a sentence."""

    def __call__(
        self, text: str, *, error: bool = False, offer: Offer | None = None, stays: bool = False
    ) -> None: ...


class Report(Protocol):
    """Tells the person of an error."""

    def __call__(
        self, error: Exception, what: str, retry: Callable[[], None] | None = None
    ) -> None: ...


def _nothing() -> None:
    """Stands for something to do where there is nothing."""


class Tasks:
    """What runs aside, and what waits for its turn.

    Attributes
    ----------
    task : what runs now.
    ahead : what is worked out while nobody waits for it, and is not shown.

    Signals
    -------
    changed() : work began, advanced or ended, or more of it waits.
    cancelled() : what ran was cancelled, and what waited is not wanted any more.
    """

    def __init__(self, executor: Executor, say: Say, report: Report) -> None:
        self.task: Task | None = None
        self.ahead: Task | None = None
        self.changed: Signal[()] = Signal()
        self.cancelled: Signal[()] = Signal()
        self._executor, self._say, self._report = executor, say, report
        self._line: list[Callable[[], object]] = []
        self._stop_waiting: Callable[[], None] = _nothing

    @property
    def n_waiting(self) -> int:
        return len(self._line)

    def run(
        self,
        title: str,
        work: Callable[[Progress, CancelToken], T],
        done: Callable[[T], object],
        *,
        retry: Callable[[], None] | None = None,
        handled: Callable[[Exception], bool] | None = None,
        must_end: bool = False,
        gives_way: bool = False,
    ) -> None:
        """Run long work aside, one at a time, with progress and cancel.

        A failure that `handled` takes care of is not told; `retry` is offered with others.
        Closing waits for work that `must_end` and cancels other; what `gives_way` is cancelled
        for the next task.

        Raises
        ------
        BusyError : something else runs that does not give way.
        """
        if self.task is not None and self.task.gives_way:
            self.task.cancel.cancel()
            self._end()
        if self.task is not None:
            raise BusyError(
                f"'{title}' was not started",
                f"'{self.task.title}' is still running",
                "wait for it or cancel it",
            )
        self.give_way()
        task = self.task = Task(title, must_end=must_end, gives_way=gives_way)
        self.changed.emit()

        def finished(outcome: T) -> None:
            if self.task is task:  # else it gave way
                self._end()
                try:
                    done(outcome)
                finally:
                    self._go_on_with_line()

        def failed(error: Exception) -> None:
            if self.task is not task:
                return
            self._end()
            if isinstance(error, Cancelled):
                self.leave_line()
                self.cancelled.emit()
            if handled is None or not handled(error):
                self._tell_of(error, title, retry)
            self._go_on_with_line()

        self._executor.post(lambda: work(task.report, task.cancel), finished, failed=failed)

    def run_ahead(
        self,
        title: str,
        about: object,
        work: Callable[[Progress, CancelToken], T],
        done: Callable[[T, bool], object],
        failed: Callable[[Exception], object],
    ) -> None:
        """Work something out that will be asked for; given up for whatever is asked for before.

        `done` gets the outcome, and whether somebody waits for it by then; `failed` what went
        wrong, which is told if somebody does.
        """
        self.give_way()
        task = self.ahead = Task(title, gives_way=True, about=about)

        def is_over() -> bool:
            """Whether anybody still wants the outcome."""
            wanted = self.ahead is task or self.task is task
            if self.ahead is task:
                self.ahead = None
            elif wanted:
                self._end()
            return wanted

        def finished(outcome: T) -> None:
            is_waited_for = self.task is task
            if is_over():
                done(outcome, is_waited_for)
                self._go_on_with_line()

        def went_wrong(error: Exception) -> None:
            is_waited_for = self.task is task
            if not is_over():
                return
            failed(error)
            if is_waited_for:
                self._tell_of(error, title, None)
            self._go_on_with_line()

        self._executor.post(lambda: work(task.report, task.cancel), finished, failed=went_wrong)

    def wait_for_ahead(self) -> None:
        """Somebody waits for it now: it is shown, and gives way no more."""
        assert self.ahead is not None and self.task is None
        self.task, self.ahead = self.ahead, None
        self.task.gives_way = False
        self.changed.emit()

    def give_way(self) -> None:
        """What is worked out ahead is given up: somebody does something else."""
        if self.ahead is not None:
            self.ahead.cancel.cancel()
            self.ahead = None

    def in_turn(self, start: Callable[[], object]) -> None:
        """Begin something that runs aside now, or after what runs and whatever was asked for
        before it."""
        if self._line or (self.task is not None and not self.task.gives_way):
            self._line.append(start)
            self.changed.emit()
        else:
            start()

    def leave_line(self) -> None:
        """What waits for its turn is not wanted any more."""
        self._line.clear()

    def wait_with(self, stop: Callable[[], None]) -> None:
        """Something waits until strokes and work are over; `stop` makes it wait no longer."""
        self._stop_waiting = stop

    def stop_waiting(self) -> None:
        stop, self._stop_waiting = self._stop_waiting, _nothing
        stop()

    def _tell_of(
        self, error: Exception, title: str, retry: Callable[[], None] | None
    ) -> None:
        self._report(error, f"'{title}' failed", retry)
        if isinstance(error, Cancelled):
            self._say(f"{title}: cancelled, nothing was changed.")

    def _go_on_with_line(self) -> None:
        while self._line and self.task is None:
            start = self._line.pop(0)
            try:
                start()
            except Exception as error:  # noqa: BLE001 - as if it had been begun at once
                self._report(error, "What waited for its turn failed")

    def _end(self) -> None:
        self.task = None
        self.changed.emit()
