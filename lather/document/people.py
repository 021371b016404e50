"""The people of a picture: whose a place is, and how large a millimetre is on each of them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from lather.core.survey.faces.geometry import FaceGeometry
from lather.document.findings import Findings
from lather.document.photo import Photo
from lather.document.scale import pixels_per_mm


def nearest_face(
    faces: Sequence[FaceGeometry], xs: NDArray[np.floating], ys: NDArray[np.floating]
) -> NDArray[np.int8]:
    """The number of the nearest face, in sizes of that face, for places in pixels of the photo; 0
    where there is none or one. Arrays are broadcast."""
    if len(faces) < 2:
        return np.zeros(np.broadcast_shapes(xs.shape, ys.shape), dtype=np.int8)
    away = []
    for face in faces:
        x, y = face.at(0, 0.5)
        away.append(np.hypot(xs - np.float32(x), ys - np.float32(y))
                    / np.float32(face.pupil_distance_px))  # fmt: skip
    return np.asarray(np.argmin(away, axis=0), dtype=np.int8)


def people_of(
    faces: Sequence[FaceGeometry], width: int, height: int, px: float
) -> NDArray[np.int8]:
    """(height, width): `nearest_face` over a whole picture whose pixels are `px` of the photo's."""
    xs, ys = ((np.arange(n, dtype=np.float32) + np.float32(0.5)) * np.float32(px)
              for n in (width, height))  # fmt: skip
    return nearest_face(faces, xs[None], ys[:, None])


def person_at(findings: Findings, x: float, y: float) -> int:
    """Whose face is nearest to a place of the photo; 0, the largest one's, without any."""
    return int(nearest_face(findings.faces, np.array([x]), np.array([y]))[0])


def scale_by_hand(findings: Findings) -> float | None:
    """The scale that somebody set, mm per px; None where every face goes by its own pupils."""
    faces, scale = findings.faces, findings.mm_per_px
    return None if faces and scale == faces[0].mm_per_px() else scale


def px_per_mm_of(findings: Findings, person: int, photo: Photo) -> float:
    """On that person: by their own pupils, or by the scale that somebody set."""
    scale = scale_by_hand(findings)
    if scale is not None:
        return 1 / scale
    if person < len(findings.faces):
        return 1 / findings.faces[person].mm_per_px()
    return float(pixels_per_mm(photo))


def pupil_distance_mm(findings: Findings, person: int) -> float:
    """In space, as the scale has it: a turned head has no closer pupils."""
    face, scale = findings.faces[person], findings.mm_per_px
    return face.pupil_distance_in_space_px * (scale or face.mm_per_px())
