"""Commands of the Even stage: what its assistants are asked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from lather.actions.action import Action, Run, When, has_job
from lather.actions.findings.geometry import has_regions
from lather.actions.layers.area import has_area
from lather.actions.work.pending import Pending
from lather.actions.work.proposing import look_at_proposal, pending_of, propose
from lather.actions.workbench import Workbench
from lather.assist.proposal import Meant, Proposal
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.survey.regions.region import Part
from lather.core.work import CancelToken, Progress
from lather.document.findings import FindingState
from lather.document.layers.layer import Stage
from lather.document.state import JobState
from lather.errors import Cancelled

TITLE = "Evening the skin"


def tame_shine(bench: Workbench, ids: frozenset[int] | None = None) -> None:
    from lather.assist.even.shine import propose_shine

    propose(bench, "Looking for shine", lambda state, progress, cancel: propose_shine(
        state, Meant(ids), progress=progress, cancel=cancel), ids=ids)  # fmt: skip


def calm_redness(bench: Workbench, ids: frozenset[int] | None = None) -> None:
    from lather.assist.even.match import propose_redness

    propose(bench, "Looking for redness", lambda state, progress, cancel: propose_redness(
        state, Meant(ids), progress=progress, cancel=cancel), ids=ids)  # fmt: skip


def even_out(bench: Workbench, ids: frozenset[int] | None = None) -> None:
    from lather.assist.even.even_out import propose_even_out

    propose(bench, "Measuring blotches", lambda state, progress, cancel: propose_even_out(
        state, Meant(ids), progress=progress, cancel=cancel), ids=ids)  # fmt: skip


def match_colour(bench: Workbench) -> None:
    """The area, or else the strongest patch, gets the reference's colour, or a good cheek's."""
    from lather.assist.even.match import MatchOptions, propose_match

    target = bench.state.area
    options = MatchOptions(target=target, reference=bench.state.reference)
    propose(bench, "Matching colours", lambda state, progress, cancel: propose_match(
        state, options, progress=progress, cancel=cancel))  # fmt: skip


def take_reference(bench: Workbench) -> None:
    """The area is whose colour others are to have; it is free for the target then."""
    bench.change(
        "Take as reference", lambda state: replace(state, reference=state.area, area=None)
    )
    bench.say("That colour is the reference. Outline the target, then match colour.")


def forget_reference(bench: Workbench) -> None:
    bench.change("Forget the reference", lambda state: replace(state, reference=None))
    bench.say("A good cheek is the reference again.")


def propose_for(bench: Workbench, findings: Sequence[Finding]) -> None:
    """The proposal for findings of Even, by the kind of the first."""
    by_kind = {Kind.SHINE: tame_shine, Kind.REDNESS: calm_redness, Kind.UNEVEN: even_out}
    kind = findings[0].kind
    by_kind[kind](bench, frozenset(f.id for f in findings if f.kind is kind))


def propose_all(bench: Workbench) -> None:
    """Shine, redness and blotches, one after the other, as one proposal; at once if it was worked
    out while the hand rested."""
    bench.in_turn(lambda: _propose_all(bench))


def _propose_all(bench: Workbench) -> None:
    about, ahead = _about(bench.state), bench.tasks.ahead
    prepared = bench.prepared.get(Stage.EVEN)
    if prepared is not None and prepared[0] == about and prepared[1] is not None:
        look_at_proposal(bench, prepared[1])
    elif ahead is not None and ahead.about == about:
        bench.tasks.wait_for_ahead()
    else:
        propose(bench, TITLE, _all_of_even)


def prepare_all(bench: Workbench) -> bool:
    """What Even will be asked for, worked out while Clean is looked at; False if there is nothing
    to be worked out."""
    state = bench.state
    about = _about(state)
    prepared = bench.prepared.get(Stage.EVEN)
    if (
        bench.stage not in (Stage.CLEAN, Stage.EVEN) or not state.surveyed
        or Stage.EVEN in bench.proposals or (prepared is not None and prepared[0] == about)
        or not _is_wanted(state)
    ):
        return False

    def work(progress: Progress, cancel: CancelToken) -> Pending:
        return pending_of(_all_of_even(state, progress, cancel), cancel)

    def done(pending: Pending, is_waited_for: bool) -> None:
        bench.prepared[Stage.EVEN] = about, pending
        if is_waited_for:
            look_at_proposal(bench, pending)

    def failed(error: Exception) -> None:
        if not isinstance(error, Cancelled):  # it would be the same again: told when it is asked
            bench.prepared[Stage.EVEN] = about, None

    bench.tasks.run_ahead(TITLE, about, work, done, failed)
    return True


def _all_of_even(state: JobState, progress: Progress, cancel: CancelToken) -> Proposal:
    from lather.assist.retouch import as_one

    return as_one(state, Stage.EVEN, progress=progress, cancel=cancel)


def _about(state: JobState) -> tuple[object, ...]:
    """What a proposal of Even depends on: equal for states that give the same."""
    return ("even", state.layers, state.findings, state.regions, state.brief, state.area)


def _is_wanted(state: JobState) -> bool:
    """False where Clean is not done yet, or nothing of Even is open."""
    findings = state.findings
    is_cleaned = any(layer.stage is Stage.CLEAN for layer in state.layers[1:])
    return is_cleaned and any(
        findings.state(f) is FindingState.OPEN for f in findings.of_stage(Stage.EVEN.value)
    )


def look_at_part(bench: Workbench, part: Part) -> None:
    """Centre the picture on a part of the skin."""
    from lather.assist.face_map import part_rect

    rect = part_rect(bench.state, part)
    if rect is not None:
        bench.centre_on(rect)


def _in_even(run: Run) -> Run:
    def go(bench: Workbench) -> None:
        bench.go_to_stage(Stage.EVEN)
        run(bench)

    return go


ACTIONS = (
    Action("even.shine", "Tame shine",
           "Propose to take mirrored light down to the skin's own colour, with its texture.",
           "Even", _in_even(tame_shine), enabled=has_regions),
    Action("even.redness", "Calm redness",
           "Propose to calm patches that are redder than is natural where they lie.",
           "Even", _in_even(calm_redness), enabled=has_regions),
    Action("even.even_out", "Even out",
           "Propose to take out blotches of blood and pigment; texture and light stay.",
           "Even", _in_even(even_out), enabled=has_regions),
    Action("even.match", "Match colour",
           "Give the area, or else the reddest patch, the reference's colour.",
           "Even", _in_even(match_colour), enabled=has_regions),
    Action("even.reference", "Take the area as reference",
           "Its colour is the one that others are matched to; without one it is a good cheek.",
           "Even", take_reference, enabled=has_area),
    Action("even.forget_reference", "Forget the reference",
           "A good cheek is the reference again.", "Even", forget_reference,
           enabled=has_job & When.that(lambda bench: bench.state.reference is not None,
                                       "no area was taken as reference")),
)  # fmt: skip
