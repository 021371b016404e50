"""What Even decides on, as findings: shine, redness, uneven patches."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lather.assist.even.shining import photo_shine
from lather.assist.skin_view import SkinView
from lather.core.arrays import Plane
from lather.core.bounds import N_DIRECTIONS
from lather.core.colour.labs import lab_of
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.tone.evening import even_maps, evened_rgb
from lather.core.tone.redness import red_patches, redness_map

BLOTCH_A, LEAST_BLOTCH_MM2, MOST_BLOTCHES = 1.6, 60.0, 10
DOUBTED_OFF, MOST_OFF, OFF_CERTAINTY = 0.1, 0.25, 0.4  # shares of a patch that are no own skin
SEVERE = {Kind.SHINE: 12.0, Kind.REDNESS: 6.0, Kind.UNEVEN: 4.0}  # L* or a*, for a severity of 63
LARGE_MM2 = 400.0  # from which area adds no more to severity


@dataclass(frozen=True, eq=False)
class _Place:
    """Where a patch lies: a rectangle of the view, and the pixels of it that are the patch."""

    rect: Rect
    mask: NDArray[np.bool_]

    def of(self, plane: NDArray[Any]) -> NDArray[Any]:
        """(n, …): what a plane of the view has in the patch."""
        inside: NDArray[Any] = plane[self.rect.slices][self.mask]
        return inside


def _place_of(mask: NDArray[np.bool_]) -> _Place:
    rect = Rect.of_mask(mask)
    return _Place(rect, mask[rect.slices])


def even_findings(view: SkinView, first_id: int = 1) -> list[Finding]:
    """Findings of the stage, numbered from an id on; the most severe of a kind first."""
    picture = view.picture
    if not picture.everybody:
        return []
    lab = lab_of(picture.rgb)
    shine = photo_shine(view.state, view.cancel)
    found = []
    for patch in shine.patches:
        view.cancel.check()
        place = _place_of((shine.labels == patch.label) & (shine.weight > 0.3))
        if place.mask.any() and _off(place, view) <= MOST_OFF:
            found.append(_finding(
                Kind.SHINE, place, view, patch.above_l, 0.0, patch.certainty, patch.clipped
            ))  # fmt: skip
    view.cancel.check()
    density = redness_map(picture)
    for red in red_patches(picture, view.parts, density):
        place = _place_of(red.mask)
        if _off(place, view) > MOST_OFF:
            continue
        own = picture.plain & (picture.people == view.person_of(red.mask))
        a = float(place.of(lab[..., 1]).mean()) - float(np.median(lab[..., 1][own]))
        found.append(_finding(Kind.REDNESS, place, view, 0.0, a, red.certainty))
    view.cancel.check()
    maps = even_maps(picture)
    view.cancel.check()
    change = lab - lab_of(evened_rgb(picture, maps))  # what it is beside even skin
    change = change * (1 - np.clip(2 * shine.weight, 0, 1))[..., None]  # shine is pale by itself
    view.cancel.check()
    found += _blotches(change, view, [f for f in found if f.kind is Kind.REDNESS])
    found.sort(key=lambda f: (f.doubtful, -f.severity))
    return [replace(f, id=n) for n, f in enumerate(found, start=first_id)]


def _blotches(change: Plane, view: SkinView, red: Sequence[Finding]) -> list[Finding]:
    """The largest patches that evening moves by more than is ever seen as one colour."""
    import cv2

    picture, found = view.picture, []
    a = picture.mean(np.ascontiguousarray(change[..., 1]), picture.is_skin, 1.0)
    # Half of it is taken out on average: the patch itself stands out by twice as much.
    for flags in (2 * a > BLOTCH_A, 2 * a < -BLOTCH_A):
        n, labels, stats, _ = cv2.connectedComponentsWithStats(flags.astype(np.uint8))
        for label in range(1, n):
            picture.cancel.check()
            x, y, width, height, area_px = (int(number) for number in stats[label])
            if picture.mm2(area_px) < LEAST_BLOTCH_MM2:
                continue
            rect = Rect(x, y, x + width, y + height)
            place = _Place(rect, labels[rect.slices] == label)
            if _off(place, view) > MOST_OFF:
                continue
            light = float(2 * place.of(change[..., 0]).mean())
            finding = _finding(Kind.UNEVEN, place, view, light, float(2 * place.of(a).mean()), 0.8)
            if not any(patch.holds(finding.x, finding.y) for patch in red):
                found.append(finding)
    found.sort(key=lambda f: -f.severity)
    return found[:MOST_BLOTCHES]


def _finding(
    kind: Kind, place: _Place, view: SkinView, light: float, red: float,
    certainty: float, clipped: float = 0.0,
) -> Finding:
    side, mm = 1 << view.level, view.picture.mm_per_px
    ys, xs = np.nonzero(place.mask)
    ys, xs = ys + place.rect.y0, xs + place.rect.x0
    x, y = _middle(xs, ys)
    area_px = float(len(xs))
    turns = np.arctan2(ys + 0.5 - y, xs + 0.5 - x) / (2 * math.pi) % 1
    sector = (turns * N_DIRECTIONS).astype(int) % N_DIRECTIONS
    away = np.hypot(xs + 0.5 - x, ys + 0.5 - y)
    extent = [float(away[sector == n].max(initial=1.0)) + 0.5 for n in range(N_DIRECTIONS)]
    area_mm2 = area_px * mm**2
    if _off(place, view) > DOUBTED_OFF:
        certainty = min(certainty, OFF_CERTAINTY)
    amount = abs(light) if kind is Kind.SHINE else abs(red)
    weight = amount / SEVERE[kind] * math.sqrt(min(1.0, area_mm2 / LARGE_MM2))
    return Finding(
        id=0, kind=kind, x=x * side, y=y * side, radius_px=math.sqrt(area_px / math.pi) * side,
        diameter_mm=2 * math.sqrt(area_mm2 / math.pi), contrast_l=light, contrast_a=red,
        severity=100 * (1 - math.exp(-weight)), rim_broken=0.0,
        extent_px=tuple(radius * side for radius in extent), certainty=certainty,
        area_mm2=area_mm2, clipped=clipped,
    )  # fmt: skip


def _off(place: _Place, view: SkinView) -> float:
    """The share of a patch that has not this person's colours: it lies on a thing."""
    return float(place.of(view.foreign).mean())


def _middle(xs: NDArray[np.intp], ys: NDArray[np.intp]) -> tuple[float, float]:
    """The pixel of a patch nearest to its mean: it lies on it, however the patch is bent."""
    x, y = float(xs.mean()), float(ys.mean())
    nearest = int(np.argmin((xs - x) ** 2 + (ys - y) ** 2))
    return float(xs[nearest]) + 0.5, float(ys[nearest]) + 0.5
