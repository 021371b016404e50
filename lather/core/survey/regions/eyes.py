"""The eyes: the opening between the lids, the iris and the white in it.

The network says about where the lids are; this person's own colours say where the eye ends: two
mixtures, one of what lies within and one of the skin around, are fitted in turn with what they
cover, and the lids are smooth curves. Lashes are thin and dark: a closing takes them away first.
The iris is the circle along whose visible rim the light rises most (Daugman 1993, the
integro-differential operator).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.guided import Guide
from lather.core.survey.faces.crops import Crop, Points
from lather.core.survey.faces.mesh import EYE_MARGIN, eye_crop
from lather.core.survey.faces.mesh_points import LEFT, RIGHT, iris, lids
from lather.core.survey.regions.mixture import Mixture, fit
from lather.core.survey.regions.outline import between_smooth_rims, disc_at, inside_by
from lather.core.work import NEVER, CancelToken

SIDE_PX = 256  # of the cut-out that an eye is looked at in
WIDTH_PX = SIDE_PX / EYE_MARGIN  # between the eye's corners there
LASH_PX = 7
N_ROUNDS = 3
# Lengths in eye widths.
INSIDE, AROUND, FARTHEST = 0.05, (0.5, 0.16), 0.2  # surely eye, surely skin, the lids at most
RIM, RIM_SOFTNESS = 0.05, 0.02  # the opening is larger than the network says
IRIS_SHIFT, IRIS_RADII, USUAL_RADIUS, N_RADII = (0.14, 0.10), (0.15, 0.30), 0.225, 18
_VARIANCE = np.array([6.0, 2.0, 2.0], dtype=np.float32)
_MOST_EVIDENCE = 6.0


@dataclass(frozen=True)
class Eye:
    """An eye in its cut-out: (256, 256) 0-1 each."""

    crop: Crop
    white: Plane
    iris: Plane


def find_eyes(
    rgb: FloatImage, points: Points, cancel: CancelToken = NEVER
) -> tuple[Eye, Eye]:
    """The right and the left eye of a face.

    Both irises of a person are of one size, which is that on which the eyes agree best.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1.
    points : (510, 3) mesh in px of `rgb`.
    """
    crops = [eye_crop(points, side) for side in (RIGHT, LEFT)]
    size_px = float(np.mean([crop.side_px for crop in crops])) / EYE_MARGIN
    radii_px = np.linspace(*IRIS_RADII, N_RADII) * size_px
    openings, searches = [], []
    for side, crop in zip((RIGHT, LEFT), crops, strict=True):
        cancel.check()
        cut = crop.cut(rgb, SIDE_PX)
        lab = cv2.cvtColor(cut, cv2.COLOR_RGB2Lab)
        openings.append(_opening(cut, lab, crop.own(points[list(lids(side))], SIDE_PX)))
        x, y = crop.own(points[list(iris(side))], SIDE_PX)[0]
        radii = radii_px * (SIDE_PX / crop.side_px)
        searches.append(_iris_by_radius(lab[..., 0], openings[-1], float(x), float(y), radii))
    usual = ((radii_px / (USUAL_RADIUS * size_px) - 1) / 0.2) ** 2
    best = int(np.argmax(np.sum([scores for scores, _ in searches], axis=0) - usual))
    right, left = (
        _eye(crop, opening, (*places[best], radii_px[best] * SIDE_PX / crop.side_px))
        for crop, opening, (_, places) in zip(crops, openings, searches, strict=True)
    )
    return right, left


def _eye(crop: Crop, opening: Plane, circle: tuple[float, float, float]) -> Eye:
    disc = disc_at((SIDE_PX, SIDE_PX), *circle)
    return Eye(crop, opening * (1 - disc), opening * disc)


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
    samples = looks.reshape(-1, 3)
    of_eye: Mixture | None = None
    of_skin: Mixture | None = None
    for _ in range(N_ROUNDS):
        if eye.sum() < 30 or skin.sum() < 30:
            return np.zeros(shape, dtype=np.float32)  # closed
        of_eye = fit(looks[eye], 4, _VARIANCE, of_eye)
        of_skin = fit(looks[skin], 5, _VARIANCE, of_skin)
        evidence = of_eye.log_density(samples) - of_skin.log_density(samples)
        place = np.clip((inside + RIM) / RIM_SOFTNESS, -_MOST_EVIDENCE, _MOST_EVIDENCE)
        score = place + np.clip(evidence.reshape(shape), -_MOST_EVIDENCE, _MOST_EVIDENCE)
        share = (1 / (1 + np.exp(-score))).astype(np.float32)
        share[inside < -FARTHEST] = 0
        share = guide.refine(share)
        eye, skin = share > 0.8, near & (share < 0.2)
    return between_smooth_rims(share, degree=4, opening_px=4, outward_px=1.0, inward_px=4.0)


def _iris_by_radius(
    light: Plane, opening: Plane, x: float, y: float, radii: NDArray[np.float64]
) -> tuple[NDArray[np.float64], list[tuple[float, float]]]:
    """For each radius how clearly its best circle is an iris, and that circle's middle.

    The network puts the middle at (x, y).
    """
    smooth = cv2.GaussianBlur(light, (0, 0), 1.0)
    turns = np.radians(np.arange(0, 360, 7.5))
    columns = x + np.arange(-IRIS_SHIFT[0] * WIDTH_PX, IRIS_SHIFT[0] * WIDTH_PX + 1, 2)
    rows = y + np.arange(-IRIS_SHIFT[1] * WIDTH_PX, IRIS_SHIFT[1] * WIDTH_PX + 1, 2)
    rs, xs, ys = (v.ravel() for v in np.meshgrid(radii, columns, rows, indexing="ij"))

    def along(plane: Plane, further_px: float) -> NDArray[np.float32]:
        reach = (rs + further_px)[:, None]
        map_x = (xs[:, None] + reach * np.cos(turns) - 0.5).astype(np.float32)
        map_y = (ys[:, None] + reach * np.sin(turns) - 0.5).astype(np.float32)
        return np.asarray(cv2.remap(plane, map_x, map_y, cv2.INTER_LINEAR,
                                    borderMode=cv2.BORDER_REPLICATE))  # fmt: skip

    seen = (along(opening, 3) > 0.6) & (along(opening, -2) > 0.6)
    outside = along(smooth, 2)
    rise = np.clip(outside - along(smooth, -2), -15, 25)
    rise *= _as_light_as_white(outside, smooth, opening)  # else it may be the pupil's rim
    score = (rise * seen).sum(1) / np.maximum(seen.sum(1), 10)
    score -= 0.5 * ((xs - x) ** 2 + (ys - y) ** 2) / (0.1 * WIDTH_PX) ** 2
    by_radius = score.reshape(len(radii), -1)
    best = by_radius.argmax(1)
    places = [
        (float(xs[n * by_radius.shape[1] + k]), float(ys[n * by_radius.shape[1] + k]))
        for n, k in enumerate(best)
    ]
    return by_radius.max(1), places


def _as_light_as_white(light: Plane, eye: Plane, opening: Plane) -> Plane:
    """0 for what is as dark as the middle of an eye's range of lightness, 1 for its lightest."""
    seen = eye[opening > 0.5]
    if seen.size == 0:
        return np.ones_like(light)
    low, high = np.percentile(seen, (5, 90))
    share: Plane = np.clip(2 * (light - low) / max(high - low, 1.0) - 1, 0.1, 1).astype(np.float32)
    return share
