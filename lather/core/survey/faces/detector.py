"""Where faces are: a small network on the whole picture, and on tiles of it where faces are small.

The network finds faces from about a fifth of its window upwards, turned by up to half a right
angle. Source: Bazarevsky et al. 2019, "BlazeFace: Sub-millisecond Neural Face Detection".
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.survey.faces.crops import Crop
from lather.core.survey.faces.networks import SHIPPED, Network, Runner, sigmoid
from lather.core.work import NEVER, CancelToken

WINDOWS = (0.45, 0.2)  # sides of the tiles, of the picture's long side
TILED_PX = round(Network.DETECTOR.side_px / min(WINDOWS))  # enough for the smallest tiles
OVERLAP = 0.5  # of neighbouring tiles
CERTAIN, CERTAIN_ON_TILE = 0.5, 0.6  # least scores
TURNS_DEG = (0.0, 45.0, -45.0, 90.0, -90.0, 135.0, -135.0, 180.0)  # people lie down, too
QUARTERS_DEG = (0.0, 90.0, -90.0, 180.0)
# A face that is turned farther in what was looked at is taken for its own reverse: brows for lips.
MOST_TURN = math.radians(60)
SAME = 0.3  # overlap from which two boxes are one face
SMALLEST_SHARE = 0.12  # of a window: smaller boxes are left to smaller windows
LEAST_PERSON = 0.08  # mean of the person mask on a tile that is worth a look
CROWD = 3  # faces
LEAST_KNOWN = 0.4  # mean of the person mask on faces
HEAD_REACH, BODY_REACH = 1.0, 0.7  # half widths that a face explains, in its own; per width below
_GRIDS = ((16, 2), (8, 6))  # cells a side, anchors a cell
_N_POINTS = 6


@dataclass(frozen=True)
class Box:
    """A face's square in px of the picture, with the eyes that say how it is turned."""

    x: float
    y: float
    side_px: float
    turn: float  # radians; 0 for level eyes
    score: float

    def overlap(self, other: Box) -> float:
        """Shared area over the area of both, as squares with level sides."""
        across, down = (
            min(a + self.side_px / 2, b + other.side_px / 2)
            - max(a - self.side_px / 2, b - other.side_px / 2)
            for a, b in ((self.x, other.x), (self.y, other.y))
        )
        shared = max(0.0, across) * max(0.0, down)
        return shared / (self.side_px**2 + other.side_px**2 - shared)

    def is_same(self, other: Box) -> bool:
        """True if both lie on one face."""
        return self.overlap(other) > SAME or self.holds(other) or other.holds(self)

    def enlarged(self, by: float) -> Box:
        """The same face in a picture that is so many times as large."""
        return Box(self.x * by, self.y * by, self.side_px * by, self.turn, self.score)

    def holds(self, other: Box) -> bool:
        """True if the middle of the other one lies well inside of this one."""
        return max(abs(self.x - other.x), abs(self.y - other.y)) < 0.35 * self.side_px


def detect_whole(
    rgb: FloatImage, cancel: CancelToken = NEVER, runner: Runner = SHIPPED
) -> list[Box]:
    """Faces on the whole picture however they are turned, the most certain first.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1, its long side at most `TILED_PX`.
    """
    middle = rgb.shape[1] / 2, rgb.shape[0] / 2, float(max(rgb.shape[:2]))
    found: list[Box] = []
    for turn_deg in TURNS_DEG:
        cancel.check()
        found += _on(rgb, Crop(*middle, turn=math.radians(turn_deg)), CERTAIN, runner)
    return _merged(found)


def detect_on_tiles(
    rgb: FloatImage, window: float, person: Plane, found: Sequence[Box],
    cancel: CancelToken = NEVER, runner: Runner = SHIPPED,
) -> list[Box]:
    """Faces on overlapping tiles, where there is person that the faces `found` do not explain.

    They are looked for as the people that were found lie; without any, in all directions.

    Parameters
    ----------
    window : side of the tiles, of the picture's long side.
    person : (h, w) 0-1 over the whole picture.
    """
    side_px = window * max(rgb.shape[:2])
    boxes: list[Box] = []
    turns = sorted({_quarter(box.turn) for box in found}) or list(QUARTERS_DEG)
    unexplained = _unexplained(person, rgb.shape, found)
    for x, y in _tiles(rgb.shape[1], rgb.shape[0], side_px):
        cancel.check()
        if found and _share(unexplained, rgb.shape, x, y, side_px) < LEAST_PERSON:
            continue
        for turn_deg in turns:
            tile = Crop(x, y, side_px, math.radians(turn_deg))
            boxes += _on(rgb, tile, CERTAIN_ON_TILE, runner)
    return _merged(boxes)


def _quarter(turn: float) -> float:
    """The quarter turn nearest to a turn in radians, in degrees."""
    return min(QUARTERS_DEG, key=lambda deg: abs(_between(turn, math.radians(deg))))


def _between(turn: float, other: float) -> float:
    """From one direction to another, radians from -pi to pi."""
    return math.remainder(turn - other, 2 * math.pi)


def _on(rgb: FloatImage, crop: Crop, least: float, runner: Runner) -> list[Box]:
    """Faces in a square of the picture."""
    side = Network.DETECTOR.side_px
    outputs = runner.run(Network.DETECTOR, crop.cut(rgb, side))
    anchors = _anchors() * side
    scores = sigmoid(outputs[len(anchors)])
    numbers = outputs[len(anchors) * (4 + 2 * _N_POINTS)].reshape(len(anchors), -1)
    boxes = []
    for n in np.flatnonzero(scores >= least):
        middle = anchors[n] + numbers[n, :2]
        eyes = anchors[n] + numbers[n, 4:8].reshape(2, 2)
        size = float(numbers[n, 2:4].max())
        if size < SMALLEST_SHARE * side:
            continue
        (x, y), right, left = crop.placed(np.array([middle, *eyes], dtype=np.float32), side)
        turn = math.atan2(left[1] - right[1], left[0] - right[0])
        if abs(_between(turn, crop.turn)) > MOST_TURN:
            continue
        boxes.append(Box(float(x), float(y), size * crop.side_px / side, turn, float(scores[n])))
    return _merged(boxes)


def _merged(boxes: list[Box]) -> list[Box]:
    """One box a face: the best of those that overlap."""
    kept: list[Box] = []
    for box in sorted(boxes, key=lambda box: -box.score):
        if not any(box.is_same(other) for other in kept):
            kept.append(box)
    return kept


def _tiles(width: int, height: int, side_px: float) -> Iterator[tuple[float, float]]:
    """Middles of overlapping squares that cover the picture."""
    ranges = []
    for length in (width, height):
        n = max(1, math.ceil((length - side_px) / ((1 - OVERLAP) * side_px)) + 1)
        first, last = min(side_px, length) / 2, max(length - side_px / 2, length / 2)
        ranges.append(np.linspace(first, last, n))
    for y in ranges[1]:
        for x in ranges[0]:
            yield float(x), float(y)


def _unexplained(person: Plane, shape: tuple[int, ...], found: Sequence[Box]) -> Plane:
    """The person mask without those whose faces are found: head and body below it.

    In a crowd others stand before a body: only heads are explained there. A mask that does not
    know the faces knows nothing: everybody may stand anywhere.
    """
    known = [_share(person, shape, box.x, box.y, box.side_px) for box in found]
    is_blind = bool(known) and float(np.mean(known)) < LEAST_KNOWN
    left = np.ones_like(person) if is_blind else person.copy()
    height, width = person.shape
    ys, xs = np.mgrid[:height, :width].astype(np.float32)
    xs, ys = (xs + 0.5) * shape[1] / width, (ys + 0.5) * shape[0] / height
    for box in found:
        along, down = np.float32(math.cos(box.turn)), np.float32(math.sin(box.turn))
        beside = ((xs - box.x) * along + (ys - box.y) * down) / box.side_px
        below = ((ys - box.y) * along - (xs - box.x) * down) / box.side_px
        reach = HEAD_REACH + BODY_REACH * np.clip(below, 0, 3)
        here = (np.abs(beside) < reach) & (below > -1.5)
        left[here & (below < 1) if is_blind or len(found) >= CROWD else here] = 0
    return left


def _share(person: Plane, shape: tuple[int, ...], x: float, y: float, side: float) -> float:
    """The mean of the mask on a tile."""
    down, across = person.shape[0] / shape[0], person.shape[1] / shape[1]
    part = person[
        int(max(0.0, y - side / 2) * down) : math.ceil((y + side / 2) * down),
        int(max(0.0, x - side / 2) * across) : math.ceil((x + side / 2) * across),
    ]
    return float(part.mean()) if part.size else 0.0


@lru_cache(maxsize=1)
def _anchors() -> NDArray[np.float32]:
    """(896, 2) x, y of the cells' middles, 0-1."""
    places = []
    for n_cells, n_each in _GRIDS:
        for row in range(n_cells):
            for column in range(n_cells):
                places += [((column + 0.5) / n_cells, (row + 0.5) / n_cells)] * n_each
    return np.array(places, dtype=np.float32)
