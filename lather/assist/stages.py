"""What each stage of the work has of assistants: the order of the stages is that of these rows.

The rooms that know more of a stage have a table of their own with the same keys: `tools/stages.py`,
`actions/stages/table.py`, `ui/stages/table.py`. A stage is a row in each of the four.
"""

from __future__ import annotations

import importlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, Protocol

from lather.core.survey.findings.finding import Finding, Kind
from lather.document.agreed.brief import Brief, Task
from lather.document.layers.layer import Stage

if TYPE_CHECKING:
    from lather.assist.proposal import Meant, Proposal
    from lather.core.work import CancelToken, Progress
    from lather.document.state import JobState


class Propose(Protocol):
    """What an assistant proposes for a state; it changes nothing by itself."""

    def __call__(
        self, state: JobState, meant: Meant, *, progress: Progress, cancel: CancelToken
    ) -> Proposal: ...


class Look(Protocol):
    """The findings of a stage in a state that was surveyed; their ids are of no account."""

    def __call__(
        self, state: JobState, *, progress: Progress, cancel: CancelToken
    ) -> Sequence[Finding]: ...


@dataclass(frozen=True)
class Assistant:
    """A row of a stage's assistants.

    Attributes
    ----------
    doing : what it is called while it runs.
    kinds : the findings that it answers.
    tasks : of a brief, any of which asks for it; with none it is always asked.
    """

    doing: str
    propose: Propose
    kinds: frozenset[Kind] = frozenset()
    tasks: tuple[Task, ...] = ()

    def is_wanted(self, brief: Brief) -> bool:
        return not self.tasks or any(map(brief.wants, self.tasks))


@dataclass(frozen=True)
class StageRow:
    """What is worked out for a stage.

    Attributes
    ----------
    title : for a person to read.
    assistants : by name, in the order in which they run.
    look : what finds what the survey does not look for: when the stage is first gone to.
    by_command : who is asked by a command of its own alone.
    """

    title: str
    assistants: Mapping[str, Assistant] = field(default_factory=dict)
    look: Look | None = None
    by_command: Mapping[str, Propose] = field(default_factory=dict)


def later(module: str, name: str) -> Any:
    """A function that is imported when it is first called: the table costs a start nothing."""

    def call(*args: Any, **options: Any) -> Any:
        return getattr(importlib.import_module(f"lather.assist.{module}"), name)(*args, **options)

    return call


# By the stage's value in files, in the order retouchers work.
STAGES: dict[str, StageRow] = {
    "brief": StageRow("Brief"),
    "clean": StageRow("Clean", {
        "mends": Assistant(
            "Mending", later("clean.clean", "propose_mends"),
            frozenset(kind for kind in Kind if kind.stage == "clean"),
            (Task.BLEMISHES, Task.CREASES, Task.HAIRS_ON_SKIN)),
    }),
    "even": StageRow("Even", {
        "shine": Assistant(
            "Looking for shine", later("even.shine", "propose_shine"),
            frozenset({Kind.SHINE}), (Task.SHINE,)),
        "redness": Assistant(
            "Looking for redness", later("even.match", "propose_redness"),
            frozenset({Kind.REDNESS}), (Task.REDNESS,)),
        "even_out": Assistant(
            "Measuring blotches", later("even.even_out", "propose_even_out"),
            frozenset({Kind.UNEVEN}), (Task.EVEN_SKIN,)),
    }, by_command={"match": later("even.match", "propose_match_of_areas")}),
    "sculpt": StageRow("Sculpt"),
    "features": StageRow("Features"),
    "hair": StageRow("Hair"),
    "shape": StageRow("Shape", by_command={"grain": later("shape.shape", "propose_matched_grain")}),
    "finish": StageRow("Finish"),
    "deliver": StageRow("Deliver"),
}  # fmt: skip


def in_order() -> tuple[Stage, ...]:
    """All stages, in the order of the work."""
    return tuple(map(Stage, STAGES))


def row(stage: Stage) -> StageRow:
    """That of a stage; an empty one for a stage of a newer Lather."""
    return STAGES.get(stage.value) or StageRow(stage.title)


def title(stage: Stage) -> str:
    """For a person to read."""
    return row(stage).title


def assistants(stage: Stage, brief: Brief = Brief()) -> tuple[Assistant, ...]:  # noqa: B008
    """Those of a stage that a brief asks for, in order."""
    return tuple(one for one in row(stage).assistants.values() if one.is_wanted(brief))


def stages_built() -> tuple[Stage, ...]:
    """The stages that have assistants, in the order of the work."""
    return tuple(stage for stage in in_order() if row(stage).assistants)


def with_a_look() -> tuple[Stage, ...]:
    """The stages whose findings are looked for when they are first gone to."""
    return tuple(stage for stage in in_order() if row(stage).look is not None)


def is_up_to(stage: Stage, last: Stage) -> bool:
    """True for `last` and all stages before it."""
    order = in_order()
    return stage in order[: order.index(last) + 1]


def before(stage: Stage) -> Stage | None:
    """The stage with assistants that comes before this one."""
    earlier = [other for other in stages_built() if other is not stage and is_up_to(other, stage)]
    return earlier[-1] if earlier else None


def assistant_for(finding: Finding) -> Assistant | None:
    """Who is asked about a finding."""
    assistants = row(Stage(finding.kind.stage)).assistants.values()
    return next((one for one in assistants if finding.kind in one.kinds), None)
