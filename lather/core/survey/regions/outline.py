"""Outlines on planes: polygons with soft rims, distances from them, smooth lids and lips."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import Plane

Places = NDArray[np.floating]  # (N, 2) x, y; pixel centres lie at .5
_SHIFT = 4  # fractional bits of OpenCV's drawing


def filled(shape: tuple[int, int], ring: Places) -> Plane:
    """(h, w) 0-1: coverage of a polygon."""
    drawn = np.zeros(shape, dtype=np.uint8)
    points = np.round((ring[:, :2] - 0.5) * (1 << _SHIFT)).astype(np.int32)
    cv2.fillPoly(drawn, [points], 255, cv2.LINE_AA, _SHIFT)
    return np.asarray(drawn / np.float32(255), dtype=np.float32)


def disc_at(shape: tuple[int, int], x: float, y: float, radius_px: float) -> Plane:
    """(h, w) 0-1: coverage of a disc."""
    drawn = np.zeros(shape, dtype=np.uint8)
    centre = round((x - 0.5) * (1 << _SHIFT)), round((y - 0.5) * (1 << _SHIFT))
    cv2.circle(drawn, centre, round(radius_px * (1 << _SHIFT)), 255, -1, cv2.LINE_AA, _SHIFT)
    return np.asarray(drawn / np.float32(255), dtype=np.float32)


def grown(ring: Places, factor: float) -> Places:
    """A ring scaled about its middle."""
    middle = ring[:, :2].mean(0)
    places: Places = middle + (ring[:, :2] - middle) * factor
    return places


def inside_by(shape: tuple[int, int], ring: Places) -> Plane:
    """(h, w) px from the rim of a polygon: positive inside, negative outside."""
    inside = (filled(shape, ring) > 0.5).astype(np.uint8)
    if not inside.any():
        return np.full(shape, -1e4, dtype=np.float32)
    within = cv2.distanceTransform(inside, cv2.DIST_L2, cv2.DIST_MASK_5)
    beyond = cv2.distanceTransform(1 - inside, cv2.DIST_L2, cv2.DIST_MASK_5)
    signed: Plane = within - beyond
    return signed


def between_smooth_rims(
    mask: Plane, degree: int, opening_px: int, outward_px: float, inward_px: float
) -> Plane:
    """The largest part of a mask, between an upper and a lower rim that are smooth curves.

    Both rims are polynomials over the columns, fitted robustly (iterated weights): a point counts
    half if it lies so far outwards, or so far inwards, of the curve.
    """
    element = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * opening_px + 1,) * 2)
    opened = cv2.morphologyEx((mask > 0.5).astype(np.uint8), cv2.MORPH_OPEN, element)
    n_parts, labels, stats, _ = cv2.connectedComponentsWithStats(opened)
    if n_parts < 2:
        return np.zeros_like(mask)
    part = labels == 1 + int(np.argmax(stats[1:, cv2.CC_STAT_AREA]))
    columns = np.flatnonzero(part.any(0))
    upper: Places = part[:, columns].argmax(0).astype(np.float64)
    lower: Places = len(part) - part[::-1, columns].argmax(0).astype(np.float64)
    along = (columns - columns.mean()) / max(len(columns) / 2, 1)
    upper = _smooth(along, upper, degree, inward_px, outward_px)
    lower = _smooth(along, lower, degree, outward_px, inward_px)
    ring = np.concatenate([
        np.column_stack([columns + 0.5, upper]), np.column_stack([columns + 0.5, lower])[::-1]
    ])  # fmt: skip
    return filled((mask.shape[0], mask.shape[1]), ring)


def _smooth(
    along: Places, rim: Places, degree: int, below_px: float, above_px: float
) -> NDArray[np.float64]:
    """The curve of a rim; those lengths say how soon what lies below or above it is doubted."""
    degree = min(degree, max(0, len(along) - 2))
    weight = np.ones(len(along))
    curve = np.asarray(rim, dtype=np.float64)
    for _ in range(8):
        curve = np.asarray(np.polyval(np.polyfit(along, rim, degree, w=weight), along))
        off = rim - curve
        weight = 1 / (1 + np.where(off > 0, off / below_px, -off / above_px))
    return curve
