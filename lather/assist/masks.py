"""Masks that are computed instead of painted: from regions, lightness, colours, changes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from lather.core.adjust.bracket import smooth_step
from lather.core.arrays import FULL, FloatImage, MaskPixels, Plane, quantise
from lather.core.colour.labs import lab_of
from lather.core.filter.reach import gaussian_reach_px
from lather.core.rect import Rect
from lather.core.survey.regions.region import Part, Region
from lather.core.work import NEVER, CancelToken, Progress, no_progress
from lather.document import areas, edits
from lather.document.layers.layer import Mask
from lather.document.layers.limits import Limits
from lather.document.state import JobState
from lather.document.tiles import BLACK_MASK, TILE_PX, Key, Tiles
from lather.errors import EditError
from lather.render.area import area_on
from lather.render.compositor import render_below, render_photo
from lather.render.ground import ground_of
from lather.render.masks import limit_shares
from lather.render.regions import region_coverage
from lather.render.reshaping import seen_through
from lather.render.space import layer_space

STEEPER = 1.6  # how much steeper a mask becomes, around a half
SOFT_MM = 0.5  # the sigma by which it becomes softer
FADES_OVER = 1.5  # spreads of a picked colour, from all to none
LEAST_SPREAD = 2.0  # L*, a*, b*: of a single pixel's colour

Share = Callable[[Rect], Plane]  # (h, w) 0-1 of a rectangle of full resolution
Lab = tuple[float, float, float]


def of_region(state: JobState, layer_id: int, region: Region | Part) -> Share:
    """A region of the survey, or a part of the skin, where it lies on the layer."""
    if not state.regions.masks:
        raise EditError("No mask was made", "the portrait's regions are not known",
                        "survey the portrait first")  # fmt: skip
    ground = ground_of(state, layer_space(state, layer_id))
    return lambda rect: region_coverage(ground, region, rect)


def of_span(state: JobState, layer_id: int) -> Share:
    """The span of lightness that the layer is limited to."""
    span = state.layer(layer_id).limits.span
    if span.is_open:
        raise EditError("No mask was made", "the layer is limited to no span of lightness",
                        "set one under its limits first")  # fmt: skip
    limits = Limits(span=span)
    ground = ground_of(state, layer_space(state, layer_id))

    def share(rect: Rect) -> Plane:
        below = render_below(state, layer_id, rect)
        return limit_shares(limits, ground, below, rect, 0)

    return share


def of_colours(state: JobState, layer_id: int, middle: Lab, spread: Lab) -> Share:
    """What lies below and is like a picked colour: all within twice its spread, fading beyond."""
    centre = np.array(middle, dtype=np.float32)
    radii = 2 * np.maximum(np.array(spread, dtype=np.float32), LEAST_SPREAD)

    def share(rect: Rect) -> Plane:
        away = (lab_of(render_below(state, layer_id, rect)) - centre) / radii
        distance = np.sqrt(np.square(away).sum(-1))
        return smooth_step(1 - (distance - 1) / FADES_OVER).astype(np.float32)

    return share


def of_change(state: JobState, layer_id: int, least_l: float) -> Share:
    """Where the layers below changed the photo's lightness by more than `least_l` L*."""
    if least_l <= 0:
        raise EditError("No mask was made", "what changed by nothing is everything",
                        "name a difference above 0 L*")  # fmt: skip

    space = layer_space(state, layer_id)

    def photo(rect: Rect) -> FloatImage:
        return render_photo(state.photo, rect)

    def share(rect: Rect) -> Plane:
        after = lab_of(render_below(state, layer_id, rect))[..., 0]
        before = lab_of(seen_through(space.below, photo, rect, 0, space.picture))[..., 0]
        return smooth_step(np.abs(after - before) / least_l * 2 - 1.5).astype(np.float32)

    return share


def from_region(
    state: JobState, layer_id: int, region: Region | Part, *,
    progress: Progress = no_progress, cancel: CancelToken = NEVER,
) -> JobState:
    share = of_region(state, layer_id, region)
    return with_mask(state, layer_id, share, progress=progress, cancel=cancel)


def from_span(
    state: JobState, layer_id: int, *, progress: Progress = no_progress,
    cancel: CancelToken = NEVER,
) -> JobState:
    return with_mask(state, layer_id, of_span(state, layer_id), progress=progress, cancel=cancel)


def from_change(
    state: JobState, layer_id: int, least_l: float, *, progress: Progress = no_progress,
    cancel: CancelToken = NEVER,
) -> JobState:
    share = of_change(state, layer_id, least_l)
    return with_mask(state, layer_id, share, progress=progress, cancel=cancel)


def from_area(state: JobState, layer_id: int) -> JobState:
    """The layer shows only where the area is, as it lies on the layer."""
    return areas.to_mask(state, layer_id, area_on(state, layer_id))


def with_mask(
    state: JobState, layer_id: int, share: Share, *,
    progress: Progress = no_progress, cancel: CancelToken | None = None,
) -> JobState:
    """The state with a mask of the layer that shows it by that share."""
    edits.refuse_unless_maskable(state, layer_id)
    whole = state.photo.rect
    keys = list(whole.cells(TILE_PX))
    tiles: dict[Key, MaskPixels | None] = {}
    for n, key in enumerate(keys):
        if cancel is not None:
            cancel.check()
        tiles[key] = _tile_of(share, key, whole)
        progress((n + 1) / len(keys), "making the mask")
    return edits.set_mask(state, layer_id, Mask(tiles=BLACK_MASK.with_tiles(tiles)))


def softened(
    state: JobState, layer_id: int, sigma_px: float, cancel: CancelToken = NEVER
) -> JobState:
    """The layer's mask, blurred."""
    from lather.core.filter.gaussian import gaussian  # OpenCV is not loaded for the first window

    reach_px = gaussian_reach_px(sigma_px)
    whole = state.photo.rect

    def soft(tiles: Tiles, cell: Rect) -> Plane:
        wide = cell.grown(reach_px).intersect(whole)
        plane = tiles.read(wide).astype(np.float32) / np.float32(FULL)
        return gaussian(plane, wide, sigma_px, cell)

    return _with_tiles(state, layer_id, soft, reach_px, cancel)


def steepened(state: JobState, layer_id: int, cancel: CancelToken = NEVER) -> JobState:
    """The layer's mask with a steeper rim; a half stays a half."""
    def steep(tiles: Tiles, cell: Rect) -> Plane:
        plane = tiles.read(cell).astype(np.float32) / np.float32(FULL)
        steeper: Plane = np.clip(0.5 + STEEPER * (plane - 0.5), 0, 1).astype(np.float32)
        return steeper

    return _with_tiles(state, layer_id, steep, 0, cancel)


def _with_tiles(
    state: JobState, layer_id: int, made: Callable[[Tiles, Rect], Plane], reach_px: int,
    cancel: CancelToken,
) -> JobState:  # fmt: skip
    """The layer's mask, its tiles and those within reach of them made anew."""
    mask = edits.mask_of(state, layer_id)
    whole = state.photo.rect
    touched = {
        key for place in mask.tiles.tiles
        for key in Rect.cell(place, TILE_PX).grown(reach_px).intersect(whole).cells(TILE_PX)
    }  # fmt: skip
    tiles: dict[Key, MaskPixels | None] = {}
    for key in touched:
        cancel.check()
        tiles[key] = _tile_of(lambda cell: made(mask.tiles, cell), key, whole, mask.tiles.fill)
    return edits.set_mask(state, layer_id, replace(mask, tiles=mask.tiles.with_tiles(tiles)))


def _tile_of(share: Share, key: Key, whole: Rect, fill: int = 0) -> MaskPixels | None:
    cell = Rect.cell(key, TILE_PX).intersect(whole)
    samples = quantise(share(cell), np.uint16)
    if (samples == fill).all():
        return None
    tile = np.full((TILE_PX, TILE_PX), fill, dtype=np.uint16)
    tile[: cell.height, : cell.width] = samples
    return tile
