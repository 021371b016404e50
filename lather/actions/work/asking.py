"""What the assistants of a stage are asked, whatever stage it is: about findings, or for all."""

from __future__ import annotations

from collections.abc import Sequence

from lather.actions.stages import table
from lather.actions.work.proposing import look_at_proposal, pending_of, propose
from lather.actions.workbench import Workbench
from lather.assist import stages
from lather.assist.pending import Pending
from lather.assist.proposal import Meant
from lather.assist.request import ALL, Request, name_of
from lather.assist.stages import Assistant
from lather.core.survey.findings.finding import Finding
from lather.core.work import CancelToken, Progress
from lather.document.layers.layer import Stage
from lather.document.state import JobState
from lather.errors import Cancelled, EditError


def ask(bench: Workbench, assistant: Assistant, ids: frozenset[int] | None = None) -> None:
    """Look at what an assistant proposes: for some findings, or for all that it is sure of."""
    propose(bench, assistant.doing, Request(name_of(assistant), Meant(ids)))


def propose_for(bench: Workbench, findings: Sequence[Finding]) -> None:
    """Look at what is proposed for findings, by who answers the first of them."""
    assistant = stages.assistant_for(findings[0])
    if assistant is None:
        raise EditError("Nothing was proposed", f"no assistant answers '{findings[0].kind.title}'",
                        "work on it by hand, or skip it ({key:finding.skip})")  # fmt: skip
    ask(bench, assistant, frozenset(f.id for f in findings if f.kind in assistant.kinds))


def propose_all(bench: Workbench, stage: Stage) -> None:
    """All that a stage's assistants propose, one after the other, as one proposal; at once if it
    was worked out while the hand rested."""
    bench.in_turn(lambda: _propose_all(bench, stage))


def _propose_all(bench: Workbench, stage: Stage) -> None:
    about, ahead = _about(bench.state, stage), bench.tasks.ahead
    prepared = bench.prepared.get(stage)
    if prepared is not None and prepared[0] == about and prepared[1] is not None:
        look_at_proposal(bench, prepared[1])
    elif ahead is not None and ahead.about == about:
        bench.tasks.wait_for_ahead()
    else:
        propose(bench, table.row(stage).doing, _all_of(stage))


def prepare_all(bench: Workbench) -> bool:
    """What a stage will be asked for, worked out while it or the one before is looked at; False if
    there is nothing to be worked out."""
    return any(
        _prepare(bench, stage) for stage in stages.stages_built()
        if not table.row(stage).at_once and bench.stage in (stage, stages.before(stage))
    )  # fmt: skip


def _prepare(bench: Workbench, stage: Stage) -> bool:
    state = bench.state
    about, prepared = _about(state, stage), bench.prepared.get(stage)
    if (
        not state.surveyed or stage in bench.proposals
        or (prepared is not None and prepared[0] == about) or not _is_wanted(state, stage)
    ):  # fmt: skip
        return False

    def work(progress: Progress, cancel: CancelToken) -> Pending:
        return pending_of(_all_of(stage), state, progress, cancel)

    def done(pending: Pending, is_waited_for: bool) -> None:
        bench.prepared[stage] = about, pending
        if is_waited_for:
            look_at_proposal(bench, pending)

    def failed(error: Exception) -> None:
        if not isinstance(error, Cancelled):  # it would be the same again: told when it is asked
            bench.prepared[stage] = about, None

    bench.tasks.run_ahead(table.row(stage).doing, about, work, done, failed)
    return True


def _all_of(stage: Stage) -> Request:
    return Request(f"{stage.value}.{ALL}")


def _about(state: JobState, stage: Stage) -> tuple[object, ...]:
    """What a stage's proposal depends on: equal for states that give the same."""
    return (stage, state.layers, state.findings, state.regions, state.brief, state.area)


def _is_wanted(state: JobState, stage: Stage) -> bool:
    """False where what comes before is not done yet, or nothing of the stage is open."""
    before = stages.before(stage)
    is_begun = before is None or any(layer.stage is before for layer in state.layers[1:])
    return is_begun and bool(state.findings.open_of_stage(stage.value))
