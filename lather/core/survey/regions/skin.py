"""Plain skin, on which blemishes can be told: without eyes, lips, brows and hair.

Of a person with a face it follows from the regions. A body detail without one is told from the
rest by colours that any skin may have.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.blur import blurred_within, disc
from lather.core.colour.density import optical_density
from lather.core.colour.lab import srgb_to_lab
from lather.core.hair.strands import thin_dark_lines
from lather.core.survey.faces.mesh_fit import Mesh
from lather.core.survey.faces.mesh_points import LEFT, RIGHT, lids
from lather.core.survey.regions.outline import filled, grown
from lather.core.survey.regions.region import Region
from lather.core.work import NEVER, CancelToken

SEARCHED_PX = 512  # long side of the picture on which a detail's skin is told from the rest
N_CUTS = 4
LEAST_SEED_SPREAD = (60.0, 6.0, 6.0)  # variance of L*, a*, b* that any skin has
DETAIL_MM = 63.0  # the scale of what a detail shows
SKIN_HUES_DEG = (15.0, 80.0)  # CIE Lab hue of any skin in neutral light
LEAST_SKIN_CHROMA, MOST_SKIN_CHROMA, DARKEST_SKIN = 7.0, 55.0, 10.0
LEAST_SEEDS = 0.01  # of the picture
HAIR_DARKNESS = 0.12  # how much denser thin dark lines are on hairy places than on most skin
HAIRY_WITHIN_MM = 2.5
LARGEST_HOLE_MM = 9.0  # a mark may have another colour than skin, and is skin
LIDS = 1.9  # how far around the eyes lashes reach, of the lids' ring
LIP_MARGIN_MM = 1.0
FEATURE = 0.15  # share of brows, eyes, teeth, hair from which a pixel is not plain


@dataclass(frozen=True)
class SkinMap:
    """Planes of a picture at one scale, (h, w) bool.

    Attributes
    ----------
    skin : all of it, with stubble.
    plain : skin on which blemishes can be told: no eyes, lips, brows, lashes, hair.
    """

    skin: NDArray[np.bool_]
    plain: NDArray[np.bool_]

    def corrected(self, skin: NDArray[np.bool_]) -> SkinMap:
        """With skin where somebody said that it is, and nowhere else."""
        return SkinMap(skin, skin & (self.plain | ~self.skin))


def skin_of_person(
    rgb: FloatImage, points: Mesh, regions: Mapping[Region, Plane], mm_per_px: float,
    cancel: CancelToken = NEVER,
) -> SkinMap:
    """The skin of a person with a face.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1, at the scale of the survey.
    points : the mesh, in px of `rgb`.
    regions : over the whole of `rgb`, at any size.
    """
    height, width = rgb.shape[:2]

    def at_size(plane: Plane) -> Plane:
        cancel.check()
        return np.asarray(cv2.resize(plane, (width, height), interpolation=cv2.INTER_LINEAR))

    skin = at_size(regions[Region.SKIN]) > 0.5
    features = np.add.reduce([
        regions[region] for region in
        (Region.IRIS, Region.EYE_WHITE, Region.BROWS, Region.TEETH, Region.HAIR)
    ])  # fmt: skip
    skin = _without_holes(skin, LARGEST_HOLE_MM / mm_per_px)
    lips = (regions[Region.LIPS] > FEATURE).astype(np.uint8)
    by = lips.shape[1] / width
    lips = cv2.dilate(lips, disc(LIP_MARGIN_MM / mm_per_px * by))
    features = np.maximum(features, lips.astype(np.float32))
    plain = skin & (at_size(features) < FEATURE)
    for side in (RIGHT, LEFT):
        cancel.check()
        plain &= filled((height, width), grown(points[list(lids(side))], LIDS)) < 0.5
    cancel.check()
    darkness = optical_density(rgb).darkness
    cancel.check()
    return SkinMap(skin, plain & ~_hairy(darkness, plain, mm_per_px, cancel))


def skin_of_detail(
    rgb: FloatImage, mm_per_px: float, cancel: CancelToken = NEVER
) -> SkinMap:
    """The skin of a body detail, in a picture that shows no face."""
    height, width = rgb.shape[:2]
    scale = min(1.0, SEARCHED_PX / max(height, width))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    small = cv2.resize(rgb, size, interpolation=cv2.INTER_AREA)
    coarse = _cut_out(small, _skin_coloured(small), DETAIL_MM / mm_per_px * scale, cancel)
    cancel.check()
    skin = cv2.resize(
        coarse.astype(np.float32), (width, height), interpolation=cv2.INTER_LINEAR
    ) > 0.5
    cancel.check()
    skin = _without_holes(skin, LARGEST_HOLE_MM / mm_per_px)
    cancel.check()
    return SkinMap(skin, skin & ~_hairy(optical_density(rgb).darkness, skin, mm_per_px, cancel))


def _cut_out(
    rgb: FloatImage, seeds: NDArray[np.bool_], distance_px: float, cancel: CancelToken
) -> NDArray[np.bool_]:
    """Skin by its colour and by the edges around it.

    `seeds` lie on skin, some hairs and marks among them; `distance_px` is `DETAIL_MM`.

    A Gaussian model of the seeds' colour says what may be skin; GrabCut (Rother et al. 2004)
    puts the border where the picture has one.
    """
    lab = _lab(cv2.GaussianBlur(rgb, (0, 0), max(0.5, 0.02 * distance_px)))
    cancel.check()
    away = colour_distance(lab, lab[seeds])
    cancel.check()
    marks = np.full(rgb.shape[:2], cv2.GC_PR_BGD, dtype=np.uint8)
    marks[away < 2.7] = cv2.GC_PR_FGD
    marks[away > 6.3] = cv2.GC_BGD
    marks[seeds & (away < 3)] = cv2.GC_FGD
    if not (marks == cv2.GC_FGD).any() or not (marks == cv2.GC_BGD).any():
        skin: NDArray[np.bool_] = away < 2.7  # a picture all skin has nothing to be cut from
        return skin
    models = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.setRNGSeed(1)  # the same picture gives the same skin
    picture = (255 * np.clip(rgb, 0, 1)).astype(np.uint8)
    cancel.check()
    cv2.grabCut(picture, marks, None, *models, 0, cv2.GC_INIT_WITH_MASK)
    for _ in range(N_CUTS):  # one by one, so that a cancel is seen
        cancel.check()
        cv2.grabCut(picture, marks, None, *models, 1, cv2.GC_EVAL)
    cut: NDArray[np.bool_] = (marks == cv2.GC_FGD) | (marks == cv2.GC_PR_FGD)
    return cut


def _lab(rgb: FloatImage) -> FloatImage:
    return srgb_to_lab(rgb).astype(np.float32)


def _skin_coloured(rgb: FloatImage) -> NDArray[np.bool_]:
    """Where the hue may be that of skin of any kind, mostly the middle of the picture.

    A picture without such a hue, a black-and-white one above all, has its middle as seeds.
    """
    lab = _lab(cv2.GaussianBlur(rgb, (0, 0), 1.5))
    hue_deg = np.degrees(np.arctan2(lab[..., 2], lab[..., 1]))
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    low, high = SKIN_HUES_DEG
    likely: NDArray[np.bool_] = (hue_deg > low) & (hue_deg < high) & (chroma > LEAST_SKIN_CHROMA)
    likely &= (chroma < MOST_SKIN_CHROMA) & (lab[..., 0] > DARKEST_SKIN)
    height, width = likely.shape
    middle = np.zeros_like(likely)
    middle[height // 4 : -(height // 4) or None, width // 4 : -(width // 4) or None] = True
    for seeds in (likely & middle, likely):
        if seeds.mean() > LEAST_SEEDS:
            return seeds
    return middle


def colour_distance(lab: FloatImage, samples: FloatImage) -> Plane:
    """Mahalanobis distance from the samples' own colour, outliers among them left out."""
    middle = np.median(samples, 0)
    spread = 1.4826 * np.median(np.abs(samples - middle), 0)
    kept = samples[(np.abs(samples - middle) <= 2.5 * spread + 1).all(1)]
    mean = kept.mean(0)
    covariance = np.cov(kept.T) if len(kept) > 3 else np.zeros((3, 3))
    covariance[0, 1:] *= 0.5  # shade changes colour less surely elsewhere than on the seeds
    covariance[1:, 0] *= 0.5
    inverse = np.linalg.inv(covariance + np.diag(LEAST_SEED_SPREAD)).astype(np.float32)
    off = lab - mean.astype(np.float32)
    distance: Plane = np.sqrt(np.einsum("...i,ij,...j", off, inverse, off)).astype(np.float32)
    return distance


def _without_holes(skin: NDArray[np.bool_], diameter_px: float) -> NDArray[np.bool_]:
    """Holes up to that size filled."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats((~skin).astype(np.uint8))
    small = stats[:, cv2.CC_STAT_AREA] < math.pi / 4 * diameter_px**2
    small[0] = False  # the skin itself
    filled: NDArray[np.bool_] = skin | small[labels]
    return filled


def _hairy(
    darkness: Plane, plain: NDArray[np.bool_], mm_per_px: float, cancel: CancelToken
) -> NDArray[np.bool_]:
    """Places full of thin dark lines: brows, lashes, stubble, the edge of the hair."""
    lines = thin_dark_lines(darkness, mm_per_px)
    cancel.check()
    density, _ = blurred_within(lines, np.ones_like(lines), HAIRY_WITHIN_MM / mm_per_px)
    cancel.check()
    usual = float(np.median(density[plain])) if plain.any() else 0.0
    hairy: NDArray[np.bool_] = density > usual + HAIR_DARKNESS
    return hairy
