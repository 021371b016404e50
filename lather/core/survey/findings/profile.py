"""The cross-section of a line: how deep, how wide, and whether it is an edge."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from lather.core.arrays import Plane

STEP_PX = 0.25
REACH_SHARE = 0.6  # of the half width that is looked at, beyond which the sides lie
LEAST_SIGMA_PX = 0.5
_OWN_VARIANCE = 0.75  # what the smoothing and the derivative here blur by themselves
SHARPEST = 99.7  # percentile of the gradient at which the picture's own edges are measured


@dataclass(frozen=True)
class Profile:
    """A line's mean cross-section.

    Attributes
    ----------
    depth : of the middle against the mean of both sides, in the plane's unit.
    width_px : full width at half depth.
    uneven : difference of the sides, in depths: about 1 for an edge.
    """

    depth: float
    width_px: float
    uneven: float


def profile_of(plane: Plane, path: NDArray[np.float32], half_px: float) -> Profile:
    """The profile of a path, (N, 2) x, y, within so far to both sides; each place centred."""
    along = np.gradient(path.astype(np.float64), axis=0)
    along = gaussian_filter1d(along, 2.0, axis=0, mode="nearest")
    length = np.maximum(np.hypot(along[:, 0], along[:, 1]), 1e-6)
    across = np.stack([-along[:, 1], along[:, 0]], -1) / length[:, None]
    steps = np.arange(-half_px, half_px + STEP_PX / 2, STEP_PX)
    map_x = (path[:, :1] + across[:, :1] * steps - 0.5).astype(np.float32)
    map_y = (path[:, 1:] + across[:, 1:] * steps - 0.5).astype(np.float32)
    sections = cv2.remap(plane, map_x, map_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    profile = np.median(_centred(sections), 0)
    outer = np.abs(steps) > REACH_SHARE * half_px
    left, right = (float(np.median(profile[outer & (np.sign(steps) == s)])) for s in (-1, 1))
    rise = profile - (left + right) / 2
    middle = np.abs(steps) < 0.35 * half_px
    peak = int(np.argmax(np.where(middle, rise, -np.inf)))
    depth = float(rise[peak])
    if depth <= 0:
        return Profile(0.0, 2 * half_px, 1.0)
    low = high = peak
    while low > 0 and rise[low - 1] > depth / 2:
        low -= 1
    while high < len(rise) - 1 and rise[high + 1] > depth / 2:
        high += 1
    return Profile(depth, (high - low + 1) * STEP_PX, abs(left - right) / depth)


def edge_width_px(light: Plane) -> float:
    """The full width at half maximum of the picture's own blur, from its sharpest edges.

    A step of height h blurred by a Gaussian of sigma has the slope h / (sigma * sqrt(2 pi)).
    """
    smooth = cv2.GaussianBlur(light, (0, 0), 0.5)
    slope = cv2.magnitude(
        cv2.Sobel(smooth, cv2.CV_32F, 1, 0, ksize=3, scale=1 / 8),
        cv2.Sobel(smooth, cv2.CV_32F, 0, 1, ksize=3, scale=1 / 8),
    )
    kernel = np.ones((9, 9), dtype=np.uint8)
    step = cv2.dilate(smooth, kernel) - cv2.erode(smooth, kernel)
    steep = slope >= np.percentile(slope[::2, ::2], SHARPEST)
    if not steep.any():
        return 2.355
    sigma_px = step[steep] / (np.maximum(slope[steep], 1e-6) * np.sqrt(2 * np.pi))
    measured = float(np.percentile(sigma_px, 25))
    return float(2.355 * np.sqrt(max(LEAST_SIGMA_PX**2, measured**2 - _OWN_VARIANCE)))


def _centred(sections: NDArray[np.float32]) -> NDArray[np.float32]:
    """Each section moved so that its peak near the middle lies in the middle."""
    middle = sections.shape[1] // 2
    reach = max(1, sections.shape[1] // 6)
    near = sections[:, middle - reach : middle + reach + 1]
    shift = near.argmax(1) - reach
    columns = np.clip(np.arange(sections.shape[1]) + shift[:, None], 0, sections.shape[1] - 1)
    return np.take_along_axis(sections, columns, axis=1)
