"""Commands of the Even stage, and what is done with any proposal: taken, painted in, left."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from lather.actions.action import Action, Run, When, has_job
from lather.actions.area import has_area
from lather.actions.aside import take_merged
from lather.actions.geometry import has_regions
from lather.actions.pending import Pending
from lather.actions.workbench import Workbench
from lather.assist.proposal import Meant, Proposal
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.survey.regions.region import Part
from lather.core.work import CancelToken, Progress
from lather.document.layers.layer import Stage
from lather.document.merge import merge
from lather.document.state import JobState

Propose = Callable[[JobState, Progress, CancelToken], Proposal]


def propose(bench: Workbench, title: str, assistant: Propose) -> None:
    """Ask an assistant aside; what it proposes is looked at before anything is changed."""
    from lather.assist.changed_outline import changed_outlines

    before = bench.state

    def work(progress: Progress, cancel: CancelToken) -> Pending:
        proposal = assistant(before, progress, cancel)
        if proposal.refusal is not None:
            raise proposal.refusal
        cancel.check()
        return Pending.of(proposal, changed_outlines(before, proposal.after))

    def done(pending: Pending) -> None:
        if bench.job is None or bench.state.photo is not before.photo:
            return
        bench.set_pending(pending)

    bench.run_task(title, work, done)


def tame_shine(bench: Workbench, ids: frozenset[int] | None = None) -> None:
    from lather.assist.shine import propose_shine

    propose(bench, "Looking for shine", lambda state, progress, cancel: propose_shine(
        state, Meant(ids), progress=progress, cancel=cancel))  # fmt: skip


def calm_redness(bench: Workbench, ids: frozenset[int] | None = None) -> None:
    from lather.assist.match import propose_redness

    propose(bench, "Looking for redness", lambda state, progress, cancel: propose_redness(
        state, Meant(ids), progress=progress, cancel=cancel))  # fmt: skip


def even_out(bench: Workbench, ids: frozenset[int] | None = None) -> None:
    from lather.assist.even_out import propose_even_out

    propose(bench, "Measuring blotches", lambda state, progress, cancel: propose_even_out(
        state, Meant(ids), progress=progress, cancel=cancel))  # fmt: skip


def match_colour(bench: Workbench) -> None:
    """The area, or else the strongest patch, gets the reference's colour, or a good cheek's."""
    from lather.assist.match import MatchOptions, propose_match

    target = bench.state.area
    options = MatchOptions(target=target, reference=bench.reference)
    propose(bench, "Matching colours", lambda state, progress, cancel: propose_match(
        state, options, progress=progress, cancel=cancel))  # fmt: skip


def take_reference(bench: Workbench) -> None:
    """The area is whose colour others are to have; it is free for the target then."""
    bench.reference = bench.state.area
    bench.change("Take as reference", lambda state: replace(state, area=None))
    bench.say("That colour is the reference. Outline the target, then match colour.")


def forget_reference(bench: Workbench) -> None:
    bench.reference = None
    bench.say("A good cheek is the reference again.")


def propose_for(bench: Workbench, findings: Sequence[Finding]) -> None:
    """The proposal for findings of Even, by the kind of the first."""
    by_kind = {Kind.SHINE: tame_shine, Kind.REDNESS: calm_redness, Kind.UNEVEN: even_out}
    kind = findings[0].kind
    by_kind[kind](bench, frozenset(f.id for f in findings if f.kind is kind))


def propose_mends(bench: Workbench) -> None:
    """All certain open findings of Clean, looked at before they are mended."""
    from lather.assist.clean import propose_clean

    propose(bench, "Mending", lambda state, progress, cancel: propose_clean(
        state, progress=progress, cancel=cancel))  # fmt: skip


def propose_all(bench: Workbench) -> None:
    """Shine, redness and blotches, one after the other, as one proposal."""
    from lather.assist.retouch import as_one

    propose(bench, "Evening the skin", lambda state, progress, cancel: as_one(
        state, Stage.EVEN, progress=progress, cancel=cancel))  # fmt: skip


def accept(bench: Workbench) -> None:
    """Take the proposal over as it is set, as one step."""
    pending = bench.pending
    assert pending is not None
    merged = merge(pending.proposal.before, pending.after, bench.state)
    bench.set_pending(None)
    take_merged(bench, pending.proposal.name, merged, f"{pending.proposal.name}: taken.")


def paint_in(bench: Workbench) -> None:
    """Take it over behind a mask that hides it, with a brush on the mask."""
    pending = bench.pending
    assert pending is not None
    merged = merge(pending.proposal.before, pending.hidden, bench.state)
    bench.set_pending(None)
    take_merged(bench, f"{pending.proposal.name}, hidden", merged)
    bench.hands.take_tool("paint_colour")
    bench.set_on_mask(True)
    bench.say("Paint on the picture to let it in; Erase hides it again.")


def leave(bench: Workbench) -> None:
    bench.set_pending(None)
    bench.say("Left: nothing was changed.")


def set_strength(bench: Workbench, strength: float) -> None:
    """How far of the proposal is meant, 0-1."""
    assert bench.pending is not None
    strength = min(max(round(strength, 2), 0.05), 1.0)
    if strength != bench.pending.strength:
        bench.set_pending(replace(bench.pending, strength=strength))


def turn_part(bench: Workbench, part: Part) -> None:
    """Limit the proposal to a part of the skin, too, or no longer."""
    assert bench.pending is not None
    bench.set_pending(bench.pending.with_part(part))


def look_at_part(bench: Workbench, part: Part) -> None:
    """Centre the picture on a part of the skin."""
    from lather.assist.face_map import part_rect

    rect = part_rect(bench.state, part)
    if rect is not None:
        bench.centre_on(rect)


has_pending = has_job & When.that(
    lambda bench: bench.pending is not None, "nothing is proposed in this stage"
)
_can_be_weakened = has_pending & When.that(
    lambda bench: bench.pending is not None and bench.pending.can_be_weakened,
    "it goes on layers that are there: take it over, and paint on their masks",
)
_can_be_mended = has_job & When.that(
    lambda bench: bench.state.surveyed, "nothing was looked for yet: survey the portrait first"
)


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
           enabled=has_job & When.that(lambda bench: bench.reference is not None,
                                       "no area was taken as reference")),
    Action("proposal.mends", "Look at all mends first",
           "Propose every certain mend of Clean on the picture, to be taken over or left.",
           "Finding", propose_mends,
           enabled=_can_be_mended),
    Action("proposal.accept", "Take it over",
           "Take the proposal over as it is set, as one step.", "Finding", accept,
           enabled=has_pending),
    Action("proposal.paint_in", "Paint it in",
           "Take it over hidden, and paint it in where it is wanted.", "Finding", paint_in,
           enabled=_can_be_weakened),
    Action("proposal.leave", "Leave it",
           "Drop the proposal; nothing was changed.", "Finding", leave, enabled=has_pending),
)  # fmt: skip
