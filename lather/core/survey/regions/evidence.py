"""What is known of every pixel before it is told to be skin, hair, clothing or background."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.guided import Guide
from lather.core.survey.faces.frame import Frame
from lather.core.survey.faces.mesh_points import BROWS, LEFT, LIPS_OUTER, OVAL, RIGHT, lids
from lather.core.survey.regions.fineness import fineness
from lather.core.survey.regions.mixture import Mixture, Samples, fit
from lather.core.survey.regions.outline import filled, grown
from lather.core.work import NEVER, CancelToken

Mask = NDArray[np.bool_]

GRID_PX = 1.6e5  # of the reduced picture on which pixels are told apart
INNER_OVAL, OUTER_OVAL = 0.88, 1.05  # of the mesh's oval
BROWS_AND_LIPS, LIDS = 1.25, 1.9  # how far around the features the face is not plain skin
# Variance that any kind of pixel has: lightness, a, b, fineness. The latter says little where
# pixels are so large that no hair shows.
LEAST_VARIANCE = np.array([4.0, 1.5, 1.5, 0.02], dtype=np.float32)
COARSE_VARIANCE = np.array([4.0, 1.5, 1.5, 0.5], dtype=np.float32)
COARSE_MM = 0.45
BLACKEST = 6.0  # L*
# Skin in other light than the face's: shares of samples, of light left in shade, of white in shine.
SHADED, SHINING = 0.15, 0.15
SHADE, SHINE = (0.3, 1.0), (0.1, 0.6)
_SPREAD, _LEAST_SPREAD = 2.5, (3.0, 1.5, 1.5, 0.2)  # of skin seeds about their median
_TRIMMED = 8  # per cent of skin seeds, the least likely, that are left out
_EDGE_MM, _PERSON_EDGE = 1.0, 3 / 256  # radius of the guided filters: mm; of the long side
_EVENNESS, _PERSON_EVENNESS = 8.0, 20.0


@dataclass(frozen=True)
class Evidence:
    """Planes of a reduced picture, (h, w).

    Attributes
    ----------
    scale : its pixels per pixel of the picture that was given.
    mm_per_px : of the picture that was given.
    guide : makes masks follow the picture's edges.
    rgb : (h, w, 3) encoded RGB 0-1.
    looks : (h, w, 4) CIE Lab and the logarithm of the fineness.
    person : 0-1, this person's share.
    across, down : in heights of the face.
    inner, outer : inside of the face's oval, shrunk and grown a little.
    features : on eyes, brows, lips.
    skin : surely plain skin of the face.
    unlike_skin : how much less likely a pixel is skin than all but the last of the face's.
    """

    scale: float
    mm_per_px: float
    guide: Guide
    rgb: FloatImage
    looks: FloatImage
    person: Plane
    across: Plane
    down: Plane
    chin: float
    inner: Mask
    outer: Mask
    features: Mask
    skin: Mask
    unlike_skin: Plane

    @property
    def shape(self) -> tuple[int, int]:
        return self.person.shape[0], self.person.shape[1]

    @property
    def height_px(self) -> float:
        """The face's, in pixels of the planes; however the head lies."""
        step = self.down[1, 0] - self.down[0, 0], self.down[0, 1] - self.down[0, 0]
        return 1 / max(float(np.hypot(*step)), 1e-6)

    @property
    def is_coarse(self) -> bool:
        return self.mm_per_px > COARSE_MM

    @property
    def least_variance(self) -> Samples:
        return COARSE_VARIANCE if self.is_coarse else LEAST_VARIANCE

    @property
    def fineness(self) -> Plane:
        """Above that of the face's skin; in black nothing shows, and it counts as fine."""
        plane = self.looks[..., 3] - np.float32(np.median(self.looks[..., 3][self.skin]))
        black = self.looks[..., 0] < BLACKEST
        return np.where(black, np.maximum(plane, np.float32(1)), plane)

    def samples(self, where: Mask) -> Samples:
        return self.looks[where]

    def skin_samples(self, where: Mask) -> Samples:
        """Skin's looks, some of them in shade and some shining: its colours in other light."""
        return lit_anew(self.rgb[where], self.looks[where])

    def log_density(self, mixture: Mixture) -> Plane:
        return mixture.log_density(self.looks.reshape(-1, 4)).reshape(self.shape)


def gather(
    rgb: FloatImage, points: NDArray[np.float32], person: Plane, mm_per_px: float,
    cancel: CancelToken = NEVER,
) -> Evidence | None:
    """The evidence about one person; None if the picture shows none of the face's skin.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1.
    points : the mesh, in px of `rgb`.
    person : 0-1 over the whole picture, at any size.
    """
    height, width = rgb.shape[:2]
    scale = min(1.0, math.sqrt(GRID_PX / (height * width)))
    size = max(1, round(width * scale)), max(1, round(height * scale))
    shape = size[1], size[0]
    small = cv2.resize(rgb, size, interpolation=cv2.INTER_AREA) if scale < 1 else rgb
    lab = cv2.cvtColor(small, cv2.COLOR_RGB2Lab)
    cancel.check()
    radius_px = max(2, round(_EDGE_MM / mm_per_px * scale))
    guide = Guide(lab, radius_px, _EVENNESS)
    edge_px = max(4, round(max(size) * _PERSON_EDGE))
    mask = Guide(lab, edge_px, _PERSON_EVENNESS).refine(
        np.asarray(cv2.resize(person, size, interpolation=cv2.INTER_LINEAR), dtype=np.float32)
    )
    cancel.check()
    blurred = cv2.GaussianBlur(lab, (0, 0), max(0.5, 0.3 / mm_per_px * scale))
    looks = np.dstack([blurred, fineness(rgb, mm_per_px, size)]).astype(np.float32)
    cancel.check()
    local = points[:, :2] * scale
    oval = local[list(OVAL)]
    inner = filled(shape, grown(oval, INNER_OVAL)) > 0.5
    features = _features(shape, local)
    skin, unlike = _skin(small, looks, inner & ~features)
    if skin is None:
        return None
    frame = Frame.of(points)
    across, down = frame.axes(shape, scale)
    return Evidence(
        scale, mm_per_px, guide, small, looks, mask, across, down, frame.chin, inner,
        filled(shape, grown(oval, OUTER_OVAL)) > 0.5, features, skin, unlike,
    )  # fmt: skip


def _features(shape: tuple[int, int], points: NDArray[np.float32]) -> Mask:
    covered = np.zeros(shape, dtype=np.float32)
    for ring in (LIPS_OUTER, *BROWS):
        covered = np.maximum(covered, filled(shape, grown(points[list(ring)], BROWS_AND_LIPS)))
    for side in (RIGHT, LEFT):
        covered = np.maximum(covered, filled(shape, grown(points[list(lids(side))], LIDS)))
    return covered > 0.5


def _skin(rgb: FloatImage, looks: FloatImage, face: Mask) -> tuple[Mask | None, Plane]:
    """The plain skin of a face, hair and glasses in it left out, and how unlike it pixels are."""
    nothing = np.zeros(face.shape, dtype=np.float32)
    if face.sum() < 20:
        return None, nothing
    middle = np.median(looks[face], 0)
    spread = 1.4826 * np.median(np.abs(looks[face] - middle), 0) + np.array(_LEAST_SPREAD)
    skin = face & (np.abs(looks - middle) < _SPREAD * spread).all(-1)
    if skin.sum() < 20:
        return None, nothing
    for left_out in (_TRIMMED, 0):
        samples = lit_anew(rgb[skin], looks[skin])
        density = fit(samples, 4, LEAST_VARIANCE).log_density(looks.reshape(-1, 4))
        density = density.reshape(face.shape)
        if left_out:
            skin = skin & (density > np.percentile(density[skin], left_out))
    return skin, np.asarray(np.percentile(density[skin], 2) - density, dtype=np.float32)


def lit_anew(rgb: FloatImage, looks: Samples) -> Samples:
    """(M, 4) looks, with some more of the same colours in shade and under shine.

    Shade takes light away, shine adds that of the lamp, white in a picture balanced for it.
    Source: Shafer 1985, "Using color to separate reflection components".
    """
    rng = np.random.default_rng(1)
    variants = [looks]
    for share, span in ((SHADED, SHADE), (SHINING, SHINE)):
        chosen = rng.choice(len(rgb), max(1, round(share * len(rgb))))
        amount = rng.uniform(*span, size=(len(chosen), 1)).astype(np.float32)
        lit = rgb[chosen] * amount if span is SHADE else rgb[chosen] + amount * (1 - rgb[chosen])
        lab = cv2.cvtColor(lit[None], cv2.COLOR_RGB2Lab)[0]
        variants.append(np.column_stack([lab, looks[chosen, 3]]))
    return np.concatenate(variants).astype(np.float32)
