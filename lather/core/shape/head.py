"""How a head is turned, by its mesh: its own axes, its width, and the plane of the face.

A rigid fit of a mean face to the mesh, which has depth (Umeyama 1991, "Least-squares estimation of
transformation parameters between two point patterns").
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lather.core.survey.faces.mesh_fit import mean_face

Mesh = NDArray[np.float32]  # (510, 3): x, y, and depth away from the camera, px
Matrix = NDArray[np.float64]

FACE_SIDES = (234, 454)
# Points that a smile or a raised brow moves least.
_RIGID = (33, 133, 263, 362, 168, 6, 197, 195, 127, 356, 234, 454, 10, 152, 98, 327, 58, 288)


def head_axes(mesh: Mesh) -> tuple[Matrix, NDArray[np.float64]]:
    """The head's own axes as columns (towards its left, down, away), and its origin, px:
    (mesh - origin) @ axes are its places in them."""
    mean = mean_face()[list(_RIGID)].astype(np.float64)
    places = mesh[list(_RIGID)].astype(np.float64)
    middle, mean_middle = places.mean(0), mean.mean(0)
    left, sizes, right = np.linalg.svd((mean - mean_middle).T @ (places - middle))
    flip = np.array([1.0, 1.0, np.sign(np.linalg.det(left @ right))])
    turn = (left * flip) @ right
    scale = float((sizes * flip).sum() / ((mean - mean_middle) ** 2).sum())
    return turn.T, middle - scale * mean_middle @ turn


def face_plane(mesh: Mesh) -> Matrix:
    """(2, 2): a way in the plane of the face, towards its left and down, as rows of the picture."""
    axes, _ = head_axes(mesh)
    return axes.T[:2, :2]


def face_width_px(mesh: Mesh) -> float:
    """The distance of the points beside the ears, in space: a turned head is as wide."""
    right, left = mesh[list(FACE_SIDES)].astype(np.float64)
    return float(np.linalg.norm(right - left))
