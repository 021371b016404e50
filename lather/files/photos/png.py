"""The chunks of a PNG file that come before the picture (PNG, third edition, 5)."""

from __future__ import annotations

import struct

SIGNATURE = b"\x89PNG"
_FIRST = 8


def chunks(encoded: bytes) -> dict[bytes, bytes]:
    """Their contents by name, as far as they are whole; the first of several."""
    found: dict[bytes, bytes] = {}
    at = _FIRST
    while at + 12 <= len(encoded):
        size, kind = struct.unpack_from(">I4s", encoded, at)
        content = encoded[at + 8 : at + 8 + size]
        if kind == b"IDAT" or len(content) < size:
            break
        found.setdefault(kind, content)
        at += 12 + size
    return found


def is_whole(encoded: bytes) -> bool:
    """True if every chunk lies in the file, up to the one that ends it."""
    at = _FIRST
    while at + 12 <= len(encoded):
        size, kind = struct.unpack_from(">I4s", encoded, at)
        at += 12 + int(size)
        if kind == b"IEND":
            return at <= len(encoded)
    return False
