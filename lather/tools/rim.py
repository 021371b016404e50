"""The rim test of a selection of any shape."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from lather.core.area.place import Place
from lather.core.mend.placement import Read
from lather.core.rect import Rect

if TYPE_CHECKING:
    from lather.core.mend.rim import RimTest

LONG = 3.0  # an outline so many times as long as it is wide is tested stretch by stretch
N_POINTS = (24, 400)
POINT_APART_PX = 2.0


def rim_of(read: Read, picture: Rect, place: Place) -> RimTest | None:
    """The rim test of a selection's largest outline; None if it selects nothing."""
    from lather.core.area.shape import rims
    from lather.core.mend.rim import evenly_spaced, examine_outline, examine_rim
    from lather.core.mend.search import width_px_of

    outlines = rims(place.coverage, place.rect)
    if not outlines:
        return None
    outline = max(outlines, key=len)
    few, many = N_POINTS
    points = evenly_spaced(outline, int(min(max(len(outline) / POINT_APART_PX, few), many)))
    size_px = max(place.rect.width, place.rect.height)
    around = place.rect.grown(4 + size_px // 4).intersect(picture)
    rgb = np.ascontiguousarray(read(around, 0)[..., :3])
    width_px = width_px_of(place.coverage >= 0.5)
    test = examine_outline if size_px > LONG * width_px else examine_rim
    tested = test(rgb, (points - (around.x0, around.y0)).astype(np.float32))
    border = (
        (points <= (picture.x0, picture.y0)).any(1) | (points >= (picture.x1, picture.y1)).any(1)
    )  # fmt: skip
    return type(tested)(points, tested.broken | border)
