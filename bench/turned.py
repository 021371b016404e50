"""A demo portrait, its head turned through the depth of its own mesh."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.survey.faces.geometry import FaceGeometry
from lather.core.survey.faces.mesh_fit import HANDLE_POINTS, fitted_points
from lather.core.survey.faces.mesh_points import N_MESH
from lather.document.findings import Findings
from lather.document.photo import Photo
from lather.document.state import JobState, new_state

FAR_PX = 60.0


@lru_cache(maxsize=4)
def turned_state(number: int, degrees: float) -> JobState:
    """The portrait with its head turned, and the face as a survey would have it there."""
    from lather.assist.survey import survey_photo, surveyed, with_survey
    from lather.paths import demo_dir

    small = cv2.imread(str(demo_dir() / f"portrait{number}.jpg"))
    assert small is not None
    photo = Photo(np.ascontiguousarray(small[..., ::-1]), name="turned.png")
    state = with_survey(new_state(photo), surveyed(survey_photo(photo)))
    mesh = fitted_points(state.findings.faces[0])
    turned = turned_mesh(mesh, degrees)
    samples = _warped(photo.samples, mesh[:N_MESH, :2], turned[:N_MESH, :2])
    handles = {name: (float(turned[n, 0]), float(turned[n, 1]))
               for name, n in HANDLE_POINTS.items()}  # fmt: skip
    face = FaceGeometry(handles, tuple(map(tuple, turned.tolist())))
    mm_per_px = state.findings.mm_per_px
    assert mm_per_px is not None
    findings = Findings.of_survey(mm_per_px, [], [face])
    return replace(new_state(Photo(samples, name="turned.png")), findings=findings)


def turned_mesh(mesh: NDArray[np.float32], degrees: float) -> NDArray[np.float32]:
    """(510, 3): about the vertical through its middle."""
    turn = math.radians(degrees)
    by = np.array([[math.cos(turn), 0, math.sin(turn)], [0, 1, 0],
                   [-math.sin(turn), 0, math.cos(turn)]])  # fmt: skip
    middle = mesh.mean(0)
    return np.asarray((mesh - middle) @ by.T + middle, dtype=np.float32)


def _warped(
    samples: NDArray[np.uint8], was: NDArray[np.float32], now: NDArray[np.float32]
) -> NDArray[np.uint8]:
    """The picture with its points moved, what is between them by inverse distance (Shepard)."""
    height, width = samples.shape[:2]
    step = 8
    y, x = np.mgrid[:height:step, :width:step].astype(np.float32)
    places = np.stack([x, y], -1).reshape(-1, 2)
    shift = np.zeros_like(places)
    for first in range(0, len(places), 4096):
        part = places[first : first + 4096]
        square = ((part[:, None] - now[None]) ** 2).sum(-1)
        weight = 1 / (square / FAR_PX**2 + 1e-3) ** 1.5
        shift[first : first + 4096] = weight @ (was - now) / (weight.sum(1, keepdims=True) + 1.0)
    dense = cv2.resize(shift.reshape(*x.shape, 2), (width, height))
    ys, xs = np.mgrid[:height, :width].astype(np.float32)
    out: NDArray[np.uint8] = cv2.remap(
        samples, xs + dense[..., 0], ys + dense[..., 1], cv2.INTER_CUBIC,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    return out


