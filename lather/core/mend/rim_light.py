"""What the rim of a mended place tells of its light, and how that is carried across it."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.lab import luma
from lather.core.mend.membrane import fill_membrane

RIM_AVERAGE = 0.12  # of the place's width
RIM_AVERAGE_PX = (1.2, 5.0)
RIM_BROAD, MOST_OFF = 3.0, 3.0  # what sticks out of the rim's broad light by so many deviations
LEAST_KNOWN = 0.1


def rim_sigma_px(width_px: float) -> float:
    """Over how much of the rim its difference is averaged, for a place of that width."""
    low, high = RIM_AVERAGE_PX
    return min(max(RIM_AVERAGE * width_px, low), high)


def plain_rim(
    target: FloatImage, inside: NDArray[np.bool_], avoided: Plane | None, sigma_px: float
) -> NDArray[np.bool_]:
    """The pixels around that tell the tone: no other finding, no hair that crosses the rim."""
    plain = ~inside
    if avoided is not None:
        plain &= avoided < 0.5
    if not plain.any():
        return ~inside
    light = luma(target)
    known = plain.astype(np.float32)
    broad = cv2.GaussianBlur(light * known, (0, 0), RIM_BROAD * sigma_px)
    broad /= np.maximum(cv2.GaussianBlur(known, (0, 0), RIM_BROAD * sigma_px), 1e-6)
    off = np.abs(light - broad)
    usual = 1.4826 * float(np.median(off[plain])) + 1e-4
    kept: NDArray[np.bool_] = plain & (off < MOST_OFF * usual)
    return kept if kept.any() else plain


def carried_difference(
    difference: FloatImage,
    inside: NDArray[np.bool_],
    plain: NDArray[np.bool_],
    sigma_px: float,
) -> FloatImage:
    """The rim's difference, averaged over plain pixels only, carried inside by a membrane."""
    known = plain.astype(np.float32)
    weight = cv2.GaussianBlur(known, (0, 0), sigma_px)
    averaged: FloatImage = cv2.GaussianBlur(difference * known[..., None], (0, 0), sigma_px)
    averaged /= np.maximum(weight, 1e-6)[..., None]
    # Where no plain pixel is near, the membrane spans.
    unknown = inside | ((weight < LEAST_KNOWN) & ~plain)
    return fill_membrane(averaged, inside if unknown.all() else unknown)
