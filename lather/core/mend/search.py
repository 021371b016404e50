"""Where a mend takes its texture from: the best nearby patch for a selected spot.

Every offset within reach is scored at once, on a reduced picture, by correlating feature
planes with the spot's footprint and rim. A good source has the texture energy, sharpness
and direction of the spot's own rim, bends the membrane little, holds no blemish and no
strong edge, and lies near. Nothing outside the picture, inside the selection or on a place
to avoid is ever taken.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.lab import LIGHTNESS_WEIGHTS

FOOTPRINT_PX = 18  # the spot's size on the reduced picture that is searched
MOST_WIDTHS = 4.0  # a stroke longer than so many of its widths counts as no longer
REACH_SIZES = 3.2  # how far sources may lie, in sizes of the spot
REACH_PX = (48, 640)
FINE_SIGMA_PX = 1.0
MID_SIGMA_PX = 2.5
SUPPORT = 0.02  # coverage from which a pixel belongs to the selection

# Weights of the score's terms; each term is about 1 where a retoucher would hesitate.
BEND_WEIGHT = 1.0
ENERGY_WEIGHT = 0.6
DIRECTION_WEIGHT = 0.35
SPOT_WEIGHT = 0.5
EDGE_WEIGHT = 0.6
DISTANCE_WEIGHT = 0.12


@dataclass(frozen=True, slots=True)
class Source:
    """A place to take texture from: target + (dx, dy) px. A lower score is better."""

    dx: int
    dy: int
    score: float


def reach_px(area_px: float) -> int:
    """How far from a selection of this area sources are looked for.

    Measured by the disc of equal area, so that a long thin stroke looks as far as its
    width asks, not its length. Never less than the spot itself needs to clear its place.
    """
    size_px = math.sqrt(4 * area_px / math.pi)
    shortest, longest = REACH_PX
    return round(max(min(max(REACH_SIZES * size_px, shortest), longest), 1.5 * size_px))


def find_sources(
    image: FloatImage,
    selection: Plane,
    *,
    avoid: NDArray[np.bool_] | None = None,
    n_wanted: int = 1,
) -> list[Source]:
    """The best sources for the selected spot, best first; empty if nothing near is usable.

    Parameters
    ----------
    image : (H, W, 3) float32 encoded RGB, the spot and its surroundings.
    selection : (H, W) coverage 0-1 of the spot.
    avoid : (H, W) bool, places that must not be copied (other findings).
    n_wanted : how many, each at least half a footprint away from the others.
    """
    support = selection > SUPPORT
    ys, xs = np.nonzero(support)
    if len(ys) == 0:
        return []
    longest_px = float(max(np.ptp(ys), np.ptp(xs)) + 1)
    size_px = min(longest_px, MOST_WIDTHS * width_px_of(support))
    scale = min(1.0, FOOTPRINT_PX / size_px)
    features = _Features.of(image, support, avoid, scale)
    scores = _score_offsets(features)
    return _best_offsets(scores, scale, n_wanted)


def width_px_of(inside: NDArray[np.bool_]) -> float:
    """The diameter of the largest disc that fits inside."""
    padded = cv2.copyMakeBorder(inside.astype(np.uint8), 1, 1, 1, 1, cv2.BORDER_CONSTANT)
    deepest = float(cv2.distanceTransform(padded, cv2.DIST_L2, cv2.DIST_MASK_5).max())
    return max(1.0, 2 * deepest - 1)


@dataclass(frozen=True)
class _Features:
    """Planes on the reduced picture."""

    colour: FloatImage  # (h, w, 3)
    energy: FloatImage  # (h, w, 2) log texture energy, fine and mid
    direction: FloatImage  # (h, w, 2) coherence * (cos 2a, sin 2a)
    spottiness: Plane
    edges: Plane
    barred: Plane  # 1 where a source must not lie
    footprint: Plane
    rim: Plane

    @staticmethod
    def of(
        image: FloatImage,
        support: NDArray[np.bool_],
        avoid: NDArray[np.bool_] | None,
        scale: float,
    ) -> _Features:
        light = image @ LIGHTNESS_WEIGHTS
        fine = light - cv2.GaussianBlur(light, (0, 0), FINE_SIGMA_PX)
        mid = light - cv2.GaussianBlur(light, (0, 0), MID_SIGMA_PX) - fine
        gx = cv2.Sobel(light, cv2.CV_32F, 1, 0)
        gy = cv2.Sobel(light, cv2.CV_32F, 0, 1)
        planes = np.dstack([fine**2, mid**2, gx * gx, gy * gy, gx * gy])
        height, width = light.shape
        small = (max(1, round(width * scale)), max(1, round(height * scale)))
        # OpenCV resizes at most four channels at once.
        halves = planes[..., :2], planes[..., 2:]
        planes = np.dstack([cv2.resize(p, small, interpolation=cv2.INTER_AREA) for p in halves])
        planes = cv2.GaussianBlur(planes, (0, 0), FOOTPRINT_PX / 8)
        colour = cv2.resize(image, small, interpolation=cv2.INTER_AREA)
        total = planes[..., 2] + planes[..., 3] + 1e-9
        direction = np.dstack([planes[..., 2] - planes[..., 3], 2 * planes[..., 4]])
        closed = support if avoid is None else support | avoid
        barred = cv2.resize(closed.astype(np.float32), small, interpolation=cv2.INTER_AREA)
        grown = cv2.dilate(support.astype(np.uint8), np.ones((3, 3), np.uint8))
        inside = cv2.resize(grown.astype(np.float32), small, interpolation=cv2.INTER_AREA) > 0.2
        ring = cv2.dilate(inside.astype(np.uint8), np.ones((7, 7), np.uint8)).astype(bool)
        return _Features(
            colour=colour,
            energy=np.log(planes[..., :2] + 1e-7),
            direction=direction / total[..., None],
            spottiness=_spottiness(colour),
            edges=_edges(colour),
            barred=(barred > 0.02).astype(np.float32),
            footprint=inside.astype(np.float32),
            rim=(ring & ~inside).astype(np.float32),
        )


def _spottiness(colour: FloatImage) -> Plane:
    """Compact deviation in light or redness, in robust standard deviations of the region."""
    result = np.zeros(colour.shape[:2], dtype=np.float32)
    redness = colour[..., 0] - 0.5 * (colour[..., 1] + colour[..., 2])
    for plane in (colour @ LIGHTNESS_WEIGHTS, redness):
        band = cv2.GaussianBlur(plane, (0, 0), 1.2) - cv2.GaussianBlur(plane, (0, 0), 5.0)
        spread = 1.4826 * float(np.median(np.abs(band - np.median(band)))) + 2e-3
        result = np.maximum(result, np.abs(band) / spread)
    return result


def _edges(colour: FloatImage) -> Plane:
    """Gradient of the broad light, per footprint: shading is small, a jaw line is not."""
    light = cv2.GaussianBlur(colour @ LIGHTNESS_WEIGHTS, (0, 0), 2.0)
    gx, gy = cv2.Sobel(light, cv2.CV_32F, 1, 0), cv2.Sobel(light, cv2.CV_32F, 0, 1)
    slope: Plane = np.hypot(gx, gy) * np.float32(FOOTPRINT_PX / 8)
    return slope


def _score_offsets(f: _Features) -> tuple[Plane, tuple[int, int]]:
    """Score of the spot's box laid at every place, and the box's own place (x, y)."""
    patch = f.footprint + f.rim
    ys, xs = np.nonzero(patch)
    y0, y1, x0, x1 = ys.min(), ys.max() + 1, xs.min(), xs.max() + 1
    box = np.s_[y0:y1, x0:x1]
    footprint, rim = f.footprint[box], f.rim[box]
    n_rim, n_all = max(rim.sum(), 1.0), (footprint + rim).sum()
    whole = (footprint + rim) / n_all

    bend = _difference_spread(f.colour, f.colour[box], rim / n_rim)
    rim_weight = (rim / n_rim)[..., None]
    energy_here = (f.energy[box] * rim_weight).sum((0, 1))
    direction_here = (f.direction[box] * rim_weight).sum((0, 1))
    energy = sum(
        np.square(_correlate(f.energy[..., k], whole) - energy_here[k]) for k in range(2)
    )
    direction = sum(
        np.square(_correlate(f.direction[..., k], whole) - direction_here[k]) for k in range(2)
    )
    spots = _correlate(np.square(np.maximum(f.spottiness - 2.0, 0)), whole)
    edges = _correlate(np.square(f.edges), whole)
    edge_here = float((np.square(f.edges[box]) * (rim / n_rim)).sum())

    rows, columns = bend.shape
    far = np.hypot(np.arange(columns)[None, :] - x0, np.arange(rows)[:, None] - y0)
    scores = (
        BEND_WEIGHT * np.sqrt(bend) / 0.02
        + ENERGY_WEIGHT * np.sqrt(energy)
        + DIRECTION_WEIGHT * np.sqrt(direction) / 0.3
        + SPOT_WEIGHT * np.sqrt(np.maximum(spots, 0))
        + EDGE_WEIGHT * np.sqrt(np.maximum(edges - edge_here, 0)) / 0.05
        + DISTANCE_WEIGHT * far / FOOTPRINT_PX
    )
    blocked = _correlate(f.barred, footprint) > 0.5  # counts pixels
    scores[blocked] = np.inf
    return scores.astype(np.float32), (int(x0), int(y0))


def _correlate(plane: Plane, kernel: Plane) -> Plane:
    """Sum of kernel * plane with the kernel's box laid at every place where it fits."""
    sums: Plane = cv2.matchTemplate(
        np.ascontiguousarray(plane, dtype=np.float32),
        np.ascontiguousarray(kernel, dtype=np.float32),
        cv2.TM_CCORR,
    )
    return sums


def _difference_spread(colour: FloatImage, target: FloatImage, weight: Plane) -> Plane:
    """Variance over the rim of (target - source), channels summed: what the membrane must bend.

    Expanded into correlations, so that all offsets are computed at once.
    """
    result: Plane | float = 0.0
    for c in range(3):
        centred = colour[..., c] - 0.5  # keeps the float32 sums small
        t = target[..., c] - 0.5
        mean_source = _correlate(centred, weight)
        square_source = _correlate(np.square(centred), weight)
        product = _correlate(centred, weight * t)
        mean_t, square_t = float((weight * t).sum()), float((weight * t * t).sum())
        spread = square_source - 2 * product + square_t - np.square(mean_source - mean_t)
        result = result + np.maximum(spread, 0)
    return np.asarray(result, dtype=np.float32)


def _best_offsets(
    scored: tuple[Plane, tuple[int, int]], scale: float, n_wanted: int
) -> list[Source]:
    scores, (x0, y0) = scored
    scores = scores.copy()
    apart = max(1, FOOTPRINT_PX // 2)
    found: list[Source] = []
    while len(found) < n_wanted:
        y, x = np.unravel_index(int(np.argmin(scores)), scores.shape)
        score = float(scores[y, x])
        if not np.isfinite(score):
            break
        dx, dy = round((int(x) - x0) / scale), round((int(y) - y0) / scale)
        found.append(Source(dx, dy, score))
        scores[max(0, y - apart) : y + apart + 1, max(0, x - apart) : x + apart + 1] = np.inf
    return found
