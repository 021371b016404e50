"""Places relative to a face: the triangle of its mesh that they lie in, so that they can be found
again on another picture of the person.

The triangles are the Delaunay triangulation (Delaunay 1934) of the mean face, seen from the front;
they are kept as a file, so that a number means the same for ever.
"""

from __future__ import annotations

import json
import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lather.core.survey.faces.geometry import FaceGeometry, Point
from lather.core.survey.faces.mesh_fit import Mesh, fitted_points
from lather.core.survey.faces.mesh_points import CHIN, N_POINTS, OVAL, TEMPLES
from lather.paths import ASSETS

TRIANGLES = ASSETS / "models" / "mesh_triangles.json"
AROUND = (TEMPLES[0], TEMPLES[1], CHIN)  # of what lies beside the face: large, and never flat
_SLACK = 0.02  # of a weight: a place on the rim of the mesh lies in its last triangle


@dataclass(frozen=True)
class FacePlace:
    """A place relative to a face.

    Attributes
    ----------
    face : which of the faces that were measured, the largest first.
    triangle : the numbers of three points of its mesh (`mesh_points`).
    weights : of those points, 1 together; for a place outside of the mesh, which goes by the
        temples and the chin, some are negative.
    inside_mm : how far inside of the face's outline, negative outside of it; None without a scale.
    """

    face: int
    triangle: tuple[int, int, int]
    weights: tuple[float, float, float]
    inside_mm: float | None = None

    def __post_init__(self) -> None:
        if not all(0 <= number < N_POINTS for number in self.triangle):
            raise ValueError(f"a face has no triangle {self.triangle}")
        if not all(map(math.isfinite, self.weights)) or abs(sum(self.weights) - 1) > 1e-2:
            raise ValueError(f"weights {self.weights} are not 1 together")

    def on(self, points: Mesh) -> Point:
        """Where it lies on a mesh, (510, 3): px."""
        x, y = np.array(self.weights) @ points[list(self.triangle), :2].astype(np.float64)
        return float(x), float(y)


class FaceGrid:
    """A face's mesh, ready to have places found on it."""

    def __init__(self, face: FaceGeometry, number: int = 0) -> None:
        self.number = number
        self.points = fitted_points(face)
        flat = self.points[:, :2].astype(np.float64)
        numbers = np.vstack([triangles(), AROUND])
        corners = flat[numbers]
        self._last = corners[:, 2]
        edges = np.stack([corners[:, 0] - self._last, corners[:, 1] - self._last], -1)
        solid = np.abs(np.linalg.det(edges)) > 1e-9
        self._numbers, self._last = numbers[solid], self._last[solid]
        self._outer = len(self._numbers) - 1  # what lies in no other
        self._inverse = np.linalg.inv(edges[solid])
        self._outline = flat[list(OVAL)]

    def place(self, x: float, y: float, mm_per_px: float | None = None) -> FacePlace:
        """Where a point of the photo lies on the face; where the mesh lies double, on the triangle
        in front."""
        two = np.einsum("nij,nj->ni", self._inverse, np.array([x, y]) - self._last)
        weights = np.column_stack([two, 1 - two.sum(1)])
        holds = np.flatnonzero(weights.min(1) >= -_SLACK)
        holds = holds[holds != self._outer]
        if len(holds):
            depth = (weights[holds] * self.points[self._numbers[holds], 2]).sum(1)
            at = int(holds[np.argmin(depth)])
        else:
            at = self._outer
        inside_mm = None if mm_per_px is None else round(self.inside_px(x, y) * mm_per_px, 2)
        a, b, c = map(int, self._numbers[at])
        first, second = (round(float(w), 4) for w in weights[at, :2])
        return FacePlace(self.number, (a, b, c), (first, second, round(1 - first - second, 4)),
                         inside_mm)  # fmt: skip

    def inside_px(self, x: float, y: float) -> float:
        """How far inside of the outline a point lies; negative outside."""
        return inside_ring_px(self._outline, x, y)


def inside_ring_px(ring: NDArray[np.float64], x: float, y: float) -> float:
    """How far inside of a ring, (N, 2) px, a point lies; negative outside."""
    start, end = ring, np.roll(ring, -1, 0)
    way, to = end - start, np.array([x, y]) - start
    share = np.clip((way * to).sum(1) / np.maximum((way**2).sum(1), 1e-12), 0, 1)
    away = float(np.sqrt((((share[:, None] * way) - to) ** 2).sum(1)).min())
    crosses = (start[:, 1] > y) != (end[:, 1] > y)
    at_x = start[:, 0] + way[:, 0] * (y - start[:, 1]) / np.where(way[:, 1] == 0, 1, way[:, 1])
    is_inside = bool(np.count_nonzero(crosses & (x < at_x)) % 2)
    return away if is_inside else -away


@lru_cache(maxsize=1)
def triangles() -> NDArray[np.int64]:
    """(N, 3): numbers of points of the mesh."""
    return np.array(json.loads(TRIANGLES.read_text()), dtype=np.int64)
