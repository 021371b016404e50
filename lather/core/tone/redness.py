"""Patches of skin that are redder, or bluer, than this person's skin is there.

Cheeks, nose and ears are redder on everybody: what is natural differs by part, and was measured as
the most that is found on portraits without any rash (docs/even.md).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import Plane
from lather.core.survey.regions.region import Part
from lather.core.tone.chromophores import REDNESS_OF_BLOOD, redness
from lather.core.tone.evening import inner, shade_causes
from lather.core.tone.robust_fit import unexplained
from lather.core.tone.skin_picture import SkinPicture, disc

SMOOTH_MM, RIM_MM = 2.5, 2.0
LEAST_MM2 = 40.0
# Density of blood above the person's middle: the most that is natural.
NATURAL: Mapping[Part, float] = {
    Part.FOREHEAD: 0.2, Part.CHEEK_LEFT: 0.42, Part.CHEEK_RIGHT: 0.42, Part.NOSE: 0.5,
    Part.CHIN: 0.32, Part.UNDER_EYE_LEFT: 0.7, Part.UNDER_EYE_RIGHT: 0.7, Part.NECK: 0.23,
    Part.LID_LEFT: 0.7, Part.LID_RIGHT: 0.7, Part.UPPER_LIP: 0.42,
    Part.EARS: 0.65, Part.BODY: 0.22,
}  # fmt: skip
NATURAL_ELSEWHERE = 0.42
BEYOND = 0.1  # of density above what is natural, from which it is a patch
BLUISH = -0.45
SURE = 0.25  # beyond what is natural, from which nothing is doubtful


@dataclass(frozen=True, eq=False)
class RedPatch:
    """One patch.

    Attributes
    ----------
    mask : (h, w) bool.
    x, y : centre, pixels of the picture.
    area_mm2 : of it.
    density : mean density of blood above the person's middle; negative where it is bluish.
    certainty : 0-1.
    """

    mask: NDArray[np.bool_]
    x: float
    y: float
    area_mm2: float
    density: float
    certainty: float


def redness_map(picture: SkinPicture) -> Plane:
    """(h, w): density of blood above each person's middle, as far as shade does not explain it."""
    total = np.zeros_like(picture.skin)
    for number in picture.everybody:
        picture.cancel.check()
        mine = picture.of_person(number)
        causes = shade_causes(mine)
        picture.cancel.check()
        rest, _ = unexplained(redness(mine.light), causes, mine.plain)
        picture.cancel.check()
        smooth = mine.mean(rest, mine.plain, SMOOTH_MM) / np.float32(REDNESS_OF_BLOOD)
        total += np.where(mine.is_skin, smooth, 0)
    return total


def red_patches(
    picture: SkinPicture, parts: Mapping[Part, Plane], density: Plane
) -> list[RedPatch]:
    """The patches beyond what is natural, the largest first."""
    picture.cancel.check()
    natural = np.full_like(density, NATURAL_ELSEWHERE)
    for part, plane in parts.items():
        picture.cancel.check()
        natural = np.where(plane > 0.3, np.float32(NATURAL[part]), natural)
    picture.cancel.check()
    beyond = np.maximum(density - natural - BEYOND, (BLUISH - density))
    skin = inner(picture) > 0.5
    picture.cancel.check()
    found = []
    n, labels, stats, centres = cv2.connectedComponentsWithStats(
        ((beyond > 0) & skin).astype(np.uint8), connectivity=4
    )
    for label in range(1, n):
        picture.cancel.check()
        area_mm2 = picture.mm2(float(stats[label][cv2.CC_STAT_AREA]))
        if area_mm2 >= LEAST_MM2:
            mask = labels == label
            certainty = min(1.0, 0.5 + 0.5 * float(beyond[mask].max()) / SURE)
            x, y = (float(c) + 0.5 for c in centres[label])
            found.append(RedPatch(mask, x, y, area_mm2, float(density[mask].mean()), certainty))
    return sorted(found, key=lambda patch: -patch.area_mm2 * abs(patch.density))


def soft_target(patch: RedPatch, picture: SkinPicture, density: Plane) -> Plane:
    """(h, w) 0-1: how far each pixel is meant, by how far it is beyond its surroundings."""
    most = patch.density
    near = cv2.dilate(patch.mask.astype(np.uint8), disc(picture.px(3 * RIM_MM)))
    share = np.clip(density / most, 0, 1) * (near > 0)
    soft = cv2.GaussianBlur(share.astype(np.float32), (0, 0), max(picture.px(RIM_MM), 0.5))
    return np.asarray(soft * inner(picture), dtype=np.float32)
