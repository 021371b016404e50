"""Lines of a picture that ought to be straight, and how far a reshape bends them.

Segments are found by the detector of von Gioi et al. 2012 ("LSD: a Line Segment Detector") on a
reduced picture. Pieces of one line, as a grid or a row of tiles behind a person has them, are told
to belong together: each may stay straight by itself while the line breaks.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.shape.field import Points, Sources, seen_at
from lather.core.shape.guard import NO_LINES, Lines, distances

LEAST_LENGTH, LEAST_ALONE = 0.025, 0.06  # of the picture's shorter side: of a piece, and of a line
SAME_ANGLE_DEG, SAME_OFFSET_PX = 1.5, 2.0  # of the picture that is searched
LARGEST_GAP = 0.35  # of the picture's shorter side, between two pieces of a line
LEAST_BEHIND = 0.8  # of a piece: how much of it lies where lines are looked for
SAMPLES_PX = 6.0
MOST_LINES = 400


@dataclass(frozen=True, eq=False)
class StraightLines:
    """Pieces of straight lines.

    Attributes
    ----------
    pieces : (N, 4): x0, y0, x1, y1, px.
    line : (N,): which line each is a piece of.
    """

    pieces: Lines
    line: NDArray[np.int64]

    def scaled(self, factor: float) -> StraightLines:
        return StraightLines((self.pieces * np.float32(factor)).astype(np.float32), self.line)

    def near(self, x: float, y: float, radius_px: float) -> StraightLines:
        """The lines of which a piece comes near a disc, whole."""
        if not len(self.pieces):
            return self
        there = distances(np.array([[x, y]]), self.pieces)[:, 0] < radius_px
        taken = np.isin(self.line, self.line[there])
        return StraightLines(self.pieces[taken], self.line[taken])


NONE = StraightLines(NO_LINES, np.zeros(0, dtype=np.int64))


def find_lines(rgb: FloatImage, where: Plane) -> StraightLines:
    """Straight lines of a picture, where `where`, (h, w) 0-1, is high."""
    import cv2

    light = np.clip(rgb[..., :3].mean(-1) * 255, 0, 255).astype(np.uint8)
    found = cv2.createLineSegmentDetector(cv2.LSD_REFINE_STD).detect(light)[0]
    if found is None:
        return NONE
    shorter = min(light.shape)
    pieces = found.reshape(-1, 4).astype(np.float32)
    lengths = np.hypot(pieces[:, 2] - pieces[:, 0], pieces[:, 3] - pieces[:, 1])
    order = np.argsort(-lengths)
    order = order[lengths[order] >= LEAST_LENGTH * shorter]
    kept = [n for n in order if _share(pieces[n], where) >= LEAST_BEHIND][: 3 * MOST_LINES]
    pieces = pieces[kept]
    line = _joined(pieces, LARGEST_GAP * shorter)
    together = np.array([_length(pieces[line == n]) for n in line], dtype=np.float64)
    long_enough = together >= LEAST_ALONE * shorter
    return StraightLines(np.ascontiguousarray(pieces[long_enough]), line[long_enough])


def _share(piece: NDArray[np.float32], where: Plane) -> float:
    """How much of a piece lies where lines are looked for."""
    points = samples(piece[None], 3.0)
    x = np.clip(points[:, 0].astype(int), 0, where.shape[1] - 1)
    y = np.clip(points[:, 1].astype(int), 0, where.shape[0] - 1)
    return float((where[y, x] > 0.5).mean())


def _length(pieces: Lines) -> float:
    return float(np.hypot(pieces[:, 2] - pieces[:, 0], pieces[:, 3] - pieces[:, 1]).sum())


def _joined(pieces: Lines, largest_gap: float) -> NDArray[np.int64]:
    """(N,): which line each piece belongs to: pieces join the longest that they lie along."""
    line = np.full(len(pieces), -1, dtype=np.int64)
    ends = pieces.reshape(-1, 2, 2).astype(np.float64)
    ways = ends[:, 1] - ends[:, 0]
    ways /= np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-9)
    for n in range(len(pieces)):
        if line[n] >= 0:
            continue
        line[n] = n
        normal = np.array([-ways[n, 1], ways[n, 0]])
        offsets = np.abs((ends - ends[n, 0]) @ normal).max(1)
        along = (ends - ends[n, 0]) @ ways[n]
        alike = np.abs(ways @ ways[n]) > math.cos(math.radians(SAME_ANGLE_DEG))
        fits = alike & (offsets < SAME_OFFSET_PX) & (line < 0)
        low, high = along[n].min(), along[n].max()
        for other in np.argsort(np.abs(along.mean(1) - along[n].mean())):
            gap = max(along[other].min() - high, low - along[other].max())
            if fits[other] and gap < largest_gap:
                line[other] = n
                low, high = min(low, along[other].min()), max(high, along[other].max())
    return line


def samples(pieces: Lines, every_px: float = SAMPLES_PX) -> Points:
    """(N, 2): places along pieces."""
    points = []
    for x0, y0, x1, y1 in pieces.astype(np.float64):
        share = np.linspace(0, 1, max(2, int(math.hypot(x1 - x0, y1 - y0) / every_px) + 1))
        points.append(np.stack([x0 + share * (x1 - x0), y0 + share * (y1 - y0)], -1))
    return np.concatenate(points) if points else np.zeros((0, 2))


@dataclass(frozen=True)
class Bend:
    """A line that is not as straight as it was."""

    line: int
    px: float  # how far it leaves the straight line through it
    x: float  # where it does so most
    y: float


def bends(lines: StraightLines, sources: Sources) -> list[Bend]:
    """How far each line is bent by a map back, most first."""
    found = []
    for number in np.unique(lines.line):
        points = samples(lines.pieces[lines.line == number])
        seen = seen_at(sources, points)
        if float(np.abs(seen - points).max(initial=0.0)) < 0.01:
            continue
        away = np.abs(_off_line(seen) - _off_line(points))
        most = int(np.argmax(away))
        found.append(Bend(int(number), float(away[most]), *map(float, seen[most])))
    return sorted(found, key=lambda bend: -bend.px)


def _off_line(points: Points) -> NDArray[np.float64]:
    """(N,): how far points lie off the straight line through them, by least squares."""
    middle = points - points.mean(0)
    _, _, ways = np.linalg.svd(middle, full_matrices=False)
    along = ways[0] if ways[0] @ np.array([1.0, 0.3]) >= 0 else -ways[0]  # of two lines the same
    out: NDArray[np.float64] = middle @ np.array([-along[1], along[0]])
    return out
