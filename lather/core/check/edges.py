"""Rims and seams: what a change does beside the edges of regions, and at its own border.

Lab pictures of the start and of what became of it, (h, w, 3) float32. Means along a strip are
taken in a window, so that texture, which has none, cancels out.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.tone.skin_picture import SURE_SKIN, disc
from lather.core.work import NEVER, CancelToken

Mask = NDArray[np.bool_]
STRIP_MM, WINDOW_MM = 0.7, 5.0  # of a seam: how wide beside it, how far along
EDGE_MM = 1.0  # beside the edge of skin no seam is looked for
NEAR_MM, FAR_MM, ALONG_MM = 1.2, 4.0, 9.0  # of a rim
MOST_L = np.float32(6.0)  # what a pixel counts at most: a hair or a mark makes no rim
LEAST_COUNT = 0.4  # of a window's strip that must be there


@dataclass(frozen=True)
class Worst:
    """The largest of a figure, and the pixel where it is."""

    value: float
    x: float = 0.0
    y: float = 0.0


NOTHING = Worst(0.0)


def seam(
    start: FloatImage, now: FloatImage, touched: Mask, where: Mask, mm_per_px: float,
    cancel: CancelToken = NEVER,
) -> Worst:
    """The largest step, in Lab, at the border of what was touched, beyond that of the start.

    Parameters
    ----------
    touched : (h, w): what differs from the start.
    where : (h, w): what counts, such as skin away from its edges.
    """
    strip = disc(STRIP_MM / mm_per_px)
    inside = touched & ~_shrunk(touched, strip) & where
    outside = _grown(touched, strip) & ~touched & where
    size = _odd(WINDOW_MM / mm_per_px)
    least = LEAST_COUNT * STRIP_MM / mm_per_px * size
    jumps = []
    at = inside
    for lab in (now, start):
        (a, n_a), (b, n_b) = (_means(lab, m, size, cancel) for m in (inside, outside))
        at = at & (n_a > least) & (n_b > least)
        jumps.append(np.sqrt(np.square(a - b).sum(-1)))
    cancel.check()
    return _worst(jumps[0] - jumps[1], at)


def skin_seam(
    start: FloatImage, now: FloatImage, touched: Mask, skin: Plane, mm_per_px: float,
    cancel: CancelToken = NEVER,
) -> Worst:
    """`seam` on what is skin and nothing else, away from its edges, (h, w) 0-1."""
    return seam(start, now, touched, _shrunk(skin > SURE_SKIN, disc(EDGE_MM / mm_per_px)),
                mm_per_px, cancel)  # fmt: skip


def rim(
    start: FloatImage, now: FloatImage, region: Mask, where: Mask, mm_per_px: float,
    cancel: CancelToken = NEVER,
) -> Worst:
    """The largest rim along the border of a region, in Lab: a change of the region that spills
    over its border, or a halo, which goes up on one side of it and down on the other.

    Both show on both sides at once; a change of one side alone is the retoucher's.

    Parameters
    ----------
    region : (h, w): inside of the border.
    where : (h, w): what counts; marks do not.
    """
    change = np.clip(now - start, -MOST_L, MOST_L)
    size = _odd(ALONG_MM / mm_per_px)
    least = LEAST_COUNT * NEAR_MM / mm_per_px * size
    near, far, there = [], [], np.ones(region.shape, dtype=bool)
    for side in (region, ~region):
        cancel.check()
        beside = side & ~_shrunk(side, disc(NEAR_MM / mm_per_px)) & where
        cancel.check()
        beyond = side & ~_shrunk(side, disc(FAR_MM / mm_per_px)) & ~beside & where
        (a, n_a), (b, n_b) = (_means(change, m, size, cancel) for m in (beside, beyond))
        near.append(a)
        far.append(b)
        there &= (n_a > least) & (n_b > least)
    cancel.check()
    spill = _along(near[1] - far[1], far[0])
    rises = [(a - b)[..., 0] for a, b in zip(near, far, strict=True)]
    halo = np.where(rises[0] * rises[1] < 0, np.minimum(*map(np.abs, rises)), 0)
    cancel.check()
    border = _grown(region, disc(NEAR_MM / mm_per_px)) & there & ~_shrunk(region, disc(1.0))
    return _worst(np.maximum(spill, halo), border)


def _along(vector: FloatImage, way: FloatImage) -> Plane:
    """(h, w): how far vectors go along others, as far as these go."""
    length = np.sqrt(np.square(way).sum(-1))
    along = (vector * way).sum(-1) / np.maximum(length, 1e-6)
    return np.asarray(np.minimum(along, length), dtype=np.float32)


def touched_mask(start: FloatImage, now: FloatImage, mm_per_px: float, least: float = 0.6) -> Mask:
    """(h, w): where a change shows, in Lab, over half a millimetre; no crumbs."""
    import cv2

    away = np.sqrt(np.square(now - start).sum(-1))
    size = _odd(0.6 / mm_per_px)
    mean = cv2.blur(away, (size, size))
    found = (mean > least).astype(np.uint8)
    solid = cv2.morphologyEx(found, cv2.MORPH_OPEN, disc(0.5 / mm_per_px))
    return np.asarray(solid > 0)


def _means(
    plane: FloatImage, mask: Mask, size: int, cancel: CancelToken
) -> tuple[FloatImage, Plane]:
    """Means of a masked picture in square windows, and how many pixels each had."""
    import cv2

    cancel.check()
    weight = mask.astype(np.float32)
    box = (size, size)
    total = cv2.boxFilter(plane * weight[..., None], -1, box, normalize=False)
    count = cv2.boxFilter(weight, -1, box, normalize=False)
    return total / np.maximum(count, 1)[..., None], count


def _worst(values: Plane, at: Mask) -> Worst:
    if not at.any():
        return NOTHING
    held = np.where(at, values, -np.inf)
    y, x = np.unravel_index(int(np.argmax(held)), held.shape)
    return Worst(max(0.0, float(held[y, x])), float(x) + 0.5, float(y) + 0.5)


def _shrunk(mask: Mask, kernel: NDArray[np.uint8]) -> Mask:
    import cv2

    return np.asarray(cv2.erode(mask.astype(np.uint8), kernel) > 0)


def _grown(mask: Mask, kernel: NDArray[np.uint8]) -> Mask:
    import cv2

    return np.asarray(cv2.dilate(mask.astype(np.uint8), kernel) > 0)


def _odd(length_px: float) -> int:
    return 2 * max(1, round(length_px / 2)) + 1
