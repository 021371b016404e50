"""The mouth: lips, teeth, and the gap between them.

As with the eyes: the mesh says about where the lips are, two mixtures of this person's own colours
say where they end. Colours are compared as ratios of light, which shade leaves alone.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.lab import to_linear
from lather.core.guided import Guide
from lather.core.survey.faces.crops import Crop, Points
from lather.core.survey.faces.mesh_points import LIPS_INNER, LIPS_OUTER, MOUTH_CORNERS
from lather.core.survey.regions.mixture import Mixture, fit
from lather.core.survey.regions.outline import between_smooth_rims, inside_by

SIDE_PX, MARGIN = 320, 1.9  # of the cut-out: px, mouth widths
WIDTH_PX = SIDE_PX / MARGIN
N_ROUNDS = 3
# Lengths in mouth widths.
INSIDE, AROUND, FARTHEST = 0.03, (0.4, 0.17), 0.2
RIM, RIM_SOFTNESS = 0.06, 0.03
GAP_REACH = 0.05  # how far outside of the mesh's inner ring the gap may reach
TOOTH_LIGHT = 0.35  # share of the gap's range of lightness from which it is a tooth
LEAST_RANGE = 12.0  # of lightness, between gap and teeth
LEAST_GAP = 0.002  # of a mouth width squared
_VARIANCE = np.array([9.0, 9.0, 9.0], dtype=np.float32)
_MOST_EVIDENCE = 5.0


@dataclass(frozen=True)
class Mouth:
    """A mouth in its cut-out: (320, 320) 0-1 each."""

    crop: Crop
    lips: Plane
    teeth: Plane
    gap: Plane


def find_mouth(rgb: FloatImage, points: Points) -> Mouth:
    """Lips, teeth and gap of a face.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1.
    points : (510, 3) mesh in px of `rgb`.
    """
    crop = mouth_crop(points)
    cut = crop.cut(rgb, SIDE_PX)
    lab = cv2.cvtColor(cut, cv2.COLOR_RGB2Lab)
    shape = SIDE_PX, SIDE_PX
    outer, inner = (
        inside_by(shape, crop.own(points[list(ring)], SIDE_PX)) / np.float32(WIDTH_PX)
        for ring in (LIPS_OUTER, LIPS_INNER)
    )
    whole, lip_like = _whole(cut, lab, outer, inner)
    teeth, gap = _between(lab, whole, lip_like, inner)
    return Mouth(crop, whole * (1 - np.maximum(teeth, gap)), whole * teeth, whole * gap)


def mouth_crop(points: Points) -> Crop:
    """The square around the lips, turned by the mouth's corners."""
    start, end = (points[n, :2] for n in MOUTH_CORNERS)
    lips = points[list(LIPS_OUTER), :2]
    x, y = (lips.min(0) + lips.max(0)) / 2
    step = end - start
    side_px = MARGIN * max(float(np.hypot(*step)), 1.0)
    return Crop(float(x), float(y), side_px, math.atan2(float(step[1]), float(step[0])))


def _whole(
    cut: FloatImage, lab: FloatImage, outer: Plane, inner: Plane
) -> tuple[Plane, Plane]:
    """Lips with what shows between them, and how much more a pixel looks like lips than skin."""
    light = np.asarray(to_linear(cut), dtype=np.float32) + np.float32(0.003)
    logs = np.log(cv2.GaussianBlur(light, (0, 0), 2.0))
    looks = np.dstack([
        100 * (logs[..., 0] - logs[..., 1]), 100 * (logs[..., 1] - logs[..., 2]),
        30 * logs[..., 1],
    ]).astype(np.float32)  # fmt: skip
    near = outer > -AROUND[0]
    lips, skin = (outer > INSIDE) & (inner < -INSIDE), near & (outer < -AROUND[1])
    share = (outer > 0).astype(np.float32)
    evidence = np.zeros_like(share)
    guide = Guide(lab, 6, 10.0)
    samples = looks.reshape(-1, 3)
    of_lips: Mixture | None = None
    of_skin: Mixture | None = None
    for _ in range(N_ROUNDS):
        if lips.sum() < 30 or skin.sum() < 30:
            break
        of_lips = fit(looks[lips], 3, _VARIANCE, of_lips)
        of_skin = fit(looks[skin], 4, _VARIANCE, of_skin)
        evidence = of_lips.log_density(samples) - of_skin.log_density(samples)
        evidence = np.clip(evidence.reshape(share.shape), -_MOST_EVIDENCE, _MOST_EVIDENCE)
        place = np.clip((outer + RIM) / RIM_SOFTNESS, -_MOST_EVIDENCE, _MOST_EVIDENCE)
        share = (1 / (1 + np.exp(-place - evidence))).astype(np.float32)
        share[outer < -FARTHEST] = 0
        share[inner > 0] = 1
        share = guide.refine(share)
        lips, skin = (share > 0.8) & (inner < -INSIDE), near & (share < 0.2)
    smooth = between_smooth_rims(share, degree=8, opening_px=3, outward_px=2.0, inward_px=2.0)
    return smooth, evidence


def _between(
    lab: FloatImage, whole: Plane, lip_like: Plane, inner: Plane
) -> tuple[Plane, Plane]:
    """Teeth and gap: between the lips, where it is less red than they are or much darker."""
    nothing = np.zeros_like(whole)
    light = cv2.GaussianBlur(lab[..., 0], (0, 0), 1.0)
    red = cv2.GaussianBlur(lab[..., 1], (0, 0), 1.0)
    lips = (whole > 0.9) & (inner < -2 * GAP_REACH)
    place = (whole > 0.5) & (inner > -GAP_REACH)
    if lips.sum() < 30 or place.sum() < 30:
        return nothing, nothing
    lip_red, lip_light = float(np.median(red[lips])), float(np.median(light[lips]))
    dark = light < 0.55 * lip_light
    pale = (red < 0.6 * lip_red) & (lip_like < 2)
    open_here = cv2.morphologyEx(
        (place & (dark | pale)).astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)
    )
    if open_here.sum() < LEAST_GAP * WIDTH_PX**2:
        return nothing, nothing
    shown = light[open_here > 0]
    low, high = np.percentile(shown, (3, 97))
    bright = pale & (light > low + TOOTH_LIGHT * (high - low))
    teeth = (open_here > 0) & bright & (high - low > LEAST_RANGE)
    soft = [cv2.GaussianBlur(part.astype(np.float32), (0, 0), 0.7)
            for part in (teeth, (open_here > 0) & ~teeth)]  # fmt: skip
    return soft[0], soft[1]
