"""The mesh of a face: 468 points, the rims of the lids and the irises, from two networks.

Sources: Kartynnik et al. 2019, "Real-time Facial Surface Geometry from Monocular Video on Mobile
GPUs"; Ablavatski et al. 2020, "Real-time Pupil Tracking from Monocular Video".
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage
from lather.core.survey.faces.crops import Crop, Points
from lather.core.survey.faces.detector import Box
from lather.core.survey.faces.mesh_points import (
    EYE_CORNERS,
    LEFT,
    N_EYE,
    N_IRIS,
    N_LIDS,
    N_MESH,
    RIGHT,
)  # fmt: skip
from lather.core.survey.faces.networks import SHIPPED, Network, Runner, sigmoid

MARGIN, EYE_MARGIN = 1.5, 2.3  # sides of the crops: of the face's, of the distance of eye corners
LEAST_SCORE = 0.5
_N_CONTOUR = 71  # points of an eye that the network gives; the first are the lids' rim


def find_mesh(
    rgb: FloatImage, box: Box, runner: Runner = SHIPPED
) -> tuple[NDArray[np.float32], float]:
    """The mesh of the face in a box, and how sure the network is, 0-1.

    Returns
    -------
    points : (510, 3) x, y, z in px of the picture; the order is that of `mesh_points`. z grows
        away from the camera, from the middle of the head.
    """
    points, _ = _face(rgb, Crop(box.x, box.y, MARGIN * box.side_px, box.turn), runner)
    return mesh_in(rgb, points, runner)


def mesh_in(
    rgb: FloatImage, about: Points, runner: Runner = SHIPPED
) -> tuple[NDArray[np.float32], float]:
    """The same for a face whose points are known more or less: (468 or 510, 3)."""
    points, score = _face(rgb, _settled(about[:N_MESH]), runner)
    eyes = [_eye(rgb, points, side, runner) for side in (RIGHT, LEFT)]
    return np.concatenate([points, *eyes]).astype(np.float32), score


def _face(rgb: FloatImage, crop: Crop, runner: Runner) -> tuple[Points, float]:
    side = Network.MESH.side_px
    outputs = runner.run(Network.MESH, crop.cut(rgb, side))
    score = float(sigmoid(outputs[1])[0])
    return crop.placed(outputs[3 * N_MESH].reshape(N_MESH, 3), side), score


def _settled(points: Points) -> Crop:
    """The square for the second pass."""
    low, high = points[:, :2].min(0), points[:, :2].max(0)
    x, y = (low + high) / 2
    right, left = points[EYE_CORNERS[RIGHT][0]], points[EYE_CORNERS[LEFT][0]]
    turn = math.atan2(left[1] - right[1], left[0] - right[0])
    return Crop(float(x), float(y), MARGIN * float((high - low).max()), turn)


def eye_crop(points: Points, side: int) -> Crop:
    """The square around an eye: its outer corner on the right, as in a person's left eye."""
    outer, inner = (points[n] for n in EYE_CORNERS[side])
    start, end = (outer, inner) if side == RIGHT else (inner, outer)
    x, y = (outer[:2] + inner[:2]) / 2
    step = end[:2] - start[:2]
    return Crop(
        float(x), float(y), EYE_MARGIN * max(float(np.hypot(*step)), 1.0),
        math.atan2(float(step[1]), float(step[0])), mirrored=side == RIGHT,
    )  # fmt: skip


def _eye(rgb: FloatImage, points: Points, side: int, runner: Runner) -> Points:
    """(21, 3): the lids' rim, then the iris: its centre and four points of its rim."""
    crop = eye_crop(points, side)
    n_px = Network.EYE.side_px
    outputs = runner.run(Network.EYE, crop.cut(rgb, n_px))
    lids = outputs[3 * _N_CONTOUR].reshape(_N_CONTOUR, 3)[:N_LIDS]
    iris = outputs[3 * N_IRIS].reshape(N_IRIS, 3)
    eye = crop.placed(np.concatenate([lids, iris]), n_px)
    eye[:, 2] = np.mean([points[n, 2] for n in EYE_CORNERS[side]])
    assert len(eye) == N_EYE
    return eye
