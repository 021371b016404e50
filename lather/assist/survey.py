"""Surveying a photo, and what a job keeps of it."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from lather.assist.stages import with_a_look
from lather.core.arrays import FloatImage
from lather.core.bounds import N_DIRECTIONS
from lather.core.rect import Rect
from lather.core.survey.faces.geometry import FaceGeometry
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.survey.regions.region import Region
from lather.core.work import NEVER, CancelToken, Progress, no_progress
from lather.document.findings import Findings, FindingState
from lather.document.merge import Merged
from lather.document.operations.call import Call
from lather.document.operations.operation import Again
from lather.document.people import scale_by_hand
from lather.document.photo import Photo
from lather.document.planes import Regions, read_plane, with_plane
from lather.document.state import JobState, new_state
from lather.document.tiles import BLACK_MASK
from lather.render.measured import measured_rgb

if TYPE_CHECKING:
    from lather.core.survey.survey import Survey

STRIP_PX = 256  # rows converted at a time
SURVEY_SHARE = 0.85  # of the work, before patches of tone are looked for


def survey_photo(
    photo: Photo,
    *,
    faces: tuple[FaceGeometry, ...] | None = None,
    mm_per_px: float | None = None,
    regions: Regions | None = None,
    progress: Progress = no_progress,
    cancel: CancelToken | None = None,
) -> Survey:
    """`survey` of a photo, in sRGB whatever its own space is.

    `regions` are those of an earlier survey: a skin that was corrected is gone by.
    """
    from lather.core.survey.survey import survey

    token = cancel or NEVER
    progress(0.0, "reading the photo")
    rgb = np.empty((photo.height, photo.width, 3), dtype=np.float32)
    for top, strip in srgb_strips(photo):  # bounded memory, and a cancel is seen at once
        token.check()
        rgb[top : top + STRIP_PX] = strip
    skin = None
    if regions is not None and Region.SKIN in regions.corrected:
        width, height = (max(1, round(s * regions.scale)) for s in (photo.width, photo.height))
        skin = read_plane(regions.masks[Region.SKIN], Rect(0, 0, width, height))

    def report(share: float, what: str) -> None:
        progress(SURVEY_SHARE * share, what)

    measured = survey(
        rgb, faces=faces, mm_per_px=mm_per_px, skin=skin, progress=report, cancel=cancel
    )
    del rgb  # the rest is measured on the reduced picture
    progress(SURVEY_SHARE, "looking for shine, redness and blotches")
    return replace(measured, findings=(*measured.findings, *_patches(photo, measured, token)))


def _patches(photo: Photo, measured: Survey, cancel: CancelToken) -> list[Finding]:
    """What Even decides on."""
    from lather.assist.even.findings import even_findings
    from lather.assist.even.shining import photo_shine
    from lather.assist.skin_view import skin_view

    state = with_survey(new_state(photo), surveyed(measured))
    first_id = 1 + max((finding.id for finding in measured.findings), default=0)
    view = skin_view(state, cancel, photo=True)
    photo_shine(state, cancel, view)  # which is asked for from here on
    return even_findings(view, first_id)


def srgb_strips(photo: Photo) -> Iterator[tuple[int, FloatImage]]:
    """The photo in sRGB 0-1, (n, W, 3) float32 from each top row on."""
    for top in range(0, photo.height, STRIP_PX):
        rect = Rect(0, top, photo.width, min(top + STRIP_PX, photo.height))
        yield top, measured_rgb(photo, photo.read_float(rect))


@dataclass(frozen=True)
class Surveyed:
    """What a job takes over from a survey: everything that is slow is done."""

    mm_per_px: float
    findings: tuple[Finding, ...]
    faces: tuple[FaceGeometry, ...]
    regions: Regions
    lacking: str = ""  # why it is less than it could be, for a person to read


def surveyed(measured: Survey) -> Surveyed:
    masks = {}
    for region, plane in measured.regions.items():
        rect = Rect(0, 0, plane.shape[1], plane.shape[0])
        masks[region] = with_plane(BLACK_MASK, rect, plane)
    return Surveyed(
        measured.mm_per_px, tuple(measured.findings), tuple(measured.faces),
        Regions(measured.regions_scale, masks), measured.lacking,
    )  # fmt: skip


def survey_anew(
    state: JobState, mm_per_px: float | None = None, *, progress: Progress = no_progress,
    cancel: CancelToken | None = None,
) -> Survey:
    """A survey by what was set by hand: handles, a corrected skin, the scale; one that is given
    wins."""
    return survey_photo(
        state.photo, faces=state.findings.faces or None,
        mm_per_px=scale_by_hand(state.findings) if mm_per_px is None else mm_per_px,
        regions=state.regions, progress=progress, cancel=cancel,
    )  # fmt: skip


def measured_anew(
    state: JobState, mm_per_px: float | None = None, *, progress: Progress = no_progress,
    cancel: CancelToken | None = None,
) -> Surveyed:
    """`survey_anew`, as a job takes it over."""
    return surveyed(survey_anew(state, mm_per_px, progress=progress, cancel=cancel))


def call_of_survey(mm_per_px: float | None, begun: JobState | None = None) -> Call:
    """Measuring a portrait, at a scale if one was given, as it was in the state that it began
    with."""
    return Call(id="finding.survey", arguments={"mm_per_px": mm_per_px}, again=Again.MEANING,
                begun=begun)  # fmt: skip


def with_survey(state: JobState, new: Surveyed) -> JobState:
    """The job with a survey's findings and regions; quick.

    What was marked and decided before or meanwhile stays so, and so do corrected regions.
    """
    findings = Findings.of_survey(new.mm_per_px, new.findings, new.faces, state.brief)
    regions, earlier = new.regions, state.regions
    if earlier.scale == regions.scale:
        stays = {r: m for r, m in earlier.masks.items() if r in earlier.corrected or not r.known}
        masks = {**regions.masks, **stays}
        regions = Regions(regions.scale, masks, earlier.corrected, earlier.extras)
    return replace(state, findings=_taken_over(findings, state.findings), regions=regions)


def with_survey_meanwhile(before: JobState, now: JobState, new: Surveyed) -> Merged:
    """`with_survey` of a state that went on since the survey began with `before`."""
    after = with_survey(now, new)
    old, mine = before.findings, now.findings
    if (old.faces, old.mm_per_px) == (mine.faces, mine.mm_per_px):
        return Merged(after)
    findings = replace(after.findings, faces=mine.faces or after.findings.faces)
    if mine.mm_per_px is not None:
        findings = findings.at_scale(mine.mm_per_px)
    why = "the measured handles and scale, since you set them meanwhile: survey again by yours"
    return Merged(replace(after, findings=findings), (why,))


def with_mark(state: JobState, x: float, y: float, radius_px: float) -> JobState:
    """A round place marked as belonging to the person: kept."""
    scale = state.findings.mm_per_px or 0.0
    mark = Finding(
        id=next_id(state.findings), kind=Kind.MARK, x=x, y=y, radius_px=radius_px,
        diameter_mm=2 * radius_px * scale, contrast_l=0.0, contrast_a=0.0, severity=0.0,
        rim_broken=0.0, extent_px=(radius_px,) * N_DIRECTIONS,
    )  # fmt: skip
    findings = replace(state.findings, items=(*state.findings.items, mark))
    return replace(state, findings=findings.decided([mark.id], FindingState.KEPT))


def _taken_over(findings: Findings, earlier: Findings) -> Findings:
    """The new findings with what was decided about the same places."""
    settled = (FindingState.DONE, FindingState.KEPT, FindingState.SKIPPED)
    for state in settled:
        places = [old for old in earlier.in_state(state) if old.kind is not Kind.MARK]
        for new in findings.items:
            old = found_at(places, new)
            if old is not None:
                findings = findings.decided([new.id], state, by=earlier.done_by.get(old.id))
    marks = [old for old in earlier.items if old.kind is Kind.MARK]
    later = {stage.value for stage in with_a_look()}  # no survey finds what is looked for there
    items = list(findings.items)
    for old in earlier.items:
        if old.kind is Kind.MARK or not old.kind.known or old.kind.stage in later:
            item = replace(old, id=next_id(replace(findings, items=tuple(items))))
            items.append(item)
            findings = findings.decided([item.id], earlier.state(old))
    findings = replace(findings, items=tuple(items), extras=earlier.extras,
                       unread=earlier.unread)  # fmt: skip
    kept = [item.id for item in items if item.kind is Kind.MARK]
    kept += [new.id for new in findings.items if any_holds(marks, new)]
    return findings.decided(kept, FindingState.KEPT)


def found_at(places: Iterable[Finding], finding: Finding) -> Finding | None:
    """The earlier finding of the stage that lies where a new one does."""
    return next((
        old for old in places
        if old.kind.stage == finding.kind.stage
        and math.dist((old.x, old.y), (finding.x, finding.y))
        < max(old.radius_px, finding.radius_px)
    ), None)  # fmt: skip


def any_holds(marks: Iterable[Finding], finding: Finding) -> bool:
    return not finding.kind.is_patch and any(
        mark.holds(finding.x, finding.y) for mark in marks
    )


def next_id(findings: Findings) -> int:
    return 1 + max((item.id for item in findings.items), default=0)
