"""Averages that keep out what does not belong: blurs within a mask, wide ones on less pixels."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane

_WIDEST_SIGMA_PX = 6.0  # beyond it the blur runs on a reduced plane
_REDUCED_SIGMA_PX = 3.0


def blurred(plane: FloatImage, sigma_px: float) -> FloatImage:
    """Gaussian blur; for a large sigma on a reduced copy, within 1 % of the exact one.

    `plane` is (H, W) or (H, W, C) with up to four channels.
    """
    if sigma_px <= _WIDEST_SIGMA_PX:
        exact: FloatImage = cv2.GaussianBlur(plane, (0, 0), sigma_px)
        return exact
    height, width = plane.shape[:2]
    step = 2 ** int(np.log2(sigma_px / _REDUCED_SIGMA_PX))
    small = cv2.resize(
        plane, (max(1, width // step), max(1, height // step)), interpolation=cv2.INTER_AREA
    )
    small = cv2.GaussianBlur(small, (0, 0), sigma_px / step)
    wide: FloatImage = cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR)
    return wide


def blurred_within(
    plane: Plane, mask: Plane, sigma_px: float, weight: Plane | None = None
) -> tuple[Plane, Plane]:
    """The blur of what the mask (0-1) shows, and how much of it counted at each pixel (0-1).

    `weight` is that second plane, if it is known already.
    """
    if weight is None:
        weight = blurred(mask, sigma_px)
    mean = blurred(plane * mask, sigma_px) / np.maximum(weight, np.float32(1e-3))
    return mean.astype(np.float32), weight


def disc(radius_px: float) -> NDArray[np.uint8]:
    """The structuring element of that radius."""
    side = 2 * max(1, round(radius_px)) + 1
    element: NDArray[np.uint8] = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    return element
