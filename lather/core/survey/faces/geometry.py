"""A face by its eight handles and its mesh, and the scale they give."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from lather.core.bounds import FACE, refuse_beyond
from lather.core.survey.faces.mesh_points import EYE_CORNERS, LEFT, RIGHT

PUPIL_DISTANCE_MM = 63.0  # adults; infants about 40

Point = tuple[float, float]
Point3 = tuple[float, float, float]

# Across (towards the left of the person) and down from between the pupils, in pupil distances.
# Mean proportions of adults: Farkas 1994, "Anthropometry of the Head and Face".
_PLACES: dict[str, Point] = {
    "pupil_right": (-0.5, 0.0),
    "pupil_left": (0.5, 0.0),
    "mouth_right": (-0.4, 1.1),
    "mouth_left": (0.4, 1.1),
    "nose_tip": (0.0, 0.62),
    "chin": (0.0, 1.85),
    "temple_right": (-1.1, 0.0),
    "temple_left": (1.1, 0.0),
}
HANDLES = tuple(_PLACES)


@dataclass(frozen=True)
class FaceGeometry:
    """A face by its handles, in pixels of the photo; left and right are the person's own.

    Attributes
    ----------
    mesh : x, y, z of the points that `mesh_points` names, as the networks gave them; empty if
        they did not see a face. Handles that were dragged win over it: see `mesh_fit`.
    extras : fields of a newer Lather, kept and saved again.
    """

    handles: dict[str, Point]
    mesh: tuple[Point3, ...] = ()
    extras: Mapping[str, Any] = field(default_factory=dict, hash=False)

    def __post_init__(self) -> None:
        refuse_beyond("a face", FACE, self)

    @classmethod
    def from_pupils(cls, right: Point, left: Point) -> FaceGeometry:
        """The other handles by mean proportions."""
        face = cls({"pupil_right": right, "pupil_left": left})
        guessed = {name: face.at(*place) for name, place in _PLACES.items()}
        return cls({**guessed, **face.handles})

    @property
    def pupil_distance_px(self) -> float:
        return math.dist(self.handles["pupil_right"], self.handles["pupil_left"])

    @property
    def turn(self) -> float:
        """Of the line through the pupils, radians; 0 for level eyes, towards y."""
        (rx, ry), (lx, ly) = self.handles["pupil_right"], self.handles["pupil_left"]
        return math.atan2(ly - ry, lx - rx)

    def mm_per_px(self, pupil_distance_mm: float = PUPIL_DISTANCE_MM) -> float:
        """The scale; a mesh says how much shorter a turned face's pupil distance looks."""
        return pupil_distance_mm / self.pupil_distance_in_space_px

    @property
    def pupil_distance_in_space_px(self) -> float:
        """As it would be seen from the front."""
        return self.pupil_distance_px * self._foreshortening()

    def _foreshortening(self) -> float:
        if not self.mesh:
            return 1.0
        right, left = (
            np.mean([self.mesh[n] for n in EYE_CORNERS[side]], axis=0) for side in (RIGHT, LEFT)
        )
        flat = math.dist(right[:2], left[:2])
        return math.dist(right, left) / max(flat, 0.25 * math.dist(right, left), 1e-6)

    def at(self, across: float, down: float) -> Point:
        """The point so many pupil distances from the middle between the pupils."""
        (rx, ry), (lx, ly) = self.handles["pupil_right"], self.handles["pupil_left"]
        ax, ay = lx - rx, ly - ry
        return (rx + lx) / 2 + across * ax - down * ay, (ry + ly) / 2 + across * ay + down * ax

    def place_of(self, x: float, y: float) -> Point:
        """Across and down of a point, in pupil distances: the inverse of `at`."""
        (ox, oy), (ax, ay) = self.at(0, 0), self.at(1, 0)
        dx, dy = ax - ox, ay - oy
        square = dx * dx + dy * dy
        return (
            ((x - ox) * dx + (y - oy) * dy) / square,
            ((y - oy) * dx - (x - ox) * dy) / square,
        )

    def scaled(self, factor: float) -> FaceGeometry:
        """The same face in a picture that is `factor` times as large."""
        handles = {n: (x * factor, y * factor) for n, (x, y) in self.handles.items()}
        mesh = tuple((x * factor, y * factor, z * factor) for x, y, z in self.mesh)
        return replace(self, handles=handles, mesh=mesh)

    def shifted(self, dx: float, dy: float) -> FaceGeometry:
        handles = {n: (x + dx, y + dy) for n, (x, y) in self.handles.items()}
        mesh = tuple((x + dx, y + dy, z) for x, y, z in self.mesh)
        return replace(self, handles=handles, mesh=mesh)

    def with_handle(self, name: str, x: float, y: float) -> FaceGeometry:
        """The face with one handle somewhere else."""
        return replace(self, handles={**self.handles, name: (x, y)})
