"""How a plane deviates from its surroundings, within a mask: blotches, and what shines."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.filter.gaussian import gaussian
from lather.core.kernels import Kernel
from lather.core.rect import Rect

LEAST_SHARE = 0.02  # of the surroundings that belong: with less there is nothing to compare with


def mean_within(plane: Plane, mask: Plane, rect: Rect, sigma_px: float) -> tuple[Plane, Plane]:
    """The mean of what a mask takes in around each pixel, and the share of it; (h, w) each.

    Where next to nothing of the surroundings belongs to the mask, the mean is the plane itself.
    """
    both = np.stack([plane * mask, mask], -1)
    blurred = gaussian(np.ascontiguousarray(both, dtype=np.float32), rect, sigma_px)
    share: Plane = blurred[..., 1]
    mean = np.where(share > LEAST_SHARE, blurred[..., 0] / np.maximum(share, LEAST_SHARE), plane)
    return mean.astype(np.float32), share


def _signed_reference(
    image: FloatImage, share: Plane, mask: Plane, colours: Plane, dimmed: float
) -> None:
    """Show a share of -1 to 1 within a mask, in place of (h, w, 4) pixels; all else is a dim grey.

    `colours` are those of 0, 1 and -1, (3, 3); between them straight.
    """
    grey = dimmed * image[..., :3].mean(-1, keepdims=True)
    s = np.clip(share, -1, 1)[..., None]
    middle, more, less = colours
    shown = np.where(s >= 0, middle + s * (more - middle), middle - s * (less - middle))
    image[..., :3] = grey + mask[..., None] * (shown - grey)


show_signed = Kernel("lather.core.tone.compiled", "show_signed", _signed_reference)
