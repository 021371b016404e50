"""Areas as coverage planes: outlined, grown, shrunk, feathered."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import Plane
from lather.core.blur import blurred
from lather.core.rect import Rect

_SUBPIXEL_BITS = 4
FINE_UP_TO_PX = 1500  # long side up to which the rim is drawn four times as fine
FEATHER_SIGMAS = 2.5  # a feather of so many sigmas on either side holds all of the soft band


def outline_rect(points: NDArray[np.float32], picture: Rect) -> Rect:
    """The pixels of the picture that the inside of an outline can touch."""
    low, high = np.floor(points.min(0)), np.ceil(points.max(0))
    whole = Rect(int(low[0]) - 1, int(low[1]) - 1, int(high[0]) + 2, int(high[1]) + 2)
    return whole.intersect(picture)


def outline_coverage(points: NDArray[np.float32], rect: Rect) -> Plane:
    """Coverage 0-1 of the inside of a freehand outline, its rim anti-aliased.

    The outline is closed from its last point to its first. Where it crosses itself, all that
    it encloses counts as inside. One point, or a line, covers the pixels it runs through.

    Parameters
    ----------
    points : (N, 2) x, y in pixels of the picture, N >= 1.
    rect : the part of the picture that is asked for.
    """
    finer = 4 if max(rect.width, rect.height) <= FINE_UP_TO_PX else 1
    scaled = (points - (rect.x0, rect.y0)) * finer - 0.5
    polygon = np.round(scaled * (1 << _SUBPIXEL_BITS)).astype(np.int32)
    filled = np.zeros((rect.height * finer, rect.width * finer), dtype=np.uint8)
    cv2.fillPoly(filled, [polygon], 255, cv2.LINE_8, _SUBPIXEL_BITS)
    outside = cv2.copyMakeBorder((filled < 128).astype(np.uint8), 1, 1, 1, 1,
                                 cv2.BORDER_CONSTANT, value=1)  # fmt: skip
    _, labels = cv2.connectedComponents(outside, connectivity=4)
    enclosed = (outside > 0) & (labels != labels[0, 0])
    filled[enclosed[1:-1, 1:-1]] = 255
    size = rect.width, rect.height
    covered: Plane = cv2.resize(filled, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    if covered.max() < 128:  # a point or a line: the pixels it runs through
        thin = np.floor(points - (rect.x0, rect.y0)).astype(np.int32)
        cv2.polylines(covered, [thin], True, 255.0)
    return covered / np.float32(255)


def grown(area: Plane, by_px: float) -> Plane:
    """The area with its rim moved outwards by `by_px` (inwards if negative); the rim hard.

    What touches the plane's border goes on beyond it.
    """
    inside = (area >= 0.5).astype(np.uint8)
    if by_px == 0 or not inside.any() or inside.all():
        return inside.astype(np.float32)
    away = _distance(1 - inside) - _distance(inside)
    out: Plane = np.clip(by_px - away + np.float32(0.5), 0, 1).astype(np.float32)
    return out


def feathered(area: Plane, width_px: float) -> Plane:
    """The area with a rim that fades over `width_px`, half of it on either side."""
    if width_px <= 0:
        return area
    padding = math.ceil(width_px)
    padded = cv2.copyMakeBorder(area, *(padding,) * 4, cv2.BORDER_REPLICATE)
    soft = blurred(padded, width_px / (2 * FEATHER_SIGMAS))
    return np.ascontiguousarray(np.clip(soft, 0, 1)[padding:-padding, padding:-padding])


def rims(area: Plane, rect: Rect) -> list[NDArray[np.float32]]:
    """The closed rims of an area as (N, 2) x, y in the picture, outer ones and holes."""
    hard = cv2.copyMakeBorder((area >= 0.5).astype(np.uint8), 1, 1, 1, 1, cv2.BORDER_CONSTANT)
    contours, _ = cv2.findContours(hard, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    corner = np.array([rect.x0 - 0.5, rect.y0 - 0.5], dtype=np.float32)
    return [contour[:, 0].astype(np.float32) + corner for contour in contours]


def _distance(outside: NDArray[np.uint8]) -> Plane:
    """How far each pixel of 1 lies from the nearest 0, in px; 0 elsewhere."""
    distance: Plane = cv2.distanceTransform(outside, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    from_rim: Plane = np.maximum(distance - np.float32(0.5), 0)
    return from_rim
