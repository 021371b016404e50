"""Brows and lashes: hairs darker than the skin they grow on, within the places the mesh gives."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.density import optical_density
from lather.core.survey.faces.crops import Crop, Points
from lather.core.survey.faces.mesh import eye_crop
from lather.core.survey.faces.mesh_points import BROWS, LEFT, RIGHT, lids
from lather.core.survey.regions.eyes import SIDE_PX as EYE_SIDE_PX
from lather.core.survey.regions.outline import inside_by

SIDE_PX, MARGIN = 384, 1.5  # of the cut-out: px, of the larger side of brow and eye
BROW_REACH, LASH_REACH = 0.10, 0.22  # beyond the mesh's ring, in widths of brow and eye
SOFTNESS = 0.03
HAIR_PX = 25  # wider dark places are shade: the skin's own darkness is measured beyond them
LEAST_DARKNESS = 0.12  # density above the skin's at which a hair begins
FULL_SHARE = 0.62  # of the darkest hairs' density at which a pixel is all hair


def brow_crop(points: Points, side: int) -> Crop:
    """The square around a brow and its eye, turned by the eyes."""
    places = points[[*BROWS[side], *lids(side)], :2]
    right, left = (points[list(lids(s)), :2].mean(0) for s in (RIGHT, LEFT))
    step = left - right
    x, y = (places.min(0) + places.max(0)) / 2
    side_px = MARGIN * max(float(np.ptp(places, axis=0).max()), 1.0)
    return Crop(float(x), float(y), side_px, float(np.arctan2(step[1], step[0])))


def find_brow(rgb: FloatImage, points: Points, side: int, eye: Plane) -> tuple[Crop, Plane]:
    """Where the cut-out lies, and the hairs of a brow and its lashes there, (384, 384) 0-1.

    Parameters
    ----------
    eye : of the eye's own cut-out: white and iris, which are no lashes.
    """
    crop = brow_crop(points, side)
    cut = crop.cut(rgb, SIDE_PX)
    darkness = optical_density(cut).darkness
    shape = SIDE_PX, SIDE_PX
    brow = crop.own(points[list(BROWS[side])], SIDE_PX)
    rim = crop.own(points[list(lids(side))], SIDE_PX)
    place = np.maximum(
        _within(inside_by(shape, brow) / np.float32(np.ptp(brow[:, 0])), BROW_REACH),
        _within(inside_by(shape, rim) / np.float32(np.ptp(rim[:, 0])), LASH_REACH),
    )
    opening = _moved(eye, eye_crop(points, side), crop)
    element = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (HAIR_PX, HAIR_PX))
    bare = cv2.GaussianBlur(cv2.morphologyEx(darkness, cv2.MORPH_OPEN, element), (0, 0), 6)
    above = darkness - bare
    return crop, _share(above, place * (1 - opening), inside_by(shape, brow) > 0)


def _share(above: Plane, place: Plane, brow: NDArray[np.bool_]) -> Plane:
    """How much of a pixel is hair, by how much darker than skin it is."""
    if not brow.any():
        return np.zeros_like(above)
    full = max(3 * LEAST_DARKNESS, FULL_SHARE * float(np.percentile(above[brow], 90)))
    share: Plane = place * np.clip((above - LEAST_DARKNESS) / (full - LEAST_DARKNESS), 0, 1)
    return share.astype(np.float32)


def _within(inside: Plane, reach: float) -> Plane:
    """1 inside and up to a reach beyond, softly 0 farther out."""
    soft: Plane = np.clip((inside + reach) / SOFTNESS + 0.5, 0, 1).astype(np.float32)
    return soft


def _moved(plane: Plane, source: Crop, to: Crop) -> Plane:
    """A plane of one cut-out in another one."""
    corners = np.array([[0, 0], [EYE_SIDE_PX, 0], [0, EYE_SIDE_PX]], dtype=np.float32)
    there = to.own(source.placed(corners, EYE_SIDE_PX), SIDE_PX)
    matrix = cv2.getAffineTransform(corners - 0.5, (there - 0.5).astype(np.float32))
    return np.asarray(cv2.warpAffine(plane, matrix, (SIDE_PX, SIDE_PX), flags=cv2.INTER_LINEAR))
