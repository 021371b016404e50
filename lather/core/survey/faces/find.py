"""The faces of a picture: mesh and handles, by the networks that ship with Lather.

Where a network's file is missing or damaged, OpenCV's cascades find the pupils, and the other
handles follow from mean proportions: less, and the survey says so.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.survey.faces import cascades
from lather.core.survey.faces.crops import reduced
from lather.core.survey.faces.detector import TILED_PX, WINDOWS, Box, detect_on_tiles, detect_whole
from lather.core.survey.faces.geometry import FaceGeometry
from lather.core.survey.faces.mesh import LEAST_SCORE, find_mesh, mesh_in
from lather.core.survey.faces.mesh_fit import face_of, fitted_points
from lather.core.survey.faces.networks import SHIPPED, Runner
from lather.core.survey.faces.person import find_person
from lather.core.work import NEVER, CancelToken
from lather.errors import ModelError

MOST_FACES = 60
LOOKED_AT_PX = 1600  # long side of the picture that large faces are looked at in
SHARP_PX = 192  # side of a face from which that is sharp enough for the mesh
# Pupil distances between a handle and the mesh: from which the mesh is looked for anew, and from
# which one lies on something else than the handles.
DRAGGED, ELSEWHERE = 0.3, 0.6
LEAST_PUPILS_PX = 4.0  # of a face whose parts can be told at all


@dataclass(frozen=True)
class Seen:
    """What the networks saw.

    Attributes
    ----------
    faces : the largest first; may be empty.
    person : (256, 256) 0-1 over the whole picture; None if its network is missing.
    lacking : why it is less than it could be, a clause for a person to read; "" if it is not.
    """

    faces: tuple[FaceGeometry, ...]
    person: Plane | None = None
    lacking: str = ""


def find_faces(
    rgb: FloatImage, cancel: CancelToken = NEVER, runner: Runner = SHIPPED
) -> Seen:
    """Faces seen from the front or from the side up to about 60 degrees.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1.
    """
    try:
        small, scale = reduced(rgb, LOOKED_AT_PX)
        boxes = detect_whole(reduced(small, TILED_PX)[0], cancel, runner)
        person = find_person(small, [box.turn for box in boxes], runner)
        cancel.check()
        return Seen(_by_mesh(rgb, small, scale, boxes, person, cancel, runner), person)
    except ModelError as error:
        return Seen(tuple(cascades.find_faces(rgb, cancel)), None, _lacking(error))


def with_meshes(
    rgb: FloatImage, faces: tuple[FaceGeometry, ...], cancel: CancelToken = NEVER,
    runner: Runner = SHIPPED,
) -> Seen:
    """Faces whose handles somebody set, with the meshes that are seen there.

    A mesh that the network is not sure of, or that lies elsewhere than the handles, is left out:
    the mean face stands in for it.
    """
    try:
        small = reduced(rgb, LOOKED_AT_PX)[0]
        person = find_person(small, [face.turn for face in faces], runner)
        meshed = []
        for face in faces:
            cancel.check()
            meshed.append(_with_mesh(rgb, face, runner))
        return Seen(tuple(meshed), person)
    except ModelError as error:
        return Seen(faces, None, _lacking(error))


def _lacking(error: ModelError) -> str:
    return f"{error.what}, since {error.why}: faces and regions are found less surely"


def _by_mesh(
    rgb: FloatImage, small: FloatImage, scale: float, boxes: list[Box], person: Plane,
    cancel: CancelToken, runner: Runner,
) -> tuple[FaceGeometry, ...]:
    """Faces by their meshes: those in the boxes of the whole picture, and what tiles show.

    `small` is the picture reduced by `scale`, enough for large ones.
    """
    tiny, by = reduced(small, TILED_PX)
    found: dict[Box, FaceGeometry] = {}

    def add(boxes: list[Box]) -> None:
        for box in boxes:
            cancel.check()
            if len(found) >= MOST_FACES or any(box.is_same(other) for other in found):
                continue
            near = box.enlarged(1 / by)
            if near.side_px < SHARP_PX:
                points, score = find_mesh(rgb, near.enlarged(1 / scale), runner)
            else:
                points, score = find_mesh(small, near, runner)
                points /= np.float32(scale)
            face = face_of(points)
            if score >= LEAST_SCORE and face.pupil_distance_px >= LEAST_PUPILS_PX and not any(
                _same(face, other) for other in found.values()
            ):
                found[box] = face

    add(boxes)
    for window in WINDOWS:
        add(detect_on_tiles(tiny, window, person, list(found), cancel, runner))
    return tuple(sorted(found.values(), key=lambda face: -face.pupil_distance_px))


def _same(face: FaceGeometry, other: FaceGeometry) -> bool:
    """True if two meshes lie on one face."""
    away = np.hypot(*(np.array(face.handles["nose_tip"]) - other.handles["nose_tip"]))
    return bool(away < max(face.pupil_distance_px, other.pupil_distance_px))


def _with_mesh(rgb: FloatImage, face: FaceGeometry, runner: Runner) -> FaceGeometry:
    if face.mesh and _farthest(face, face_of(np.array(face.mesh))) < DRAGGED:
        return face
    points, score = mesh_in(rgb, fitted_points(face), runner)
    measured = face_of(points)
    sure = score >= LEAST_SCORE and _farthest(face, measured) < ELSEWHERE
    return FaceGeometry(face.handles, measured.mesh if sure else (), face.extras)


def _farthest(face: FaceGeometry, other: FaceGeometry) -> float:
    """The longest way between the same handles of two faces, in pupil distances."""
    away = max(math.dist(place, other.handles[name]) for name, place in face.handles.items())
    return away / max(face.pupil_distance_px, 1e-6)
