"""Places that no texture may come from, for what is mended on a layer."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import Plane
from lather.core.mend.result import Avoid
from lather.core.rect import Rect
from lather.core.survey.regions.region import Region
from lather.core.tone.skin_picture import SURE_SKIN
from lather.document.avoid import avoided
from lather.document.findings import Findings
from lather.document.state import JobState
from lather.render.ground import Ground, ground_of
from lather.render.marks import findings_in
from lather.render.regions import region_coverage
from lather.render.space import layer_space
from lather.render.strands import strands_below

NO_SKIN = 0.5  # coverage up to which a pixel gives skin nothing
MOSTLY = 0.5  # of a target, that makes it skin


def avoided_for(
    state: JobState, layer_id: int, place: Rect, selection: Plane,
    findings: Findings | None = None,
) -> Avoid | None:  # fmt: skip
    """What is found and not mended yet, or kept; for a target on skin all that is none, too.

    Parameters
    ----------
    place, selection : the target, (h, w) 0-1, where the layer has it.
    findings : those that count, in the photo; without any, the state's.
    """
    space = layer_space(state, layer_id)
    marks = avoided(findings_in(state.findings if findings is None else findings, space))
    ground = ground_of(state, space)
    if not _is_on_skin(ground, place, selection):
        return marks

    def coverage(rect: Rect) -> Plane:
        other = not_skin(ground, rect)
        return other if marks is None else np.maximum(other, marks(rect))

    return coverage


def kept_free(state: JobState, layer_id: int, place: Rect, selection: Plane) -> Plane:
    """(h, w) 0-1: what of a target a mend may cover: on skin nothing of the hair, lashes or lips
    that reach into it, which would be cut in half, and no strand of a beard."""
    ground = ground_of(state, layer_space(state, layer_id))
    if not _is_on_skin(ground, place, selection):
        return np.ones_like(selection)
    return (1 - not_skin(ground, place)) * (1 - strands_below(state, layer_id, place))


def not_skin(ground: Ground, rect: Rect) -> Plane:
    """(h, w) 0-1: hair, lips, eyes, clothes, as far as a pixel is no skin."""
    skin = region_coverage(ground, Region.SKIN, rect)
    return np.asarray(np.clip((SURE_SKIN - skin) / (SURE_SKIN - NO_SKIN), 0, 1), dtype=np.float32)


def _is_on_skin(ground: Ground, place: Rect, selection: Plane) -> bool:
    if Region.SKIN not in ground.regions.masks:
        return False
    skin = region_coverage(ground, Region.SKIN, place)
    return bool((skin * selection).sum() > MOSTLY * selection.sum())
