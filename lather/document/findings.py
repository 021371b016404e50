"""What the survey found on a portrait, and what was decided about each finding."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Protocol

from lather.core.bounds import FINDINGS, MOST_POINTS_TOGETHER, PUPILS, refuse_beyond
from lather.core.open_enum import OpenEnum
from lather.core.survey.faces.geometry import FaceGeometry
from lather.core.survey.findings.finding import Finding, Kind
from lather.document.agreed.brief import Brief
from lather.errors import BoundsError


class Keeping(Protocol):
    """Says what is proposed to be kept: a brief, or a style."""

    def keeps(self, kind: Kind) -> bool: ...


class FindingState(OpenEnum):
    """What became of a finding. Values as in files."""

    OPEN = "open"
    DONE = "done"
    KEPT = "kept"
    SKIPPED = "skipped"


@dataclass(frozen=True)
class Findings:
    """A survey's findings with their states; a value.

    Attributes
    ----------
    mm_per_px : the scale; None before the portrait is surveyed.
    items : the most severe first; ids are their own.
    states : by id; a finding that is missing is open.
    done_by : the layer that a finding which is done was done on, by ids; where it goes, what it
        did is open again.
    faces : their handles, the largest face first; none if the scale was set by hand.
    extras : fields of a newer Lather, kept and saved again.
    unread : findings that do not fit, as they lie in the file; kept and saved again.
    looked_in : the stages whose findings were looked for after the survey, as in files.
    """

    mm_per_px: float | None = None
    items: tuple[Finding, ...] = ()
    states: Mapping[int, FindingState] = field(default_factory=dict)
    faces: tuple[FaceGeometry, ...] = ()
    extras: Mapping[str, Any] = field(default_factory=dict)
    done_by: Mapping[int, int] = field(default_factory=dict)
    unread: tuple[Any, ...] = ()
    looked_in: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        refuse_beyond("the job", FINDINGS, self)
        for face in self.faces:
            refuse_beyond("a face", PUPILS, face)
        n_points = sum(len(finding.path_px) for finding in self.items)
        if n_points > MOST_POINTS_TOGETHER:
            raise BoundsError(
                "Nothing was changed", f"all lines together have {n_points:,} points: a job holds "
                f"{MOST_POINTS_TOGETHER:,}", "measure fewer lines, or at a coarser step",
            )  # fmt: skip

    @classmethod
    def of_survey(
        cls,
        mm_per_px: float,
        items: Iterable[Finding],
        faces: Iterable[FaceGeometry] = (),
        brief: Keeping = Brief(),  # noqa: B008 - a value
    ) -> Findings:
        """Fresh findings: what belongs to the person, by the brief, is to be kept."""
        found = tuple(items)
        kept = {f.id: FindingState.KEPT for f in found if brief.keeps(f.kind)}
        return cls(mm_per_px, found, kept, tuple(faces))

    def state(self, finding: Finding) -> FindingState:
        return self.states.get(finding.id, FindingState.OPEN)

    def in_state(self, state: FindingState) -> Iterator[Finding]:
        return (finding for finding in self.items if self.state(finding) is state)

    def of_stage(self, stage: str) -> tuple[Finding, ...]:
        """Those that a stage of the work decides on."""
        return tuple(finding for finding in self.items if finding.kind.stage == stage)

    def open_of_stage(self, stage: str) -> tuple[Finding, ...]:
        """Those of them on which nothing is decided yet."""
        return tuple(f for f in self.of_stage(stage) if self.state(f) is FindingState.OPEN)

    def decided_of_stage(self, stage: str) -> tuple[int, int]:
        """How many of them are decided, of how many."""
        n = len(self.of_stage(stage))
        return n - len(self.open_of_stage(stage)), n

    def get(self, finding_id: int) -> Finding:
        """The finding of that id; KeyError if there is none."""
        for finding in self.items:
            if finding.id == finding_id:
                return finding
        raise KeyError(finding_id)

    def at_scale(self, mm_per_px: float) -> Findings:
        """The same findings measured with another scale."""
        ratio = mm_per_px / self.mm_per_px if self.mm_per_px else 1.0
        items = tuple(
            replace(f, diameter_mm=f.diameter_mm * ratio, length_mm=f.length_mm * ratio,
                    area_mm2=f.area_mm2 * ratio**2)
            for f in self.items
        )
        return replace(self, mm_per_px=mm_per_px, items=items)

    def restyled(self, before: Keeping, after: Keeping) -> Findings:
        """What one brief proposed to keep or mend as the other one does."""
        states = {}
        for finding in self.items:
            kept, keep = before.keeps(finding.kind), after.keeps(finding.kind)
            proposed = FindingState.KEPT if kept else FindingState.OPEN
            if kept != keep and self.state(finding) is proposed:
                states[finding.id] = FindingState.KEPT if keep else FindingState.OPEN
        restyled = self
        for state in (FindingState.KEPT, FindingState.OPEN):
            ids = [key for key, value in states.items() if value is state]
            restyled = restyled.decided(ids, state)
        return restyled

    def decided(
        self, ids: Iterable[int], state: FindingState, *, by: int | None = None
    ) -> Findings:
        """A copy with some findings in another state; `by` is the layer that they were done on."""
        meant = list(ids)
        states = {**self.states, **dict.fromkeys(meant, state)}
        decided = {key: value for key, value in states.items() if value is not FindingState.OPEN}
        done_by = {key: layer for key, layer in self.done_by.items() if key not in set(meant)}
        if state is FindingState.DONE and by is not None:
            done_by |= dict.fromkeys(meant, by)
        return replace(self, states=decided, done_by=done_by)

    def without_layers(self, ids: Iterable[int]) -> Findings:
        """A copy in which what was done on these layers is open again; itself if nothing was."""
        gone = set(ids)
        undone = [number for number, layer in self.done_by.items() if layer in gone]
        return self.decided(undone, FindingState.OPEN) if undone else self

    def moved_to(self, layers: Mapping[int, int]) -> Findings:
        """A copy in which what some layers did counts as done by others."""
        moved = {number: layers.get(layer, layer) for number, layer in self.done_by.items()}
        return self if moved == self.done_by else replace(self, done_by=moved)
