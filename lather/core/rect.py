"""Integer rectangles in pixels, half-open: x0 <= x < x1, y0 <= y < y1; x right, y down."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True)
class Rect:
    """A half-open pixel rectangle. One with x1 <= x0 or y1 <= y0 is empty."""

    x0: int
    y0: int
    x1: int
    y1: int

    @property
    def width(self) -> int:
        return max(0, self.x1 - self.x0)

    @property
    def height(self) -> int:
        return max(0, self.y1 - self.y0)

    @property
    def empty(self) -> bool:
        return self.x1 <= self.x0 or self.y1 <= self.y0

    @property
    def area(self) -> int:
        return self.width * self.height

    @property
    def slices(self) -> tuple[slice, slice]:
        """Row and column slices into an array whose origin is (0, 0)."""
        return slice(self.y0, self.y1), slice(self.x0, self.x1)

    def contains_point(self, x: float, y: float) -> bool:
        return self.x0 <= x < self.x1 and self.y0 <= y < self.y1

    def intersect(self, other: Rect) -> Rect:
        return Rect(
            max(self.x0, other.x0),
            max(self.y0, other.y0),
            min(self.x1, other.x1),
            min(self.y1, other.y1),
        )

    def union(self, other: Rect) -> Rect:
        """Smallest rectangle around both; an empty one adds nothing."""
        if self.empty:
            return other
        if other.empty:
            return self
        return Rect(
            min(self.x0, other.x0),
            min(self.y0, other.y0),
            max(self.x1, other.x1),
            max(self.y1, other.y1),
        )

    def minus(self, other: Rect) -> tuple[Rect, ...]:
        """At most four rectangles that are this one without what another covers."""
        part = self.intersect(other)
        if part.empty:
            return (self,)
        pieces = (
            Rect(self.x0, self.y0, self.x1, part.y0), Rect(self.x0, part.y1, self.x1, self.y1),
            Rect(self.x0, part.y0, part.x0, part.y1), Rect(part.x1, part.y0, self.x1, part.y1),
        )  # fmt: skip
        return tuple(piece for piece in pieces if not piece.empty)

    def grown(self, margin_px: int) -> Rect:
        return Rect(
            self.x0 - margin_px, self.y0 - margin_px, self.x1 + margin_px, self.y1 + margin_px
        )

    def shifted(self, dx: int, dy: int) -> Rect:
        return Rect(self.x0 + dx, self.y0 + dy, self.x1 + dx, self.y1 + dy)

    def at_level(self, level: int) -> Rect:
        """The pixels of mip `level` that this full-resolution rectangle touches."""
        step = 1 << level
        return Rect(
            self.x0 >> level,
            self.y0 >> level,
            -(-self.x1 // step),
            -(-self.y1 // step),
        )

    def from_level(self, level: int) -> Rect:
        """The full-resolution pixels behind this rectangle of mip `level`."""
        return Rect(self.x0 << level, self.y0 << level, self.x1 << level, self.y1 << level)

    def cells(self, size: int) -> Iterator[tuple[int, int]]:
        """Keys (row, column) of the grid cells of `size` px that this rectangle touches."""
        if self.empty:
            return
        for row in range(self.y0 // size, -(-self.y1 // size)):
            for column in range(self.x0 // size, -(-self.x1 // size)):
                yield row, column

    @staticmethod
    def cell(key: tuple[int, int], size: int) -> Rect:
        """The rectangle of grid cell `key` = (row, column)."""
        row, column = key
        return Rect(column * size, row * size, (column + 1) * size, (row + 1) * size)

    @staticmethod
    def around(x: float, y: float, radius: float) -> Rect:
        """Pixels that a disc at (x, y) can touch."""
        return Rect(
            math.floor(x - radius),
            math.floor(y - radius),
            math.ceil(x + radius),
            math.ceil(y + radius),
        )

    @staticmethod
    def of_mask(mask: NDArray[Any]) -> Rect:
        """The smallest rectangle around what is set in an (H, W) mask; empty if nothing is."""
        rows, columns = (np.flatnonzero(mask.any(axis)) for axis in (1, 0))
        if len(rows) == 0:
            return Rect(0, 0, 0, 0)
        return Rect(int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1)

    @staticmethod
    def union_of(rects: Iterable[Rect]) -> Rect:
        result = Rect(0, 0, 0, 0)
        for rect in rects:
            result = result.union(rect)
        return result


def paste(onto: NDArray[Any], rect: Rect, patch: NDArray[Any], place: Rect) -> None:
    """Set the part of `onto`, which is `rect`, that `patch`, which lies at `place`, covers."""
    part = place.intersect(rect)
    if not part.empty:
        onto[part.shifted(-rect.x0, -rect.y0).slices] = patch[
            part.shifted(-place.x0, -place.y0).slices
        ]
