"""What can be done to the area: functions from a state to the next state, like `edits`."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from lather.core.area.combine import Combine
from lather.core.arrays import MaskPixels, Plane
from lather.core.rect import Rect
from lather.document import edits
from lather.document.access import refuse_unless_changeable
from lather.document.layers.layer import Mask
from lather.document.layers.pixels import PixelLayer
from lather.document.planes import inverted, outlined, read_plane, with_plane
from lather.document.state import JobState
from lather.document.tiles import BLACK_MASK, TILE_PX, Tiles
from lather.errors import EditError

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray


MOSTLY_INSIDE = 0.75  # of what an assistant works on, so that it counts as done there


def set_area(state: JobState, area: Tiles | None) -> JobState:
    """An area with nothing in it counts as none."""
    if area is not None and area.fill == 0 and not area:
        area = None
    return state if area is state.area else replace(state, area=area)


def no_area(state: JobState) -> JobState:
    return set_area(state, None)


def take_reference(state: JobState) -> JobState:
    """The area is what others are matched to; it is free for their outline then."""
    return replace(state, reference=state.area, area=None)


def forget_reference(state: JobState) -> JobState:
    return replace(state, reference=None)


def outline(
    state: JobState, rect: Rect, coverage: Plane | MaskPixels, how: Combine
) -> JobState:
    """An outline whose coverage in `rect` is given, 0-1 or as samples, together with the area that
    is there."""
    if state.area is None and how in (Combine.TAKE, Combine.OVERLAP):
        raise EditError(
            "The area stays as it is",
            "there is none yet to take from or overlap with",
            "choose 'new' or 'add'",
        )
    return set_area(state, outlined(state.area, rect, coverage, how))


def invert(state: JobState) -> JobState:
    return set_area(state, inverted(_area(state)))


def grow(state: JobState, by_px: float) -> JobState:
    """The rim moved outwards; inwards if negative."""
    from lather.core.area.shape import grown  # OpenCV is not loaded for the first window

    return _reshaped(state, lambda plane: grown(plane, by_px), round(abs(by_px)) + 2)


def feather(state: JobState, width_px: float) -> JobState:
    """The rim fading over `width_px`."""
    from lather.core.area.shape import feathered

    return _reshaped(state, lambda plane: feathered(plane, width_px), round(width_px) + 2)


def from_layer(state: JobState, layer_id: int) -> JobState:
    """The area is where a layer has pixels."""
    layer = state.layer(layer_id)
    if not isinstance(layer, PixelLayer) or not layer.tiles:
        raise EditError(
            "The area stays as it is", f"'{layer.name}' has no pixels of its own",
            "pick a layer that was painted on",
        )  # fmt: skip
    covered = {key: tile.pixels[..., 3].copy() for key, tile in layer.tiles.tiles.items()}
    return set_area(state, BLACK_MASK.with_tiles(covered))


def from_mask(state: JobState, layer_id: int) -> JobState:
    """The area is where a layer's mask lets it show."""
    mask = state.layer(layer_id).mask
    if mask is None:
        name = state.layer(layer_id).name
        raise EditError("The area stays as it is", f"'{name}' has no mask", "add one first")
    return set_area(state, inverted(mask.tiles) if mask.inverted else mask.tiles)


def to_mask(state: JobState, layer_id: int, area: Tiles | None = None) -> JobState:
    """A layer shows where the area is; `area` is that in the layer's own space."""
    area = area or _area(state)
    refuse_unless_changeable(state, layer_id)
    if state.layer(layer_id).mask is None:
        state = edits.add_mask(state, layer_id)
    return edits.update_layer(state, layer_id, mask=Mask(tiles=area))


def limit_of(state: JobState, rect: Rect) -> Plane | None:
    """How much the tools may change each pixel, 0-1; None where there is no area."""
    return None if state.area is None else read_plane(state.area, rect)


def share_inside(area: Plane | None, mask: Plane | NDArray[np.bool_]) -> float:
    """How much of a mask lies in an area, 0-1; all of it where there is no area."""
    total = float(mask.sum())
    return 1.0 if area is None or total <= 0 else float((area * mask).sum()) / total


def is_mostly_inside(area: Plane | None, mask: Plane | NDArray[np.bool_]) -> bool:
    """True if so much of a mask lies in an area that work on it counts as done."""
    return share_inside(area, mask) >= MOSTLY_INSIDE


def bounds_of(area: Tiles, picture: Rect) -> Rect:
    """The pixels that belong to an area at all, tightly."""
    if area.fill:
        return picture
    rects = []
    for key, tile in area.tiles.items():
        ys, xs = np.flatnonzero(tile.pixels.any(1)), np.flatnonzero(tile.pixels.any(0))
        if len(ys):
            inside = Rect(int(xs[0]), int(ys[0]), int(xs[-1]) + 1, int(ys[-1]) + 1)
            cell = Rect.cell(key, TILE_PX)
            rects.append(inside.shifted(cell.x0, cell.y0))
    return Rect.union_of(rects).intersect(picture)


def _reshaped(state: JobState, reshape: Callable[[Plane], Plane], margin_px: int) -> JobState:
    """The area inside a margin around its rim, reshaped; far from it nothing changes."""
    area = _area(state)
    picture = state.photo.rect
    rect = area.bounds().grown(margin_px).intersect(picture)
    if rect.empty:
        return state
    plane = reshape(read_plane(area, rect))
    base = replace(area, tiles={})
    return set_area(state, with_plane(base, rect, plane))


def _area(state: JobState) -> Tiles:
    if state.area is None:
        raise EditError(
            "Nothing was changed", "there is no area", "outline one or grow one first"
        )
    return state.area
