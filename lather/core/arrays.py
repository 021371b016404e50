"""Array types and sample depths used everywhere.

Conventions: H x W x C, encoded RGB; float kernels use 0-1 float32; stored samples are
unsigned integers whose largest value means 1. Pixel centres lie at .5; x right, y down.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

FloatImage = NDArray[np.float32]  # (H, W, 3) or (H, W, 4), 0-1
Plane = NDArray[np.float32]  # (H, W), 0-1
Samples = NDArray[Any]  # uint8 or uint16, any shape
LayerPixels = NDArray[np.uint16]  # (H, W, 4), straight alpha
MaskPixels = NDArray[np.uint16]  # (H, W)
ByteImage = NDArray[np.uint8]

FULL = 65535  # the stored value of 1.0 in layers and masks


def full_scale(samples: Samples) -> int:
    """The stored value that means 1.0: 255 for uint8, 65535 for uint16."""
    return int(np.iinfo(samples.dtype).max)


def to_float(samples: Samples) -> FloatImage:
    """Stored samples to float32 0-1; an exact inverse of `quantise`."""
    return samples.astype(np.float32) * np.float32(1.0 / full_scale(samples))


def quantise(values: FloatImage, dtype: type[np.uint8] | type[np.uint16]) -> Samples:
    """Float 0-1 to stored samples, rounded to nearest, clipped."""
    top = np.iinfo(dtype).max
    return (np.clip(values, 0.0, 1.0) * np.float32(top) + np.float32(0.5)).astype(dtype)


def block_means(plane: Plane, level: int) -> Plane:
    """Means of blocks of 2**level squared; sides must be multiples of that."""
    step = 1 << level
    blocks = plane.reshape(plane.shape[0] // step, step, plane.shape[1] // step, step)
    means: Plane = blocks.mean((1, 3), dtype=np.float32)
    return means
