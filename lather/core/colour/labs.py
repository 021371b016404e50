"""Lab of whole pictures in float32: as `srgb_to_lab`, fast enough for a lens."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage
from lather.core.colour.lab import srgb_to_lab
from lather.core.kernels import Kernel


def lab_of(pixels: FloatImage) -> FloatImage:
    """(h, w, 3) float32 L*, a*, b* of (h, w, 3 or 4) encoded pixels, read as sRGB."""
    out = np.empty((*pixels.shape[:2], 3), dtype=np.float32)
    to_lab(pixels[..., :3], out)
    return out


def _to_lab_reference(pixels: FloatImage, out: FloatImage) -> None:
    out[...] = srgb_to_lab(np.clip(pixels, 0, 1))


to_lab = Kernel("lather.core.colour.compiled_lab", "to_lab", _to_lab_reference)
