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
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.colour.lab import luma
from lather.core.mend.membrane import fill_membrane
from lather.core.mend.mode import MendMode
from lather.core.mend.search import SUPPORT, Source, find_sources, reach_px
from lather.core.rect import Rect
from lather.errors import EditError

RIM_AVERAGE = 0.12  # of the spot's size
RIM_AVERAGE_PX = (1.2, 5.0)
RIM_BROAD, MOST_OFF = 3.0, 3.0  # what sticks out of the rim's broad light by so many deviations
LEAST_KNOWN = 0.1
TEXTURE = 0.08  # of the spot's size: what is coarser is tone
LEAST_TEXTURE_PX = 3.0
FULL_FROM = 0.5  # share of the brush's opacity from which the mend covers fully
SEARCHED_PX = 64  # spots from twice this size on are searched for on a reduced level
MODE_RAMP = 0.012  # luma difference over which 'lift darks' and 'tame brights' fade in


Read = Callable[[Rect, int], FloatImage]  # (rectangle of a mip level, level) -> (h, w, 3+)
Avoid = Callable[[Rect], Plane]  # rectangle at full resolution -> (h, w)


@dataclass(frozen=True)
class Mended:
    """The result: pixels to lay over `rect` of the picture."""

    rect: Rect
    colour: FloatImage  # (h, w, 3)
    coverage: Plane  # (h, w) 0-1
    source: Source


def mend_spot(
    read: Read,
    picture: Rect,
    place: Rect,
    selection: Plane,
    *,
    opacity: float = 1.0,
    mode: MendMode = MendMode.ALL,
    source: Source | None = None,
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
    nth_source : the next best instead of the best; begins anew after the last.
    avoid : coverage 0-1 of places in a rectangle that no texture may come from.

    Raises
    ------
    EditError : nothing selected, or no usable source near by.
    """
    ys, xs = np.nonzero(selection > SUPPORT)
    if len(ys) == 0:
        raise EditError("Nothing was mended", "the brush did not touch the picture")
    tight = Rect(int(xs.min()), int(ys.min()), int(xs.max()) + 1, int(ys.max()) + 1)
    spot = tight.shifted(place.x0, place.y0)
    selection = selection[tight.slices]
    if source is None:
        source = _best_source(read, picture, spot, selection, len(ys), avoid, nth_source)
    sigma_px = _rim_sigma_px(max(spot.width, spot.height))
    rect = spot.grown(2 + round(2 * sigma_px)).intersect(picture)
    if rect == spot and bool((selection > SUPPORT).all()):
        raise EditError(
            "Nothing was mended",
            "the brush covers the whole picture",
            "leave some skin around the spot",
        )
    covered = _placed(selection, spot, rect)
    target = read(rect, 0)[..., :3]
    texture = _texture(read, picture, rect.shifted(source.dx, source.dy), spot)
    inside = covered > SUPPORT
    plain = _plain_rim(target, inside, None if avoid is None else avoid(rect), sigma_px)
    colour = texture + _carried_difference(target - texture, inside, plain, sigma_px)
    np.clip(colour, 0.0, 1.0, out=colour)
    coverage = np.minimum(covered / FULL_FROM, np.float32(opacity))
    coverage = coverage * mode_weight(luma(colour) - luma(target), mode)
    return Mended(rect, colour, coverage.astype(np.float32), source)


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
    return _best_source(read, picture, spot, disc, int(disc.sum()), avoid)


def _best_source(
    read: Read,
    picture: Rect,
    spot: Rect,
    selection: Plane,
    area_px: int,
    avoid: Avoid | None,
    nth: int = 0,
) -> Source:
    size_px = max(spot.width, spot.height)
    level = max(0, int(np.log2(size_px / SEARCHED_PX)))
    around = spot.grown(reach_px(area_px)).intersect(picture)
    inside = picture.at_level(level)
    small = around.at_level(level).intersect(inside)
    whole = small.from_level(level)
    reduced = _halved(_placed(selection, spot, whole), level)
    barred = None if avoid is None else _halved(avoid(whole), level) > SUPPORT
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


def _halved(plane: Plane, level: int) -> Plane:
    """Means of blocks of 2**level squared."""
    step = 1 << level
    blocks = plane.reshape(plane.shape[0] // step, step, plane.shape[1] // step, step)
    means: Plane = blocks.mean((1, 3), dtype=np.float32)
    return means


def _placed(selection: Plane, spot: Rect, rect: Rect) -> Plane:
    """The selection of `spot` in a plane of `rect`, zero elsewhere."""
    out = np.zeros((rect.height, rect.width), dtype=np.float32)
    part = spot.intersect(rect)
    out[part.shifted(-rect.x0, -rect.y0).slices] = selection[
        part.shifted(-spot.x0, -spot.y0).slices
    ]
    return out


def _texture(read: Read, picture: Rect, rect: Rect, spot: Rect) -> FloatImage:
    """The source without what is coarse against the spot."""
    sigma_px = max(LEAST_TEXTURE_PX, TEXTURE * max(spot.width, spot.height))
    margin = math.ceil(3 * sigma_px)
    whole = _read_repeating_border(read, picture, rect.grown(margin))
    fine: FloatImage = whole - cv2.GaussianBlur(whole, (0, 0), sigma_px)
    return np.ascontiguousarray(fine[margin:-margin, margin:-margin])


def _read_repeating_border(read: Read, picture: Rect, rect: Rect) -> FloatImage:
    """Pixels of a rectangle that may stick out of the picture; EditError if all of it does."""
    part = rect.intersect(picture)
    if part.empty:
        raise EditError(
            "Nothing was mended", "the source lies outside of the picture", "pick it again"
        )
    rows = (part.y0 - rect.y0, rect.y1 - part.y1)
    columns = (part.x0 - rect.x0, rect.x1 - part.x1)
    padded: FloatImage = np.pad(read(part, 0)[..., :3], (rows, columns, (0, 0)), mode="edge")
    return padded


def _rim_sigma_px(size_px: int) -> float:
    low, high = RIM_AVERAGE_PX
    return min(max(RIM_AVERAGE * size_px, low), high)


def _plain_rim(
    target: FloatImage, inside: NDArray[np.bool_], avoided: Plane | None, sigma_px: float
) -> NDArray[np.bool_]:
    """The pixels around that tell the tone: no other finding, no hair that crosses the rim."""
    plain = ~inside
    if avoided is not None:
        plain &= avoided < 0.5
    if not plain.any():
        return ~inside
    light = luma(target)
    known = plain.astype(np.float32)
    broad = cv2.GaussianBlur(light * known, (0, 0), RIM_BROAD * sigma_px)
    broad /= np.maximum(cv2.GaussianBlur(known, (0, 0), RIM_BROAD * sigma_px), 1e-6)
    off = np.abs(light - broad)
    usual = 1.4826 * float(np.median(off[plain])) + 1e-4
    kept: NDArray[np.bool_] = plain & (off < MOST_OFF * usual)
    return kept if kept.any() else plain


def _carried_difference(
    difference: FloatImage,
    inside: NDArray[np.bool_],
    plain: NDArray[np.bool_],
    sigma_px: float,
) -> FloatImage:
    """The rim's difference, averaged over plain pixels only, carried inside by a membrane."""
    known = plain.astype(np.float32)
    weight = cv2.GaussianBlur(known, (0, 0), sigma_px)
    averaged: FloatImage = cv2.GaussianBlur(difference * known[..., None], (0, 0), sigma_px)
    averaged /= np.maximum(weight, 1e-6)[..., None]
    # Where no plain pixel is near, the membrane spans.
    unknown = inside | ((weight < LEAST_KNOWN) & ~plain)
    return fill_membrane(averaged, inside if unknown.all() else unknown)


def mode_weight(rise: Plane, mode: MendMode) -> Plane:
    """1 where the mode lets a change of light by `rise` through, 0 where not, soft between."""
    if mode is MendMode.ALL:
        return np.ones_like(rise)
    signed = rise if mode is MendMode.LIFT_DARKS else -rise
    weight: Plane = np.clip(signed / np.float32(MODE_RAMP), 0.0, 1.0)
    return weight
