"""Tiles as 16-bit PNG: colour tiles RGBA, mask tiles grey."""

from __future__ import annotations

import struct
import zlib

import numpy as np
from numpy.typing import NDArray

from lather.files.photos.png import is_whole

WORTH_COMPRESSING = 0.85  # of the size; noise is stored as it is, 15 times faster
_SAMPLE_ROWS = 64  # every how many rows one is tried
_MOST_BLOCK_BYTES = 65535
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
    if not is_whole(encoded):  # room is made for as much as a chunk says that it holds
        raise ValueError("a tile ends too early")
    pixels = cv2.imdecode(np.frombuffer(encoded, dtype=np.uint8), cv2.IMREAD_UNCHANGED)
    shape = (height, width) + ((channels,) if channels > 1 else ())
    if pixels is None or pixels.shape != shape or pixels.dtype != np.uint16:
        raise ValueError("a tile is damaged")
    ordered = pixels if channels == 1 else pixels[..., [2, 1, 0, 3]]
    out: NDArray[np.uint16] = np.ascontiguousarray(ordered, dtype=np.uint16)
    out.flags.writeable = False
    return out


def _stored(pixels: NDArray[np.uint16]) -> bytes:
    """A PNG without filter and compression, written in one pass over the samples.

    Source: RFC 1951 section 3.2.4 (stored blocks), RFC 1950 (checksum), PNG specification.
    A block holds whole rows, each led by its filter, 0.
    """
    height, width = pixels.shape[:2]
    samples = pixels.reshape(height, -1)
    row_bytes = 1 + 2 * samples.shape[1]
    rows_a_block = _MOST_BLOCK_BYTES // row_bytes
    n_blocks = -(-height // rows_a_block)
    idat_bytes = 2 + 5 * n_blocks + row_bytes * height + 4
    head = _SIGNATURE + _chunk(
        b"IHDR", _HEADER.pack(width, height, 16, 6 if pixels.ndim == 3 else 0, 0, 0, 0)
    )
    tail = _chunk(b"IEND", b"")
    start = len(head) + 8
    out = bytearray(start + idat_bytes + 4 + len(tail))
    out[:start] = head + struct.pack(">I4s", idat_bytes, b"IDAT")
    out[start : start + 2] = b"\x78\x01"
    at, checksum, view = start + 2, 1, memoryview(out)
    for block in range(n_blocks):
        rows = samples[block * rows_a_block : (block + 1) * rows_a_block]
        n_bytes = row_bytes * len(rows)
        last = block == n_blocks - 1
        struct.pack_into("<BHH", out, at, last, n_bytes, n_bytes ^ 0xFFFF)
        at += 5
        np.ndarray(rows.shape, ">u2", out, at + 1, (row_bytes, 2))[...] = rows
        checksum = zlib.adler32(view[at : at + n_bytes], checksum)
        at += n_bytes
    struct.pack_into(">I", out, at, checksum)
    struct.pack_into(">I", out, at + 4, zlib.crc32(view[start - 4 : at + 4]))
    view[at + 8 :] = tail
    return bytes(out)


def _chunk(name: bytes, data: bytes) -> bytes:
    crc = zlib.crc32(data, zlib.crc32(name))
    return struct.pack(">I", len(data)) + name + data + struct.pack(">I", crc)
