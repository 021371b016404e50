"""What a change of the job means for the view."""

from __future__ import annotations

import math
import operator
from collections.abc import Iterable
from dataclasses import dataclass, replace

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
    others do; `began`: the state that they were as in, None where several were changed."""

    n_kept: int = 0
    finest_px: float = math.inf
    began: JobState | None = None


def what_changed(before: JobState, after: JobState) -> WhatChanged:
    was = {id(layer) for layer in before.layers}
    finest_px = (layer.finest_px for layer in after.layers if id(layer) not in was)
    n_kept = n_alike(before.layers, after.layers)
    ids = [[layer.id for layer in state.layers] for state in (before, after)]
    rest_alike = all(map(operator.is_, before.layers[n_kept + 1 :], after.layers[n_kept + 1 :]))
    is_one = ids[0] == ids[1] and rest_alike and n_kept < len(after.layers)
    return WhatChanged(n_kept, min(finest_px, default=math.inf), before if is_one else None)


def going_on(earlier: WhatChanged, now: WhatChanged) -> WhatChanged:
    """The change of now, as part of a drag that the earlier one was part of, if it can be."""
    same = earlier.began is not None and now.began is not None and earlier.n_kept == now.n_kept
    return replace(now, began=earlier.began) if same else now


def parts_of(cells: Iterable[Key], level: int) -> dict[Key, Rect]:
    """The parts of a level's tiles that lie on tiles of full resolution."""
    parts = dict[Key, Rect]()
    for row, column in cells:
        key = row >> level, column >> level
        part = Rect.cell((row, column), TILE_PX).at_level(level)
        parts[key] = parts[key].union(part) if key in parts else part
    return parts
