"""What a change of the job means for the view."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

from lather.core.rect import Rect
from lather.document.diff import n_alike
from lather.document.state import JobState
from lather.document.tiles import TILE_PX, Key
from lather.render.lenses.lens import LensLook
from lather.render.lenses.table import LENSES
from lather.render.screen.request import Shown
from lather.render.shown import shares_depend_on


def depends_on(shown: Shown, state: JobState, look: LensLook) -> tuple[object, ...]:
    """What a way of looking goes by beside the picture's pixels."""
    if shown is Shown.MASK:
        return shares_depend_on(state, state.active)
    return LENSES[look.id].depends(state, look) if shown is Shown.LENS else ()


@dataclass(frozen=True)
class WhatChanged:
    """`n_kept` of the lowest layers are as they were; `finest_px` wide is the finest of what the
    others do."""

    n_kept: int = 0
    finest_px: float = math.inf


def what_changed(before: JobState, after: JobState) -> WhatChanged:
    was = {id(layer) for layer in before.layers}
    finest_px = (layer.finest_px for layer in after.layers if id(layer) not in was)
    return WhatChanged(n_alike(before.layers, after.layers), min(finest_px, default=math.inf))


def parts_of(cells: Iterable[Key], level: int) -> dict[Key, Rect]:
    """The parts of a level's tiles that lie on tiles of full resolution."""
    parts = dict[Key, Rect]()
    for row, column in cells:
        key = row >> level, column >> level
        part = Rect.cell((row, column), TILE_PX).at_level(level)
        parts[key] = parts[key].union(part) if key in parts else part
    return parts
