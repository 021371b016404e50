"""The mesh of a face as it is used: on the face's handles, wherever they were dragged to."""

from __future__ import annotations

import json
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lather.core.survey.faces.geometry import FaceGeometry, Point3
from lather.core.survey.faces.mesh_points import (
    CHIN,
    LEFT,
    MOUTH_CORNERS,
    NOSE_TIP,
    RIGHT,
    TEMPLES,
    iris,
)  # fmt: skip
from lather.paths import ASSETS

Mesh = NDArray[np.float32]  # (510, 3)

HANDLE_POINTS = {
    "pupil_right": iris(RIGHT)[0], "pupil_left": iris(LEFT)[0],
    "mouth_right": MOUTH_CORNERS[RIGHT], "mouth_left": MOUTH_CORNERS[LEFT],
    "nose_tip": NOSE_TIP, "chin": CHIN,
    "temple_right": TEMPLES[RIGHT], "temple_left": TEMPLES[LEFT],
}  # fmt: skip
MEAN_FACE = ASSETS / "models" / "mean_face.json"


def face_of(points: Mesh) -> FaceGeometry:
    """The face that a mesh describes; places are rounded to a hundredth of a pixel."""
    mesh: tuple[Point3, ...] = tuple(
        (round(float(x), 2), round(float(y), 2), round(float(z), 2)) for x, y, z in points
    )
    handles = {name: mesh[n][:2] for name, n in HANDLE_POINTS.items()}
    return FaceGeometry(handles, mesh)


def fitted_points(face: FaceGeometry) -> Mesh:
    """(510, 3): the face's mesh, or a mean one, moved so that its points lie on the handles.

    Between the handles the shift is their mean by inverse squared distance (Shepard 1968), so
    that a face shifted as a whole stays as it is.
    """
    points = np.array(face.mesh, dtype=np.float32) if face.mesh else _mean_on(face)
    numbers = [HANDLE_POINTS[name] for name in face.handles]
    shift = np.array(list(face.handles.values()), dtype=np.float32) - points[numbers, :2]
    if float(np.abs(shift).max()) < 0.02:  # as measured
        return points
    away = points[:, None, :2] - points[None, numbers, :2]
    weight = 1 / ((away**2).sum(-1) + np.float32(1e-3))
    weight /= weight.sum(1, keepdims=True)
    points[:, :2] += weight @ shift
    return points


def _mean_on(face: FaceGeometry) -> Mesh:
    """The mean face between this one's pupils."""
    mean = mean_face()
    (ox, oy), (ax, ay) = face.at(0, 0), face.at(1, 0)
    across, down = np.array([ax - ox, ay - oy]), np.array([oy - ay, ax - ox])
    places = mean[:, :1] * across + mean[:, 1:2] * down + np.array([ox, oy])
    return np.column_stack([places, mean[:, 2] * face.pupil_distance_px]).astype(np.float32)


@lru_cache(maxsize=1)
def mean_face() -> Mesh:
    """(510, 3) in pupil distances from between the pupils: across, down, away."""
    return np.array(json.loads(MEAN_FACE.read_text()), dtype=np.float32)
