"""One portrait, many photographs: what the survey finds must stay when only the picture changes.

Each demo portrait is changed in some thirty ways with its truth; regions must agree with those of
the portrait as it is wherever both show them, and of the marks that still can be seen no more than
five points may be lost, or be false, pooled over the portraits. Small regions are compared while
they are wide enough.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Any

import cv2
import numpy as np

from bench.changed import PORTRAITS, Image, facts, overlap, portrait, truth
from bench.common import Row, Scale, row
from bench.photographs import ALL_CHANGES, Shown
from bench.worn import WORN, Wearer
from lather.core.rect import Rect
from lather.core.survey.regions.region import Region
from lather.errors import ScaleError

if TYPE_CHECKING:
    from lather.core.survey.survey import Survey

FIRST_SIZE = 2 / 3  # the first portrait is larger than the others: all are 1600 x 2000
LEAST_FOUND = 0.9  # of marks of a portrait as it is, and of spots that are one
MOST_FALL, LEAST_AGREEMENT = 0.05, 0.9
LEAST_MARK_PX, CLIPPED = 6.0, 0.99  # across; of every channel
NOISE_RADII, LEAST_CONTRAST = 5.0, 3.0  # skin around on which noise is measured; times the noise
AT_ITS_SIZE = (0.5, 2.0)  # sigmas of the blurs, in radii, between which a mark shows
LARGE = (Region.SKIN, Region.HAIR, Region.BACKGROUND)
SMALL = (Region.LIPS, Region.BROWS, Region.IRIS, Region.EYE_WHITE, Region.TEETH)
LEAST_SHARE, LEAST_WIDTH_PX = 0.02, 40  # of the picture; of a small region: what is compared


def measure(scale: Scale) -> list[Row]:
    """thirty changes of four portraits: marks lost, marks invented, regions that move"""
    numbers = PORTRAITS[: scale.runs(len(PORTRAITS))]
    by = scale.portrait
    plain = {n: _plain(n, by) for n in numbers}
    usual = {n: _surveyed(shown) for n, shown in plain.items()}
    before = [_marks(n, plain[n], usual[n], by) for n in numbers]
    rows: list[Row] = []
    changes = list(ALL_CHANGES.items())
    for name, change in changes[: 2 if scale.is_small else None]:
        counts: list[_Counts] = []
        agreements: dict[Region, float] = {}
        for n in numbers:
            shown = change(plain[n])
            found = _surveyed(shown)
            if found is None:  # no face in it: said in one sentence
                continue
            counts.append(_marks(n, shown, found, by))
            for region, value in _agreements(plain[n], usual[n], shown, found).items():
                agreements[region] = min(agreements.get(region, 1.0), value)
        rows += _rows(name, before, counts, agreements)
    return [*_as_they_are(numbers, before), *rows, *_worn(numbers, scale)]


def _as_they_are(numbers: Sequence[int], counts: list[_Counts]) -> list[Row]:
    rows = []
    for number, one in zip(numbers, counts, strict=True):
        for what, value in zip(("recall", "precision"), _pooled([one]), strict=True):
            rows.append(row(f"portrait {number} as it is: {what}", value, "",
                            target=f">= {LEAST_FOUND}", ok=value >= LEAST_FOUND))  # fmt: skip
    return rows


def _worn(numbers: Sequence[int], scale: Scale) -> list[Row]:
    """Patches of tone that lie on what is worn, which is drawn onto the skin."""
    from lather.assist.survey import survey_photo
    from lather.document.photo import Photo

    rows = []
    for name, draw in list(WORN.items())[: scale.runs(len(WORN))]:
        n_patches = 0
        for number in numbers:
            size = _size(number, scale.portrait)
            rgb, covered = draw(portrait(number, size), truth(number, size)[Region.SKIN],
                                Wearer.of(_facts(number), size))  # fmt: skip
            photo = Photo((np.clip(rgb, 0, 1) * 65535 + 0.5).astype(np.uint16), name="worn.png")
            shown = Shown(rgb, {}, covered=covered)
            n_patches += sum(f.kind.is_patch and not f.doubtful and _is_covered(shown, f.x, f.y)
                             for f in survey_photo(photo).findings)  # fmt: skip
        rows.append(row(f"{name}: patches on it", n_patches, "", target="0", ok=n_patches == 0))
    return rows


def _rows(
    name: str, before: list[_Counts], counts: list[_Counts], agreements: dict[Region, float]
) -> list[Row]:
    if not counts:
        return [row(f"{name}: no face, said so", 1, "", target="1", ok=True)]
    rows = []
    for what, index in (("recall", 0), ("precision", 1)):
        was, now = _pooled(before)[index], _pooled(counts)[index]
        rows.append(row(f"{name}: {what}", now, "", target=f">= {was:.3f} - {MOST_FALL}",
                        ok=now >= was - MOST_FALL, reference="as it is", reference_value=was))
    n_moles = sum(one.n_moles for one in counts)
    rows.append(row(f"{name}: moles proposed", n_moles, "", target="0", ok=n_moles == 0))
    for what, compared in (("skin, hair, background", LARGE), ("small regions", SMALL)):
        values = {region: agreements[region] for region in compared if region in agreements}
        if values:
            worst = min(values, key=values.__getitem__)
            rows.append(row(f"{name}: agreement of {what} (least: {worst.label})", values[worst],
                            "", target=f">= {LEAST_AGREEMENT}",
                            ok=values[worst] >= LEAST_AGREEMENT))  # fmt: skip
    return rows


@dataclass(frozen=True)
class _Counts:
    n_wanted: int
    n_found: int
    n_proposed: int
    n_right: int
    n_moles: int  # of those that are proposed


def _pooled(counts: list[_Counts]) -> tuple[float, float]:
    """Recall and precision."""
    wanted, found, proposed, right = (
        sum(getattr(c, name) for c in counts)
        for name in ("n_wanted", "n_found", "n_proposed", "n_right")
    )
    return found / max(wanted, 1), right / max(proposed, 1)


def _marks(number: int, shown: Shown, found: Survey | None, by: float) -> _Counts:
    """Certain spots against the marks that can be seen: large enough, in the picture, clear."""
    assert found is not None
    facts = _facts(number)
    scale = _size(number, by) * math.sqrt(abs(np.linalg.det(shown.matrix[:, :2])))
    least_px = 0.8 / facts["mm_per_pixel"] * scale
    placed = [(mark, *_placed(mark, shown, by, number), mark["r"] * scale)
              for mark in facts["marks"]]  # fmt: skip
    wanted = [(x, y, r) for mark, x, y, r in placed
              if not mark["keep"] and mark["r_mm"] >= 0.5 and _is_seen(shown, x, y, r)]  # fmt: skip
    certain = [f for f in found.findings if f.kind.is_blemish and not f.doubtful]
    on_any = [f for f in found.findings if not f.doubtful]

    def is_at(x: float, y: float, fx: float, fy: float, r: float) -> bool:
        return bool(math.dist((x, y), (fx, fy)) < max(1.35 * r, least_px))

    n_found = sum(any(is_at(x, y, f.x, f.y, r) for f in on_any) for x, y, r in wanted)
    judged = [f for f in certain if not _is_covered(shown, f.x, f.y)]
    n_right = sum(
        any(is_at(x, y, f.x, f.y, r) for mark, x, y, r in placed if not mark["keep"])
        for f in judged
    )
    n_moles = sum(
        any(is_at(f.x, f.y, x, y, 0) and not f.kind.belongs_to_person for f in certain)
        for mark, x, y, _ in placed if mark["kind"] == "mole"
    )  # fmt: skip
    return _Counts(len(wanted), n_found, len(judged), n_right, n_moles)


def _placed(mark: dict[str, Any], shown: Shown, by: float, number: int) -> tuple[float, float]:
    factor = _size(number, by)
    x, y = shown.matrix @ np.array([mark["x"] * factor, mark["y"] * factor, 1.0])
    return float(x), float(y)


def _is_seen(shown: Shown, x: float, y: float, r: float) -> bool:
    """Six pixels wide, in the picture, not clipped or drawn over, three times above the noise."""
    height, width = shown.rgb.shape[:2]
    if 2 * r < LEAST_MARK_PX or not (r < x < width - r and r < y < height - r):
        return False
    if _is_covered(shown, x, y):
        return False
    part = Rect.around(x, y, NOISE_RADII * r).intersect(Rect(0, 0, width, height))
    ys, xs = np.mgrid[part.y0 : part.y1, part.x0 : part.x1] + 0.5
    away = np.hypot(xs - x, ys - y)
    rgb = shown.rgb[part.slices]
    if float(np.median(rgb[away < 0.6 * r], 0).min()) > CLIPPED:
        return False
    fine, coarse = (
        cv2.GaussianBlur(np.ascontiguousarray(rgb), (0, 0), radii * r) for radii in AT_ITS_SIZE
    )
    rise = np.abs(fine - coarse)
    around = rise[(away > 2 * r) & (shown.planes[Region.SKIN][part.slices] > 0.9)]
    if not len(around):
        return False
    noise = 1.4826 * np.median(around, 0)
    contrast = rise[away < 0.6 * r].mean(0)
    return bool((contrast > LEAST_CONTRAST * noise).any())


def _is_covered(shown: Shown, x: float, y: float) -> bool:
    if shown.covered is None:
        return False
    height, width = shown.covered.shape
    row_px, column_px = int(np.clip(y, 0, height - 1)), int(np.clip(x, 0, width - 1))
    return float(shown.covered[row_px, column_px]) > 0.05


def _agreements(
    plain: Shown, usual: Survey | None, shown: Shown, found: Survey
) -> dict[Region, float]:
    """How alike regions are to those of the portrait, where both pictures show them."""
    assert usual is not None
    height, width = shown.rgb.shape[:2]
    seen = cv2.warpAffine(np.ones(plain.rgb.shape[:2], np.float32), shown.matrix, (width, height))
    if shown.covered is not None:
        seen = seen * (shown.covered < 0.05)
    agreements = {}
    for region in (*LARGE, *SMALL):
        there = cv2.resize(usual.regions[region], plain.rgb.shape[1::-1])
        there = cv2.warpAffine(there, shown.matrix, (width, height)) * seen
        here = cv2.resize(found.regions[region], (width, height)) * seen
        if _is_compared(region, there):
            agreements[region] = overlap(here, there)
    return agreements


def _is_compared(region: Region, there: Image) -> bool:
    """Whether enough of it is in the changed picture."""
    if region in LARGE:
        return float(there.mean()) > LEAST_SHARE
    _, _, boxes, _ = cv2.connectedComponentsWithStats((there > 0.5).astype(np.uint8))
    return bool((boxes[1:, cv2.CC_STAT_WIDTH] >= LEAST_WIDTH_PX).any())


def _surveyed(shown: Shown) -> Survey | None:
    from lather.core.survey.survey import survey

    try:
        return survey(np.ascontiguousarray(shown.rgb, dtype=np.float32))
    except ScaleError:
        return None


def _plain(number: int, by: float) -> Shown:
    scale = _size(number, by)
    return Shown(portrait(number, scale), truth(number, scale))


def _size(number: int, by: float) -> float:
    """Of the portrait as it ships."""
    return by * (FIRST_SIZE if number == 1 else 1)


_facts = lru_cache(maxsize=8)(facts)
