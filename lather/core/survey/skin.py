"""Where plain skin is: this person's own skin colour, without eyes, lips, brows and hair."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.blur import blurred_within, disc
from lather.core.colour.density import optical_density
from lather.core.colour.lab import srgb_to_lab
from lather.core.survey.face import FaceGeometry
from lather.core.work import NEVER, CancelToken

SEARCHED_PX = 512  # long side of the picture on which skin is told from the rest
N_CUTS = 4
SEED_RADIUS = 0.14  # of the pupil distance, as all lengths below
# Cheeks, bridge of the nose, forehead, chin: across and down from between the pupils.
_SEEDS = ((-0.5, 0.55), (0.5, 0.55), (0.0, 0.3), (0.0, -0.5), (-0.35, -0.55), (0.35, -0.55),
          (0.0, 1.45))  # fmt: skip
EYE_HALF_AXES = (0.33, 0.19)  # with lashes
MOUTH_WINDOW = (0.62, 0.85, 1.6)  # half width, from, to
LEAST_SEED_SPREAD = (60.0, 6.0, 6.0)  # variance of L*, a*, b* that any skin has
DETAIL_MM = 63.0  # what stands in for the pupils' distance where there is no face
SKIN_HUES_DEG = (15.0, 80.0)  # CIE Lab hue of any skin in neutral light
LEAST_SKIN_CHROMA, MOST_SKIN_CHROMA, DARKEST_SKIN = 7.0, 55.0, 10.0
LEAST_SEEDS = 0.01  # of the picture
HAIR_DARKNESS = 0.12  # how much denser thin dark lines are on hairy places than on most skin
HAIR_WIDTH_MM, HAIRY_WITHIN_MM, LIP_BLUR_MM = 0.5, 2.5, 1.2
LARGEST_HOLE_MM = 9.0  # a mark may have another colour than skin, and is skin
BRIDGE_MM = 5.0
LEAST_LIP_SHARE = 0.25  # of the larger lip
LEAST_LIP_RISE = 0.12  # of pinkness between skin and lips


@dataclass(frozen=True)
class SkinMap:
    """Planes of a picture at one scale, (h, w) bool.

    Attributes
    ----------
    skin : all of it, with lips and stubble.
    plain : skin on which blemishes can be told: no eyes, lips, brows, lashes, hair.
    lips : with a margin, and what shows between them.
    """

    skin: NDArray[np.bool_]
    plain: NDArray[np.bool_]
    lips: NDArray[np.bool_]

    def corrected(self, skin: NDArray[np.bool_]) -> SkinMap:
        """With skin where somebody said that it is, and nowhere else."""
        return SkinMap(skin, skin & (self.plain | ~self.skin), self.lips)


def find_skin(
    rgb: FloatImage, face: FaceGeometry | None, mm_per_px: float, cancel: CancelToken = NEVER
) -> SkinMap:
    """Skin of the person that `face` belongs to, or of a body detail.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1, at the scale of the survey.
    face : in pixels of `rgb`; None if the picture shows none.
    """
    height, width = rgb.shape[:2]
    scale = min(1.0, SEARCHED_PX / max(height, width))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    small = cv2.resize(rgb, size, interpolation=cv2.INTER_AREA)
    if face is None:
        seeds = _skin_coloured(small)
        coarse = _cut_out(small, seeds, DETAIL_MM / mm_per_px * scale, cancel).astype(np.float32)
    else:
        local = face.scaled(scale)
        seeds = _seeds(small.shape[:2], local)
        coarse = _cut_out(small, seeds, local.pupil_distance_px, cancel).astype(np.float32)
    cancel.check()
    skin = cv2.resize(coarse, (width, height), interpolation=cv2.INTER_LINEAR) > 0.5
    cancel.check()
    skin = _without_holes(skin, LARGEST_HOLE_MM / mm_per_px)
    cancel.check()
    density = optical_density(rgb)
    cancel.check()
    plain = skin if face is None else skin & ~_eyes(skin.shape, face)
    cancel.check()
    plain = plain & ~_hairy(density.darkness, plain, mm_per_px)
    if face is None:
        return SkinMap(skin, plain, np.zeros_like(skin))
    cancel.check()
    lips = _lips(density.pinkness, plain | ~skin, face, mm_per_px, cancel)
    return SkinMap(skin, plain & ~lips, lips)


def _cut_out(
    rgb: FloatImage, seeds: NDArray[np.bool_], distance_px: float, cancel: CancelToken
) -> NDArray[np.bool_]:
    """Skin by its colour and by the edges around it.

    `seeds` lie on skin, some hairs and marks among them; `distance_px` is the pupils'.

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


def _seeds(shape: tuple[int, int], face: FaceGeometry) -> NDArray[np.bool_]:
    ys, xs = np.mgrid[: shape[0], : shape[1]]
    seeds = np.zeros(shape, dtype=bool)
    for place in _SEEDS:
        x, y = face.at(*place)
        seeds |= np.hypot(xs - x, ys - y) < SEED_RADIUS * face.pupil_distance_px
    if not seeds.any():
        seeds[shape[0] // 2, shape[1] // 2] = True
    return seeds


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


def _eyes(shape: tuple[int, int], face: FaceGeometry) -> NDArray[np.bool_]:
    """Both eyes with their lashes, as ellipses."""
    inside = np.zeros(shape, dtype=bool)
    for name in ("pupil_right", "pupil_left"):
        across, down = face_axes(shape, face, face.handles[name])
        inside |= (across / EYE_HALF_AXES[0]) ** 2 + (down / EYE_HALF_AXES[1]) ** 2 < 1
    return inside


def _without_holes(skin: NDArray[np.bool_], diameter_px: float) -> NDArray[np.bool_]:
    """Holes up to that size filled."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats((~skin).astype(np.uint8))
    small = stats[:, cv2.CC_STAT_AREA] < math.pi / 4 * diameter_px**2
    small[0] = False  # the skin itself
    filled: NDArray[np.bool_] = skin | small[labels]
    return filled


def _hairy(darkness: Plane, plain: NDArray[np.bool_], mm_per_px: float) -> NDArray[np.bool_]:
    """Places full of thin dark lines: brows, lashes, stubble, the edge of the hair."""
    lines = darkness - cv2.morphologyEx(
        darkness, cv2.MORPH_OPEN, disc(HAIR_WIDTH_MM / mm_per_px)
    )
    density, _ = blurred_within(lines, np.ones_like(lines), HAIRY_WITHIN_MM / mm_per_px)
    usual = float(np.median(density[plain])) if plain.any() else 0.0
    hairy: NDArray[np.bool_] = density > usual + HAIR_DARKNESS
    return hairy


def _lips(
    pinkness: Plane, plain: NDArray[np.bool_], face: FaceGeometry, mm_per_px: float,
    cancel: CancelToken,
) -> NDArray[np.bool_]:
    """The pink places under the nose, told from skin by Otsu's threshold (1979)."""
    nothing = np.zeros(plain.shape, dtype=bool)
    half_width, top, bottom = MOUTH_WINDOW
    across, down = face_axes(plain.shape, face, face.at(0, 0))
    window = plain & (np.abs(across) < half_width) & (down > top) & (down < bottom)
    if window.sum() < 2:
        return nothing
    cancel.check()
    smooth, _ = blurred_within(pinkness, plain.astype(np.float32), LIP_BLUR_MM / mm_per_px)
    cancel.check()
    low, high = np.percentile(smooth[window], (1, 99))
    if high - low < LEAST_LIP_RISE:
        return nothing
    steps = np.clip(255 * (smooth[window] - low) / (high - low), 0, 255).astype(np.uint8)
    threshold, _ = cv2.threshold(steps, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    pink = (window & (smooth > low + (high - low) * threshold / 255)).astype(np.uint8)
    cancel.check()
    # A pimple beside the lips hangs on them by a narrow bridge.
    pink = cv2.morphologyEx(pink, cv2.MORPH_OPEN, disc(BRIDGE_MM / 2 / mm_per_px))
    n_parts, labels, stats, _ = cv2.connectedComponentsWithStats(pink)
    if n_parts < 2:
        return nothing
    # Parted lips are two parts, one below the other.
    area_px = stats[:, cv2.CC_STAT_AREA].copy()
    area_px[0] = 0
    largest = int(np.argmax(area_px))
    middle_px = stats[:, cv2.CC_STAT_LEFT] + stats[:, cv2.CC_STAT_WIDTH] / 2
    near = np.abs(middle_px - middle_px[largest]) < 0.3 * stats[largest, cv2.CC_STAT_WIDTH]
    lips = ((area_px > LEAST_LIP_SHARE * area_px[largest]) & near)[labels].astype(np.uint8)
    cancel.check()
    closed = cv2.morphologyEx(lips, cv2.MORPH_CLOSE, disc(2 / mm_per_px))
    grown: NDArray[np.bool_] = cv2.dilate(closed, disc(1 / mm_per_px)) > 0
    return grown


def face_axes(
    shape: tuple[int, int], face: FaceGeometry, origin: tuple[float, float]
) -> tuple[Plane, Plane]:
    """How far across and down every pixel lies from a point, in pupil distances."""
    (ox, oy), (ax, ay) = face.at(0, 0), face.at(1, 0)
    dx, dy = ax - ox, ay - oy
    ys, xs = np.mgrid[: shape[0], : shape[1]].astype(np.float32)
    xs, ys = xs - np.float32(origin[0]), ys - np.float32(origin[1])
    square = dx * dx + dy * dy
    return (xs * dx + ys * dy) / square, (ys * dx - xs * dy) / square
