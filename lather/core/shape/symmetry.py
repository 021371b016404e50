"""Left against right, in millimetres, with the turn of the head taken out.

Widths are measured from the middle plane of the head and heights along it, in the head's own axes.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np
from numpy.typing import NDArray

from lather.core.shape.field import Points
from lather.core.shape.head import FACE_SIDES, Mesh, head_axes
from lather.core.survey.faces.mesh_points import MOUTH_CORNERS, lids

SAME_MM, OVERDONE_MM = 0.2, 0.5


@dataclass(frozen=True)
class Pair:
    """Two places that mirror each other, and what is measured of them."""

    name: str
    right: int
    left: int
    across: bool  # how far from the middle; else how high


PAIRS = (
    Pair("temple width", 127, 356, across=True),
    Pair("cheek width", *FACE_SIDES, across=True),
    Pair("jaw width", 172, 397, across=True),
    Pair("nose wing", 64, 294, across=True),
    Pair("mouth corner, out", *MOUTH_CORNERS, across=True),
    Pair("mouth corner, height", *MOUTH_CORNERS, across=False),
    Pair("brow height", 105, 334, across=False),
)


class Verdict(Enum):
    """What became of a difference."""

    AS_IT_WAS = "as it was"
    EVENED = "evened"
    GREW = "grew"
    OVERDONE = "overdone"


@dataclass(frozen=True)
class Evenness:
    """One measure: the left side's less the right side's, mm, at the start and now."""

    name: str
    start_mm: float
    now_mm: float
    natural_mm: float

    @property
    def verdict(self) -> Verdict:
        start, now = abs(self.start_mm), abs(self.now_mm)
        turned_over = self.start_mm * self.now_mm < 0 and now > OVERDONE_MM
        if turned_over:
            return Verdict.OVERDONE
        if abs(self.now_mm - self.start_mm) < SAME_MM:
            return Verdict.AS_IT_WAS
        return Verdict.EVENED if now < start else Verdict.GREW

    @property
    def was_natural(self) -> bool:
        """True where there was nothing that had to be evened."""
        return abs(self.start_mm) <= self.natural_mm


# Mean differences of healthy adults' halves lie about 1-2 mm (Farkas, Cheung 1981, "Facial
# asymmetry in healthy North American Caucasians"); the mesh itself is no better than about 1 mm.
NATURAL_WIDTH_MM, NATURAL_HEIGHT_MM = 3.0, 2.0


def evenness(start: Mesh, now: Points, mm_per_px: float) -> tuple[Evenness, ...]:
    """Differences of the halves of a face.

    Parameters
    ----------
    start : the mesh of the photo, px.
    now : (N, 2): where its points are seen after reshaping; their depth is that of the start.
    """
    turn, origin = head_axes(start)
    moved = np.concatenate([now[: len(start)], start[:, 2:].astype(np.float64)], 1)
    found = []
    for pair in PAIRS:
        was_mm, now_mm = (_difference(mesh, pair, turn, origin) * mm_per_px
                          for mesh in (start.astype(np.float64), moved))  # fmt: skip
        natural_mm = NATURAL_WIDTH_MM if pair.across else NATURAL_HEIGHT_MM
        found.append(Evenness(pair.name, was_mm, now_mm, natural_mm))
    return (*found, _openings(start, moved, turn, mm_per_px))


def _difference(
    mesh: NDArray[np.float64], pair: Pair, turn: NDArray[np.float64], origin: NDArray[np.float64]
) -> float:
    right, left = (mesh[[pair.right, pair.left]] - origin) @ turn
    if pair.across:
        return float(left[0] + right[0])  # right lies on the negative side
    return float(right[1] - left[1])  # y goes down: the higher one is the larger


def _openings(
    start: Mesh, moved: NDArray[np.float64], turn: NDArray[np.float64], mm_per_px: float
) -> Evenness:
    """How far the eyes are open."""
    def difference(mesh: NDArray[np.float64]) -> float:
        heights = [np.ptp((mesh[list(lids(side))] @ turn)[:, 1]) for side in (0, 1)]
        return float(heights[1] - heights[0]) * mm_per_px

    return Evenness("eye opening", difference(start.astype(np.float64)), difference(moved),
                    NATURAL_HEIGHT_MM)  # fmt: skip
