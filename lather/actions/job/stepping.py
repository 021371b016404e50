"""Undo, redo, and going to a step of the history.

What the journal does not know yet of the state that is gone to is written aside first: after a save
a large step's pixels take a tenth of a second.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable

from lather.actions.job.keeping import Keeper
from lather.document.events import Signal
from lather.document.job import Job
from lather.document.state import JobState
from lather.render.worker import Executor

MUCH_TILES = 8  # that have to be written: more than the interface thread has time for


class Stepping:
    """One job's; in the order in which it was asked for.

    Parameters
    ----------
    executor : writes aside; the keeper's own.
    say : tells the person what was done.

    Signals
    -------
    rested() : all that was asked for is done.
    """

    def __init__(
        self, job: Job, keeper: Keeper, executor: Executor, say: Callable[[str], object]
    ) -> None:
        self._job, self._keeper, self._executor, self._say = job, keeper, executor, say
        self._waiting: deque[Callable[[], object]] = deque()
        self._writing = False
        self.rested: Signal[()] = Signal()

    @property
    def busy(self) -> bool:
        """True while something that was asked for is not done yet."""
        return self._writing

    def undo(self) -> None:
        """Take the last step back, if there is one."""
        def undo() -> None:
            self._tell("Undone", self._job.undo())

        self._in_order(lambda: self._to(self._before_last(), undo))

    def redo(self) -> None:
        def redo() -> None:
            self._tell("Redone", self._job.redo())

        self._in_order(lambda: self._to(self._after_next(), redo))

    def go_to(self, n_done: int) -> None:
        """Undo or redo until so many steps of the history are done."""
        self._in_order(lambda: self._to(self._job.history.state_at(n_done),
                                        lambda: self._job.go_to(n_done)))  # fmt: skip

    def _tell(self, done: str, name: str | None) -> None:
        if name is not None:
            self._say(f"{done}: {name}.")

    def _before_last(self) -> JobState | None:
        step = self._job.history.next_undo
        return None if step is None else step.before

    def _after_next(self) -> JobState | None:
        step = self._job.history.next_redo
        return None if step is None else step.after

    def _in_order(self, start: Callable[[], object]) -> None:
        if self._writing:
            self._waiting.append(start)
        else:
            start()

    def _to(self, state: JobState | None, go: Callable[[], object]) -> None:
        if state is None or self._keeper.n_unwritten(state, MUCH_TILES) < MUCH_TILES:
            go()
            return
        self._writing = True
        self._keeper.make_way()

        def written(_: object) -> None:
            self._writing = False
            if self._job.recorder is None:
                return  # it was closed meanwhile
            try:
                go()
            finally:
                while self._waiting and not self._writing:
                    self._waiting.popleft()()
                if not self._writing:
                    self.rested.emit()

        self._executor.post(lambda: self._job.prepare(lambda _: state), written)
