"""One tile of the view, and which parts of it are out of date."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lather.core.arrays import ByteImage
from lather.core.rect import Rect

MOST_PARTS = 6  # that are out of date, before they count as one


@dataclass
class TileEntry:
    """A tile; the numbers are those of `ViewTiles`, rectangles those of its level."""

    wanted: int  # of its last change
    due: tuple[Rect, ...]  # what is missing or out of date
    image: ByteImage | None = None
    shown: int = -1  # of the state that was put in last
    painted: int = -1  # of the last paint over it

    def mark(self, number: int, part: Rect) -> None:
        """A part of it is out of date from a number on."""
        self.wanted = number
        self.due = (*(rest for old in self.due for rest in old.minus(part)), part)
        if len(self.due) > MOST_PARTS:
            self.due = (Rect.union_of(self.due),)

    def put(self, number: int, cell: Rect, rect: Rect, image: ByteImage) -> bool:
        """Take over a rectangle's pixels in the state of a number; False if they are too old, or
        not all that is missing of it."""
        part = rect.intersect(cell)
        if part.empty or number < max(self.wanted, self.shown, self.painted):
            return False
        due = tuple(rest for old in self.due for rest in old.minus(part))
        if self.image is None:
            if due:
                return False
            self.image = np.zeros((cell.height, cell.width, 4), dtype=np.uint8)
        self.image[part.shifted(-cell.x0, -cell.y0).slices] = (
            image[part.shifted(-rect.x0, -rect.y0).slices]
        )
        self.due, self.shown = due, number
        return True
