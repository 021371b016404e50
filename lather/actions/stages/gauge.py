"""The gauge: the latest check of the open job, its levers, and which row is looked at."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from lather.document.events import Signal
from lather.document.state import JobState

if TYPE_CHECKING:
    from lather.assist.check.check import Check, Checked
    from lather.assist.check.lever import Causes, Lever


class Gauge:
    """What was measured last.

    Attributes
    ----------
    quick : of the cheap measures, after the last change that was followed.
    full : of all measures, and `full_of` the work that it was made of.
    causes : which layer does most to each row of that check, and the levers; None until found.
    row_id : the row that is looked at.

    Signals
    -------
    changed() : another measurement, or another row.
    """

    def __init__(self) -> None:
        self.quick: Check | None = None
        self.full: Check | None = None
        self.full_of: object = None
        self.causes: Causes | None = None
        self.row_id = ""
        self.failed_of: object = None  # what a check could not be made of
        self.changed: Signal[()] = Signal()

    def forget(self) -> None:
        """For another job."""
        self.quick = self.full = self.full_of = self.causes = self.failed_of = None
        self.row_id = ""
        self.changed.emit()

    def take_quick(self, check: Check | None) -> None:
        self.quick = check
        self.changed.emit()

    def take_full(self, check: Check, state: JobState) -> None:
        self.full, self.full_of, self.causes = check, checked_work(state), None
        self.quick = check
        if self.row_id not in {row.row.id for row in check.beyond}:
            self.row_id = check.worst.row.id if check.worst is not None else ""
        self.changed.emit()

    def take_causes(self, causes: Causes) -> None:
        self.causes = causes
        self.changed.emit()

    def is_fresh(self, state: JobState) -> bool:
        """True while the full check is of what there is now."""
        return self.full is not None and self.full_of == checked_work(state)

    def check(self, state: JobState) -> Check | None:
        """The full one while it holds, else the quick one."""
        return self.full if self.is_fresh(state) else self.quick

    def look_at(self, row_id: str) -> None:
        if row_id != self.row_id:
            self.row_id = row_id
            self.changed.emit()

    def row(self, state: JobState) -> Checked | None:
        """What is looked at, as it was measured last."""
        check = self.check(state)
        found = check.row(self.row_id) if check is not None else None
        if found is None and self.full is not None:
            found = self.full.row(self.row_id)
        return found

    def levers(self, state: JobState) -> Mapping[str, Lever | None]:
        """By row, while they hold."""
        return self.causes.levers if self.causes is not None and self.is_fresh(state) else {}

    def lever(self, state: JobState) -> Lever | None:
        """Of the row that is looked at, while it holds."""
        return self.levers(state).get(self.row_id)

    def cause(self, state: JobState) -> str:
        """The layer that does most to the row that is looked at; '' where none is known."""
        if self.causes is None or not self.is_fresh(state):
            return ""
        return self.causes.layers.get(self.row_id, "")


def checked_work(state: JobState) -> tuple[object, ...]:
    """What a check depends on: equal for states that check alike."""
    return state.layers, state.brief, state.findings, state.regions
