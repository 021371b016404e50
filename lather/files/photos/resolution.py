"""How many pixels an inch of print gets: one number, wherever a format writes it."""

from __future__ import annotations

import math
import struct
from typing import TYPE_CHECKING

from lather.files.photos import png
from lather.files.photos.tiff import read_directory

if TYPE_CHECKING:
    from PIL.Image import Exif

MM_PER_INCH = 25.4
X_TAG, Y_TAG, UNIT_TAG = 282, 283, 296  # of EXIF and TIFF
_INCH = 2
_MM_PER_UNIT = {_INCH: MM_PER_INCH, 3: 10.0}  # of EXIF and TIFF
_MM_PER_JFIF_UNIT = {1: MM_PER_INCH, 2: 10.0}
_LOWEST, _HIGHEST = 1.0, 100_000.0


def dpi_of(encoded: bytes, exif: bytes | None) -> float | None:
    """What a photo file says; None if nothing. Its EXIF comes first.

    `exif` is the EXIF block, as formats embed it.
    """
    found = _of_exif(exif) or _of_format(encoded)
    return found if found is not None and _LOWEST <= found <= _HIGHEST else None


def into_exif(exif: Exif, dpi: float) -> None:
    exif[X_TAG] = exif[Y_TAG] = dpi
    exif[UNIT_TAG] = _INCH


def _of_exif(blob: bytes | None) -> float | None:
    from PIL import Image

    if blob is None:
        return None
    exif = Image.Exif()
    try:
        exif.load(blob)
        dots, mm = float(exif[X_TAG]), _MM_PER_UNIT[int(exif.get(UNIT_TAG, _INCH))]
    except Exception:  # noqa: BLE001 - whatever a broken block makes the reader do
        return None
    return dots * MM_PER_INCH / mm if math.isfinite(dots) and dots > 0 else None


def _of_format(encoded: bytes) -> float | None:
    if encoded.startswith(b"\xff\xd8"):
        return _of_jfif(encoded)
    if encoded.startswith(png.SIGNATURE):
        return _of_png(encoded)
    return _of_tiff(encoded)


def _of_tiff(encoded: bytes) -> float | None:
    directory = read_directory(encoded)
    rational = () if directory is None else directory.values.get(X_TAG, ())
    if directory is None or len(rational) != 2 or 0 in rational:
        return None
    mm = _MM_PER_UNIT.get(directory.one(UNIT_TAG, _INCH))
    return None if mm is None else rational[0] / rational[1] * MM_PER_INCH / mm


def _of_jfif(encoded: bytes) -> float | None:
    """ITU-T T.871: the first segment."""
    if encoded[6:11] != b"JFIF\0" or len(encoded) < 18:
        return None
    unit, dots = struct.unpack_from(">BH", encoded, 13)
    mm = _MM_PER_JFIF_UNIT.get(unit)
    return dots * MM_PER_INCH / mm if mm is not None and dots else None


def _of_png(encoded: bytes) -> float | None:
    """The pHYs chunk (PNG, third edition, 11.3.4.3)."""
    chunk = png.chunks(encoded).get(b"pHYs", b"")
    if len(chunk) != 9:
        return None
    dots, _, unit = struct.unpack(">IIB", chunk)
    return dots * MM_PER_INCH / 1000 if unit == 1 and dots else None
