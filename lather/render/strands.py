"""The strands of the beard, which stay where the skin between them is worked on."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.rect import Rect
from lather.core.survey.regions.region import Region
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.render.compositor import render_up_to
from lather.render.ground import Ground, ground_of
from lather.render.measured import measured_rgb
from lather.render.regions import region_coverage
from lather.render.space import layer_space

MARGIN_MM = 1.5  # beside which a strand is looked at


def strands_below(state: JobState, layer_id: int, rect: Rect) -> Plane:
    """(h, w) 0-1: strands of the beard in a place, as a layer is laid on them."""
    beard = region_coverage(ground_of(state, layer_space(state, layer_id)), Region.BEARD, rect)
    if not beard.any():
        return beard
    wide = rect.grown(_margin_px(state)).intersect(state.photo.rect)
    share = _share(state, render_up_to(state, layer_id, wide), 0)
    inside, found = rect.intersect(wide), np.zeros_like(beard)
    found[inside.shifted(-rect.x0, -rect.y0).slices] = (
        share[inside.shifted(-wide.x0, -wide.y0).slices]
    )
    return beard * found


def read_between(state: JobState, layer_id: int) -> Callable[[Rect, int], FloatImage]:
    """Reads what a layer is laid on, (h, w, 3) of a rectangle of a mip level: in the beard with
    skin in the place of strands, so that a mend takes none along."""
    ground = ground_of(state, layer_space(state, layer_id))

    def read(rect: Rect, level: int) -> FloatImage:
        rgb = render_up_to(state, layer_id, rect, level)
        beard = region_coverage(ground, Region.BEARD, rect, level)
        if not beard.any():
            return rgb
        from lather.core.hair.strands import without_strands  # OpenCV: not for the first window

        return without_strands(rgb, beard * _share(state, rgb, level), px_per_mm(state) / 2**level)

    return read


def strands_in(ground: Ground, rgb: FloatImage, level: int, mm_per_px: float) -> Plane:
    """(h, w) 0-1: strands of the beard in a whole picture of a mip level, (h, w, 3) in sRGB."""
    rect = ground.photo.rect.at_level(level)
    beard = region_coverage(ground, Region.BEARD, rect, level)
    if not beard.any():
        return beard
    from lather.core.hair.strands import strand_share

    place = Rect.of_mask(beard > 0).grown(math.ceil(MARGIN_MM / mm_per_px)).intersect(rect)
    beard[place.slices] *= strand_share(np.ascontiguousarray(rgb[place.slices]), mm_per_px)
    return beard


def _share(state: JobState, rgb: FloatImage, level: int) -> Plane:
    from lather.core.hair.strands import strand_share

    measured = np.ascontiguousarray(measured_rgb(state.photo, rgb)[..., :3])
    return strand_share(measured, 2**level / px_per_mm(state))


def _margin_px(state: JobState) -> int:
    return math.ceil(MARGIN_MM * px_per_mm(state))
