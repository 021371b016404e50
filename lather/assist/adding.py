"""Layers that begin with what is measured of the picture."""

from __future__ import annotations

from lather.assist.grain import measured_grain_l
from lather.core.work import NEVER, CancelToken, Progress, no_progress
from lather.document import areas, edits
from lather.document.layers.computed import ComputedLayer
from lather.document.state import JobState
from lather.render.area import area_on
from lather.render.space import seen_space

MERGED_NAME = "Merged copy"


def takes_time(state: JobState, kind: type[ComputedLayer]) -> bool:
    """True if `started` measures something, or moves the area."""
    return kind.NEEDS_GRAIN or (state.area is not None and bool(seen_space(state).below))


def started(
    state: JobState, kind: type[ComputedLayer], *, progress: Progress = no_progress,
    cancel: CancelToken = NEVER,
) -> JobState:
    """`edits.start_computed`, with the picture's grain where that is wanted, and shown in the area
    as it lies on the layer."""
    if kind.NEEDS_GRAIN:
        progress(0.0, "measuring the grain")
    grain_l = measured_grain_l(state) if kind.NEEDS_GRAIN else None
    cancel.check()
    after = edits.start_computed(state, kind, grain_l)
    mask = after.active.mask
    if mask is None or mask.tiles is not state.area:
        return after
    return areas.to_mask(after, after.active_id, area_on(after, after.active_id))


def merged_copy(
    state: JobState, *, progress: Progress = no_progress, cancel: CancelToken = NEVER
) -> JobState:
    """All that shows, as one more layer on top."""
    from lather.render.flatten import merged_layer  # nothing that the first window needs

    layer = merged_layer(state, MERGED_NAME, progress=progress, cancel=cancel)
    return edits.insert_on_top(state, layer)
