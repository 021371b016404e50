"""Rows on faults that give a retouch away: rims, seams, repeats, clipping, new spots."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from lather.assist.check.reading import Reading, Row
from lather.assist.check.views import Views
from lather.assist.skin_view import marks_of
from lather.core.arrays import FloatImage
from lather.core.check import edges
from lather.core.check.repeats import repeated
from lather.core.last import Last
from lather.core.rect import Rect
from lather.core.survey.findings.spot import Spot
from lather.core.tone.skin_picture import NO_MARK, disc
from lather.document.findings import FindingState
from lather.document.scale import px_per_mm

SURE_SPOT = 0.9  # certainty from which a spot counts that was not there
TOUCHED_MM = 1.5  # around what was touched, where spots count
SAME_SPOT_MM = 2.5
SEEN_Z, RISE = 7.0, 0.5  # how clearly a new spot must stand out; how much of that is new


def rims(views: Views) -> Reading:
    if not views.touched.any():
        return Reading(0.0)
    close = views.close
    skin = views.close_skin > 0.5
    worst = edges.rim(close.start, close.now, skin, views.marks(close.level) < NO_MARK,
                      close.mm_per_px, views.cancel)  # fmt: skip
    return _at(worst, close.level)


def seams(views: Views) -> Reading:
    if not views.touched.any():
        return Reading(0.0)
    close = views.close
    worst = edges.skin_seam(close.start, close.now, views.touched, views.close_skin,
                            close.mm_per_px, views.cancel)  # fmt: skip
    return _at(worst, close.level)


def repeats(views: Views) -> Reading:
    import cv2

    planes = views.texture
    if planes.fine is None or not views.touched.any():
        return Reading(0.0)
    start, now = planes.fine
    where = views.touched & views.sure_skin
    here = cv2.resize(where.astype(np.uint8), now.shape[::-1], interpolation=cv2.INTER_NEAREST)
    mm_per_px = (1 << planes.level) / px_per_mm(views.state)
    return _at(repeated(start, now, here > 0, mm_per_px, views.cancel), planes.level)


def clipped(views: Views) -> Reading:
    """Share of the skin that says no more, and did."""
    view, planes = views.begun.skin, views.texture
    skin = view.picture.is_skin
    if not skin.any():
        return Reading(None, why_not="there is no skin")
    newly = planes.clipped * skin
    y, x = np.unravel_index(int(np.argmax(newly)), newly.shape)
    place = view.middle_of(float(x), float(y)) if newly[y, x] > 0 else None
    return Reading(float(newly.sum() / skin.sum()), place)


def new_spots(views: Views) -> Reading:
    """Spots where something was changed, that the start does not have."""
    import cv2

    if not views.touched.any():
        return Reading(0.0)
    before = _START_SPOTS.of((views.state.photo, views.state.regions, views.state.findings),
                             lambda: _spots(views, views.close.start_rgb))  # fmt: skip
    radius = SAME_SPOT_MM * px_per_mm(views.state)
    known = [(f.x, f.y) for f in views.state.findings.items
             if views.state.findings.state(f) is not FindingState.DONE]  # fmt: skip
    places = [(spot.x, spot.y) for spot in before] + known
    close = views.close
    near = cv2.dilate(views.touched.astype(np.uint8), disc(TOUCHED_MM / close.mm_per_px))
    side = 1 << close.level
    new = [
        spot for spot in _spots(views, close.now_rgb)
        if spot.z > SEEN_Z and near[int(spot.y) // side, int(spot.x) // side]
        and all(math.dist((spot.x, spot.y), place) > radius for place in places)
        and _rose(views, spot)
    ]  # fmt: skip
    return Reading(float(len(new)), (new[0].x, new[0].y) if new else None)


def _spots(views: Views, rgb: FloatImage) -> list[Spot]:
    """In pixels of the photo, on skin without marks that were left."""
    from lather.core.survey.findings.blemishes import AT_ONCE, find_spots
    from lather.core.survey.findings.trust import certainty_of_spot

    close, findings = views.close, views.state.findings
    there = [f for f in findings.items if not f.kind.is_patch
             and findings.state(f) is not FindingState.DONE]  # fmt: skip
    plain = views.sure_skin & (marks_of(there, close.rect, close.level) < NO_MARK)
    side = 1 << close.level
    found = find_spots(rgb, plain, close.mm_per_px, views.cancel, scrutiny=AT_ONCE)
    return [replace(spot, x=spot.x * side, y=spot.y * side) for spot in found
            if certainty_of_spot(spot, close.mm_per_px) >= SURE_SPOT]


def _rose(views: Views, spot: Spot) -> bool:
    """True if a spot stands out by what was changed: on calmer skin an old one is only seen better.
    """
    close, side = views.close, 1 << views.close.level
    x, y, r = spot.x / side, spot.y / side, max(1.5, spot.sigma_px)
    place = Rect.around(x, y, 4 * r).intersect(close.rect)
    ys, xs = np.mgrid[place.y0 : place.y1, place.x0 : place.x1] + 0.5
    away = np.hypot(xs - x, ys - y)
    core, ring = away < r, (away > 2.2 * r) & (away < 3.6 * r)
    if not core.any() or not ring.any():
        return True
    was, now = close.contrasts(place, core, ring)
    return float(np.linalg.norm(now - was)) > RISE * float(np.linalg.norm(now))


_START_SPOTS: Last[list[Spot]] = Last()


def _at(worst: edges.Worst, level: int) -> Reading:
    side = 1 << level
    return Reading(worst.value, (worst.x * side, worst.y * side) if worst.value > 0 else None)


ROWS = (
    Row("edges", "Rims at edges", "ΔE",
        "How far a change beside the edge of a region differs from the change further away: halos "
        "and what spills over.", rims, too_much="a rim",
        advice="soften the mask there, or keep it off the edge"),
    Row("seams", "Seams", "ΔE",
        "The largest step at the border of what was touched, beyond that of the start.", seams,
        too_much="a seam", advice="mend over the border once more"),
    Row("repeats", "Texture seen twice", "mm²",
        "Area of new texture that occurs elsewhere too.", repeats, too_much="a pattern",
        advice="mend from another source: Other source"),
    Row("clipped", "Clipped pixels", "%",
        "Share of the skin that is next to black or white now, and was not.", clipped,
        too_much="burnt or drowned", quick=True, advice="weaken what lightens or darkens it"),
    Row("new_spots", "New spots", "",
        "Spots that the survey finds where something was changed, and that the photo has not.",
        new_spots, too_much="a spot came back",
        advice="mend it again"),
)  # fmt: skip
