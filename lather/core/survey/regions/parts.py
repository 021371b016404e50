"""The parts of a person's skin, derived from the mesh: nothing of it is stored."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lather.core.arrays import Plane
from lather.core.survey.faces.frame import Frame
from lather.core.survey.faces.mesh_fit import Mesh
from lather.core.survey.faces.mesh_points import (
    CHEEKS,
    CHIN_RING,
    FOREHEAD_LOWER,
    LEFT,
    LIDS,
    NOSE,
    OVAL,
    RIGHT,
    UNDER_EYES,
    UPPER_LIP,
)  # fmt: skip
from lather.core.survey.regions.outline import filled
from lather.core.survey.regions.region import Part

# In heights of the face.
FOREHEAD_HEIGHT = 0.9  # above the brows, at most: the hair ends it
EAR = (0.5, -0.15, 0.42)  # farthest from the middle of the oval's rim; from, to
NECK = (0.5, 0.36)  # half width; below the chin
# Where places overlap, the first one has what is there.
BY_RANK = (Part.UNDER_EYE_RIGHT, Part.UNDER_EYE_LEFT, Part.LID_RIGHT, Part.LID_LEFT, Part.NOSE,
           Part.UPPER_LIP, Part.CHEEK_RIGHT, Part.CHEEK_LEFT, Part.CHIN, Part.FOREHEAD, Part.EARS,
           Part.NECK, Part.BODY)  # fmt: skip


def skin_parts(skin: Plane, meshes: Sequence[Mesh], scale: float) -> dict[Part, Plane]:
    """(h, w) 0-1 each: which share of a pixel is skin of that part.

    Parameters
    ----------
    skin : (h, w) 0-1, the picture reduced by `scale`.
    meshes : (510, 3) each, px of the picture; the parts of all people are taken together.
    """
    shape = skin.shape[0], skin.shape[1]
    found = {part: np.zeros_like(skin) for part in Part}
    for mesh in meshes:
        for part, plane in _places(shape, mesh, scale).items():
            found[part] = np.maximum(found[part], plane)
    found[Part.BODY] = 1 - _heads(shape, meshes, scale)
    left = skin.copy()
    for part in BY_RANK:
        found[part] = np.minimum(found[part] * skin, left)
        left -= found[part]
    return found


def _places(shape: tuple[int, int], mesh: Mesh, scale: float) -> dict[Part, Plane]:
    """Where the parts of one face may lie, whatever is there."""
    points = mesh[:, :2] * np.float32(scale)
    frame = Frame.of(mesh)
    across, down = frame.axes(shape, scale)
    face = filled(shape, points[list(OVAL)])

    def ring(numbers: Sequence[int]) -> Plane:
        return filled(shape, points[list(numbers)])

    beside = (np.abs(across) < EAR[0] + 0.25) & (np.abs(across) > 0.2)
    ears = beside & (down > EAR[1]) & (down < min(EAR[2], frame.chin - 0.08))
    neck = (np.abs(across) < NECK[0]) & (down > 0.25) & (down < frame.chin + NECK[1])
    return {
        Part.FOREHEAD: _forehead(shape, points, frame, scale),
        Part.NOSE: ring(NOSE),
        Part.UNDER_EYE_RIGHT: ring(UNDER_EYES[RIGHT]),
        Part.UNDER_EYE_LEFT: ring(UNDER_EYES[LEFT]),
        Part.LID_RIGHT: ring(LIDS[RIGHT]),
        Part.LID_LEFT: ring(LIDS[LEFT]),
        Part.UPPER_LIP: ring(UPPER_LIP),
        Part.CHEEK_RIGHT: ring(CHEEKS[RIGHT]),
        Part.CHEEK_LEFT: ring(CHEEKS[LEFT]),
        Part.CHIN: ring(CHIN_RING),
        Part.EARS: ears * (1 - face),
        Part.NECK: neck * (1 - face),
    }


def _forehead(
    shape: tuple[int, int], points: Mesh, frame: Frame, scale: float
) -> Plane:
    """From the brows up: the mesh ends below the hairline, the forehead goes on above it."""
    up = np.array([frame.right_y, -frame.right_x]) * FOREHEAD_HEIGHT * frame.height_px * scale
    lower = points[list(FOREHEAD_LOWER)]
    return filled(shape, np.concatenate([lower, lower[-1:] + up, lower[:1] + up]))


def _heads(shape: tuple[int, int], meshes: Sequence[Mesh], scale: float) -> Plane:
    """Where skin is a head's, if of no part by name: lids, lips' surroundings, temples, scalp."""
    heads = np.zeros(shape, dtype=np.float32)
    for mesh in meshes:
        frame = Frame.of(mesh)
        across, down = frame.axes(shape, scale)
        near = (np.abs(across) < 0.8) & (down > -1.2) & (down < frame.chin)
        heads = np.maximum(heads, near.astype(np.float32))
    return heads
