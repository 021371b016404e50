"""Random stacks of layers: reshapes, masks, limits, groups in all modes, splits, filters."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from hypothesis import strategies as st

from lather.core.blend.modes import BlendMode
from lather.core.rect import Rect
from lather.core.shape.field import node_rect
from lather.core.survey.regions.region import Region
from lather.document import edits
from lather.document.layers.layer import Mask, new_id
from lather.document.layers.limits import Limits, Span
from lather.document.layers.reshape import ReshapeLayer
from lather.document.layers.split import Part, SplitLayer
from lather.document.layers.table import KINDS
from lather.document.photo import Photo
from lather.document.planes import Regions, with_plane
from lather.document.state import JobState, new_state
from lather.document.tiles import BLACK_MASK, NO_PIXELS
from lather.document.tree import replaced
from tests.support import random_tile

WHAT = ("pixels", "reshape", "masked reshape", "weak reshape", "limited", "span", "group", "split",
        "smooth", "mask", "hidden")  # fmt: skip


def stacks(most: int = 6):
    """Hypothesis: what is laid on each other, bottom to top, for `stack_of`."""
    return st.lists(st.tuples(st.sampled_from(WHAT), st.integers(0, 9)), min_size=2, max_size=most)


def bell(
    photo: Photo, by: tuple[float, float], centre: tuple[float, float], radius_px: float = 70.0
) -> ReshapeLayer:
    """A reshape by a bell of displacement."""
    layer = ReshapeLayer(id=new_id(), name="Reshape", step_px=2)
    at = node_rect(photo.rect, 2)
    y, x = np.mgrid[: at.height, : at.width] * 2.0
    away = np.minimum(np.hypot(x - centre[0], y - centre[1]) / radius_px, 1)
    shape = (1 - away**2) ** 2
    return layer.with_nodes(at, np.stack([-by[0] * shape, -by[1] * shape], -1).astype("f4"))


def lips_at(photo: Photo, rect: Rect, scale: float = 0.5) -> Regions:
    """Regions of which the lips are a rectangle of the photo."""
    regions = Regions(scale)
    small = regions.size(photo.rect)
    shares = np.zeros((small.height, small.width), dtype=np.float32)
    y0, y1, x0, x1 = (round(v * scale) for v in (rect.y0, rect.y1, rect.x0, rect.x1))
    shares[y0:y1, x0:x1] = 1
    return Regions(scale, {Region.LIPS: with_plane(BLACK_MASK, small, shares)})


def stack_of(photo: Photo, what: list[tuple[str, int]]) -> JobState:
    """The state with all of it; the regions are those of `lips_at` in the middle."""
    middle = Rect(photo.width // 3, photo.height // 3, 2 * photo.width // 3, 2 * photo.height // 3)
    state = replace(new_state(photo), regions=lips_at(photo, middle))
    for name, pick in what:
        state = _with(state, name, pick)
    return state


def _with(state: JobState, name: str, pick: int) -> JobState:
    photo, top = state.photo, state.layers[-1]
    state = replace(state, active_id=top.id)
    if name == "pixels":
        state = edits.add_pixel_layer(state)
        tile = random_tile(pick)
        tile[..., 3] //= 1 + pick % 3
        mode = (BlendMode.NORMAL, BlendMode.MULTIPLY, BlendMode.SOFT_LIGHT)[pick % 3]
        state = edits.set_pixels(state, state.active_id, NO_PIXELS.with_tiles({(0, 0): tile}))
        return edits.set_mode(state, state.active_id, mode)
    if name.endswith("reshape"):
        centre = 60.0 + 17 * pick, 50.0 + 11 * pick
        layer = bell(photo, (6.0 - 2 * (pick % 7), 9.0 - 3 * (pick % 5)), centre)
        if name.startswith("masked"):
            tile = random_tile(pick, channels=1)
            layer = replace(layer, mask=Mask(tiles=BLACK_MASK.with_tiles({(0, 0): tile})))
        if name.startswith("weak"):
            layer = replace(layer, strength=0.5)
        return replace(state, layers=(*state.layers, layer), active_id=layer.id)
    if name in ("limited", "span"):
        state = edits.add_computed(state, KINDS["curves"], rgb=((0.0, 0.3), (1.0, 0.8)))
        limits = Limits(regions=(Region.LIPS,))
        if name == "span":
            limits = Limits(Span(low_l=20.0 + 5 * pick, high_l=90.0))
        return edits.set_limits(state, state.active_id, limits)
    if name == "split":
        state = edits.add_computed(state, KINDS["split"], sigma_px=2.0 + pick)
        split = state.active
        assert isinstance(split, SplitLayer)
        stack = split.stack(list(Part)[pick % 2])
        state = edits.add_pixel_layer(replace(state, active_id=stack.id))
        tile = random_tile(pick + 20)
        return edits.set_pixels(state, state.active_id, NO_PIXELS.with_tiles({(0, 0): tile}))
    if name == "smooth":
        return edits.add_computed(state, KINDS["smooth"], scale_px=1.0 + pick)
    if len(state.layers) == 1:
        return state
    if name == "mask":
        if top.mask is None:
            state = edits.add_mask(state, top.id, hide_all=False)
        tiles = state.layer(top.id).mask.tiles
        painted = tiles.with_tiles({(0, 0): random_tile(pick + 5, channels=1)})
        return edits.set_mask_pixels(state, top.id, painted)
    if name == "hidden":
        return edits.set_visible(state, top.id, False)
    return _grouped(state, pick)


def _grouped(state: JobState, pick: int) -> JobState:
    """The upper layers, the photo left out, in a group of some mode and strength."""
    inner = state.layers[-min(2, len(state.layers) - 1) :]
    state = edits.group(replace(state, active_id=inner[-1].id), inner[-1].id)
    group = state.layers[-1].with_children(inner)
    layers = (*state.layers[: -len(inner)], group)
    mode = BlendMode.NORMAL if pick % 2 else list(BlendMode)[pick]
    group = replace(group, mode=mode, strength=(1.0, 0.4)[pick % 2])
    return replace(state, layers=replaced(layers, group.id, (group,)), active_id=group.id)
