"""Proposes mends for what the survey found: each inside its own extent."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from lather.assist.clean.seam import leaves_seam
from lather.assist.clean.taking_back import MENDED
from lather.assist.clean.weak import STAGE, weak_kind, with_weak_layer
from lather.assist.proposal import Meant, Proposal
from lather.core.arrays import Plane
from lather.core.brush.stroke import Brush, PenSample
from lather.core.mend.mode import MendMode
from lather.core.rect import Rect
from lather.core.survey.findings.advice import advice_for
from lather.core.survey.findings.finding import Finding
from lather.core.work import NEVER, CancelToken, Progress, no_progress
from lather.document import edits
from lather.document.access import is_mendable, mendable
from lather.document.agreed.briefing import refuse_where_forbidden
from lather.document.agreed.style import Weak
from lather.document.areas import is_mostly_inside, limit_of
from lather.document.findings import FindingState
from lather.document.operations.operation import Measure
from lather.document.painting.laid import Laid, laying
from lather.document.painting.strokes import StrokeRecord, readings_of
from lather.document.state import JobState
from lather.document.tree import walk_whole
from lather.errors import EditError, UnseenError
from lather.render.area import limit_on
from lather.render.avoid import avoided_for, kept_free
from lather.render.strands import read_between
from lather.render.visibility import refuse_unless_seen

if TYPE_CHECKING:
    from lather.core.mend.result import Avoid

LAYER_NAME = "Mended spots"
BESIDE_AN_EDGE = "an edge crosses the rim"
OUTSIDE = "they lie outside of the area"
KEPT_IN_IT = "a mark to be kept lies in it"
LEAVES_SEAM = "a mend would leave a seam"
NOTHING_TO_MEND = "there is nothing in it that differs from what lies around"
ADVICE = {
    OUTSIDE: "clear the area ({key:area.clear}), or outline another one",
    BESIDE_AN_EDGE: "cut it free and mend ({key:mend.cut_free}), or copy along the edge",
    KEPT_IN_IT: "mend by hand beside the mark, or unmark it if it is none",
    LEAVES_SEAM: "mend by hand with a smaller brush, from a source that you pick",
}
MOST_SOURCES = 3  # that are tried, until one leaves no seam
MOST_CUT = 0.1  # of a spot: half of one mended leaves a hard edge; a line is mended on both sides


@dataclass(frozen=True)
class CleanOptions:
    """What is to be mended: open findings of these ids, or of these kinds; None: all of them.

    Doubtful ones are taken only by their ids, or if `doubtful` says so. `nth_source` takes the
    texture from the next best place instead of the best. Mends go on no layer of `but`.
    """

    ids: frozenset[int] | None = None
    kinds: frozenset[str] | None = None  # all of a kind ("blemish") or some ("blemish.red")
    nth_source: int = 0
    doubtful: bool = False
    but: frozenset[int] = frozenset()

    @property
    def is_meant(self) -> bool:
        """True if somebody named findings or kinds: else the brief says what is to be done."""
        return self.ids is not None or self.kinds is not None

    def takes(self, finding: Finding) -> bool:
        value = finding.kind.value
        of_kind = self.kinds is None or value in self.kinds or value.split(".")[0] in self.kinds
        if self.ids is not None:
            return of_kind and finding.id in self.ids
        return of_kind and (self.doubtful or not finding.doubtful)


def propose_mends(
    state: JobState, meant: Meant, *, progress: Progress, cancel: CancelToken
) -> Proposal:
    """`propose_clean`, as all assistants are asked."""
    options = CleanOptions(meant.ids, meant.kinds, meant.nth_source, meant.doubtful, meant.but)
    return propose_clean(state, options, progress=progress, cancel=cancel)


def propose_clean(
    state: JobState,
    options: CleanOptions = CleanOptions(),  # noqa: B008 - a value
    *,
    progress: Progress = no_progress,
    cancel: CancelToken | None = None,
) -> Proposal:
    """Open findings mended and done, the smallest first.

    They go on the active layer if it is one of Clean's that can be painted on, or on a new
    one above the photo. A finding is left open if an edge crosses its rim, since a mend would
    smear it, if there is no clean skin near by, if its mend would not show, or if most of it lies
    outside of the area.

    Raises
    ------
    Cancelled : by the token.
    """
    token = cancel or NEVER
    try:
        refuse_where_forbidden(state, "Nothing was mended")
    except EditError as error:
        return Proposal("Mend", state, state, refusal=error)
    wanted = [f for f in state.findings.in_state(FindingState.OPEN)
              if f.kind.known and f.kind.stage == STAGE.value and options.takes(f)
              and (options.is_meant or state.brief.wants_done(f.kind))]  # fmt: skip
    inside = [finding for finding in wanted if is_in_area(state, finding)]
    free = [finding for finding in inside if finding.stands_free]
    left: Counter[str] = Counter({BESIDE_AN_EDGE: len(inside) - len(free),
                                  OUTSIDE: len(wanted) - len(inside)})  # fmt: skip
    groups = sorted(_touching(free), key=lambda group: max(f.reach_px for f in group))
    after, unseen, advice = state, None, dict(ADVICE)
    for number, group in enumerate(groups):
        token.check()
        progress(number / len(groups), f"mending {number + 1} of {len(groups)}")
        try:
            after = _mended(after, group, options)
        except UnseenError as error:
            unseen = error
            left[error.why] += len(group)
        except EditError as error:
            left[error.why] += len(group)
            advice.setdefault(error.why, error.advice)
    n_done = len(wanted) - left.total()
    refusal = None if n_done else unseen or _refusal(left, advice)
    reasons = tuple(f"{n} left open: {why}" for why, n in left.most_common() if n)
    name = step_name(len(wanted), n_done)
    return Proposal(name, state, after, _measures(state, after), reasons, refusal)


def is_in_area(state: JobState, finding: Finding) -> bool:
    """True if most of a finding lies in the area, or if there is none."""
    rect = finding.rect.intersect(state.photo.rect)
    limit = limit_of(state, rect)
    return limit is None or is_mostly_inside(limit, finding.coverage(rect))


def _refusal(left: Counter[str], advice: Mapping[str, str]) -> EditError:
    """Why nothing was mended, by what kept most findings open."""
    why = next((why for why, n in left.most_common(1) if n), "nothing certain is open")
    return EditError("Nothing was mended", why, advice.get(why, ""))


def step_name(n_wanted: int, n_done: int) -> str:
    """What a step is called that mends so many of the findings that were meant."""
    return "Mend finding" if n_wanted == 1 else f"Mend {n_done} findings"


def _measures(before: JobState, after: JobState) -> tuple[Measure, ...]:
    """How many findings are open, and the severity of the worst of them."""
    were, are = (list(s.findings.in_state(FindingState.OPEN)) for s in (before, after))
    return (
        Measure("open findings", len(were), len(are)),
        Measure("severity of the worst", _worst(were), _worst(are)),
    )


def _worst(findings: Sequence[Finding]) -> float:
    return max((finding.severity for finding in findings), default=0.0)


def touched_by(state: JobState, marks: Sequence[tuple[float, float, float]]) -> list[int]:
    """Findings that a mark of the person's touches: x, y, radius in photo pixels."""
    return [
        finding.id
        for finding in state.findings.items
        for x, y, radius in marks
        if math.dist((x, y), (finding.x, finding.y)) < radius + finding.radius_px
    ]


def _touching(findings: Sequence[Finding]) -> list[list[Finding]]:
    """Findings in groups whose extents touch: one mend must span all of a group."""
    groups: list[list[Finding]] = []
    for finding in findings:
        near = [group for group in groups if any(_touch(finding, other) for other in group)]
        groups = [group for group in groups if group not in near]
        groups.append([finding, *(other for group in near for other in group)])
    return groups


def _touch(one: Finding, other: Finding) -> bool:
    if weak_kind([one]) is not weak_kind([other]):
        return False  # they go on different layers
    both = one.rect.intersect(other.rect)
    if both.empty:
        return False
    return bool((one.coverage(both) + other.coverage(both) > 1).any())


def _mended(state: JobState, group: Sequence[Finding], options: CleanOptions) -> JobState:
    """The state with a mend over a group, from the first source that leaves no seam."""
    weak, but = weak_kind(group), options.but
    state, layer_id = (
        _with_layer(state, but) if weak is None else _with_weak_layer(state, weak, but)
    )
    place = Rect.union_of(finding.rect for finding in group).intersect(state.photo.rect)
    if place.empty:
        raise EditError("Nothing was mended", "the finding lies outside of the picture")
    refuse_unless_seen(state, layer_id, place)
    free = _free_of_marks(state, place)
    covers = [finding.coverage(place) for finding in group]
    if any(not finding.kind.is_line and (cover * free).sum() < (1 - MOST_CUT) * cover.sum()
           for finding, cover in zip(group, covers, strict=True)):  # fmt: skip
        raise EditError("Nothing was mended", KEPT_IN_IT)
    selection = np.maximum.reduce(covers) * free
    selection *= kept_free(state, layer_id, place, selection)
    others = state.findings.decided([finding.id for finding in group], FindingState.DONE)
    avoid = avoided_for(state, layer_id, place, selection, others)
    for nth in range(options.nth_source, options.nth_source + MOST_SOURCES):
        after, rect = _mended_from(state, layer_id, group, place, selection, avoid, nth)
        if not leaves_seam(state, after, layer_id, rect):
            return after
    raise EditError("Nothing was mended", LEAVES_SEAM)


def _mended_from(
    state: JobState, layer_id: int, group: Sequence[Finding], place: Rect, selection: Plane,
    avoid: Avoid | None, nth_source: int,
) -> tuple[JobState, Rect]:  # fmt: skip
    """The state with a mend from one source, and where it lies."""
    from lather.core.mend.spot import mend_spot  # OpenCV is not loaded for the first window

    layer, picture = mendable(state, layer_id), state.photo.rect
    ids, read = [finding.id for finding in group], read_between(state, layer_id)
    mended = mend_spot(
        read, picture, place, selection, mode=_mode(group), avoid=avoid, nth_source=nth_source
    )
    if not mended.coverage.any():
        raise EditError("Nothing was mended", NOTHING_TO_MEND)
    record = StrokeRecord(
        tool="mend_spot",
        brush=Brush(size_px=2 * max(finding.reach_px for finding in group), hardness=1.0),
        readings=readings_of(PenSample(0.1 * n, f.x, f.y, 1.0) for n, f in enumerate(group)),
        rect=mended.rect,
        source=(mended.source.dx, mended.source.dy),
        mode=_mode(group).value,
        extras={MENDED: ids},
    )
    laid = Laid(layer, laying(mended, limit_on(state, layer.id, mended.rect)), record).done()
    after = edits.update_layer(state, layer_id, tiles=laid.tiles, strokes=laid.strokes)
    return edits.decide(after, ids, FindingState.DONE, by=layer_id), mended.rect


def _free_of_marks(state: JobState, place: Rect) -> Plane:
    """(h, w) 0-1: where no spot lies that is to be kept: a hair may cross a mole, which stays. A
    fold is no spot: what lies in it is mended whole, by what is fine beside it."""
    free = np.ones((place.height, place.width), dtype=np.float32)
    for kept in state.findings.in_state(FindingState.KEPT):
        part = kept.rect.intersect(place)
        if not (kept.kind.is_line or kept.kind.is_patch or part.empty):
            here = part.shifted(-place.x0, -place.y0).slices
            free[here] = np.minimum(free[here], 1 - kept.coverage(part))
    return free


def _mode(group: Sequence[Finding]) -> MendMode:
    """What lines differ by is all that is changed of them: hair is lifted, skin stays."""
    modes = {advice.mode for f in group if f.kind.is_line and (advice := advice_for(f))}
    return modes.pop() if len(modes) == 1 and all(f.kind.is_line for f in group) else MendMode.ALL


def _with_weak_layer(
    state: JobState, weak: Weak, but: frozenset[int]
) -> tuple[JobState, int]:
    state, layer = with_weak_layer(state, weak, but)
    return state, layer.id


def _with_layer(state: JobState, but: frozenset[int]) -> tuple[JobState, int]:
    """The layer that mends go on: never a split's, whose layers hold a part of the picture."""
    whole = [layer for layer in walk_whole(state.layers) if layer.id not in but]
    active = state.active
    for layer in (*([active] if active in whole else []), *whole):
        clean = layer.stage is STAGE and getattr(layer, "weak", None) is None
        meant = layer is active or layer.name == LAYER_NAME
        if clean and meant and is_mendable(state, layer):
            return state, layer.id
    on_photo = replace(state, active_id=state.layers[0].id)
    above_photo = edits.add_pixel_layer(on_photo, LAYER_NAME, STAGE)
    return above_photo, above_photo.active_id
