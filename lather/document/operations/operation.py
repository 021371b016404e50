"""What a step did, beside the pixels it left: so that it can be explained and done again.

Who does something says it as a `Call` (`call.py`); what only the job knows makes an `Operation` of
it (`recording.py`). The operations that led to a state are part of the state, as a chain that
shares what is before: undo, redo and going back need no care of their own.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from lather.core.open_enum import OpenEnum
from lather.document.operations.carried import Carried
from lather.document.operations.place import Place
from lather.document.painting.strokes import StrokeRecord

UNKNOWN = "unknown"  # the id of what nobody said what it was
EARLIER = "earlier"  # and of what was done before operations were kept
DAMAGED = "damaged"  # and of what could not be read


class Again(OpenEnum):
    """Whether an operation can be done again."""

    SAME = "same"  # a pure function of the state and its arguments
    MEANING = "meaning"  # it asks the survey or the picture anew
    NOT = "not"


@dataclass(frozen=True)
class Measure:
    """A figure before and after what was done or is proposed."""

    name: str
    before: float
    after: float
    unit: str = ""


@dataclass(frozen=True, slots=True)
class Spent:
    """When an operation was done, and the time that it took since the one before.

    Attributes
    ----------
    at_s : seconds since 1970, UTC.
    wall_s : by the clock.
    worked_s : without the pauses.
    """

    at_s: float = 0.0
    wall_s: float = 0.0
    worked_s: float = 0.0

    def after(self, before: Spent) -> Spent:
        """Both as one."""
        return Spent(self.at_s, self.wall_s + before.wall_s, self.worked_s + before.worked_s)


@dataclass(frozen=True, eq=False, kw_only=True)
class Said:
    """What who does something says of it.

    Attributes
    ----------
    id : of the row in the table of operations.
    arguments : by name, as JSON.
    again : whether it can be done again; `why_not`, if it cannot.
    stage, tool : where the person was, and what was in the hand.
    strokes : of the pen, each in the space of the layer that it went on.
    findings : ids of those that it answers.
    measures : what it was measured by.
    places : where it is done.
    """

    id: str
    arguments: Mapping[str, Any] = field(default_factory=dict)
    again: Again = Again.SAME
    why_not: str = ""
    stage: str = ""
    tool: str = ""
    strokes: tuple[StrokeRecord, ...] = ()
    findings: tuple[int, ...] = ()
    measures: tuple[Measure, ...] = ()
    places: tuple[Place, ...] = ()


@dataclass(frozen=True, eq=False, kw_only=True)
class Operation(Said):
    """What a step did.

    Attributes
    ----------
    name : of the step, as it was told.
    layers : ids of those that it changed, made or took away.
    made : ids of those that it made, bottom to top, a group before what is in it.
    active : id of the layer that was active when it was laid into the job.
    begun : how many operations had been done of the state that it was worked out on; None: all
        before it. `begun_active` is the layer that was active there.
    unread_strokes : where strokes lie of layers that only a newer Lather understands.
    carried : what it left different, if it cannot be done again.
    extras : fields of a newer Lather, kept and saved again.
    """

    name: str
    layers: tuple[int, ...] = ()
    made: tuple[int, ...] = ()
    active: int = 0
    begun: int | None = None
    begun_active: int | None = None
    unread_strokes: tuple[Any, ...] = ()
    spent: Spent = Spent()
    carried: Carried | None = None
    extras: Mapping[str, Any] = field(default_factory=dict)


class Operations:
    """Operations in the order in which they were done; a value that shares what is before.

    Those of a file are read when they are first asked for; how many they are is known before.
    """

    __slots__ = ("_before", "_last", "_load", "_lock", "_n")

    def __init__(self, before: Operations | None = None, last: Operation | None = None) -> None:
        self._before, self._last = before, last
        self._n = 0 if before is None else len(before) + 1
        self._load: Callable[[], Operations] | None = None
        self._lock: threading.Lock | None = None

    @classmethod
    def to_be_read(cls, n: int, load: Callable[[], Operations]) -> Operations:
        """So many, which are read later; what `load` raises whoever asks for them gets, each time.
        """
        if n == 0:
            return NOTHING_DONE
        chain = cls()
        chain._n, chain._load, chain._lock = n, load, threading.Lock()
        return chain

    @classmethod
    def of(cls, operations: Iterator[Operation] | tuple[Operation, ...]) -> Operations:
        chain = NOTHING_DONE
        for operation in operations:
            chain = chain.followed_by(operation)
        return chain

    def followed_by(self, operation: Operation) -> Operations:
        return Operations(self, operation)

    @property
    def last(self) -> Operation | None:
        self._read()
        return self._last

    @property
    def before(self) -> Operations:
        """All but the last."""
        self._read()
        return NOTHING_DONE if self._before is None else self._before

    def _read(self) -> None:
        if self._lock is None or self._load is None:
            return
        with self._lock:
            if self._load is not None:
                read = self._load()
                assert len(read) == self._n
                self._before, self._last, self._load = read._before, read._last, None

    def first(self, n: int) -> Operations:
        """The first so many."""
        chain = self
        while len(chain) > n:
            chain = chain.before
        return chain

    def begins_with(self, other: Operations) -> bool:
        """True if these are the others, with more or none after them."""
        return self.first(len(other)).is_same(other)

    def is_same(self, other: Operations) -> bool:
        return self is other or (len(self) == len(other) == 0)

    def n_common(self, other: Operations) -> int:
        """How many of the first are in both."""
        n = min(len(self), len(other))
        one, two = self.first(n), other.first(n)
        while not one.is_same(two):
            one, two = one.before, two.before
        return len(one)

    def __len__(self) -> int:
        return self._n

    def __iter__(self) -> Iterator[Operation]:
        return iter(self.from_number(0))

    def from_number(self, n: int) -> list[Operation]:
        """Those after the first so many."""
        found = []
        chain = self
        while len(chain) > n and chain.last is not None:
            found.append(chain.last)
            chain = chain.before
        return found[::-1]


NOTHING_DONE = Operations()
