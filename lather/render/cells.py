"""What was read of a picture that stays as it is, kept in cells: for tools that read it often."""

from __future__ import annotations

from collections import OrderedDict

import numpy as np

from lather.core.arrays import FloatImage
from lather.core.mend.placement import Read
from lather.core.rect import Rect, paste

CELL_PX = 128
MOST_CELLS = 400  # 256 kB each


class CellReader:
    """A `Read` that renders each cell of a level once."""

    def __init__(self, read: Read, picture: Rect) -> None:
        self._read = read
        self._picture = picture
        self._cells: OrderedDict[tuple[int, tuple[int, int]], FloatImage] = OrderedDict()

    def __call__(self, rect: Rect, level: int) -> FloatImage:
        out = np.empty((rect.height, rect.width, 4), dtype=np.float32)
        for key in rect.cells(CELL_PX):
            paste(out, rect, self._cell(key, level), Rect.cell(key, CELL_PX))
        return out

    def _cell(self, key: tuple[int, int], level: int) -> FloatImage:
        place = level, key
        found = self._cells.get(place)
        if found is None:
            cell = Rect.cell(key, CELL_PX)
            inside = cell.intersect(self._picture.at_level(level))
            found = np.zeros((CELL_PX, CELL_PX, 4), dtype=np.float32)
            if not inside.empty:
                found[inside.shifted(-cell.x0, -cell.y0).slices] = self._read(inside, level)
            self._cells[place] = found
            if len(self._cells) > MOST_CELLS:
                self._cells.popitem(last=False)
        return found
