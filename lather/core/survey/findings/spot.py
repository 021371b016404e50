"""A spot before it is a finding: where, what, how clear."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lather.core.survey.findings.finding import Kind

APART_MM = 0.7


@dataclass(frozen=True)
class Spot:
    """A candidate that passed, in pixels of the plane it was found on."""

    x: float
    y: float
    kind: Kind
    z: float  # standard deviations above the skin's own unevenness
    contrast: float  # density at the peak
    area_px: float
    sigma_px: float
    clearness: float = 10.0  # contrast against what is left on the ring around

    @property
    def radius_px(self) -> float:
        """Of the disc of the same area."""
        return math.sqrt(self.area_px / math.pi)


def elongation(xs: NDArray[np.int64], ys: NDArray[np.int64]) -> float:
    """Length over width of a set of pixels."""
    if len(xs) < 4:
        return 1.0
    low, high = np.linalg.eigvalsh(np.cov(np.stack([xs, ys])) + np.eye(2) / 12)
    return math.sqrt(high / low)


def without_doubles(spots: list[Spot], mm_per_px: float) -> list[Spot]:
    """One spot a place: the first of those that lie within each other."""
    kept: list[Spot] = []
    for spot in spots:
        near = (
            other for other in kept
            if math.dist((spot.x, spot.y), (other.x, other.y))
            < max(1.5 * max(spot.sigma_px, other.sigma_px), APART_MM / mm_per_px)
        )  # fmt: skip
        if next(near, None) is None:
            kept.append(spot)
    return kept
