"""Ridges: thin lines in a plane, as centre lines with width, length and contrast.

A line is where the plane curves strongly across and little along. The curvature is that of the
Gaussian-smoothed plane (Lindeberg 1998, "Edge detection and ridge detection with automatic scale
selection"); centre lines are its maxima across, followed by two thresholds
(Canny 1986).
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import Plane
from lather.core.work import NEVER, CancelToken

Points = NDArray[np.float32]  # (N, 2) x, y


@dataclass(frozen=True)
class RidgeMap:
    """What every pixel has of a ridge of one width.

    Attributes
    ----------
    strength : (H, W) height of the ridge, in the plane's own units; 0 where there is none.
    across : (H, W) radians, the direction across the ridge.
    sigma_px : the width of the cross-section that is looked for.
    """

    strength: Plane
    across: Plane
    sigma_px: float


@dataclass(frozen=True)
class Ridge:
    """One line.

    Attributes
    ----------
    path : centre line, pixel by pixel, in pixels of the plane.
    sigma_px : of its cross-section.
    strength : mean height along it.
    """

    path: Points
    sigma_px: float
    strength: float

    @property
    def length_px(self) -> float:
        return float(np.hypot(*np.diff(self.path, axis=0).T).sum()) if len(self.path) > 1 else 0.0


def ridge_maps(plane: Plane, sigma_px: float) -> tuple[RidgeMap, RidgeMap]:
    """Ridges (lines higher than their sides) and valleys (lower) of one width.

    A Gaussian line of that very width has its own height as strength; a thinner one less.
    """
    smooth = cv2.GaussianBlur(plane, (0, 0), sigma_px)
    xx = cv2.Sobel(smooth, cv2.CV_32F, 2, 0, ksize=3, scale=0.25)
    yy = cv2.Sobel(smooth, cv2.CV_32F, 0, 2, ksize=3, scale=0.25)
    xy = cv2.Sobel(smooth, cv2.CV_32F, 1, 1, ksize=3, scale=0.25)
    middle, half = (xx + yy) / 2, cv2.magnitude((xx - yy) / 2, xy)
    angle = cv2.phase(xx - yy, 2 * xy) / 2
    low, high = middle - half, middle + half
    # A dot curves both ways, a saddle against itself: neither is a line.
    scale = np.float32(_SCALE * sigma_px**2)
    ridges = np.maximum(-low - np.abs(high), 0) * scale
    valleys = np.maximum(high - np.abs(low), 0) * scale
    quarter = np.float32(np.pi / 2)
    return RidgeMap(ridges, angle + quarter, sigma_px), RidgeMap(valleys, angle, sigma_px)


# A Gaussian line of sigma s, blurred by s, curves by h / (sqrt(2) * 2 s^2) at its top.
_SCALE = 2 * np.sqrt(2)


def follow(
    ridges: RidgeMap, allowed: NDArray[np.bool_], low: Plane | float, high: Plane | float,
    least_px: float, cancel: CancelToken = NEVER,
) -> list[Ridge]:  # fmt: skip
    """Centre lines that reach `high` somewhere and stay above `low`, at least so long."""
    cancel.check()
    top = _maxima_across(ridges, cancel) & allowed
    cancel.check()
    weak = (top & (ridges.strength > low)).astype(np.uint8)
    strong = top & (ridges.strength > high)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(weak, connectivity=8)
    cancel.check()
    reached = np.zeros(len(stats), dtype=bool)
    reached[labels[strong]] = True
    reached[0] = False
    found = []
    for number in np.flatnonzero(reached):
        cancel.check()
        left, upper, width, height, _ = stats[number]
        if np.hypot(width, height) < least_px:
            continue
        part = labels[upper : upper + height, left : left + width] == number
        path = _longest_path(part) + np.array([left + 0.5, upper + 0.5], np.float32)
        rows, columns = path[:, 1].astype(int), path[:, 0].astype(int)
        ridge = Ridge(
            path.astype(np.float32),
            ridges.sigma_px,
            float(ridges.strength[rows, columns].mean()),
        )
        if ridge.length_px >= least_px:
            found.append(ridge)
    return found


def _maxima_across(ridges: RidgeMap, cancel: CancelToken) -> NDArray[np.bool_]:
    """Pixels that no neighbour across the ridge exceeds."""
    strength = ridges.strength
    ys, xs = np.mgrid[: strength.shape[0], : strength.shape[1]].astype(np.float32)
    dx, dy = np.cos(ridges.across), np.sin(ridges.across)
    keeps = strength > 0
    for side in (-1, 1):
        cancel.check()
        beside = cv2.remap(
            strength, xs + side * dx, ys + side * dy, cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        )  # fmt: skip
        keeps &= strength >= beside
    return keeps


def _longest_path(part: NDArray[np.bool_]) -> Points:
    """The longest of the shortest ways between two pixels of a thin part, end to end."""
    pixels = {(int(y), int(x)) for y, x in np.argwhere(part)}
    start = next(iter(pixels))
    end, _ = _farthest(pixels, start)
    other, came_from = _farthest(pixels, end)
    path = [other]
    while path[-1] != end:
        path.append(came_from[path[-1]])
    return np.array([(x, y) for y, x in path], dtype=np.float32)


def _farthest(
    pixels: set[tuple[int, int]], start: tuple[int, int]
) -> tuple[tuple[int, int], dict[tuple[int, int], tuple[int, int]]]:
    """The pixel most steps away, and from where each pixel was reached."""
    came_from = {start: start}
    waiting = deque([start])
    last = start
    while waiting:
        last = y, x = waiting.popleft()
        for dy in (-1, 0, 1):
            for dx in (-1, 0, 1):
                following = y + dy, x + dx
                if following in pixels and following not in came_from:
                    came_from[following] = last
                    waiting.append(following)
    return last, came_from


def stands_out(plane: Plane, ridges: RidgeMap, path: Points, *, reach: float = 2.5) -> float:
    """How much of a line's height is left when it is compared with its higher side, 0-1.

    A true line falls off to both sides alike, the side lobe of an edge only to one.
    """
    rows, columns = path[:, 1].astype(int), path[:, 0].astype(int)
    angle = ridges.across[rows, columns]
    offset = reach * ridges.sigma_px
    heights = []
    for side in (-1, 0, 1):
        map_x = (path[:, 0] - 0.5 + side * offset * np.cos(angle)).astype(np.float32)
        map_y = (path[:, 1] - 0.5 + side * offset * np.sin(angle)).astype(np.float32)
        values = cv2.remap(plane, map_x[None, :_MOST_SAMPLED], map_y[None, :_MOST_SAMPLED],
                           cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
        heights.append(values[0])
    left, centre, right = heights
    to_left, to_right = float(np.median(centre - left)), float(np.median(centre - right))
    return max(0.0, min(to_left, to_right)) / max(to_left, to_right, 1e-6)


_MOST_SAMPLED = 30_000
