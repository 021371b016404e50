"""Blocks of a strongly compressed JPEG, whose steps of colour look like red marks."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage

MOST_BLOCKS = 3.0  # of a photo that is taken as it is
SEEN_PX = 1024  # of each side: enough to tell
BLOCK_PX = 16  # of colour, which is kept at half of the size
LEAST_BLOCKS = 4  # in a row, to tell
EVENED_PX = 5.0  # sigma: a step from one block to the next becomes a slope


def blockiness(rgb: FloatImage) -> float:
    """How much larger the steps of colour are between the blocks of a JPEG than within them.

    1 for a picture that was never compressed, or changed in size since; 6 and more at quality 50.

    Parameters
    ----------
    rgb : (H, W, 3) float32 encoded RGB 0-1, the photo's own pixels.
    """
    side = min(SEEN_PX, rgb.shape[0], rgb.shape[1])
    top, left = ((length - side) // 2 for length in rgb.shape[:2])
    part = np.ascontiguousarray(rgb[top : top + side, left : left + side])
    red = cv2.cvtColor(part, cv2.COLOR_RGB2YCrCb)[..., 1]
    # The grid has both axes; stripes and bricks have one, or lie on some of its borders.
    return min(_steps_at_borders(np.abs(np.diff(red, axis=axis)).mean(1 - axis))
               for axis in (0, 1))  # fmt: skip


def _steps_at_borders(steps: NDArray[np.float32]) -> float:
    """How much larger steps are at the borders of blocks, wherever the first one lies.

    A photo that was cropped or turned has its grid begin anywhere: of all places the clearest.
    """
    n_blocks = len(steps) // BLOCK_PX
    if n_blocks < LEAST_BLOCKS:
        return 1.0
    # Medians: of the edges of things only some fall on such borders.
    by_place = np.median(steps[: n_blocks * BLOCK_PX].reshape(n_blocks, BLOCK_PX), axis=0)
    return float(by_place.max()) / max(float(np.median(by_place)), 1e-6)


def without_blocks(rgb: FloatImage, scale: float) -> FloatImage:
    """The picture with its colours blurred across the blocks; its light stays as sharp as it is.

    Parameters
    ----------
    rgb : (h, w, 3) float32 encoded RGB 0-1, the photo reduced by `scale`.
    """
    planes = cv2.cvtColor(rgb, cv2.COLOR_RGB2YCrCb)
    planes[..., 1:] = cv2.GaussianBlur(planes[..., 1:], (0, 0), EVENED_PX * scale)
    even: FloatImage = np.clip(cv2.cvtColor(planes, cv2.COLOR_YCrCb2RGB), 0, 1)
    return even
