"""The other half: where a place of one half of a face lies on the other.

By a mesh every point of which has a counterpart on the other half. The mirror is a reflection
fitted to all the pairs, with what each pair deviates from it added near by (Shepard 1968), so that
bent, tilted and turned faces are mirrored along their own middle and in proportion. Without a face
it is the reflection in a line drawn by hand.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lather.core.shape.field import Points
from lather.core.shape.head import FACE_SIDES, face_plane
from lather.core.survey.faces.mesh_fit import mean_face
from lather.core.survey.faces.mesh_points import N_MESH
from lather.core.work import NEVER, CancelToken

AT_ONCE = 2048  # points
Indexes = NDArray[np.int64]
Matrix = NDArray[np.float64]

NEAR, AGAINST = 0.12, 3.0  # of the face's width, and the power: how deviations fade


@lru_cache(maxsize=1)
def counterparts() -> Indexes:
    """(468,): the number of each point's counterpart, itself on the middle."""
    mean = mean_face()[:N_MESH]
    flipped = mean * (-1, 1, 1)
    away = ((flipped[:, None] - mean[None]) ** 2).sum(-1)
    return np.asarray(away.argmin(1), dtype=np.int64)


@dataclass(frozen=True, eq=False)
class Mirror:
    """Where places are on the other half.

    Attributes
    ----------
    turn, shift : of the reflection q = p @ turn + shift.
    ways : (2, 2): a displacement v is v @ ways there: as far, by the head's own axes.
    places, deviations : (N, 2): points, and how far their counterparts lie off the reflection.
    near_px : how near deviations count; 0 without a face.
    """

    turn: Matrix
    shift: NDArray[np.float64]
    ways: Matrix
    places: Points
    deviations: Points
    near_px: float

    def of(self, points: Points, cancel: CancelToken = NEVER) -> Points:
        """(N, 2): the same places on the other half."""
        points = np.asarray(points, dtype=np.float64)
        mirrored = points @ self.turn + self.shift
        if len(self.places):
            for first in range(0, len(points), AT_ONCE):
                cancel.check()
                part = slice(first, first + AT_ONCE)
                mirrored[part] += self._deviation(points[part])
        return mirrored

    def _deviation(self, points: Points) -> Points:
        """How far off the reflection places lie."""
        square = ((points[:, None] - self.places[None]) ** 2).sum(-1)
        weight = 1 / (square / self.near_px**2 + 1e-4) ** (AGAINST / 2)
        # The one more stands for no deviation: far from the face there is only the reflection.
        total = weight.sum(1, keepdims=True) + 1.0
        out: Points = weight @ self.deviations / total
        return out

    def way(self, by: tuple[float, float]) -> tuple[float, float]:
        """A displacement on the other half."""
        x, y = np.array(by) @ self.ways
        return float(x), float(y)

    def side(self, points: Points) -> NDArray[np.float64]:
        """(N,): how far places lie from the middle, px: the half that lies right in the picture of
        an upright face is positive."""
        across = self.across
        out: NDArray[np.float64] = (np.asarray(points) - self.of(points)) @ across / 2
        return out

    @property
    def across(self) -> NDArray[np.float64]:
        """The direction from one half to the other, of length 1: it is what the reflection turns
        round."""
        values, vectors = np.linalg.eig(self.turn)
        found = np.real(vectors[:, int(np.argmin(np.real(values)))])
        out: NDArray[np.float64] = found if found[0] >= 0 else -found
        return out


def face_mirror(points: NDArray[np.float32]) -> Mirror:
    """The mirror of a face by its mesh, (510, 3)."""
    places = points[:N_MESH, :2].astype(np.float64)
    others = places[counterparts()]
    turn, shift = _reflection(places, others)
    width_px = float(np.linalg.norm(places[FACE_SIDES[0]] - places[FACE_SIDES[1]]))
    plane = face_plane(points)
    ways = np.linalg.inv(plane) @ np.diag([-1.0, 1.0]) @ plane
    deviations = others - (places @ turn + shift)
    return Mirror(turn, shift, ways, places, deviations, NEAR * width_px)


def line_mirror(x0: float, y0: float, x1: float, y1: float) -> Mirror:
    """The reflection in a line."""
    angle = 2 * math.atan2(y1 - y0, x1 - x0)
    turn = np.array([[math.cos(angle), math.sin(angle)], [math.sin(angle), -math.cos(angle)]])
    start, none = np.array([x0, y0]), np.zeros((0, 2))
    return Mirror(turn, start - start @ turn, turn, none, none, 0.0)


def _reflection(places: Points, others: Points) -> tuple[Matrix, NDArray[np.float64]]:
    """The reflection, without a change of size, that brings places closest to others (Kabsch 1976,
    with the determinant of a reflection)."""
    middle, other_middle = places.mean(0), others.mean(0)
    left, _, right = np.linalg.svd((places - middle).T @ (others - other_middle))
    flip = np.diag([1.0, -np.sign(np.linalg.det(left @ right))])
    turn = left @ flip @ right
    return turn, other_middle - middle @ turn
