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
from lather.core.survey.findings.blemishes import Spot
from lather.core.survey.findings.finding import N_DIRECTIONS, Finding, Kind
from lather.core.survey.regions.region import Region

# Logistic regression of 1,380 spots, 1,225 of them marks, on four demo portraits under sixteen
# changes each; the portrait left out has 93-96 % right above one half (docs/survey.md).
_INTERCEPT, _BY_Z, _BY_CLEARNESS, _BY_DIAMETER = -15.25, 5.76, 2.83, 2.76  # of logarithms
MOST_OFF_SKIN = 0.1  # of an extent, for a finding that can be certain
SURELY_SKIN = 0.9  # share of skin from which a pixel is all skin
# A hair is a tenth of a millimetre wide, a crease one; a spot is told by its shape.
COARSEST_MM = {Kind.SKIN_HAIR: 0.35, Kind.SCAR: 0.35, Kind.CREASE: 0.6, Kind.VEIN: 0.6}
SMALLEST_PX, UNRESOLVED = 2.0, 0.4  # across, at half height; the certainty of what is smaller
MOST_BLOCKS, BLOCK_PX, BLOCKS_SEEN_PX = 2.0, 5.0, 1024
_RINGS = (0.25, 0.5, 0.7, 0.85, 1.0)  # radii at which an extent is looked at, of its own
_ACROSS = (-0.8, -0.4, 0.0, 0.4, 0.8)  # of half a line's width


def certainty_of_spot(spot: Spot, mm_per_px: float) -> float:
    """0-1: that a spot of that clearness and size is a mark."""
    diameter_mm = 2 * math.sqrt(spot.area_px / math.pi) * mm_per_px
    score = _INTERCEPT + sum(
        weight * math.log(max(value, 0.05))
        for weight, value in (
            (_BY_Z, spot.z), (_BY_CLEARNESS, spot.clearness), (_BY_DIAMETER, diameter_mm)
        )
    )  # fmt: skip
    return 1 / (1 + math.exp(-max(-50.0, min(50.0, score))))


def certainty_of_line(z: float, least_z: float) -> float:
    """0-1: one half at the bar, more the higher a line stands above it."""
    return float(1 - 0.5 ** ((z / least_z) ** 2))


def blockiness(rgb: FloatImage) -> float:
    """How much larger the steps of colour are between the blocks of a JPEG than within them.

    1 for a picture that was never compressed, or changed in size since; 8 and more at quality 50.
    Blocks of colour are 16 px wide where colour is kept at half of the size.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1, the photo's own pixels.
    """
    side = min(BLOCKS_SEEN_PX, rgb.shape[0], rgb.shape[1])
    top, left = ((length - side) // 32 * 16 for length in rgb.shape[:2])
    part = np.ascontiguousarray(rgb[top : top + side, left : left + side])
    red = cv2.cvtColor(part, cv2.COLOR_RGB2YCrCb)[..., 1]
    ratios = []
    for axis in (0, 1):
        steps = np.abs(np.diff(red, axis=axis)).mean(1 - axis)
        at_border = np.arange(len(steps)) % 16 == 15
        if at_border.any() and not at_border.all():
            # Medians: of the edges of stripes or bricks only some fall on such borders.
            within = float(np.median(steps[~at_border]))
            ratios.append(float(np.median(steps[at_border])) / max(within, 1e-6))
    return float(np.mean(ratios)) if ratios else 1.0


def resolved(finding: Finding, mm_per_px: float, blocks: float = 1.0) -> Finding:
    """Doubtful, if the photo's pixels are too large to show what it is.

    Parameters
    ----------
    mm_per_px : of the photo, where the finding lies.
    blocks : `blockiness` of the photo: what is smaller than half a block may be its rest.
    """
    coarsest_mm = COARSEST_MM.get(finding.kind, math.inf)
    tiny = not finding.path_px and 2 * finding.radius_px < SMALLEST_PX
    blocky = blocks > MOST_BLOCKS and not finding.path_px and 2 * finding.radius_px < BLOCK_PX
    if mm_per_px <= coarsest_mm and not tiny and not blocky:
        return finding
    return replace(finding, certainty=min(finding.certainty, UNRESOLVED))


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
