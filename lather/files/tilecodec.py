"""Tiles as 16-bit PNG: colour tiles RGBA, mask tiles grey."""

from __future__ import annotations

import struct
import zlib

import numpy as np
from numpy.typing import NDArray

WORTH_COMPRESSING = 0.85  # of the size; noise is stored as it is, 15 times faster
_SAMPLE_ROWS = 16
_SIGNATURE = b"\x89PNG\r\n\x1a\n"
_HEADER = struct.Struct(">IIBBBBB")


def encode_tile(pixels: NDArray[np.uint16]) -> bytes:
    """(H, W, 4) RGBA or (H, W) grey as PNG; compressed if that is worth the time."""
    import cv2

    sample = pixels[::_SAMPLE_ROWS].tobytes()
    if len(zlib.compress(sample, 1)) > WORTH_COMPRESSING * len(sample):
        return _stored(pixels)
    ordered = pixels if pixels.ndim == 2 else np.ascontiguousarray(pixels[..., [2, 1, 0, 3]])
    runs = [cv2.IMWRITE_PNG_COMPRESSION, 1, cv2.IMWRITE_PNG_STRATEGY, cv2.IMWRITE_PNG_STRATEGY_RLE]
    ok, encoded = cv2.imencode(".png", ordered, runs)
    assert ok
    return bytes(encoded)


def decode_tile(encoded: bytes, height: int, width: int, channels: int) -> NDArray[np.uint16]:
    """The inverse. The size is checked before anything is unpacked.

    Raises
    ------
    ValueError : not a 16-bit PNG of that size, or damaged.
    """
    import cv2

    kind = 6 if channels == 4 else 0
    if (
        encoded[:8] != _SIGNATURE
        or encoded[12:16] != b"IHDR"
        or _HEADER.unpack_from(encoded, 16)[:4] != (width, height, 16, kind)
    ):
        raise ValueError("a tile is not a 16-bit picture of the right size")
    pixels = cv2.imdecode(np.frombuffer(encoded, dtype=np.uint8), cv2.IMREAD_UNCHANGED)
    shape = (height, width) + ((channels,) if channels > 1 else ())
    if pixels is None or pixels.shape != shape or pixels.dtype != np.uint16:
        raise ValueError("a tile is damaged")
    ordered = pixels if channels == 1 else pixels[..., [2, 1, 0, 3]]
    out: NDArray[np.uint16] = np.ascontiguousarray(ordered, dtype=np.uint16)
    out.flags.writeable = False
    return out


def _stored(pixels: NDArray[np.uint16]) -> bytes:
    """A PNG without filter and compression."""
    height, width = pixels.shape[:2]
    samples = pixels.astype(">u2").reshape(height, -1).view(np.uint8)
    rows = np.zeros((height, 1 + samples.shape[1]), dtype=np.uint8)  # each row's filter first: none
    rows[:, 1:] = samples
    kind = 6 if pixels.ndim == 3 else 0
    header = _HEADER.pack(width, height, 16, kind, 0, 0, 0)
    chunks = ((b"IHDR", header), (b"IDAT", zlib.compress(rows.tobytes(), 0)), (b"IEND", b""))
    return _SIGNATURE + b"".join(
        struct.pack(">I", len(data))
        + name
        + data
        + struct.pack(">I", zlib.crc32(data, zlib.crc32(name)))
        for name, data in chunks
    )
