"""What would pass a limit of the brief is weakened until it does not, or withdrawn.

Only layers that are given are touched, never the person's own, and the one first that helps most:
it has to give least. A limit that was passed before is asked no better than it was.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

from lather.assist.check.check import Checked, check, what_is_checked
from lather.assist.check.lever import LEAST_EFFECT, strength_within
from lather.assist.check.reading import Row
from lather.assist.check.table import ROWS
from lather.assist.clean.taking_back import mended
from lather.assist.proposal import Proposal, new_layers
from lather.core.last import Last
from lather.core.survey.regions.region import Region
from lather.core.work import NEVER, CancelToken
from lather.document import edits
from lather.document.layers.layer import Layer
from lather.document.layers.pixels import PixelLayer
from lather.document.state import JobState
from lather.errors import EditError

ROOM = 0.97  # of a limit, on a reduced picture: the whole one may show a little more
MOST_ROUNDS = 8
LEAST_LEFT = 0.1  # strength below which nothing of a layer is worth keeping
QUICK_ROWS = tuple(row for row in ROWS if row.quick)
ADVICE = "do less of it by hand, or move the limit in the brief"
NO_TIMES: Mapping[str, float] = {}


@dataclass(frozen=True)
class Weakened:
    """A layer that was weakened for a limit; at strength 0 it was withdrawn."""

    layer: Layer
    strength: float
    why: Checked

    def applied(self, state: JobState) -> JobState:
        """A state with that layer so weak, or without it."""
        if self.strength > 0:
            return edits.set_strength(state, self.layer.id, self.strength)
        gone = edits.delete(state, self.layer.id)
        is_there = any(layer.id == state.active_id for layer in gone.layers)
        return replace(gone, active_id=state.active_id) if is_there else gone

    def sentence(self) -> str:
        if self.strength > 0:
            return _told(self.layer.name, self.strength, self.layer.strength, self.why)
        return (f"'{self.layer.name}' was withdrawn: {self.why.row.title.lower()} "
                f"{self.why.value_text}, {self.why.limit_text}")  # fmt: skip


def held(proposal: Proposal, cancel: CancelToken = NEVER) -> Proposal:
    """The proposal inside of the brief, as far as a reduced picture shows it: all of it weaker, as
    its ruler has it; its refusal if hardly anything of it is left.

    Raises
    ------
    Cancelled : by the token.
    """
    layers = _giving(proposal)
    if not layers:
        return proposal
    due = _Trial(proposal.before, NO_TIMES, cancel).due(proposal.after, QUICK_ROWS)
    if not due:
        return proposal
    rows, strongest = [one.row for one in due], max(layer.strength for layer in layers)

    def share_at(strength: float) -> float:
        found = measured(_scaled(proposal, layers, strength / strongest), rows, cancel)
        return max(one.share for one in found)

    without, strength = share_at(0.0), 0.0
    is_all = len(layers) == len(new_layers(proposal))
    if without > ROOM and not is_all:
        return proposal  # mends do it, which cannot give: the check of the whole sees to them
    if without <= ROOM:
        strength = strength_within(share_at, strongest, due[0].share, without, ROOM)
    if strength < LEAST_LEFT:
        return given_by(proposal, [Weakened(layer, 0.0, due[0]) for layer in layers])
    after = _scaled(proposal, layers, strength / strongest)
    now = measured(after, rows[:1], cancel)[0]
    said = _told(proposal.name, strength, strongest, now)
    return replace(proposal, after=after, reasons=(*proposal.reasons, said))


def _scaled(proposal: Proposal, layers: Sequence[Layer], share: float) -> JobState:
    after = proposal.after
    for layer in layers:
        after = edits.set_strength(after, layer.id, layer.strength * share)
    return after


def _told(name: str, strength: float, begun: float, why: Checked) -> str:
    """'Evened light at 62 % instead of 100 %: modelling kept 88 %'."""
    return (f"'{name}' at {strength:.0%} instead of {begun:.0%}: "
            f"{why.row.title.lower()} {why.value_text}")  # fmt: skip


def given_by(proposal: Proposal, done: Sequence[Weakened]) -> Proposal:
    """A proposal of which some layers were weakened, with what is said of that; its refusal if
    nothing of it is left."""
    after, new = proposal.after, {layer.id for layer in new_layers(proposal)}
    for weakened in done:
        after = weakened.applied(after)
    said = tuple(weakened.sentence() for weakened in done)
    if done and not new & {layer.id for layer in after.layers}:
        refusal = EditError(f"'{proposal.name}' is not proposed", "; ".join(said),
                            ADVICE)  # fmt: skip
        return replace(proposal, after=proposal.before, refusal=refusal)
    return replace(proposal, after=after, reasons=(*proposal.reasons, *said))


def within_brief(
    before: JobState, after: JobState, layer_ids: Collection[int], *,
    rows: Sequence[Row] = QUICK_ROWS, times: Mapping[str, float] = NO_TIMES,
    cancel: CancelToken = NEVER,
) -> tuple[JobState, list[Weakened]]:  # fmt: skip
    """The state in which layers are as weak as the limits of some rows ask, and what was weakened.

    Parameters
    ----------
    before : what limits are compared with that were passed already.
    layer_ids : of the top level, that may give.
    times : by row, how many times as far a row went on the whole picture as on the reduced one.
    """
    trial = _Trial(before, times, cancel)
    state, done = after, list[Weakened]()
    for _ in range(MOST_ROUNDS):
        there = [layer for layer in state.layers if layer.id in layer_ids and layer.strength > 0]
        found = (trial.weaker(state, worst, there) for worst in trial.due(state, rows))
        weaker = next((one for one in found if one is not None), None)
        if weaker is None:
            break
        state, weakening = weaker
        done = [one for one in done if one.layer.id != weakening.layer.id] + [weakening]
    return state, [replace(one, layer=after.layer(one.layer.id)) for one in done]


def can_give(layer: Layer) -> bool:
    """Whether a layer may be weakened: a spot that is half mended is worse than one that is not."""
    return not (
        isinstance(layer, PixelLayer) and layer.weak is None and any(map(mended, layer.strokes))
    )


def limit_of(proposal: Proposal, cancel: CancelToken = NEVER) -> float | None:
    """How many times as strong a proposal may be until the first limit is reached; None where the
    reduced picture shows none.

    Raises
    ------
    Cancelled : by the token.
    """
    if not _giving(proposal):
        return None
    now, begun = (
        {one.row.id: one.share for one in measured(state, QUICK_ROWS, cancel)}
        for state in (proposal.after, proposal.before)
    )
    times = [(1 - begun[row_id]) / (share - begun[row_id]) for row_id, share in now.items()
             if begun[row_id] < 1 and share > begun[row_id] + LEAST_EFFECT]  # fmt: skip
    return min(times, default=None)


def _giving(proposal: Proposal) -> list[Layer]:
    """What a proposal adds that may be weakened; nothing where that cannot be looked at."""
    if proposal.refusal is not None or not can_be_checked(proposal.after):
        return []
    return [layer for layer in new_layers(proposal) if can_give(layer)]


class _Trial:
    """Looks at states on the reduced picture, against the one that the work began with."""

    def __init__(self, before: JobState, times: Mapping[str, float], cancel: CancelToken) -> None:
        self._before, self._times, self._cancel = before, times, cancel
        self._begun: dict[str, float] = {}

    def due(self, state: JobState, rows: Sequence[Row]) -> list[Checked]:
        """The rows that are beyond their limits, and further than before; the worst first."""
        beyond = [one for one in measured(state, rows, self._cancel) if self._share(one) > 1]
        new = [one.row for one in beyond if one.row.id not in self._begun]
        if new:
            found = measured(self._before, new, self._cancel)
            self._begun |= {one.row.id: self._share(one) for one in found}
        due = [one for one in beyond
               if self._share(one) > self._begun[one.row.id] + LEAST_EFFECT]  # fmt: skip
        return sorted(due, key=lambda one: -self._share(one))

    def weaker(
        self, state: JobState, worst: Checked, layers: Sequence[Layer]
    ) -> tuple[JobState, Weakened] | None:
        """The state with the layer weakened that helps most; None where none of them helps."""
        def looked(layer: Layer, strength: float) -> Checked:
            weaker = edits.set_strength(state, layer.id, strength)
            return measured(weaker, (worst.row,), self._cancel)[0]

        without = {layer.id: self._share(looked(layer, 0.0)) for layer in layers}
        best = min(layers, key=lambda layer: without[layer.id], default=None)
        if best is None or self._share(worst) - without[best.id] < LEAST_EFFECT:
            return None
        strength = 0.0
        if without[best.id] <= ROOM:
            strength = strength_within(
                lambda value: self._share(looked(best, value)), best.strength,
                self._share(worst), without[best.id], ROOM,
            )  # fmt: skip
        given = Weakened(best, strength if strength >= LEAST_LEFT else 0.0, worst)
        after = given.applied(state)
        if given.strength > 0:
            given = replace(given, why=measured(after, (worst.row,), self._cancel)[0])
        return after, given

    def _share(self, one: Checked) -> float:
        return one.share * self._times.get(one.row.id, 1.0)


def measured(
    state: JobState, rows: Sequence[Row], cancel: CancelToken = NEVER
) -> tuple[Checked, ...]:
    """Some rows, on the reduced picture; of the last state all quick ones are known."""
    def look() -> tuple[Checked, ...]:
        return check(state, quick=True, rows=rows, skips=False, cancel=cancel).rows

    return _LAST.of(what_is_checked(state), look) if rows is QUICK_ROWS else look()


_LAST: Last[tuple[Checked, ...]] = Last(n_kept=1)


def can_be_checked(state: JobState) -> bool:
    """True once it is known where skin is, and how large."""
    return Region.SKIN in state.regions.masks and state.findings.mm_per_px is not None
