"""Rows on single features: whites, what was moved, what is to be kept."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from lather.assist.check.reading import Reading, Row
from lather.assist.check.views import Lab, Views
from lather.assist.shape.straight_lines import SEARCHED_PX, photo_lines
from lather.assist.skin_view import marks_of
from lather.core.check.lines import bent
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.survey.regions.region import Region
from lather.document.findings import FindingState
from lather.document.scale import px_per_mm
from lather.render.compositor import deepest_level
from lather.render.measured import render_lightness

SURE = 0.6  # coverage of skin around a mark
NO_CHROMA = 0.4  # which is as good as none
RING = 1.9  # of a mark's extent, where the skin around it is looked at
LEAST_PX, LEAST_CONTRAST = 4, 1.5  # of a mark, to say anything of it
LEAST_CERTAINTY = 0.6  # a scar that may be a crease's glint proves nothing
_NOT_MARKS = (Kind.FOLD, Kind.CREASE)


def teeth_lighter(views: Views) -> Reading:
    return _white(views, Region.TEETH, _lighter)


def teeth_colour(views: Views) -> Reading:
    return _white(views, Region.TEETH, _colour_left)


def eye_whites_lighter(views: Views) -> Reading:
    return _white(views, Region.EYE_WHITE, _lighter)


def eye_whites_colour(views: Views) -> Reading:
    return _white(views, Region.EYE_WHITE, _colour_left)


def _white(views: Views, region: Region, figure: Callable[[Lab, Lab], float]) -> Reading:
    white = views.white(region)
    if white is None:
        return Reading(None, why_not="none are seen")
    return Reading(figure(white.start, white.now), white.middle)


def _lighter(start: Lab, now: Lab) -> float:
    return float(now[0] - start[0])


def _colour_left(start: Lab, now: Lab) -> float:
    was, left = (float(np.hypot(lab[1], lab[2])) + NO_CHROMA for lab in (start, now))
    return left / was


def displacement(views: Views) -> Reading:
    found = views.shape
    if found is None:
        return Reading(0.0)
    if found.share is None:
        return Reading(None, why_not="no face to measure by")
    return Reading(found.share, (found.x, found.y))


def symmetry(views: Views) -> Reading:
    """How much less even the halves became, mm, or how far a difference was turned over."""
    found, faces = views.shape, views.state.findings.faces
    if found is None or not faces:
        return Reading(0.0) if faces else Reading(None, why_not="no face")
    grown = {
        one.name: abs(one.now_mm) if one.start_mm * one.now_mm < 0
        else abs(one.now_mm) - abs(one.start_mm)
        for one in found.evenness
    }  # fmt: skip
    worst = max(grown, key=lambda name: grown[name], default="")
    return Reading(max(0.0, grown.get(worst, 0.0)), where=worst)


def straight_lines(views: Views) -> Reading:
    """How far a straight line behind the person is off straight now, mm."""
    lines = photo_lines(views.state)
    if not len(lines.pieces):
        return Reading(0.0)
    level = deepest_level(views.state.photo, SEARCHED_PX)
    rect, scale = views.state.photo.rect.at_level(level), 2.0**level
    start, now = (
        render_lightness(state, rect, level)
        for state in (views.start, views.state)
    )
    found = bent(lines.scaled(1 / scale), start, now)
    mm = found.value * scale / px_per_mm(views.state)
    return Reading(mm, (found.x * scale, found.y * scale) if mm > 0 else None)


def keep_marks(views: Views) -> Reading:
    """How much of its contrast is left of the mark that changed most."""
    kept = [f for f in views.state.findings.in_state(FindingState.KEPT)
            if not f.kind.is_patch and f.kind not in _NOT_MARKS
            and f.certainty >= LEAST_CERTAINTY]  # fmt: skip
    if not kept:
        return Reading(None, why_not="no mark is to be kept")
    measured = [(left, f) for f in kept if (left := _contrast_left(views, f)) is not None]
    if not measured:
        return Reading(None, why_not="no kept mark stands out")
    bound = views.state.brief.limits.bounds["keep_marks"]
    left, finding = max(measured, key=lambda pair: bound.share(pair[0]))
    return Reading(left, (finding.x, finding.y), finding.kind.value)


def _contrast_left(views: Views, finding: Finding) -> float | None:
    """Of a mark against the skin around it, in Lab, along the way that it stood out at the start;
    None where it hardly did."""
    close, side = views.close, 1 << views.close.level
    around = Rect.around(finding.x / side, finding.y / side, RING * finding.rect.width / side + 2)
    place = around.intersect(close.rect)
    if place.empty:
        return None
    mark = marks_of([finding], place, close.level) > 0.5
    grown = replace(finding, extent_px=tuple(RING * r for r in finding.extent_px))
    ring = (marks_of([grown], place, close.level) > 0.5) & ~mark
    ring &= views.region(Region.SKIN, close.level, place) > SURE
    if mark.sum() < LEAST_PX or ring.sum() < LEAST_PX:
        return None
    was, now = close.contrasts(place, mark, ring)
    square = float(was @ was)
    return float(now @ was) / square if square > LEAST_CONTRAST**2 else None


ROWS = (
    Row("teeth_lighter", "Teeth lighter by", "L*", "How much lighter the teeth became.",
        teeth_lighter, too_little="darker than they were", too_much="chalk", quick=True,
        advice="weaken what lightens the teeth"),
    Row("teeth_colour", "Colour left in teeth", "%",
        "Chroma of the teeth against the start: no tooth is quite without.", teeth_colour,
        too_little="chalk", quick=True, advice="leave the teeth some of their own colour"),
    Row("eye_whites_lighter", "Eye whites lighter by", "L*",
        "How much lighter the whites of the eyes became.", eye_whites_lighter,
        too_little="darker than they were", too_much="staring", quick=True,
        advice="weaken what lightens the eyes"),
    Row("eye_whites_colour", "Colour left in eye whites", "%",
        "Chroma of the eye whites against the start.", eye_whites_colour, too_little="staring",
        quick=True, advice="leave the whites some of their own colour"),
    Row("displacement", "Largest move", "%",
        "The largest displacement as a share of the face's width.", displacement,
        too_much="another face", quick=True, advice="ease it back"),
    Row("symmetry", "Halves less even by", "mm",
        "How much a difference of left and right grew, or by how much it is turned over.",
        symmetry, too_much="lopsided", quick=True, advice="even the other side"),
    Row("straight_lines", "Straight lines bent by", "mm",
        "How far a straight line behind the person is off straight.", straight_lines,
        too_much="bent", advice="straighten the background, or hold it while you push"),
    Row("keep_marks", "Kept marks", "%",
        "How much of its contrast is left of the mark to be kept that changed most.", keep_marks,
        too_little="a mark of the person's is going", too_much="harder than it was", quick=True,
        advice="paint the mark back"),
)  # fmt: skip
