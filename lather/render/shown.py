"""Where a layer shows: its mask and its limits together, to be looked at."""

from __future__ import annotations

import numpy as np

from lather.core.arrays import FloatImage, Plane
from lather.core.rect import Rect
from lather.document.layers.layer import Layer
from lather.document.state import JobState
from lather.render.compositor import render_below
from lather.render.ground import ground_of
from lather.render.masks import limit_shares, mask_shares
from lather.render.space import layer_space


def render_mask(state: JobState, layer: Layer, rect: Rect, level: int = 0) -> FloatImage:
    """Where a layer shows, as grey: white shows, black hides; transparent beyond the photo."""
    out = np.zeros((rect.height, rect.width, 4), dtype=np.float32)
    inside = state.photo.rect.at_level(level).intersect(rect)
    if not inside.empty:
        part = out[inside.shifted(-rect.x0, -rect.y0).slices]
        part[..., :3] = shown_shares(state, layer, inside, level, counts=False)[..., None]
        part[..., 3] = 1
    return out


def shown_shares(
    state: JobState, layer: Layer, rect: Rect, level: int = 0, *, counts: bool = True
) -> Plane:
    """(h, w) 0-1: the product of a layer's mask and limits. `counts`: as the picture has it,
    where a mask that is switched off counts for nothing."""
    share: Plane = np.ones((rect.height, rect.width), dtype=np.float32)
    if layer.mask is not None and (layer.mask.enabled or not counts):
        share = mask_shares(layer.mask, state.photo.rect, rect, level)
    limits = shares_by_limits(state, layer, rect, level)
    return share if limits is None else share * limits


def shares_depend_on(state: JobState, layer: Layer) -> tuple[object, ...]:
    """What `shown_shares` of a layer go by: where that is equal, they are the same."""
    limits = layer.limits
    regions = ground_of(state, layer_space(state, layer.id)).there if limits.regions else None
    below = None if limits.span.is_open else state.layers
    return layer.id, layer.mask, limits, regions, below


def shares_by_limits(state: JobState, layer: Layer, rect: Rect, level: int = 0) -> Plane | None:
    """(h, w) 0-1: where a layer's limits let it show; None where they let it everywhere."""
    if layer.limits.are_open:
        return None
    ground = ground_of(state, layer_space(state, layer.id))
    below = _below(state, layer, rect, level)
    return limit_shares(layer.limits, ground, below, rect, level)


def _below(state: JobState, layer: Layer, rect: Rect, level: int) -> FloatImage:
    """What the layer is laid on."""
    if layer.limits.span.is_open:
        return np.zeros((rect.height, rect.width, 4), dtype=np.float32)
    return render_below(state, layer.id, rect, level)
