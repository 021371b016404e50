"""Photos whose file ends too early: how much is there, and how the rest is marked.

A half-copied card is the usual cause.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from lather.files.photos.profiles import vips
from lather.files.photos.tiff import SIGNATURES, read_directory

_STRIP_ROWS = 16  # read at a time; what a decoder loses at the end is no more than this
_STRIPE_PX = 24  # of the marking, across
_DARK, _LIGHT = 96, 144  # its greys, of 255


def n_whole_rows(encoded: bytes) -> int:
    """Rows from the top, as they lie in the file, that are whole; 0 if none can be read."""
    if encoded.startswith(SIGNATURES):
        directory = read_directory(encoded)
        return directory.n_whole_rows if directory is not None else 0
    pyvips, n_rows = vips(), 0
    try:
        image = pyvips.Image.new_from_buffer(
            encoded, "", access="sequential", fail_on="truncated"
        )
        for top in range(0, image.height, _STRIP_ROWS):
            rows = min(_STRIP_ROWS, image.height - top)
            image.crop(0, top, image.width, rows).write_to_memory()
            n_rows = top + rows
    except pyvips.Error:
        pass
    return n_rows


def is_cut_off(encoded: bytes) -> bool:
    """True for a TIFF that names samples beyond its end: no decoder complains."""
    directory = read_directory(encoded) if encoded.startswith(SIGNATURES) else None
    return directory is not None and directory.n_whole_rows < directory.height


def bytes_missing(encoded: bytes) -> int:
    """How much longer a TIFF would have to be to hold all that it names."""
    directory = read_directory(encoded) if encoded.startswith(SIGNATURES) else None
    return 0 if directory is None else max(0, directory.end_bytes - directory.size_bytes)


def marked(image: Any, n_rows: int) -> Any:
    """The picture with all but its first `n_rows` rows hatched in two greys, opaque."""
    height, width = image.height - n_rows, image.width
    period = 2 * _STRIPE_PX
    y, x = np.mgrid[:period, :period]
    stripes = np.where((x + y) // _STRIPE_PX % 2, _DARK, _LIGHT).astype(np.uint8)
    hatch = vips().Image.new_from_memory(stripes.tobytes(), period, period, 1, "uchar")
    hatch = hatch.replicate(-(-width // period), -(-height // period)).crop(0, 0, width, height)
    n_alpha = 1 if image.hasalpha() else 0
    bands = [hatch] * (image.bands - n_alpha) + [(hatch * 0 + 255).cast("uchar")] * n_alpha
    hatch = bands[0].bandjoin(bands[1:]) if len(bands) > 1 else hatch
    if image.format == "ushort":
        hatch = hatch.cast("ushort") * 257
    hatch = hatch.cast(image.format).copy(interpretation=image.interpretation)
    return image.crop(0, 0, width, n_rows).join(hatch, "vertical")
