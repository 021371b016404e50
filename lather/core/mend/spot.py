"""Mend spot: another place's texture, set into the surrounding colour and light.

The source gives what is fine against the spot's size: pores, hairs, grain. Tone comes from the
target: the rim's difference is carried across the spot by a membrane, the smoothest
surface through it, and added. What comes out has the source's texture and grain and the
target's colour and light. Method: Georgiev 2004 and Perez et al. 2003, with the rim difference
averaged along the rim first, so that pores and grain on the rim do not run into the mend as
streaks; and without the source's own mottling, which says nothing about the target's.
"""

from __future__ import annotations

import math

import numpy as np

from lather.core.arrays import FloatImage, Plane, block_means
from lather.core.blur import blurred
from lather.core.colour.lab import luma
from lather.core.mend.mode import MendMode, mode_weight
from lather.core.mend.placement import Placement, Read, read_placed
from lather.core.mend.result import Avoid, Mended
from lather.core.mend.rim_light import carried_difference, plain_rim, rim_sigma_px
from lather.core.mend.search import (
    MOST_WIDTHS,
    SUPPORT,
    Source,
    find_sources,
    reach_px,
    width_px_of,
)
from lather.core.mend.selection import Selection
from lather.core.rect import Rect
from lather.errors import EditError

TEXTURE = 0.08  # of the spot's size: what is coarser is tone
LEAST_TEXTURE_PX = 3.0
FULL_FROM = 0.5  # share of the brush's opacity from which the mend covers fully
SEARCHED_PX = 64  # spots from twice this size on are searched for on a reduced level


def mend_spot(
    read: Read,
    picture: Rect,
    place: Rect,
    selection: Plane,
    *,
    opacity: float = 1.0,
    mode: MendMode = MendMode.ALL,
    source: Placement | None = None,
    read_source: Read | None = None,
    avoid: Avoid | None = None,
    nth_source: int = 0,
) -> Mended:
    """Mend the selected spot of a picture.

    Parameters
    ----------
    read : gives float32 encoded RGB of a rectangle at a mip level; large spots are searched
        for on a reduced level and only then read in full.
    picture : the picture's bounds.
    place : where `selection` lies in it.
    selection : (place.height, place.width) float32, what the brush covered, up to `opacity`.
    opacity : the brush's opacity 0-1, by which full coverage is known.
    mode : lighten only, darken only, or both.
    source : where to take from; None finds the best.
    read_source : where texture is read, if not by `read`.
    nth_source : the next best instead of the best; begins anew after the last.
    avoid : coverage 0-1 of places in a rectangle that no texture may come from.

    Raises
    ------
    EditError : nothing selected, or no usable source near by.
    """
    selected = Selection.of(place, selection)
    if selected is None:
        raise EditError("Nothing was mended", "the brush did not touch the picture")
    spot = selected.rect
    if source is None:
        found = _best_source(read, picture, selected, avoid, nth_source)
        source = Placement(found.dx, found.dy)
    # A long thin stroke is as coarse as it is wide, not as it is long.
    width_px = width_px_of(selected.inside)
    sigma_px = rim_sigma_px(width_px)
    rect = spot.grown(2 + round(2 * sigma_px)).intersect(picture)
    if rect == spot and bool(selected.inside.all()):
        raise EditError(
            "Nothing was mended",
            "the brush covers the whole picture",
            "leave some skin around the spot",
        )
    covered = selected.within(rect)
    target = read(rect, 0)[..., :3]
    texture = _texture(read_source or read, picture, rect, source, width_px)
    inside = covered > SUPPORT
    plain = plain_rim(target, inside, None if avoid is None else avoid(rect), sigma_px)
    colour = texture + carried_difference(target - texture, inside, plain, sigma_px)
    np.clip(colour, 0.0, 1.0, out=colour)
    coverage = covered_by(covered, opacity) * mode_weight(luma(colour) - luma(target), mode)
    return Mended(rect, colour, coverage.astype(np.float32), source)


def covered_by(selection: Plane, opacity: float) -> Plane:
    """How far a mend covers what a brush of that opacity has selected."""
    covered: Plane = np.minimum(selection / np.float32(FULL_FROM), np.float32(opacity))
    return covered


def texture_sigma_px(width_px: float, level: int = 0) -> float:
    """What is coarser is tone, for a spot of that width; both in pixels of the mip level."""
    return max(LEAST_TEXTURE_PX / (1 << level), TEXTURE * width_px)


def nearest_source(
    read: Read, picture: Rect, x: float, y: float, radius_px: float, avoid: Avoid | None = None
) -> Source:
    """The best place near by to take a disc's pixels from.

    Raises
    ------
    EditError : nothing of that size lies near.
    """
    spot = Rect.around(x, y, radius_px).intersect(picture)
    ys, xs = np.mgrid[spot.y0 : spot.y1, spot.x0 : spot.x1]
    away = np.hypot(xs + 0.5 - x, ys + 0.5 - y)
    disc = (away <= max(radius_px, 1.0)).astype(np.float32)
    if spot.empty or not disc.any():
        raise EditError("Nothing was taken", "the brush did not touch the picture")
    return _best_source(read, picture, Selection(spot, disc), avoid)


def _best_source(
    read: Read,
    picture: Rect,
    selected: Selection,
    avoid: Avoid | None,
    nth: int = 0,
) -> Source:
    spot = selected.rect
    width_px = width_px_of(selected.inside)
    size_px = min(max(spot.width, spot.height), MOST_WIDTHS * width_px)
    level = max(0, int(np.log2(size_px / SEARCHED_PX)))
    around = spot.grown(reach_px(selected.area_px)).intersect(picture)
    inside = picture.at_level(level)
    small = around.at_level(level).intersect(inside)
    whole = small.from_level(level)
    reduced = block_means(selected.within(whole), level)
    barred = None if avoid is None else block_means(avoid(whole), level) > SUPPORT
    image = read(small, level)[..., :3]
    sources = find_sources(image, reduced, avoid=barred, n_wanted=nth + 1)
    if not sources:
        raise EditError(
            "Nothing was mended",
            "no clean place of this size lies near",
            "use a smaller brush or mend in parts",
        )
    best = sources[nth % len(sources)]
    return Source(best.dx << level, best.dy << level, best.score)


def _texture(
    read: Read, picture: Rect, rect: Rect, placement: Placement, width_px: float
) -> FloatImage:
    """The source without what is coarse against the spot."""
    sigma_px = texture_sigma_px(width_px)
    margin = math.ceil(3 * sigma_px)
    whole = read_placed(read, picture, rect.grown(margin), placement)[..., :3]
    fine: FloatImage = whole - blurred(whole, sigma_px)
    return np.ascontiguousarray(fine[margin:-margin, margin:-margin])
