"""The assistants in the order of the stages: what `lather retouch` runs, and what it says."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from lather.assist.clean.clean import CleanOptions, propose_clean
from lather.assist.even.even_out import propose_even_out
from lather.assist.even.layers import grown
from lather.assist.even.match import propose_redness
from lather.assist.even.shine import propose_shine
from lather.assist.proposal import Proposal, honest, new_layers, weakened
from lather.core.survey.findings.finding import Kind
from lather.core.work import NEVER, CancelToken, Progress, no_progress
from lather.document.agreed.brief import Brief, Task
from lather.document.agreed.briefing import refuse_where_forbidden
from lather.document.layers.layer import Stage
from lather.document.state import JobState

CLEANED = (Task.BLEMISHES, Task.CREASES, Task.HAIRS_ON_SKIN)

Assistant = Callable[[JobState, Progress, CancelToken], Proposal]


@dataclass(frozen=True)
class RetouchOptions:
    """How far to go.

    Attributes
    ----------
    stages : which of the stages that have assistants.
    strength : 0-1 of what each assistant proposes.
    doubtful : mend what the survey is not sure of, too.
    """

    stages: tuple[Stage, ...]
    strength: float = 1.0
    doubtful: bool = False


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
    steps = [(stage, assistant) for stage in Stage if stage in options.stages
             for assistant in assistants(stage, options, state.brief)]  # fmt: skip
    done = []
    for number, (stage, assistant) in enumerate(steps):
        cancel.check()

        def report(share: float, what: str, begun: int = number) -> None:
            progress((begun + share) / len(steps), what)

        proposal = honest(assistant(state, report, cancel))
        if proposal.refusal is None:
            proposal = weakened(proposal, options.strength)
            state = grown(proposal.after, {layer.id for layer in new_layers(proposal)})
        done.append(Done(stage, proposal))
    return state, done


def as_one(
    state: JobState, stage: Stage, *, progress: Progress = no_progress, cancel: CancelToken = NEVER
) -> Proposal:
    """What all assistants of a stage propose, as one proposal."""
    after, done = retouch(state, RetouchOptions((stage,)), progress=progress, cancel=cancel)
    taken = [one.proposal for one in done if one.proposal.refusal is None]
    left = [one.proposal.refusal for one in done if one.proposal.refusal is not None]
    if not taken:
        return Proposal(stage.title, state, state, stage=stage, refusal=left[0] if left else None)
    return Proposal(
        f"All of {stage.title}", state, after,
        tuple(measure for proposal in taken for measure in proposal.measures),
        (*(reason for proposal in taken for reason in proposal.reasons),
         *(f"{error.what.lower()}: {error.why}" for error in left)),
        stage=stage,
    )  # fmt: skip


def assistants(
    stage: Stage, options: RetouchOptions, brief: Brief = Brief()  # noqa: B008 - a value
) -> Sequence[Assistant]:
    """Those of a stage for what the brief asks for, in order; () for a stage that has none yet."""
    kinds = frozenset(kind.value for kind in Kind if brief.wants_done(kind))
    cleaning = CleanOptions(kinds=kinds, doubtful=options.doubtful)
    table: dict[Stage, Sequence[tuple[bool, Assistant]]] = {
        Stage.CLEAN: (
            (any(map(brief.wants, CLEANED)), lambda state, progress, cancel: propose_clean(
                state, cleaning, progress=progress, cancel=cancel)),
        ),
        Stage.EVEN: (
            (brief.wants(Task.SHINE), lambda state, progress, cancel: propose_shine(
                state, progress=progress, cancel=cancel)),
            (brief.wants(Task.REDNESS), lambda state, progress, cancel: propose_redness(
                state, progress=progress, cancel=cancel)),
            (brief.wants(Task.EVEN_SKIN), lambda state, progress, cancel: propose_even_out(
                state, progress=progress, cancel=cancel)),
        ),
    }  # fmt: skip
    return [assistant for wanted, assistant in table.get(stage, ()) if wanted]


def stages_built() -> tuple[Stage, ...]:
    """The stages that have assistants."""
    return tuple(stage for stage in Stage if assistants(stage, RetouchOptions(())))
