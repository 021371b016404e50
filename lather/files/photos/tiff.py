"""The first directory of a TIFF file: what it says of its channels, and whether all is there.

Decoding is the image library's; these are the questions it does not answer. Source: TIFF 6.0,
and for files beyond 4 GB the BigTIFF design of libtiff.
"""

from __future__ import annotations

import struct
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

SIGNATURES = (b"II*\x00", b"MM\x00*", b"II+\x00", b"MM\x00+")

_WIDTH, _HEIGHT, _BITS, _COMPRESSION, _PHOTOMETRIC = 256, 257, 258, 259, 262
_STRIPS, _SAMPLES, _ROWS_A_STRIP, _STRIP_BYTES = 273, 277, 278, 279
_PLANAR = 284
_TILE_WIDTH, _TILE_HEIGHT, _TILES, _TILE_BYTES, _EXTRA = 322, 323, 324, 325, 338

# LZW, JPEG, deflate twice, PackBits, LZMA, Zstandard, WebP: none ends in many zeros.
_NEVER_BLANK = (5, 7, 8, 32946, 32773, 34925, 50000, 50001)
_UNCOMPRESSED, _OLD_JPEG, _SEPARATE = 1, 6, 2
_ASSOCIATED, _UNASSOCIATED = 1, 2  # the extra samples that are alpha
_N_COLOURS = {0: 1, 1: 1, 2: 3, 3: 1, 5: 4, 6: 3, 8: 3}  # by photometric interpretation
_FORMATS = {1: "B", 3: "H", 4: "I", 5: "2I", 13: "I", 16: "Q", 18: "Q"}
_MOST_VALUES = 2_000_000
BLANK_BYTES = 64  # at the end of a compressed part: more zeros than any packing ends in


@dataclass(frozen=True)
class Channels:
    """How the samples of a pixel are to be taken.

    `n_colours` come first; `alpha` is the number of the sample that is one; every other extra
    sample is something else, such as a saved selection.
    """

    n_colours: int
    n_extra: int
    alpha: int | None


@dataclass(frozen=True)
class Directory:
    """Numeric values by tag, and the file that they are of."""

    values: Mapping[int, tuple[int, ...]]
    encoded: bytes = field(repr=False)

    @property
    def size_bytes(self) -> int:
        return len(self.encoded)

    def one(self, tag: int, default: int) -> int:
        return self.values.get(tag, (default,))[0]

    @property
    def height(self) -> int:
        return self.one(_HEIGHT, 0)

    @property
    def channels(self) -> Channels:
        n_samples = self.one(_SAMPLES, 1)
        n_colours = _N_COLOURS.get(self.one(_PHOTOMETRIC, 1), n_samples)
        kinds = self.values.get(_EXTRA, ())
        alphas = [n for n, kind in enumerate(kinds) if kind in (_ASSOCIATED, _UNASSOCIATED)]
        alpha = n_colours + alphas[0] if alphas else None
        return Channels(n_colours, max(0, n_samples - n_colours), alpha)

    @property
    def end_bytes(self) -> int:
        """Where the last of its samples ends, within a picture's reach of the file's own end."""
        starts = self.values.get(_TILES, self.values.get(_STRIPS, ()))
        sizes = self.values.get(_TILE_BYTES, self.values.get(_STRIP_BYTES, ()))
        most = self.size_bytes + self.one(_WIDTH, 0) * self.height * self._bits_a_pixel // 8
        ends = (start + size for start, size in zip(starts, sizes, strict=False))
        return max((end for end in ends if end <= most), default=0)

    @property
    def n_whole_rows(self) -> int:
        """Rows from the top all of whose samples lie in the file; the height if nothing is cut.

        Of a compressed strip that is cut off, or ends in nothing but zeros as room that was never
        written to does, none counts.
        """
        height = self.height
        if self.one(_COMPRESSION, 1) == _OLD_JPEG:
            return height  # its data need not lie where the strips say
        tiled = _TILES in self.values
        starts = self.values.get(_TILES if tiled else _STRIPS, ())
        n_bytes = self.values.get(_TILE_BYTES if tiled else _STRIP_BYTES, ())
        rows, per_row = self._layout(tiled)
        n_planes = self.one(_SAMPLES, 1) if self.one(_PLANAR, 1) == _SEPARATE else 1
        a_plane = -(-height // rows) * per_row
        if n_planes > 1 and len(starts) < a_plane * n_planes:
            return 0
        whole = height
        # Sizes may be anything; there are no more parts than the file names, and the first missing.
        for number in range(min(a_plane * n_planes, len(starts) + 1)):
            top = number % a_plane // per_row * rows
            if top >= whole:
                continue
            start = starts[number] if number < len(starts) else 0
            size = n_bytes[number] if number < len(n_bytes) else 0
            if not n_bytes:
                size = self.size_bytes - start  # the file does not say: up to its end
            wanted = min(rows, height - top)
            there = self._rows_there(start, size, wanted, tiled)
            if there < wanted:
                whole = min(whole, top + there)
        return whole

    def _layout(self, tiled: bool) -> tuple[int, int]:
        """Rows that a strip or tile covers, and how many lie side by side."""
        if tiled:
            across = -(-self.one(_WIDTH, 0) // max(1, self.one(_TILE_WIDTH, 1)))
            return max(1, self.one(_TILE_HEIGHT, 1)), max(1, across)
        height = max(1, self.height)
        return max(1, min(self.one(_ROWS_A_STRIP, height), height)), 1

    def _rows_there(self, start: int, size: int, rows: int, tiled: bool) -> int:
        there = self.size_bytes - start if start > 0 else 0
        packing = self.one(_COMPRESSION, 1)
        if packing != _UNCOMPRESSED or tiled:
            is_here = 0 < size <= there and not (
                packing in _NEVER_BLANK and self._meets_a_hole(start, start + size)
            )
            return rows if is_here else 0
        a_row = -(-self.one(_WIDTH, 0) * self._bits_a_pixel // 8)
        there = min(there, size) if size else there
        return max(0, min(rows, there // max(1, a_row)))

    def _meets_a_hole(self, start: int, end: int) -> bool:
        """True for a compressed part of which something was never written to."""
        return any(start < hole_end and hole_start < end for hole_start, hole_end in self._holes)

    @cached_property
    def _holes(self) -> list[tuple[int, int]]:
        """Runs of zeros in which parts end: more of them than any packing ends in."""
        tiled = _TILES in self.values
        starts = self.values.get(_TILES if tiled else _STRIPS, ())
        sizes = self.values.get(_TILE_BYTES if tiled else _STRIP_BYTES, ())
        holes: list[tuple[int, int]] = []
        for start, size in zip(starts, sizes, strict=False):
            end = start + size
            if any(low < end <= high for low, high in holes):
                continue
            tail = self.encoded[max(start, end - BLANK_BYTES) : end]
            if size > 0 and end <= self.size_bytes and not any(tail):
                low = len(self.encoded[:end].rstrip(b"\0"))
                high = self.size_bytes - len(self.encoded[low:].lstrip(b"\0"))
                holes.append((low, high))
        return holes

    @property
    def _bits_a_pixel(self) -> int:
        bits, n_samples = self.values.get(_BITS, (1,)), self.one(_SAMPLES, 1)
        if self.one(_PLANAR, 1) == _SEPARATE:
            return bits[0]
        return sum(bits) if len(bits) == n_samples else bits[0] * n_samples


def read_directory(encoded: bytes) -> Directory | None:
    """The first directory; None if it cannot be read, which the decoder will say better."""
    try:
        return Directory(_values(encoded), encoded)
    except (struct.error, ValueError, IndexError):
        return None


def _values(encoded: bytes) -> dict[int, tuple[int, ...]]:
    if encoded[:4] not in SIGNATURES:
        raise ValueError("not a TIFF")
    order = "<" if encoded[:2] == b"II" else ">"
    big = 43 in encoded[2:4]
    offset, number = ("Q", "Q") if big else ("I", "H")
    (at,) = struct.unpack_from(order + offset, encoded, 8 if big else 4)
    (n_entries,) = struct.unpack_from(order + number, encoded, at)
    at += struct.calcsize(number)
    head = struct.Struct(f"{order}HH{offset}")
    room = struct.calcsize(offset)
    values = {}
    for place in range(at, at + n_entries * (head.size + room), head.size + room):
        tag, kind, count = head.unpack_from(encoded, place)
        code = _FORMATS.get(kind)
        if code is None or not 0 < count <= _MOST_VALUES:
            continue
        layout = f"{order}{count * int(code[:-1] or 1)}{code[-1]}"
        where = place + head.size
        if struct.calcsize(layout) > room:
            (where,) = struct.unpack_from(order + offset, encoded, where)
        if where + struct.calcsize(layout) <= len(encoded):
            values[tag] = struct.unpack_from(layout, encoded, where)
    return values
