"""What assistants of the skin begin with, and what becomes of what they found: a new one fills it.

A frame holds what is asked, the skin as it is measured, and the layer that new ones go on. What an
assistant makes of it (`Filled`) is placed, its findings are settled, and a refusal becomes a
proposal of nothing.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar

from lather.assist.proposal import ALL_SURE, Meant, Proposal
from lather.assist.skin_view import (
    SkinView,
    area_in,
    finding_at,
    map_tiles,
    marks_of,
    view_below,
)
from lather.core.arrays import MaskPixels, Plane
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.work import NEVER, CancelToken, Progress, no_progress
from lather.document import edits
from lather.document.areas import is_mostly_inside, share_inside
from lather.document.findings import FindingState
from lather.document.layers.layer import Layer, Stage
from lather.document.operations.operation import Measure
from lather.document.state import JobState
from lather.document.tiles import Tiles
from lather.document.tree import inserted_above
from lather.errors import EditError

P = TypeVar("P", bound=Proposal)
T = TypeVar("T")
REACHED, SETTLES = 0.1, 0.25  # share of a pixel; of a finding's place that is reached, to do it


@dataclass(frozen=True)
class Asked:
    """What an assistant is, and what it is asked.

    Attributes
    ----------
    name : of the step that it would be.
    stage : that it works for: what it measures lies below what comes later.
    nothing : what is said first where nothing is proposed ("No shine was tamed").
    apart : the state without what the assistants of the stage did: findings that are meant one by
        one are measured on it, the same for all of them, so that it is measured once.
    """

    name: str
    stage: Stage
    nothing: str
    state: JobState
    meant: Meant = ALL_SURE
    apart: Callable[[JobState], JobState] | None = None
    progress: Progress = no_progress
    cancel: CancelToken | None = None


@dataclass(frozen=True)
class Filled:
    """What an assistant made of a frame.

    Attributes
    ----------
    layers : new ones, bottom to top; they go above all of the stage.
    reach : by the id of a new layer, what it does findings of, and (h, w) 0-1 of the view how far
        it reaches, wherever the tools may go: what is settled follows from it.
    n_outside : of what was found, how much lies outside of the area altogether.
    active : the layer to be worked on then; the topmost new one without it.
    about : further fields of the proposal.
    """

    layers: Sequence[Layer]
    measures: Sequence[Measure] = ()
    reasons: Sequence[str] = ()
    reach: Mapping[int, tuple[Kind, Plane]] = field(default_factory=dict)
    n_outside: int = 0
    active: Layer | None = None
    about: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Frame:
    """What an assistant works in.

    Attributes
    ----------
    view : the skin, with the token that everything measured on it asks.
    anchor_id : the layer that new ones go on.
    area : (h, w) 0-1 of the view: where the tools may go; None without an area.
    """

    asked: Asked
    view: SkinView
    anchor_id: int
    area: Plane | None

    @property
    def state(self) -> JobState:
        return self.asked.state

    def progress(self, share: float, what: str) -> None:
        """Say how far it is; Cancelled by the token."""
        self.view.cancel.check()
        self.asked.progress(share, what)

    def refusal(self, why: str, advice: str = "") -> EditError:
        """Why nothing is proposed, to be raised."""
        return EditError(self.asked.nothing, why, advice)

    def outside(self) -> EditError:
        """All that was found lies where the tools do not go."""
        return self.refusal("all of it lies outside of the area",
                            "clear the area ({key:area.clear}), or outline another one")

    # --- findings ------------------------------------------------------------------------

    def finding_at(self, kind: Kind, x: float, y: float) -> Finding | None:
        """The finding of a kind that holds a place of the view, if the survey listed one."""
        return finding_at(self.state, self.view, kind, x, y)

    def takes(
        self, finding: Finding | None, *, unlisted: bool = True, doubtful: bool = True
    ) -> bool:
        """Whether it is asked about a finding; without one, about a place that is `unlisted`."""
        ids = self.asked.meant.ids
        if ids is not None:
            return finding is not None and finding.id in ids
        if finding is None:
            return unlisted
        is_open = self.state.findings.state(finding) is FindingState.OPEN
        return is_open and (doubtful or not finding.doubtful)

    # --- the area ------------------------------------------------------------------------

    def limited(self, share: Plane) -> Plane:
        """A map of the view, no further than the tools may go."""
        return share if self.area is None else share * self.area

    def touched(self, places: Sequence[T], mask_of: Callable[[T], Any]) -> list[T]:
        """Those that lie in the area at all.

        Raises
        ------
        EditError : there are some, and none does.
        """
        inside = [place for place in places if share_inside(self.area, mask_of(place)) > 0]
        if places and not inside:
            raise self.outside()
        return inside

    def is_mostly_inside(self, mask: Any) -> bool:
        return is_mostly_inside(self.area, mask)

    # --- layers --------------------------------------------------------------------------

    def tiles(
        self, plane: Plane, empty: Tiles, samples: Callable[[Plane], MaskPixels], least: float
    ) -> Tiles:
        """A map of the view as tiles of the photo's size; see `map_tiles`."""
        return map_tiles(plane, self.view, empty, samples, least)

    def with_layers(self, filled: Filled, settled: Mapping[int, Sequence[int]]) -> JobState:
        """The state with what was made of it, and the findings by the layer that settles them."""
        state, anchor_id = self.state, self.anchor_id
        for layer in filled.layers:
            placed = inserted_above(state.layers, anchor_id, layer)
            state, anchor_id = replace(state, layers=placed, active_id=layer.id), layer.id
        if filled.active is not None:
            state = replace(state, active_id=filled.active.id)
        for layer_id, ids in settled.items():
            state = edits.decide(state, list(ids), FindingState.DONE, by=layer_id)
        return state

    def settled(
        self, reach: Mapping[int, tuple[Kind, Plane]]
    ) -> tuple[dict[int, list[int]], int]:
        """The open findings that are asked about and done, by the layer that does most of each; and
        how many are not done since most of them lies outside of the area."""
        found, n_outside = dict[int, list[int]](), 0
        for finding in self.state.findings.in_state(FindingState.OPEN):
            shares = {layer_id: share for layer_id, (kind, share) in reach.items()
                      if kind is finding.kind and self.takes(finding)}  # fmt: skip
            if not shares:
                continue
            place = marks_of([finding], self.view.rect, self.view.level) > 0.5
            best = max(shares, key=lambda layer_id: float(shares[layer_id][place].sum()))
            done = place & (shares[best] > REACHED)
            if done.sum() < SETTLES * place.sum() or not place.any():
                continue
            if self.is_mostly_inside(done):
                found.setdefault(best, []).append(finding.id)
            else:
                n_outside += 1
        return found, n_outside


def left_in_part(n_left: int) -> tuple[str, ...]:
    """What is said of findings of which most lies outside of the area."""
    if not n_left:
        return ()
    one = n_left == 1
    return (f"{n_left} left open: most of {'it lies' if one else 'them lie'} outside of the area",)


def proposed(asked: Asked, fill: Callable[[Frame], Filled], as_: type[P]) -> P:
    """What an assistant proposes: nothing, with the reason, where `fill` raises an EditError.

    Raises
    ------
    Cancelled : by the token.
    """
    state, stage = asked.state, asked.stage
    apart = None if asked.meant.ids is None or asked.apart is None else asked.apart(state)
    try:
        view, anchor_id = view_below(state, stage, asked.nothing, asked.cancel or NEVER, apart)
        frame = Frame(asked, view, anchor_id, area_in(state, view))
        filled = fill(frame)
    except EditError as error:
        return as_(asked.name, state, state, refusal=error, stage=stage)
    settled, n_outside = frame.settled(filled.reach)
    reasons = *filled.reasons, *left_in_part(filled.n_outside + n_outside)
    return as_(
        asked.name, state, frame.with_layers(filled, settled), tuple(filled.measures), reasons,
        stage=stage, **filled.about,
    )  # fmt: skip
