"""How sure a finding is: by how clearly it stands out, and by what it lies on.

Below `DOUBTFUL_BELOW` a finding is listed apart and never mended unless somebody points at it.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.bounds import N_DIRECTIONS
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.survey.findings.spot import Spot
from lather.core.survey.regions.region import Region

# Logistic regression of 1,380 spots, 1,225 of them marks, on four demo portraits under sixteen
# changes each; the portrait left out has 93-96 % right above one half (docs/survey.md).
_INTERCEPT, _BY_Z, _BY_CLEARNESS, _BY_DIAMETER = -15.25, 5.76, 2.83, 2.76  # of logarithms
MOST_OFF_SKIN = 0.1  # of an extent, for a finding that can be certain
SURELY_SKIN = 0.9  # share of skin from which a pixel is all skin
# A hair is a tenth of a millimetre wide, a crease one; a spot is told by its shape.
COARSEST_MM = {Kind.SKIN_HAIR: 0.35, Kind.SCAR: 0.35, Kind.CREASE: 0.6, Kind.VEIN: 0.6}
INK_L, INK_A = -8.5, -1.5
SMALLEST_PX, UNRESOLVED = 2.0, 0.4  # across, at half height; the certainty of what is smaller
CLIPPED, MOST_CLIPPED, SURE_IF_CLIPPED = 0.985, 0.25, 0.87
_RINGS = (0.25, 0.5, 0.7, 0.85, 1.0)  # radii at which an extent is looked at, of its own
_ACROSS = (-0.8, -0.4, 0.0, 0.4, 0.8)  # of half a line's width


def certainty_of_spot(spot: Spot, mm_per_px: float, clipped: float = 0.0) -> float:
    """0-1: that a spot of that clearness and size is a mark.

    `clipped` is the share of clipped pixels around it: there it has to be surer than elsewhere.
    """
    diameter_mm = 2 * math.sqrt(spot.area_px / math.pi) * mm_per_px
    score = _INTERCEPT + sum(
        weight * math.log(max(value, 0.05))
        for weight, value in (
            (_BY_Z, spot.z), (_BY_CLEARNESS, spot.clearness), (_BY_DIAMETER, diameter_mm)
        )
    )  # fmt: skip
    certainty = 1 / (1 + math.exp(-max(-50.0, min(50.0, score))))
    if clipped > MOST_CLIPPED and certainty < SURE_IF_CLIPPED:
        return min(certainty, UNRESOLVED)
    return certainty


def certainty_of_line(z: float, least_z: float) -> float:
    """0-1: one half at the bar, more the higher a line stands above it."""
    return float(1 - 0.5 ** ((z / least_z) ** 2))


def clipped_around(rgb: FloatImage, spot: Spot) -> float:
    """The share of a spot's surroundings, 0-1, where some channel is at its end.

    There red and dark are not told apart, and shading that cancels elsewhere looks red.
    """
    rect = Rect.around(spot.x, spot.y, 3 * spot.radius_px).intersect(
        Rect(0, 0, rgb.shape[1], rgb.shape[0])
    )
    return float((rgb[rect.slices].max(-1) > CLIPPED).mean())


def resolved(finding: Finding, mm_per_px: float) -> Finding:
    """Doubtful, if the photo's pixels, of that size, are too large to show it, or if it is ink."""
    coarsest_mm = COARSEST_MM.get(finding.kind, math.inf)
    tiny = not finding.path_px and 2 * finding.radius_px < SMALLEST_PX
    if mm_per_px <= coarsest_mm and not tiny and not is_ink(finding):
        return finding
    return replace(finding, certainty=min(finding.certainty, UNRESOLVED))


def is_ink(finding: Finding) -> bool:
    """True for a broad line that is much darker than the skin, and less red: part of a tattoo.

    The demo portraits' creases, veins and scars are 7 L* darker at most, and redder or as red.
    """
    broad = bool(finding.path_px) and finding.kind is not Kind.SKIN_HAIR
    return broad and finding.contrast_l < INK_L and finding.contrast_a < INK_A


@dataclass(frozen=True)
class Ground:
    """What findings of one person lie on.

    Attributes
    ----------
    skin : (h, w) 0-1.
    x0, y0, scale : where the plane's corner lies in the photo, and its pixels per photo pixel.
    """

    skin: Plane
    x0: float
    y0: float
    scale: float

    @staticmethod
    def of(regions: Mapping[Region, Plane], x0: float, y0: float, scale: float) -> Ground:
        return Ground(regions[Region.SKIN], x0, y0, scale)

    def off_skin(self, finding: Finding) -> float:
        """The share of a finding's extent, 0-1, that is no skin: hair, lips, clothing, things."""
        places, weights = _line_places(finding) if finding.path_px else _spot_places(finding)
        xs = ((places[:, 0] - self.x0) * self.scale - 0.5).astype(np.float32)
        ys = ((places[:, 1] - self.y0) * self.scale - 0.5).astype(np.float32)
        skin = cv2.remap(self.skin, xs[None], ys[None], cv2.INTER_LINEAR,
                         borderMode=cv2.BORDER_REPLICATE)[0]  # fmt: skip
        off = 1 - np.clip(skin / SURELY_SKIN, 0, 1)
        return float((off * weights).sum() / weights.sum())

    def weighed(self, finding: Finding) -> Finding:
        """Doubtful, if too much of its extent is off the skin."""
        off = self.off_skin(finding)
        if off <= MOST_OFF_SKIN:
            return finding
        return replace(finding, certainty=min(finding.certainty, 0.45 * (1 - off)))


Places = tuple[NDArray[np.float64], NDArray[np.float64]]  # (N, 2) x, y in the photo; weights


def _spot_places(finding: Finding) -> Places:
    turns = 2 * math.pi * np.arange(N_DIRECTIONS) / N_DIRECTIONS
    reach = np.array(finding.extent_px)
    radii = np.outer(_RINGS, reach)
    places = np.stack([finding.x + radii * np.cos(turns), finding.y + radii * np.sin(turns)], -1)
    return places.reshape(-1, 2), radii.ravel() + 1e-6


def _line_places(finding: Finding) -> Places:
    path = np.array(finding.path_px)
    along = np.gradient(path, axis=0) if len(path) > 1 else np.array([[1.0, 0.0]])
    across = np.stack([-along[:, 1], along[:, 0]], -1)
    across /= np.maximum(np.hypot(across[:, :1], across[:, 1:]), 1e-6)
    places = np.concatenate([path + share * finding.reach_px * across for share in _ACROSS])
    return places, np.ones(len(places))
