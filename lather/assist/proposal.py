"""What an assistant gives: an edit that can be looked at, taken or left, and the reasons.

An assistant is a function of a state and options. It changes nothing by itself; where it is
not sure it leaves things as they are and says why.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from lather.core.tone.match import AreaColour
from lather.document.layers.layer import Layer, Stage
from lather.document.operations.operation import Measure
from lather.document.state import JobState
from lather.document.tree import replaced
from lather.errors import EditError, UnseenError
from lather.render.effect import shows
from lather.render.visibility import refuse_unless_seen


@dataclass(frozen=True)
class Meant:
    """What an assistant is asked about.

    Attributes
    ----------
    ids : open findings; None: all that it is sure of.
    doubtful : what the survey is not sure of, too.
    kinds : of findings, as `CleanOptions` has them; None: what the brief asks for.
    nth_source : a mend takes its texture from the next best place instead of the best.
    but : layers that are there and are not to be worked on.
    """

    ids: frozenset[int] | None = None
    doubtful: bool = False
    kinds: frozenset[str] | None = None
    nth_source: int = 0
    but: frozenset[int] = frozenset()


ALL_SURE = Meant()


@dataclass(frozen=True)
class Proposal:
    """An edit and what speaks for it.

    Attributes
    ----------
    name : of the step that it would be.
    before : the state that was asked about.
    after : with the proposed layers; `before` itself if nothing is proposed.
    measures : what was measured, before and after.
    reasons : in words, what was left as it is and why.
    refusal : why nothing is proposed; None if something is.
    stage : that it belongs to, and is looked at in.
    """

    name: str
    before: JobState
    after: JobState
    measures: tuple[Measure, ...] = ()
    reasons: tuple[str, ...] = ()
    refusal: EditError | None = None
    stage: Stage = Stage.CLEAN

    def accepted(self) -> JobState:
        """The state with the edit; EditError with the reason if nothing is proposed."""
        if self.refusal is not None:
            raise self.refusal
        return self.after


@dataclass(frozen=True)
class MatchProposal(Proposal):
    """With both colours as measured, and the target's as proposed; None where there is none."""

    target: AreaColour | None = None
    reference: AreaColour | None = None
    outcome: AreaColour | None = None


def new_layers(proposal: Proposal) -> list[Layer]:
    """What a proposal adds to the top level, bottom to top."""
    had = {layer.id for layer in proposal.before.layers}
    return [layer for layer in proposal.after.layers if layer.id not in had]


def honest(proposal: Proposal) -> Proposal:
    """The proposal, or its refusal if it would change nothing that shows: what is said to be done
    is done."""
    before, after = proposal.before, proposal.after
    if proposal.refusal is not None or shows(before, after):
        return proposal
    refusal = EditError(f"'{proposal.name}' is not proposed", "the picture would stay as it is")
    for layer in new_layers(proposal):
        bounds = layer.bounds or before.photo.rect
        try:
            refuse_unless_seen(after, layer.id, bounds.intersect(before.photo.rect))
        except UnseenError as error:
            refusal = error
    return replace(proposal, after=before, refusal=refusal)


def weakened(proposal: Proposal, strength: float) -> Proposal:
    """The proposal at a share of its strength; nothing of it is done at 0.

    Layers that were there already, with more on them, stay at theirs.
    """
    if strength == 1 or proposal.refusal is not None:
        return proposal
    after = proposal.after
    for layer in new_layers(proposal):
        weaker = replace(layer, strength=min(1.0, layer.strength * strength))
        after = replace(after, layers=replaced(after.layers, layer.id, (weaker,)))
    measures = tuple(replace(m, after=m.before + strength * (m.after - m.before))
                     for m in proposal.measures)  # fmt: skip
    return replace(proposal, after=after, measures=measures)
