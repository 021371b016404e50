"""Whether a mend leaves a seam: measured as the check does, around that mend alone."""

from __future__ import annotations

from lather.assist.skin_view import CLOSE_MM, coarsest_level
from lather.core.colour.labs import lab_of
from lather.core.rect import Rect
from lather.core.survey.regions.region import Region
from lather.document.scale import px_per_mm
from lather.document.state import JobState
from lather.render.compositor import render_with
from lather.render.ground import ground_of
from lather.render.measured import measured_rgb
from lather.render.regions import region_coverage
from lather.render.space import layer_space

AROUND_MM = 8.0  # of a mend, that is looked at
ROOM = 0.85  # of the limit: what is done later may still add to it


def leaves_seam(before: JobState, after: JobState, layer_id: int, rect: Rect) -> bool:
    """True if what was mended in a rectangle of a layer shows by its border, by the brief."""
    limit = after.brief.limits.bounds["seams"].high
    if limit is None or after.findings.mm_per_px is None:
        return False
    return seam_of(before, after, layer_id, rect) > ROOM * limit


def seam_of(before: JobState, after: JobState, layer_id: int, rect: Rect) -> float:
    """The largest step at the border of what was changed there, beyond that of before, in Lab."""
    from lather.core.check.edges import skin_seam, touched_mask  # OpenCV: not for the first window

    level = coarsest_level(after, CLOSE_MM)
    mm_per_px = (1 << level) / px_per_mm(after)
    reach_px = round(AROUND_MM * px_per_mm(after))
    wide = rect.grown(reach_px).at_level(level).intersect(after.photo.rect.at_level(level))
    shown = (render_with(state, state.layer(layer_id), wide, level) for state in (before, after))
    was, now = (lab_of(measured_rgb(after.photo, pixels)) for pixels in shown)
    ground = ground_of(after, layer_space(after, layer_id))
    skin = region_coverage(ground, Region.SKIN, wide, level)
    return skin_seam(was, now, touched_mask(was, now, mm_per_px), skin, mm_per_px).value
