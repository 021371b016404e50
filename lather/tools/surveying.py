"""Surveying a photo, and what a job keeps of it."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from lather.core.colour.display import through_lattice
from lather.core.rect import Rect
from lather.core.survey.face import FaceGeometry
from lather.core.survey.finding import N_DIRECTIONS, Finding, Kind
from lather.core.survey.region import Region
from lather.core.work import CancelToken, Progress, no_progress
from lather.document.findings import Findings, FindingState
from lather.document.job import JobState
from lather.document.photo import Photo
from lather.document.planes import Regions, read_plane, with_plane
from lather.document.tiles import BLACK_MASK

if TYPE_CHECKING:
    from lather.core.survey.survey import Survey

STRIP_PX = 256  # rows converted at a time


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

    rgb = np.ascontiguousarray(photo.read_float(photo.rect)[..., :3])
    if photo.lattice.shape[0] > 1:
        for strip in np.array_split(rgb, max(1, photo.height // STRIP_PX)):
            strip[...] = through_lattice(strip, photo.lattice)  # a view: bounded memory
    skin = None
    if regions is not None and Region.SKIN in regions.corrected:
        width, height = (max(1, round(s * regions.scale)) for s in (photo.width, photo.height))
        skin = read_plane(regions.masks[Region.SKIN], Rect(0, 0, width, height))
    return survey(
        rgb, faces=faces, mm_per_px=mm_per_px, skin=skin, progress=progress, cancel=cancel
    )


def with_survey(state: JobState, measured: Survey) -> JobState:
    """The job with a survey's findings and regions.

    What was marked, kept or skipped in an earlier survey stays so, and so do corrected regions.
    """
    findings = Findings.of_survey(
        measured.mm_per_px, measured.findings, measured.faces, state.brief.style
    )
    masks = {}
    for region, plane in measured.regions.items():
        rect = Rect(0, 0, plane.shape[1], plane.shape[0])
        masks[region] = with_plane(BLACK_MASK, rect, plane)
    earlier = state.regions
    if earlier.scale == measured.regions_scale:
        masks.update({region: earlier.masks[region] for region in earlier.corrected})
        regions = Regions(measured.regions_scale, masks, earlier.corrected)
    else:
        regions = Regions(measured.regions_scale, masks)
    return replace(state, findings=_taken_over(findings, state.findings), regions=regions)


def with_mark(state: JobState, x: float, y: float, radius_px: float) -> JobState:
    """A round place marked as belonging to the person: kept."""
    scale = state.findings.mm_per_px or 0.0
    mark = Finding(
        id=_next_id(state.findings), kind=Kind.MARK, x=x, y=y, radius_px=radius_px,
        diameter_mm=2 * radius_px * scale, contrast_l=0.0, contrast_a=0.0, severity=0.0,
        rim_broken=0.0, extent_px=(radius_px,) * N_DIRECTIONS,
    )  # fmt: skip
    findings = replace(state.findings, items=(*state.findings.items, mark))
    return replace(state, findings=findings.decided([mark.id], FindingState.KEPT))


def _taken_over(findings: Findings, earlier: Findings) -> Findings:
    """The new findings with what was decided about the same places."""
    settled = (FindingState.KEPT, FindingState.SKIPPED)
    for state in settled:
        places = [old for old in earlier.in_state(state) if old.kind is not Kind.MARK]
        same = [new.id for new in findings.items if _any_is_at(places, new)]
        findings = findings.decided(same, state)
    marks = [old for old in earlier.items if old.kind is Kind.MARK]
    items = list(findings.items)
    for mark in marks:
        items.append(replace(mark, id=_next_id(replace(findings, items=tuple(items)))))
    findings = replace(findings, items=tuple(items))
    kept = [item.id for item in items if item.kind is Kind.MARK]
    kept += [new.id for new in findings.items if _any_holds(marks, new)]
    return findings.decided(kept, FindingState.KEPT)


def _any_is_at(places: Iterable[Finding], finding: Finding) -> bool:
    return any(
        math.dist((old.x, old.y), (finding.x, finding.y)) < max(old.radius_px, finding.radius_px)
        for old in places
    )


def _any_holds(marks: Iterable[Finding], finding: Finding) -> bool:
    return any(mark.holds(finding.x, finding.y) for mark in marks)


def _next_id(findings: Findings) -> int:
    return 1 + max((item.id for item in findings.items), default=0)
