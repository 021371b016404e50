"""The walk along the worklist: which finding is looked at now."""

from __future__ import annotations

from dataclasses import dataclass, replace

from lather.core.survey.findings.finding import Finding
from lather.document import edits
from lather.document.events import Signal
from lather.document.findings import Findings, FindingState
from lather.document.state import JobState
from lather.document.tree import find, replaced, walk


@dataclass(frozen=True)
class Mended:
    """The mend accepted last: where its texture came from can still be changed.

    `before` and `after` are the states around it; once the job has moved on from `after`
    there is no other source to be had.
    """

    finding: Finding
    before: JobState
    after: JobState
    nth_source: int = 0

    def taken_back(self) -> JobState:
        """`after` without the mend, on the same layers: a new one is there, empty."""
        state = self.after
        for layer in walk(self.after.layers):
            was = find(self.before.layers, layer.id)
            if layer.planes and was is not layer:
                if was is None:
                    restored = layer.without_paint()
                else:
                    restored = layer.with_painted(was.planes, was.strokes)
                state = replace(state, layers=replaced(state.layers, layer.id, (restored,)))
        return edits.set_findings(state, self.before.findings)


class Walk:
    """A place in the worklist.

    Attributes
    ----------
    finding_id : what is looked at.
    mended : the mend accepted last.
    under_way : findings that are being mended, or wait for it: the walk has gone on from them.

    Signals
    -------
    moved() : another finding is looked at, or none.
    """

    def __init__(self) -> None:
        self.finding_id: int | None = None
        self.mended: Mended | None = None
        self.under_way: set[int] = set()
        self.moved: Signal[()] = Signal()

    def leave(self) -> None:
        """For another job; who listens reads everything back then."""
        self.finding_id = self.mended = None
        self.under_way.clear()

    def go_to(self, finding_id: int | None) -> None:
        if finding_id != self.finding_id:
            self.finding_id = finding_id
            self.moved.emit()

    def current(self, findings: Findings) -> Finding | None:
        """The finding looked at, if it is still there."""
        return next((f for f in findings.items if f.id == self.finding_id), None)

    def step(
        self, findings: Findings, by: int, stage: str, *, decided: bool = False
    ) -> Finding | None:
        """The next open finding of a stage in that direction, round the end, or the next decided
        one; None if none is."""
        items = findings.of_stage(stage)
        start = next((n for n, f in enumerate(items) if f.id == self.finding_id), None)
        if start is None:
            start = -1 if by > 0 else 0
        for n in range(1, len(items) + 1):
            finding = items[(start + by * n) % len(items)]
            is_open = findings.state(finding) is FindingState.OPEN
            if is_open is not decided and finding.id not in self.under_way:
                return finding
        return None
