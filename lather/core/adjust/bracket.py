"""Soft ranges of hue and of lightness, by which adjustments choose colours.

A bracket on the hue ring weighs 1 at its middle, a half at its ends and 0 a width away (a raised
cosine); one of 360 degrees weighs 1 everywhere. Near grey a hue means nothing: there a bracket's
weight fades with chroma. Hues are those of CIE Lab, in degrees: 0 towards +a, 90 towards +b.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import Plane

WHOLE_RING_DEG = 360.0
GREY_CHROMA, FULL_CHROMA = 3.0, 9.0  # between them a hue begins to count
SOFT_END_L = 6.0  # of a span of lightness: from a half to none or all
N_STEPS = 8192  # of a table around the ring


@dataclass(frozen=True)
class HueRange:
    """A bracket on the ring; what becomes of its colours is added by the adjustments."""

    middle_deg: float
    width_deg: float


def bracket_weight(
    hue_deg: NDArray[np.floating], middle_deg: float, width_deg: float
) -> NDArray[np.float64]:
    """0-1 for hues in degrees."""
    hues = np.asarray(hue_deg, dtype=np.float64)
    if width_deg >= WHOLE_RING_DEG:
        return np.ones_like(hues)
    away = np.abs((hues - middle_deg + 180) % 360 - 180)
    inside = away < width_deg
    weight: NDArray[np.float64] = np.where(
        inside, 0.5 + 0.5 * np.cos(np.pi * np.minimum(away / width_deg, 1)), 0
    )
    return weight


def hue_gate(chroma: NDArray[np.floating]) -> NDArray[np.floating]:
    """0-1: how far a colour of that chroma has a hue."""
    return smooth_step((chroma - GREY_CHROMA) / (FULL_CHROMA - GREY_CHROMA))


def smooth_step(share: NDArray[np.floating]) -> NDArray[np.floating]:
    """0 up to 0, 1 from 1, level at both."""
    t = np.clip(share, 0, 1)
    step: NDArray[np.floating] = t * t * (3 - 2 * t)
    return step


def span_weight(
    light: NDArray[np.floating], low_l: float, high_l: float,
    soft_low_l: float = SOFT_END_L, soft_high_l: float = SOFT_END_L,
) -> NDArray[np.floating]:
    """0-1: within a span of lightness, a half at its ends, which are that soft to each side.

    A span that begins at 0 or ends at 100 is open there.
    """
    weight = np.ones_like(light)
    if low_l > 0:
        weight = weight * smooth_step((light - low_l) / max(2 * soft_low_l, 1e-3) + 0.5)
    if high_l < 100:
        weight = weight * smooth_step((high_l - light) / max(2 * soft_high_l, 1e-3) + 0.5)
    return weight


def ring_place(a: NDArray[np.floating], b: NDArray[np.floating]) -> NDArray[np.floating]:
    """Where a colour lies around the ring, 0-4, by division alone; a quarter is 90 degrees."""
    along = np.abs(b) / np.maximum(np.abs(a) + np.abs(b), 1e-9)
    right = np.where(b >= 0, along, 4 - along)
    left = np.where(b >= 0, 2 - along, 2 + along)
    place: NDArray[np.floating] = np.where(a >= 0, right, left)
    return place


def ring_degrees() -> NDArray[np.float64]:
    """The hue in the middle of each step of a table around the ring, (N_STEPS + 1,)."""
    place = (np.arange(N_STEPS + 1) + 0.5) * (4 / N_STEPS) % 4
    quarter, along = np.floor(place), place % 1
    hues: NDArray[np.float64] = 90 * quarter + np.degrees(np.arctan2(along, 1 - along))
    return hues


def looked_up(table: Plane, a: NDArray[np.floating], b: NDArray[np.floating]) -> Plane:
    """Columns of a table around the ring, (N_STEPS + 1, n), at colours: (..., n)."""
    found: Plane = table[(ring_place(a, b) * (N_STEPS / 4)).astype(np.int64)]
    return found
