"""A brush that touches what belongs to the person: said once a mark."""

from __future__ import annotations

from lather.actions.workbench import Workbench
from lather.document.findings import FindingState
from lather.render.marks import marks_in
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
        kept = [finding for finding in findings.in_state(FindingState.KEPT)
                if not finding.kind.is_patch and finding.id not in self._warned_of]  # fmt: skip
        for finding in marks_in(kept, frame.space):
            rect = finding.rect.intersect(frame.covered.rect)
            if rect.empty:
                continue
            if (frame.covered.read(rect) * finding.coverage(rect)).max() > TOUCHED:
                self._warned_of.add(finding.id)
                self._bench.say(
                    f"The brush touches a kept mark ({finding.kind.value.split('.')[-1]}): it "
                    "belongs to the person. Undo, or open it again in the worklist.", error=True,
                )  # fmt: skip
