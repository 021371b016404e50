"""The assistants in the order of the stages: what `lather retouch` runs, and what it says."""

from __future__ import annotations

from dataclasses import dataclass

from lather.assist.even.layers import grown
from lather.assist.looking import call_of_look, looked_in
from lather.assist.pending import Pending
from lather.assist.proposal import Meant, Proposal, new_layers, weakened
from lather.assist.request import Request, name_of
from lather.assist.retouch_held import STEP, held_as_a_whole, held_so_far, with_given
from lather.assist.stages import assistants, in_order, title
from lather.core.work import NEVER, CancelToken, Progress, no_progress
from lather.document.agreed.briefing import refuse_where_forbidden
from lather.document.layers.layer import Stage
from lather.document.operations.recording import recorded
from lather.document.state import JobState
from lather.errors import EditError


@dataclass(frozen=True)
class RetouchOptions:
    """How far to go.

    Attributes
    ----------
    stages : which of the stages that have assistants.
    strength : 0-1 of what each assistant proposes.
    doubtful : mend what the survey is not sure of, too.
    as_a_whole : measure the whole picture at the end, and hold all of it to the brief.
    """

    stages: tuple[Stage, ...]
    strength: float = 1.0
    doubtful: bool = False
    as_a_whole: bool = True


@dataclass(frozen=True)
class Done:
    """One assistant's outcome, as it was taken over."""

    stage: Stage
    proposal: Proposal


def retouch(
    state: JobState, options: RetouchOptions, *, progress: Progress = no_progress,
    cancel: CancelToken = NEVER,
) -> tuple[JobState, list[Done]]:
    """The state with everything that the assistants are sure of; each looks at what the ones
    before left.

    Raises
    ------
    EditError : the brief lets nothing be retouched.
    Cancelled : by the token.
    """
    refuse_where_forbidden(state, "Nothing was retouched")
    begun = state
    steps = [(stage, assistant) for stage in in_order() if stage in options.stages
             for assistant in assistants(stage, state.brief)]  # fmt: skip
    # What is meant more weakly cannot go on a layer that is there with another strength.
    others = frozenset(layer.id for layer in state.layers) if options.strength < 1 else frozenset()
    meant, done = Meant(doubtful=options.doubtful, but=others), list[Done]()
    for number, (stage, assistant) in enumerate(steps):
        cancel.check()

        def report(share: float, what: str, begun: int = number) -> None:
            progress((begun + share) / len(steps), what)

        found = looked_in(state, stage, progress=report, cancel=cancel)
        if found is not state:
            state = recorded(state, found, f"Look in {title(stage)}", call_of_look(stage))
        request = Request(name_of(assistant), meant)
        if options.strength == 0:
            done.append(Done(stage, _left(assistant.doing, state, stage)))
            continue
        proposal = request.proposal(state, hold=False, progress=report, cancel=cancel)
        proposal, given = held_so_far(begun, weakened(proposal, options.strength), cancel)
        if proposal.refusal is None:
            call = Pending.of(proposal, request=request).call()
            after = grown(proposal.after, {layer.id for layer in new_layers(proposal)})
            state = with_given(recorded(state, after, proposal.name, call), given)
        done.append(Done(stage, proposal))
    if options.as_a_whole and state is not begun:
        after, said = held_as_a_whole(begun, state, progress=progress, cancel=cancel)
        if said:
            whole = Proposal(STEP, state, after, reasons=said, stage=steps[-1][0])
            done.append(Done(whole.stage, whole))
        state = after
    return state, done


def _left(name: str, state: JobState, stage: Stage) -> Proposal:
    refusal = EditError("Nothing was done", "a strength of 0 % was asked for", "ask for more")
    return Proposal(name, state, state, refusal=refusal, stage=stage)


def as_one(
    state: JobState, stage: Stage, *, progress: Progress = no_progress, cancel: CancelToken = NEVER
) -> Proposal:
    """What all assistants of a stage propose, as one proposal."""
    after, done = retouch(state, RetouchOptions((stage,), as_a_whole=False), progress=progress,
                          cancel=cancel)  # fmt: skip
    taken = [one.proposal for one in done if one.proposal.refusal is None]
    left = [one.proposal.refusal for one in done if one.proposal.refusal is not None]
    if not taken:
        return Proposal(title(stage), state, state, stage=stage, refusal=left[0] if left else None)
    return Proposal(
        f"All of {title(stage)}", state, after,
        tuple(measure for proposal in taken for measure in proposal.measures),
        (*(reason for proposal in taken for reason in proposal.reasons),
         *(f"{error.what.lower()}: {error.why}" for error in left)),
        stage=stage,
    )  # fmt: skip


def propose_all(
    state: JobState, meant: Meant, *, stage: Stage, progress: Progress,  # noqa: ARG001
    cancel: CancelToken,
) -> Proposal:
    """`as_one`, as all assistants are asked."""
    return as_one(state, stage, progress=progress, cancel=cancel)
