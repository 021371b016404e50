"""A brush that touches what belongs to the person: said once a mark."""

from __future__ import annotations

from lather.actions.workbench import Workbench
from lather.document.findings import FindingState
from lather.tools.session import Frame

TOUCHED = 0.02  # coverage from which a brush counts as over a mark


class KeptMarks:
    """Watches the strokes over one job."""

    def __init__(self, bench: Workbench) -> None:
        self._bench = bench
        self._warned_of: set[int] = set()

    def look(self, frame: Frame) -> None:
        """Warn if the stroke so far covers a kept mark."""
        if frame.covered is None:
            return
        findings = self._bench.state.findings
        for finding in findings.in_state(FindingState.KEPT):
            rect = finding.rect.intersect(frame.painted)
            if rect.empty or finding.kind.is_patch or finding.id in self._warned_of:
                continue
            if (frame.covered.read(rect) * finding.coverage(rect)).max() > TOUCHED:
                self._warned_of.add(finding.id)
                self._bench.say(
                    f"The brush touches a kept mark ({finding.kind.value.split('.')[-1]}): it "
                    "belongs to the person. Undo, or open it again in the worklist.", error=True,
                )  # fmt: skip
