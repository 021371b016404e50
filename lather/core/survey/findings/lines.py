"""Lines on skin: creases, hairs that lie on it, veins.

Each is a ridge: a crease in darkness and broad, a hair in darkness or light and thin, a vein in
what is less red than the skin around. What counts is the height against the skin's own unevenness
at that width, so that grain and pores raise the bar where they are.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from lather.core.arrays import FloatImage, Plane
from lather.core.blur import blurred_within, disc
from lather.core.colour.density import Density, optical_density
from lather.core.hair.ridges import Ridge, RidgeMap, follow, ridge_maps, stands_out
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Kind
from lather.core.survey.findings.profile import edge_width_px, profile_of
from lather.core.work import NEVER, CancelToken

UNEVENNESS_MM = 12.0
BORDER_MM = 1.2
JOINED_MM = 4.0  # pieces of one line that follow each other within so much


@dataclass(frozen=True)
class _Look:
    """How one kind of line is looked for."""

    kind: Kind
    least_mm: float  # of its length
    low_z: float
    high_z: float
    least_z: float  # of its mean height
    least_height: float  # density


THIN_MM, BROAD_MM = 0.2, (0.45, 0.8)  # sigmas of the cross-section
_CREASE = _Look(Kind.CREASE, 7.0, 2.2, 4.5, 6.5, 0.035)
_DARK_HAIR = _Look(Kind.SKIN_HAIR, 4.0, 3.0, 7.0, 8.0, 0.05)
_BRIGHT_HAIR = _Look(Kind.SKIN_HAIR, 5.0, 4.0, 9.0, 9.0, 0.06)
_VEIN = _Look(Kind.VEIN, 10.0, 2.6, 5.0, 7.0, 0.03)
LEAST_UNBROKEN = 0.75  # pixels of the line per pixel of the way between its ends
HAIRLINE_MM, FAR_PX = 2.5, np.float32(1e4)
THIN = 1.55  # a hair is so much higher at its own width than at a crease's
HAIR_WIDTH_MM, PROFILE_MM = 0.25, 1.6  # of a hair without the picture's blur; half of what is seen
MOST_UNEVEN = 0.6  # of its depth, between the sides of a hair: more is an edge
BUNDLE_MM, BUNDLE_DEG, LEAST_BUNDLE = 3.0, 20.0, 3  # fine lines side by side: hair's texture
LEAST_STANDS_OUT = 0.45
VEIN_SIDE_MM, VEIN_PALENESS = 1.5, 0.5  # of its darkness: how much less red it must be
MOST_BENT = 1.6  # a line is at most so much longer than the way between its ends
COARSER = 2  # broad lines are looked for on a plane so much smaller


@dataclass(frozen=True)
class Line:
    """A line on the skin, in pixels of the plane it was found on."""

    kind: Kind
    path: NDArray[np.float32]  # (N, 2) x, y
    sigma_px: float
    height: float  # density
    z: float
    least_z: float  # the bar it was held against
    doubtful: bool = False  # for where it lies


def find_lines(
    rgb: FloatImage, plain: NDArray[np.bool_], mm_per_px: float, cancel: CancelToken = NEVER,
    density: Density | None = None,
) -> list[Line]:
    """Creases, hairs and veins on plain skin, the clearest first.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1.
    plain : (H, W) bool, skin without features.
    mm_per_px : scale; about 0.2 is fine enough.
    density : of the box of the plain skin, if it is known.
    """
    box = Rect.of_mask(plain)
    if box.empty:
        return []
    corner = np.array([box.x0, box.y0], dtype=np.float32)
    allowed = cv2.erode(plain[box.slices].astype(np.uint8), disc(BORDER_MM / mm_per_px)) > 0
    if not allowed.any():
        return []
    density = density or optical_density(np.ascontiguousarray(rgb[box.slices]))
    cancel.check()
    small = _Coarser.of(density.darkness, density.redness, allowed)
    broad, broad_bright = [], []
    for sigma_mm in BROAD_MM:
        cancel.check()
        dark, bright = ridge_maps(small.darkness, sigma_mm / mm_per_px / COARSER)
        broad.append(dark)
        broad_bright.append(bright)
    hairs, thin_creases, scars = _thin_lines(
        density.darkness, allowed, broad[0].strength, broad_bright[0].strength, mm_per_px, cancel
    )
    cancel.check()
    hairs, thin_creases = _as_hairs_are(hairs, thin_creases, density.darkness, mm_per_px)
    free = small.allowed & ~_beside(hairs, allowed.shape, 1.2 / mm_per_px, COARSER)
    coarse_mm = COARSER * mm_per_px
    creases = [replace(line, path=_coarser(line.path)) for line in thin_creases]
    for ridges in broad:
        creases += _found(small.darkness, ridges, free, _CREASE, coarse_mm, cancel)
    cancel.check()
    creases = _once_a_place(creases, free.shape, 1.2 / coarse_mm)
    free &= ~_beside(creases, free.shape, 1.5 / coarse_mm)
    creases = [_told_apart(line, small, coarse_mm) for line in creases]
    cancel.check()
    paleness = -small.redness
    ridges = ridge_maps(paleness, BROAD_MM[1] / coarse_mm)[0]
    veins = [
        line
        for line in _found(paleness, ridges, free, _VEIN, coarse_mm, cancel)
        if _is_darker(small.darkness, ridges, line)
    ]
    lines = [_placed(line, corner) for line in (*hairs, *scars)]
    lines += [_placed(_enlarged(line), corner) for line in (*creases, *veins)]
    return sorted(lines, key=lambda line: -line.z)


@dataclass(frozen=True)
class _Coarser:
    """Planes halved: enough for what is broad."""

    darkness: Plane
    redness: Plane
    allowed: NDArray[np.bool_]

    @staticmethod
    def of(darkness: Plane, redness: Plane, allowed: NDArray[np.bool_]) -> _Coarser:
        height, width = allowed.shape
        size = max(1, width // COARSER), max(1, height // COARSER)
        planes = [
            cv2.resize(plane, size, interpolation=cv2.INTER_AREA)
            for plane in (darkness, redness, allowed.astype(np.float32))
        ]
        return _Coarser(planes[0], planes[1], planes[2] > 0.9)


def _thin_lines(
    darkness: Plane, allowed: NDArray[np.bool_], broad: Plane, broad_bright: Plane,
    mm_per_px: float, cancel: CancelToken,
) -> tuple[list[Line], list[Line], list[Line]]:
    """Hairs, which are weaker when looked at broad; creases, which are not; bright ones that are
    not, which may be scars."""
    cancel.check()
    dark, bright = ridge_maps(darkness, max(0.7, THIN_MM / mm_per_px))
    cancel.check()
    # Without any rim the distance is endless.
    from_rim = np.minimum(
        cv2.distanceTransform(allowed.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5), FAR_PX
    )
    hairs, creases, scars = [], [], []

    def is_thin(line: Line, broad: Plane) -> bool:
        rows, columns = _pixels(_coarser(line.path), broad.shape)
        return line.height > THIN * float(np.median(broad[rows, columns]))

    for line in _found(darkness, dark, allowed, _DARK_HAIR, mm_per_px, cancel):
        if not is_thin(line, broad):
            if len(line.path) * mm_per_px > _CREASE.least_mm:
                creases.append(replace(line, kind=Kind.CREASE))
        elif _away_from_hairline(line, from_rim, mm_per_px):
            hairs.append(line)
    for line in _found(-darkness, bright, allowed, _BRIGHT_HAIR, mm_per_px, cancel):
        if not is_thin(line, broad_bright):
            scars.append(replace(line, kind=Kind.SCAR))
        elif _away_from_hairline(line, from_rim, mm_per_px):
            hairs.append(line)
    return hairs, creases, scars


def _as_hairs_are(
    hairs: list[Line], creases: list[Line], darkness: Plane, mm_per_px: float
) -> tuple[list[Line], list[Line]]:
    """Hairs that are as thin as one, and differ from both sides alike; nothing of a bundle.

    A dark one that is wider is a crease. Three or more fine lines side by side are hair's texture.
    """
    blur_px = edge_width_px(darkness)
    kept = []
    for line in hairs:
        sign = 1 if _is_dark(line, darkness) else -1
        profile = profile_of(sign * darkness, line.path, PROFILE_MM / mm_per_px)
        wide_px = math.sqrt(max(profile.width_px**2 - blur_px**2, 0))
        if profile.uneven > MOST_UNEVEN:
            continue
        if wide_px * mm_per_px < HAIR_WIDTH_MM or profile.width_px <= blur_px:
            kept.append(line)
        elif sign > 0 and len(line.path) * mm_per_px > _CREASE.least_mm:
            creases = [*creases, replace(line, kind=Kind.CREASE)]
    return _without_bundles(kept, mm_per_px), _without_bundles(creases, mm_per_px)


def _is_dark(line: Line, darkness: Plane) -> bool:
    rows, columns = _pixels(line.path, darkness.shape)
    around = cv2.blur(darkness[rows.min() : rows.max() + 9, columns.min() : columns.max() + 9],
                      (9, 9))  # fmt: skip
    here = darkness[rows, columns] - around[rows - rows.min(), columns - columns.min()]
    return float(np.median(here)) > 0


def _without_bundles(lines: list[Line], mm_per_px: float) -> list[Line]:
    middles = np.array([line.path[len(line.path) // 2] for line in lines]).reshape(-1, 2)
    ways = np.array([_direction(line.path) for line in lines]).reshape(-1, 2)
    least_cosine = math.cos(math.radians(BUNDLE_DEG))
    beside = np.zeros((len(lines), len(lines)), dtype=bool)
    for n, (line, way) in enumerate(zip(lines, ways, strict=True)):
        away = np.hypot(*np.moveaxis(middles[:, None] - line.path[None, ::4], -1, 0)).min(1)
        beside[n] = (np.abs(ways @ way) > least_cosine) & (away * mm_per_px < BUNDLE_MM)
    bundled = beside.sum(1) >= LEAST_BUNDLE  # each lies beside itself, too
    outermost = (beside & bundled).any(1)
    return [line for line, drop in zip(lines, bundled | outermost, strict=True) if not drop]


def _told_apart(line: Line, small: _Coarser, mm_per_px: float) -> Line:
    """A vein, if a dark line is much less red than its sides: shade in a crease is as red."""
    step = line.path[-1] - line.path[0]
    across = np.array([-step[1], step[0]]) / max(float(np.hypot(*step)), 1e-6)
    offset = across * max(2.5 * line.sigma_px, VEIN_SIDE_MM / mm_per_px)
    centre = _pixels(line.path, small.redness.shape)
    sides = [
        _pixels((line.path + sign * offset).astype(np.float32), small.redness.shape)
        for sign in (-1, 1)
    ]
    darker, redder = (
        float(np.median(plane[centre]) - np.median([plane[side] for side in sides]))
        for plane in (small.darkness, small.redness)
    )
    long = float(np.hypot(*step)) * mm_per_px > _VEIN.least_mm
    return replace(line, kind=Kind.VEIN) if long and -redder > VEIN_PALENESS * darker else line


def _is_darker(darkness: Plane, ridges: RidgeMap, line: Line) -> bool:
    """A vein is darker than its sides too; a streak of shine is as pale, and brighter."""
    rows, columns = _pixels(line.path, darkness.shape)
    angle = ridges.across[rows, columns]
    reach_px = 2.5 * ridges.sigma_px
    sides = []
    for side in (-1, 1):
        away = side * reach_px * np.stack([np.cos(angle), np.sin(angle)], 1)
        beside = (line.path + away).astype(np.float32)
        sides.append(darkness[_pixels(beside, darkness.shape)])
    return float(np.median(darkness[rows, columns] - np.maximum(*sides))) > 0


def _away_from_hairline(line: Line, from_rim: Plane, mm_per_px: float) -> bool:
    """Most of the line lies on open skin: hair that ends at the hairline belongs there."""
    rows, columns = _pixels(line.path, from_rim.shape)
    return float(np.median(from_rim[rows, columns])) * mm_per_px > HAIRLINE_MM


def _pixels(
    path: NDArray[np.float32], shape: tuple[int, ...]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Rows and columns of a path's points, inside a plane of that shape."""
    rows = np.clip(path[:, 1].astype(int), 0, shape[0] - 1)
    columns = np.clip(path[:, 0].astype(int), 0, shape[1] - 1)
    return rows, columns


def _found(
    plane: Plane, ridges: RidgeMap, allowed: NDArray[np.bool_], look: _Look, mm_per_px: float,
    cancel: CancelToken,
) -> list[Line]:
    cancel.check()
    usual = _usual_height(ridges.strength, allowed, mm_per_px)
    cancel.check()
    low = np.maximum(look.low_z * usual, 0.6 * look.least_height)
    high = np.maximum(look.high_z * usual, look.least_height)
    pieces = follow(ridges, allowed, low, high, 0.4 * look.least_mm / mm_per_px, cancel)
    cancel.check()
    joined = _joined(pieces, JOINED_MM / mm_per_px)
    smooth = cv2.GaussianBlur(plane, (0, 0), 0.7)
    lines = []
    for ridge in joined:
        cancel.check()
        chord_px = float(np.hypot(*(ridge.path[-1] - ridge.path[0])))
        if chord_px * mm_per_px < look.least_mm or ridge.length_px > MOST_BENT * chord_px:
            continue
        if len(ridge.path) < LEAST_UNBROKEN * chord_px:
            continue  # grain that happens to lie in a row
        if stands_out(smooth, ridges, ridge.path) < LEAST_STANDS_OUT:
            continue
        rows, columns = ridge.path[:, 1].astype(int), ridge.path[:, 0].astype(int)
        z = float(ridge.strength / np.median(usual[rows, columns]))
        if z < look.least_z:
            continue
        lines.append(Line(look.kind, ridge.path, ridge.sigma_px, ridge.strength, z, look.least_z))
    return lines


def _once_a_place(lines: list[Line], shape: tuple[int, int], reach_px: float) -> list[Line]:
    """Of lines that run along each other, the clearest."""
    kept: list[Line] = []
    for line in sorted(lines, key=lambda line: -line.z):
        taken = _beside(kept, shape, reach_px)
        rows, columns = line.path[:, 1].astype(int), line.path[:, 0].astype(int)
        if taken[rows, columns].mean() < 0.5:
            kept.append(line)
    return kept


def _coarser(path: NDArray[np.float32]) -> NDArray[np.float32]:
    return (path / COARSER).astype(np.float32)


def _enlarged(line: Line) -> Line:
    return replace(line, path=line.path * COARSER, sigma_px=line.sigma_px * COARSER)


def _placed(line: Line, corner: NDArray[np.float32]) -> Line:
    return replace(line, path=line.path + corner)


def _usual_height(strength: Plane, allowed: NDArray[np.bool_], mm_per_px: float) -> Plane:
    """The mean ridge height of the skin around; what sticks out counts as three times that."""
    ridges = strength[allowed & (strength > 0)]
    middle = (float(np.median(ridges)) if len(ridges) else 0.0) + 1e-6
    held = np.minimum(strength, np.float32(3 * middle))
    usual, _ = blurred_within(held, allowed.astype(np.float32), UNEVENNESS_MM / mm_per_px)
    return np.maximum(usual, np.float32(0.3 * middle))


def _joined(pieces: list[Ridge], gap_px: float) -> list[Ridge]:
    """Pieces whose ends lie near each other and point the same way, as one."""
    joined: list[Ridge] = []
    waiting = dict(enumerate(sorted(pieces, key=lambda ridge: -len(ridge.path))))
    if not waiting:
        return joined
    ends = np.concatenate([[r.path[0], r.path[-1]] for r in waiting.values()])
    tree = cKDTree(ends)
    while waiting:
        line = waiting.pop(next(iter(waiting)))
        following = True
        while following:
            following = False
            near = tree.query_ball_point(line.path[[0, -1]], gap_px)
            for number in {end // 2 for found in near for end in found}:
                other = waiting.get(number)
                path = None if other is None else _continued(line.path, other.path, gap_px)
                if other is None or path is None:
                    continue
                n, m = len(line.path), len(other.path)
                strength = (n * line.strength + m * other.strength) / (n + m)
                line = replace(line, path=path, strength=strength)
                del waiting[number]
                following = True
                break
        joined.append(line)
    return joined


def _continued(
    one: NDArray[np.float32], other: NDArray[np.float32], gap_px: float
) -> NDArray[np.float32] | None:
    """Both paths end to end, if one goes on where the other ends."""
    for first in (one, one[::-1]):
        for second in (other, other[::-1]):
            gap = second[0] - first[-1]
            length = float(np.hypot(*gap))
            if length > gap_px:
                continue
            along, onward = _direction(first[-8:]), _direction(second[:8])
            straight = length < 2 or float(gap @ along) > 0.8 * length
            if float(along @ onward) > 0.8 and straight:
                return np.concatenate([first, second])
    return None


def _direction(path: NDArray[np.float32]) -> NDArray[np.float32]:
    step = path[-1] - path[0]
    unit: NDArray[np.float32] = step / max(float(np.hypot(*step)), 1e-6)
    return unit


def _beside(
    lines: list[Line], shape: tuple[int, int], reach_px: float, coarser: int = 1
) -> NDArray[np.bool_]:
    """Pixels within reach of a line, on a plane that is so much coarser."""
    drawn = np.zeros(shape, dtype=np.uint8)
    for line in lines:
        points = np.round(line.path - 0.5).astype(np.int32)
        cv2.polylines(drawn, [points], False, 1, max(1, round(2 * reach_px)))
    if coarser == 1:
        return drawn > 0
    size = max(1, shape[1] // coarser), max(1, shape[0] // coarser)
    smaller: NDArray[np.uint8] = cv2.resize(drawn, size, interpolation=cv2.INTER_AREA)
    return np.asarray(smaller > 0)
