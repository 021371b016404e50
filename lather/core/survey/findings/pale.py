"""Pale spots: flakes of dry skin, and milk spots.

Both scatter light before it reaches the blood: they are brighter than the skin around and as much
less red. Shine adds white light to what the skin sends back, which takes away far less redness than
it adds brightness; so a glint on a pore is told from a flake wherever it lies, and in a picture
without colours nothing is proposed.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import Plane
from lather.core.blur import blurred_within, disc
from lather.core.colour.density import Density
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Kind
from lather.core.survey.findings.spot import Spot, elongation
from lather.core.work import NEVER, CancelToken

GRAIN_MM = 0.2  # sigma: what is finer is grain and pores
SKIN_MM, UNEVENNESS_MM = 3.0, 10.0  # sigma of the skin around; within which its unevenness counts
MASKED_MM = 0.6  # around what sticks out, when the skin around is averaged
EVERY = 8  # pixels are enough to tell how uneven the skin is
NEAR_MM, HALF = 1.2, 0.5  # a spot goes as far as half of the highest place so near
BESIDE_Z = 0.25  # of the peak: what lies beside a spot is below
LEAST_Z, REACHES_Z = 4.5, 2.5  # at the peak, and as far as a spot goes
LEAST_PALENESS = 0.7  # fall of redness to rise of brightness: glints have 0.2 to 0.5
LEAST_CONTRAST, LEAST_CLEARNESS, LEAST_BESIDE = 0.05, 2.5, 0.3
AREA_MM2 = (0.3, 60.0)
MILK_MM2, MILK_ELONGATION, MILK_CLEARNESS = 4.0, 1.6, 4.0
MOST_ELONGATION = 4.0
BESIDE_MM, MOST_REDDENED = 0.8, 0.05  # a pale head in a red surround is a pimple's
FLAKES_WITHIN_MM, LEAST_FLAKES = 60.0, 6


def find_pale(
    density: Density, allowed: Plane, mm_per_px: float, cancel: CancelToken = NEVER
) -> list[Spot]:
    """Flakes, three and more together, and milk spots, which may stand alone.

    Parameters
    ----------
    density : of (H, W) pixels.
    allowed : (H, W) 0 or 1, plain skin away from its edge.
    mm_per_px : scale; about 0.2 is fine enough.
    """
    if not allowed.any():
        return []
    z = _paleness(density.redness, allowed, mm_per_px, cancel)
    skin = _Skin(z, density, allowed, mm_per_px)
    highest_near = cv2.dilate(z, disc(NEAR_MM / mm_per_px))
    _, labels, boxes, _ = cv2.connectedComponentsWithStats(
        (z > np.maximum(REACHES_Z, HALF * highest_near)).astype(np.uint8), connectivity=4
    )
    found = []
    for label, (left, top, width, height, area) in enumerate(boxes.tolist()):
        cancel.check()
        if label and AREA_MM2[0] < area * mm_per_px**2 < AREA_MM2[1]:
            box = Rect(left, top, left + width, top + height)
            spot = skin.spot(box, labels[box.slices] == label)
            if spot is not None:
                found.append(spot)
    return _flakes_in_groups(found, mm_per_px)


def _paleness(redness: Plane, allowed: Plane, mm_per_px: float, cancel: CancelToken) -> Plane:
    """How much less red than the skin around, in deviations of the skin near by."""
    fine = blurred_within(redness, allowed, max(0.5, GRAIN_MM / mm_per_px))[0]
    counted, on_skin = allowed, np.flatnonzero(allowed)[::EVERY]
    for _ in range(2):  # what sticks out must not change the level that it is held against
        cancel.check()
        fall = blurred_within(redness, counted, SKIN_MM / mm_per_px)[0] - fine
        sigma = np.float32(1.4826 * np.median(np.abs(fall.flat[on_skin])) + 1e-6)
        out = cv2.dilate((fall > 3 * sigma).astype(np.uint8), disc(MASKED_MM / mm_per_px))
        counted = allowed * (out == 0)
    square = np.minimum(np.square(fall / sigma), np.float32(9))
    uneven = blurred_within(square, counted, UNEVENNESS_MM / mm_per_px)[0]
    usual = sigma * np.sqrt(np.maximum(uneven, np.float32(0.25)))
    return np.asarray(allowed * fall / usual, dtype=np.float32)


@dataclass(frozen=True)
class _Skin:
    """What a pale place is judged by."""

    z: Plane
    density: Density
    allowed: Plane
    mm_per_px: float

    def spot(self, box: Rect, inside: NDArray[np.bool_]) -> Spot | None:
        """The place as a spot, if it holds when looked at by itself."""
        z = float(self.z[box.slices][inside].max())
        ys, xs = np.nonzero(inside)
        length = elongation(xs, ys)
        if z < LEAST_Z or length > MOST_ELONGATION:
            return None
        contrast, clearness = self._contrast(box, inside, max(REACHES_Z, BESIDE_Z * z))
        if contrast < LEAST_CONTRAST or clearness < LEAST_CLEARNESS:
            return None
        area_px = float(inside.sum())
        is_milk = (area_px * self.mm_per_px**2 < MILK_MM2 and length < MILK_ELONGATION
                   and clearness > MILK_CLEARNESS)  # fmt: skip
        return Spot(
            float(xs.mean()) + box.x0 + 0.5, float(ys.mean()) + box.y0 + 0.5,
            Kind.MILK_SPOT if is_milk else Kind.FLAKE, z, contrast, area_px,
            0.5 * math.sqrt(area_px / math.pi), clearness,
        )  # fmt: skip

    def _contrast(
        self, box: Rect, inside: NDArray[np.bool_], ends_at_z: float
    ) -> tuple[float, float]:
        """How much brighter it is than the skin beside, and how clearly; 0 if that is no flake's.

        A glint is not pale enough for its brightness, a pimple's head has a red surround.
        """
        near, far = (round(mm / self.mm_per_px) for mm in (BESIDE_MM, 3 * BESIDE_MM))
        wide = box.grown(far).intersect(Rect(0, 0, self.z.shape[1], self.z.shape[0]))
        mask = np.zeros((wide.height, wide.width), dtype=np.uint8)
        mask[box.shifted(-wide.x0, -wide.y0).slices] = inside
        core = mask > 0
        plain = (self.allowed[wide.slices] > 0) & (self.z[wide.slices] < ends_at_z)
        close = cv2.dilate(mask, disc(near)) > 0
        beside, further = plain & close, plain & ~close
        if beside.sum() < LEAST_BESIDE * (close & ~core).sum() or not further.any():
            return 0.0, 0.0
        redness, darkness = (
            plane[wide.slices] for plane in (self.density.redness, self.density.darkness)
        )
        brighter = float(np.median(darkness[beside]) - np.median(darkness[core]))
        paler = float(np.median(redness[beside]) - np.median(redness[core]))
        reddened = float(np.median(redness[beside]) - np.median(redness[further]))
        if paler < LEAST_PALENESS * brighter or reddened > MOST_REDDENED:
            return 0.0, 0.0
        return brighter, paler / (float(redness[beside].std()) + 1e-6)


def _flakes_in_groups(spots: list[Spot], mm_per_px: float) -> list[Spot]:
    """Dry skin flakes in many places; a single pale speck that is no milk spot is left alone."""
    def n_near(spot: Spot) -> int:
        return sum(
            math.dist((spot.x, spot.y), (other.x, other.y)) * mm_per_px < FLAKES_WITHIN_MM
            for other in spots
        )

    return [s for s in spots if s.kind is Kind.MILK_SPOT or n_near(s) >= LEAST_FLAKES]
