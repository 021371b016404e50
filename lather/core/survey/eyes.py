"""The eyes: the opening between the lids, the iris and the white in it.

The network says about where the lids are; this person's own colours say where the eye ends: two
mixtures, one of what lies within and one of the skin around, are fitted in turn with what they
cover, and the lids are smooth curves. Lashes are thin and dark: a closing takes them away first.
The iris is the circle along whose visible rim the light rises most (Daugman 1993, the
integro-differential operator).
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.guided import Guide
from lather.core.survey.crops import Crop, Points
from lather.core.survey.mesh import EYE_MARGIN, eye_crop
from lather.core.survey.mesh_points import iris, lids
from lather.core.survey.mixture import fit
from lather.core.survey.outline import between_smooth_rims, disc_at, inside_by

SIDE_PX = 256  # of the cut-out that an eye is looked at in
WIDTH_PX = SIDE_PX / EYE_MARGIN  # between the eye's corners there
LASH_PX = 7
N_ROUNDS = 3
# Lengths in eye widths.
INSIDE, AROUND, FARTHEST = 0.05, (0.5, 0.16), 0.2  # surely eye, surely skin, the lids at most
RIM, RIM_SOFTNESS = 0.05, 0.02  # the opening is larger than the network says
IRIS_SHIFT, IRIS_RADII, USUAL_RADIUS = (0.14, 0.10), (0.16, 0.30), 0.225
_VARIANCE = np.array([6.0, 2.0, 2.0], dtype=np.float32)
_MOST_EVIDENCE = 6.0


def find_eye(rgb: FloatImage, points: Points, side: int) -> tuple[Crop, Plane, Plane]:
    """Where an eye's cut-out lies, and its white and iris there, (256, 256) 0-1.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1.
    points : (510, 3) mesh in px of `rgb`.
    side : `mesh_points.RIGHT` or `LEFT`.
    """
    crop = eye_crop(points, side)
    cut = crop.cut(rgb, SIDE_PX)
    lab = cv2.cvtColor(cut, cv2.COLOR_RGB2Lab)
    opening = _opening(cut, lab, crop.own(points[list(lids(side))], SIDE_PX))
    guess = crop.own(points[list(iris(side))], SIDE_PX)[0]
    found = _iris(lab[..., 0], opening, float(guess[0]), float(guess[1]))
    return crop, opening * (1 - found), opening * found


def _opening(cut: FloatImage, lab: FloatImage, ring: Points) -> Plane:
    shape = cut.shape[0], cut.shape[1]
    inside = inside_by(shape, ring) / np.float32(WIDTH_PX)
    element = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (LASH_PX, LASH_PX))
    bare = cv2.cvtColor(cv2.morphologyEx(cut, cv2.MORPH_CLOSE, element), cv2.COLOR_RGB2Lab)
    looks = cv2.GaussianBlur(bare, (0, 0), 1.5)
    near = inside > -AROUND[0]
    eye, skin = inside > INSIDE, near & (inside < -AROUND[1])
    guide = Guide(lab, 5, 15.0)
    share = (inside > 0).astype(np.float32)
    for _ in range(N_ROUNDS):
        if eye.sum() < 30 or skin.sum() < 30:
            return np.zeros(shape, dtype=np.float32)  # closed
        samples = looks.reshape(-1, 3)
        evidence = fit(looks[eye], 4, _VARIANCE).log_density(samples)
        evidence -= fit(looks[skin], 5, _VARIANCE).log_density(samples)
        place = np.clip((inside + RIM) / RIM_SOFTNESS, -_MOST_EVIDENCE, _MOST_EVIDENCE)
        score = place + np.clip(evidence.reshape(shape), -_MOST_EVIDENCE, _MOST_EVIDENCE)
        share = (1 / (1 + np.exp(-score))).astype(np.float32)
        share[inside < -FARTHEST] = 0
        share = guide.refine(share)
        eye, skin = share > 0.8, near & (share < 0.2)
    return between_smooth_rims(share, degree=4, opening_px=4, outward_px=1.0, inward_px=4.0)


def _iris(light: Plane, opening: Plane, x: float, y: float) -> Plane:
    """The disc of the iris, whose middle the network puts at a place."""
    smooth = cv2.GaussianBlur(light, (0, 0), 1.0)
    turns = np.radians(np.arange(0, 360, 7.5))
    columns = x + np.arange(-IRIS_SHIFT[0] * WIDTH_PX, IRIS_SHIFT[0] * WIDTH_PX + 1, 2)
    rows = y + np.arange(-IRIS_SHIFT[1] * WIDTH_PX, IRIS_SHIFT[1] * WIDTH_PX + 1, 2)
    radii = np.arange(IRIS_RADII[0] * WIDTH_PX, IRIS_RADII[1] * WIDTH_PX)
    xs, ys, rs = (v.ravel() for v in np.meshgrid(columns, rows, radii, indexing="ij"))

    def along(plane: Plane, further_px: float) -> NDArray[np.float32]:
        reach = (rs + further_px)[:, None]
        map_x = (xs[:, None] + reach * np.cos(turns) - 0.5).astype(np.float32)
        map_y = (ys[:, None] + reach * np.sin(turns) - 0.5).astype(np.float32)
        return np.asarray(cv2.remap(plane, map_x, map_y, cv2.INTER_LINEAR,
                                    borderMode=cv2.BORDER_REPLICATE))  # fmt: skip

    seen = (along(opening, 3) > 0.6) & (along(opening, -2) > 0.6)
    rise = np.clip(along(smooth, 2) - along(smooth, -2), -15, 25)
    score = (rise * seen).sum(1) / np.maximum(seen.sum(1), 10)
    score -= 0.5 * ((xs - x) ** 2 + (ys - y) ** 2) / (0.1 * WIDTH_PX) ** 2
    score -= ((rs / (USUAL_RADIUS * WIDTH_PX) - 1) / 0.2) ** 2
    best = int(np.argmax(score))
    shape = light.shape[0], light.shape[1]
    return disc_at(shape, float(xs[best]), float(ys[best]), float(rs[best]))
