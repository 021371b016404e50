"""A proposal that is looked at: until it is taken or left, nothing of the job has changed."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

from lather.assist.changed_outline import Outline
from lather.assist.even.layers import grown
from lather.assist.meanwhile import merged_with
from lather.assist.proposal import Proposal, new_layers, weakened
from lather.assist.request import Request
from lather.core.survey.regions.region import Part
from lather.document import edits
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layer, Mask, Stage, new_id
from lather.document.layers.limits import Limits
from lather.document.merge import Merged
from lather.document.operations.call import Call
from lather.document.operations.operation import Again
from lather.document.state import JobState
from lather.document.tiles import BLACK_MASK
from lather.document.tree import find, replaced, without
from lather.errors import EditError, UnseenError
from lather.render.effect import shows


@dataclass(frozen=True)
class Pending:
    """A proposal, how far of it is meant, and where.

    Attributes
    ----------
    strength : 0-1 of its strongest new layer; the others follow in proportion.
    parts : of the skin; with none, everywhere.
    outlines : around what it would change.
    request : what was asked.
    limit : the strength at which it reaches a limit of the brief; None: at none.
    """

    proposal: Proposal
    strength: float
    parts: tuple[Part, ...] = ()
    outlines: tuple[Outline, ...] = ()
    request: Request | None = None
    limit: float | None = None

    @classmethod
    def of(
        cls, proposal: Proposal, outlines: tuple[Outline, ...] = (),
        request: Request | None = None, times: float | None = None,
    ) -> Pending:  # fmt: skip
        """`times` as strong as it is proposed it reaches a limit of the brief, if it is known."""
        strength = _strongest(proposal)
        limit = None if times is None or times * strength >= 1 else times * strength
        return cls(proposal, strength, (), outlines, request, limit)

    @property
    def ids(self) -> frozenset[int]:
        """The findings that it was asked for, if it was for some."""
        meant = self.request.meant.ids if self.request is not None else None
        return meant or frozenset()

    def call(self, *, hidden: bool = False) -> Call | None:
        """What it is to take it over; None if nobody knows what was asked."""
        if self.request is None:
            return None
        arguments = {**self.request.arguments, "strength": self.strength}
        if self.parts:
            arguments["parts"] = [part.value for part in self.parts]
        if hidden:
            arguments["hidden"] = True
        return Call(
            id=f"assist.{self.request.assistant}", arguments=arguments, again=Again.MEANING,
            findings=_settled(self.proposal), measures=self.as_meant.measures,
            begun=self.proposal.before,
        )  # fmt: skip

    @property
    def stage(self) -> Stage:
        """The stage that it is looked at in, and taken."""
        return self.proposal.stage

    @property
    def is_for_one(self) -> bool:
        """True if it was asked for one finding, on the walk."""
        return len(self.ids) == 1

    def taken(self, now: JobState) -> Merged:
        """The state of now with it, on the layers of its kind of work where there are some.

        Raises
        ------
        UnseenError : nothing of it would show any more, though nothing of it was left out.
        """
        merged = merged_with(self.proposal.before, self.after, now)
        had = {layer.id for layer in now.layers}
        new = {layer.id for layer in merged.state.layers} - had
        state = grown(merged.state, new)
        if not shows(now, state):
            if merged.left_out:
                return replace(merged, state=now)
            raise UnseenError(
                f"'{self.proposal.name}' was not taken",
                "nothing of it would show: a layer above covers it, or it was done meanwhile",
                "hide what covers it, or leave the proposal ({key:proposal.leave})",
            )
        return replace(merged, state=state)

    def taken_hidden(self, now: JobState) -> Merged:
        """The state of now with it behind a mask that hides it, and what has the mask active.

        Raises
        ------
        EditError : nothing of it is left.
        """
        merged = merged_with(self.proposal.before, self.hidden, now)
        behind = find(merged.state.layers, self.hidden.active_id)
        if behind is None or behind.mask is None:
            raise EditError(
                f"'{self.proposal.name}' was not taken",
                "; ".join(merged.left_out) or "nothing of it is left",
                "leave it, or ask for it anew",
            )
        return replace(merged, state=replace(merged.state, active_id=behind.id))

    @property
    def can_be_weakened(self) -> bool:
        """False if it only goes on layers that are there: they have strengths of their own."""
        return bool(new_layers(self.proposal))

    @cached_property
    def as_meant(self) -> Proposal:
        """The proposal at that strength, with its measures."""
        return weakened(self.proposal, self.strength / max(_strongest(self.proposal), 1e-6))

    @cached_property
    def after(self) -> JobState:
        """The state that it would be."""
        state, limits = self.as_meant.after, Limits(regions=self.parts)
        for layer in new_layers(self.as_meant):
            limited = replace(layer, limits=limits)
            state = replace(state, layers=replaced(state.layers, layer.id, (limited,)))
        return state

    @cached_property
    def hidden(self) -> JobState:
        """The state with all of it behind a mask that hides it, to be painted in; what has the
        mask is the active layer."""
        state = self.after
        ids = {layer.id for layer in new_layers(self.proposal)}
        layers = tuple(layer for layer in state.layers if layer.id in ids)
        mask = Mask(tiles=BLACK_MASK)
        if len(layers) == 1 and layers[0].mask is None:
            state = edits.update_layer(state, layers[0].id, mask=mask)
            return replace(state, active_id=layers[0].id)
        group = GroupLayer(
            id=new_id(), name=self.proposal.name, stage=layers[0].stage, children=layers, mask=mask
        )
        rest = replaced(state.layers, layers[0].id, (group,))
        others = ids - {layers[0].id}
        return replace(state, layers=_outside(rest, others, group), active_id=group.id)

    def with_part(self, part: Part) -> Pending:
        """Meant there too, or not there any more."""
        if part in self.parts:
            return replace(self, parts=tuple(p for p in self.parts if p is not part))
        return replace(self, parts=(*self.parts, part))


def _settled(proposal: Proposal) -> tuple[int, ...]:
    """The findings that are decided by it."""
    before, after = proposal.before.findings, proposal.after.findings
    return tuple(f.id for f in after.items
                 if after.states.get(f.id) is not before.states.get(f.id))  # fmt: skip


def _strongest(proposal: Proposal) -> float:
    return max((layer.strength for layer in new_layers(proposal)), default=1.0)


def _outside(layers: tuple[Layer, ...], ids: set[int], group: GroupLayer) -> tuple[Layer, ...]:
    """Without layers of the top level that a group has taken in."""
    top = without(tuple(layer for layer in layers if layer.id != group.id), ids)
    place = [layer.id for layer in layers if layer.id not in ids].index(group.id)
    return (*top[:place], group, *top[place:])
