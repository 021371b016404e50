"""Pictures as 32-bit floats, which may be below 0 and above 1."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from lather.core.arrays import FloatImage
from lather.files.atomic import replacing
from lather.files.photos.profiles import vips, with_profile


def write_floats(image: FloatImage, profile: bytes | None, path: Path) -> None:
    """(H, W, 3) as a 32-bit float TIFF; `profile` says what its colours mean.

    Raises
    ------
    LatherError : the folder cannot be written to, or the disk is full.
    """
    packed = np.ascontiguousarray(image, dtype=np.float32)
    height, width, bands = packed.shape
    whole = vips().Image.new_from_memory(packed.data, width, height, bands, "float")
    with replacing(path) as temporary:
        temporary.write_bytes(with_profile(whole, profile).tiffsave_buffer())
