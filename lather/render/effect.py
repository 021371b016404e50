"""Does what was done show? Asked of strokes and proposals before they are called done."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lather.core.rect import Rect
from lather.document.diff import Cells, changed_cells
from lather.document.state import JobState
from lather.document.tiles import TILE_PX
from lather.render.compositor import render

LEAST = np.float32(0.5 / 65535)  # of a sample: what no file would tell from nothing


def shows(before: JobState, after: JobState) -> bool:
    """True if the picture looks different anywhere.

    Cheap where it does: the first tile tells. Filters and reshapes are left out at first, since
    they look far around themselves and hardly ever hide anything; with all layers only if nothing
    shows without them.
    """
    if before.layers is after.layers:
        return False
    plain_before, plain_after = _plain(before), _plain(after)
    quick = _in_order(changed_cells(plain_before, plain_after))
    if any(_differs(plain_before, plain_after, key) for key in quick):
        return True
    return any(_differs(before, after, key) for key in _in_order(changed_cells(before, after)))


def _plain(state: JobState) -> JobState:
    """Without what looks around itself."""
    layers = tuple(layer for layer in state.layers if layer.reach_px(0) == 0)
    return replace(state, layers=layers)


def _in_order(cells: Cells) -> list[tuple[int, int]]:
    """The middle ones first: there a stroke is at its strongest."""
    if not cells:
        return []
    y, x = np.mean([*cells], axis=0)
    return sorted(cells, key=lambda key: (key[0] - y) ** 2 + (key[1] - x) ** 2)


def _differs(before: JobState, after: JobState, key: tuple[int, int]) -> bool:
    cell = Rect.cell(key, TILE_PX).intersect(before.photo.rect)
    if cell.empty:
        return False
    return bool((np.abs(render(before, cell) - render(after, cell)) > LEAST).any())
