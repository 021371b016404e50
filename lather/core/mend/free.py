"""Cutting a spot free: copies along the broken part of its rim, then a mend of the rest.

Where an edge, a fold or a hair crosses the rim, a mend would smear it into the spot. So there the
structure is continued first: of all places near by, that one is copied whose pixels agree best
with the intact ones on the outer side of the rim. Source: the exemplar step of Criminisi, Perez,
Toyama 2004, "Region filling and object removal by exemplar-based image inpainting".
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.mend.placement import Placement, Read
from lather.core.mend.result import Avoid, Mended
from lather.core.mend.rim import RimTest
from lather.core.mend.search import SUPPORT
from lather.core.mend.selection import Selection
from lather.core.mend.spot import mend_spot
from lather.core.rect import Rect
from lather.errors import EditError

PATCH = 0.6  # radius of a copy, of the spot's own
LEAST_PATCH_PX = 4.0
KNOWN = 1.7  # radius of the pixels that must agree, in radii of the copy
REACH = 6.0  # how far copies are looked for, in the spot's radii
SOFT_PX = 2.0  # width of a copy's rim


@dataclass(frozen=True)
class _Copy:
    """A disc to be filled by a copy, in pixels of the working rectangle."""

    x: float
    y: float
    radius_px: float


def cut_free(
    read: Read,
    picture: Rect,
    place: Rect,
    selection: Plane,
    rim: RimTest,
    *,
    avoid: Avoid | None = None,
) -> Mended:
    """Copy along the broken part of a spot's rim, then mend what is left of it.

    Parameters
    ----------
    read, picture, place, selection, avoid : as for `mend_spot`.
    rim : the spot's, in pixels of the picture.

    Raises
    ------
    EditError : nothing selected, or nothing near by continues what crosses the rim.
    """
    selected = Selection.of(place, selection)
    if selected is None:
        raise EditError("Nothing was mended", "the place lies outside of the picture")
    radius_px = max(2.0, math.sqrt(selected.area_px / math.pi))
    rect = selected.rect.grown(round(REACH * radius_px)).intersect(picture)
    image = np.ascontiguousarray(read(rect, 0)[..., :3])
    covered = selected.within(rect)
    inside = covered > SUPPORT
    barred = inside if avoid is None else inside | (avoid(rect) > SUPPORT)
    copied = np.zeros_like(covered)
    for arc in _broken_arcs(rim):
        x, y = arc.mean(0) - (rect.x0, rect.y0)
        length_px = float(np.hypot(*np.diff(arc, axis=0).T).sum()) if len(arc) > 1 else 0.0
        radius = max(LEAST_PATCH_PX, PATCH * radius_px, 0.6 * length_px)
        _fill(image, copied, inside, barred, _Copy(float(x), float(y), min(radius, radius_px)))
    left = np.clip(covered - copied, 0, 1)
    whole = np.maximum(covered, copied)
    if (left > 0.5).any():
        image = _with_rest_mended(image, left, rect, avoid)
    return Mended(rect, image, np.where(whole > SUPPORT, whole, 0), Placement(0, 0))


def _broken_arcs(rim: RimTest) -> list[NDArray[np.float32]]:
    """Runs of broken points, round the end, as (N, 2)."""
    broken, points = rim.broken, rim.points
    if not broken.any():
        return []
    if broken.all():
        return list(np.array_split(points, 6))
    start = int(np.argmin(broken))  # a clean point: no run goes round it
    broken, points = np.roll(broken, -start), np.roll(points, -start, axis=0)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], broken.astype(int), [0]])))
    return [points[a:b] for a, b in zip(edges[::2], edges[1::2], strict=True)]


def _fill(
    image: FloatImage,
    copied: Plane,
    inside: NDArray[np.bool_],
    barred: NDArray[np.bool_],
    disc: _Copy,
) -> None:
    """Fill the disc's part inside the spot from the place that continues its surroundings best."""
    reach = math.ceil(KNOWN * disc.radius_px) + 1
    height, width = inside.shape
    box = Rect.around(disc.x, disc.y, reach).intersect(Rect(0, 0, width, height))
    if box.empty:
        return
    ys, xs = np.mgrid[box.y0 : box.y1, box.x0 : box.x1]
    away = np.hypot(xs + 0.5 - disc.x, ys + 0.5 - disc.y)
    missing = inside[box.slices] & (copied[box.slices] < 0.5)
    known = (away <= KNOWN * disc.radius_px) & ~missing
    wanted = np.clip((disc.radius_px - away) / SOFT_PX + 0.5, 0, 1) * inside[box.slices]
    if known.sum() < 8 or not (wanted > 0).any():
        return
    template = np.ascontiguousarray(image[box.slices])
    mask = np.repeat(known.astype(np.float32)[..., None], 3, axis=2)
    differences = cv2.matchTemplate(image, template, cv2.TM_SQDIFF, mask=mask)
    needed = (wanted > 0).astype(np.float32)
    blocked = cv2.matchTemplate(barred.astype(np.float32), needed, cv2.TM_CCORR) > 0.5
    differences[blocked | ~np.isfinite(differences)] = np.inf
    row, column = np.unravel_index(int(np.argmin(differences)), differences.shape)
    if not np.isfinite(differences[row, column]):
        raise EditError(
            "The spot was not cut free", "nothing near by continues what crosses its rim",
            "copy along the edge by hand, at 10-20 % opacity",
        )  # fmt: skip
    source = image[row : row + box.height, column : column + box.width].copy()
    weight = wanted.astype(np.float32)[..., None]
    # What was filled before is a neighbour now: blended over, not replaced.
    image[box.slices] = (1 - weight) * template + weight * source
    copied[box.slices] = np.maximum(copied[box.slices], wanted)


def _with_rest_mended(
    image: FloatImage, left: Plane, rect: Rect, avoid: Avoid | None
) -> FloatImage:
    local = Rect(0, 0, rect.width, rect.height)

    def read(part: Rect, level: int) -> FloatImage:
        if level == 0:
            return image[part.slices]
        whole = local.at_level(level)
        small = cv2.resize(image, (whole.width, whole.height), interpolation=cv2.INTER_AREA)
        reduced: FloatImage = small[part.slices]
        return reduced

    here = None if avoid is None else (lambda part: avoid(part.shifted(rect.x0, rect.y0)))
    mended = mend_spot(read, local, local, left, avoid=here)
    out = image.copy()
    weight = mended.coverage[..., None]
    part = out[mended.rect.slices]
    out[mended.rect.slices] = part + weight * (mended.colour - part)
    return out
