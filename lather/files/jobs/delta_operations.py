"""What was done, step by step, in a journal: by what stays, and what comes after that.

Operations after those that stay are given as one of:
    n                      the n-th operation written since the base, or the other way round:
    -1 - n                 the n-th operation of the base state
    {...}                  as in a job file (`operations.py`); its strokes by the layers that the
                           step left, its own readings after the samples of the step
With `carries` it carries what the step changed.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any
from weakref import WeakKeyDictionary

from lather.document.operations.operation import Again, Operation, Operations
from lather.document.operations.recording import carried_between, earlier
from lather.document.painting.strokes import StrokeRecord
from lather.document.state import JobState
from lather.document.tree import walk_held
from lather.files.entries import MISFIT, Entry
from lather.files.jobs.carried import stroke_at
from lather.files.jobs.operations import damaged_operation, operation_entry, operation_from
from lather.files.jobs.strokes import Numbers, strokes_from

CARRIES = "carries"


class DoneWriter:
    """Remembers which operations the reader knows."""

    def __init__(self, base: Operations) -> None:
        self._base = base
        self._written: WeakKeyDictionary[Operation, int] = WeakKeyDictionary()
        self._n_written = 0
        self._new: list[Operation] = []

    def change(
        self, before: JobState, after: JobState
    ) -> tuple[Entry | None, list[StrokeRecord]]:
        """What leads from the operations of one state to those of the other, and the strokes whose
        readings go with it; None if they are the same."""
        self._new = []
        if before.operations.is_same(after.operations):
            return None, []
        keep = before.operations.n_common(after.operations)
        strokes: list[StrokeRecord] = []
        added = enumerate(after.operations.from_number(keep), keep)
        entries = [self._entry(number, operation, after, strokes) for number, operation in added]
        return {"keep": keep, "add": entries}, strokes

    def forget(self) -> None:
        """What was described last was not written."""
        self._new = []

    def accept(self) -> None:
        """What was described last is written."""
        for operation in self._new:
            self._written[operation] = self._n_written
            self._n_written += 1
        self._new = []

    def _entry(
        self, number: int, operation: Operation, after: JobState, strokes: list[StrokeRecord]
    ) -> Entry | int:
        written = self._written.get(operation)
        if written is not None:
            return written
        if number < len(self._base) and self._base.first(number + 1).last is operation:
            return -1 - number
        entry, own = operation_entry(operation, lambda stroke: _place(stroke, operation, after))
        strokes += own
        self._new.append(operation)
        if operation.carried is not None:
            entry[CARRIES] = True
        return entry


def _place(stroke: StrokeRecord, operation: Operation, after: JobState) -> list[int] | None:
    """Where a stroke lies on the layers that its operation changed."""
    for layer in walk_held(after.layers):
        if layer.id in operation.layers:
            strokes = layer.strokes
            for number in range(len(strokes) - 1, -1, -1):
                if strokes[number] is stroke:
                    return [layer.id, number]
    return None


class DoneReader:
    """The inverse; of one journal."""

    def __init__(self, base: Operations) -> None:
        self._base = base
        self._of_base: list[Operation] | None = None
        self._written: list[Operation] = []

    def apply(
        self, described: Any, before: JobState, after: JobState, numbers: Numbers
    ) -> Operations:
        """The operations of the state that a step leads to, None if they stay. What does not fit
        becomes one that says so, and carries what the step changed."""
        if described is None:
            return before.operations
        try:
            chain = before.operations.first(_within(described["keep"], len(before.operations)))
            added = list(described["add"])
        except MISFIT:
            chain, added = before.operations, [None]
        for number, one in enumerate(added, 1):
            is_new = not isinstance(one, int)
            operation = self._new(one, after, numbers) if is_new else self._known(one)
            if is_new and number == len(added) and operation.again is Again.NOT:
                operation = replace(operation, carried=carried_between(before, after))
                self._written[-1] = operation
            chain = chain.followed_by(operation)
        return chain

    def _known(self, number: int) -> Operation:
        if self._of_base is None:
            self._of_base = list(self._base)
        known = self._written if number >= 0 else self._of_base
        at = number if number >= 0 else -1 - number
        return known[at] if at < len(known) else damaged_operation()

    def _new(self, entry: Any, after: JobState, numbers: Numbers) -> Operation:
        try:
            operation = self._read(entry, after, numbers)
        except MISFIT:
            operation = damaged_operation()
        self._written.append(operation)
        return operation

    def _read(self, entry: Any, after: JobState, numbers: Numbers) -> Operation:
        def stroke(one: Any) -> StrokeRecord | None:
            if not isinstance(one, list):
                return strokes_from([one], numbers)[0]
            layer_id, number = one
            layers = (layer for layer in walk_held(after.layers) if layer.id == layer_id)
            return stroke_at(next((layer.strokes for layer in layers), ()), number)

        known = {key: value for key, value in entry.items() if key != CARRIES}
        return operation_from(known, stroke)


def with_earlier_step(name: str, before: JobState, after: JobState) -> Operations:
    """What was done with a step of a journal that kept no operations."""
    return before.operations.followed_by(earlier(before, after, name))


def _within(number: Any, most: int) -> int:
    if type(number) is not int or not 0 <= number <= most:
        raise ValueError(f"{number!r} is not between 0 and {most}")
    return number
