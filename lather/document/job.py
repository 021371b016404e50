"""The job: one portrait and all that was done to it.

`Job` holds the current state, changes it only through `change`, and tells subscribers what
changed.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

from lather.document.access import refuse_locked_work
from lather.document.agreed.briefing import refuse_retouching
from lather.document.bounds import refuse_beyond_bounds
from lather.document.effect import changes_anything
from lather.document.events import Signal
from lather.document.history import History, Step
from lather.document.ledger import Ledger
from lather.document.operations.call import Call
from lather.document.operations.operation import Spent
from lather.document.operations.recording import recorded
from lather.document.state import JobState
from lather.document.tree import find
from lather.errors import EditError
from lather.names import readable

ABSORBED = "absorbed"  # the gesture of what is part of all states
Recorder = Callable[[Step, JobState], None]


class Job:
    """The open job.

    Attributes
    ----------
    path : the job file, None before the first save.
    copy_of : the job file that it was opened from as a copy, while it has none of its own.
    revision : what the job file calls the state it holds; '' before the first save.
    link_photo : the file refers to the photo instead of holding it.
    recorder : called with every step and the state it leads to, before that becomes the
        state; keeps the journal. If it raises, nothing has changed.
    ahead : called on workers with a state and the one that a step is about to make of it, so
        that the recorder has little left to write.

    Signals
    -------
    changed(before, after) : the state was replaced; subscribers compare what concerns them.
    saved() : the job was written, or its place or name changed.
    """

    def __init__(self, state: JobState, path: Path | None = None) -> None:
        self.history = History()
        self.ledger = Ledger()
        self.path = path
        self.copy_of: Path | None = None
        self.revision = ""
        self.link_photo = False
        self.recorder: Recorder | None = None
        self.ahead: Callable[[JobState, JobState], None] | None = None
        self.changed: Signal[JobState, JobState] = Signal()
        self.saved: Signal[()] = Signal()
        self._state = state
        self._saved_work: object = state.work

    @property
    def state(self) -> JobState:
        return self._state

    @property
    def title(self) -> str:
        named = self.path or self.copy_of
        return readable(named.stem) if named else self._state.photo.title

    @property
    def folder(self) -> Path | None:
        """Where it lies, or what it was made from; None for what was never in a file."""
        named = self.path or self.copy_of or self._state.photo.path
        return named.parent if named is not None else None

    @property
    def modified(self) -> bool:
        """True if there is something that the file does not hold."""
        return self._saved_work != self._state.work

    def change(
        self, name: str, after: JobState, gesture: object = None, call: Call | None = None
    ) -> bool:
        """Make `after` the state, as one undoable step; what changes nothing is no step. `call` is
        what was done: without it the step cannot be done again, and carries what it left.

        Changes in a row with the same `gesture` (a slider being dragged) are one step. Whether
        there is a step is returned. Raises `EditError` for what no job file could hold, for what
        the brief forbids, and for what changes a locked layer.
        """
        before = self._state
        if after is before:
            return False
        if not changes_anything(before, after):
            self.select(after.active_id)
            return False
        refuse_beyond_bounds(name, before, after)
        refuse_retouching(name, before, after)
        refuse_locked_work(name, before, after)
        joined = self.history.joined_by(gesture)
        after = recorded(before, after, name, call, self._spent(),
                         joined.before if joined is not None else None)  # fmt: skip
        self._take(Step(name, before, after, gesture))
        return True

    def return_to(self, name: str, state: JobState) -> None:
        """Make a state that was there before the present one, as a step: what was done is what had
        been done of it."""
        if changes_anything(self._state, state):
            self._take(Step(name, self._state, state))

    def absorb(
        self, name: str, edit: Callable[[JobState], JobState], now: JobState | None = None,
        call: Call | None = None,
    ) -> None:
        """Make what came by itself part of every state, those included that undo and redo lead to:
        no step, and nothing that could be undone. `now` is the state of now with it, where that is
        another one than `edit` gives."""
        before, untouched = self._state, not self.modified
        after = edit(before) if now is None else now
        if not changes_anything(before, after):
            return
        after = recorded(before, after, name, call)
        chains = {before.operations: after.operations}  # the same ones go on being the same
        of_each = call and replace(call, begun=None)  # as if it had come right then

        def with_it(state: JobState) -> JobState:
            edited = edit(state)
            if edited is state:
                return state
            told = recorded(state, edited, name, of_each)
            return replace(told, operations=chains.setdefault(state.operations, told.operations))

        if self.history.n_done:  # else the first step says it along with itself
            self._write_down(Step(name, before, after, ABSORBED), after)
        self.history.absorb(with_it)
        self._become(after)
        if untouched:
            self.mark_as_opened()

    def prepare(self, edit: Callable[[JobState], JobState]) -> None:
        """On a worker: an edit whose outcome is ready is about to become a step."""
        ahead, before = self.ahead, self._state
        if ahead is not None:
            with suppress(EditError):  # told when it is made
                ahead(before, edit(before))

    def restore(self, state: JobState) -> None:
        """Make `state` the present one without a step: it is in the history already."""
        self._become(state)

    def select(self, layer_id: int) -> None:
        """Make a layer the active one; not a step of its own."""
        if layer_id != self._state.active_id and find(self._state.layers, layer_id):
            self._become(replace(self._state, active_id=layer_id))

    def undo(self) -> str | None:
        """Take the last step back; its name, or None if there was none."""
        step = self.history.next_undo
        if step is None:
            return None
        self._write_down(replace(step, name=f"Undo: {step.name}", gesture=None), step.before)
        self.history.undo()
        self._become(step.before)
        return step.name

    def redo(self) -> str | None:
        step = self.history.next_redo
        if step is None:
            return None
        self._write_down(replace(step, gesture=None), step.after)
        self.history.redo()
        self._become(step.after)
        return step.name

    def go_to(self, n_done: int) -> None:
        """Undo or redo until `n_done` steps of the history are done; one change for everybody."""
        before, after = self._state, self.history.state_at(n_done)
        if after is not None:
            self._write_down(Step(f"To step {n_done} of the history", before, after), after)
            self.history.go_to(n_done)
            self._become(after)

    def mark_saved(self, path: Path, state: JobState, revision: str = "") -> None:
        """`state` is now in the file at `path`."""
        self.path = path
        self.revision = revision
        self._saved_work = state.work
        self.saved.emit()

    def mark_as_opened(self) -> None:
        """What there is now came by itself with opening: it is nothing to be asked about."""
        self._saved_work = self._state.work
        self.saved.emit()

    def mark_unsaved(self) -> None:
        """The file does not hold what was recovered, whatever it looks like."""
        self._saved_work = None
        self.saved.emit()

    def _take(self, step: Step) -> None:
        self._write_down(step, step.after)
        self.history.record(step)
        self._become(step.after)

    def _spent(self) -> Spent:
        return self.ledger.spent(time.monotonic(), time.time())

    def _write_down(self, step: Step, after: JobState) -> None:
        """Before anything changes: a step that cannot be recorded does not happen."""
        if self.recorder is not None:
            self.recorder(step, after)

    def _become(self, after: JobState) -> None:
        before, self._state = self._state, after
        self.changed.emit(before, after)
