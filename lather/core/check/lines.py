"""How far lines that were straight in a picture are bent in another one of the same place."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import Plane
from lather.core.check.edges import NOTHING, Worst
from lather.core.shape.lines import StraightLines, samples

REACH_PX, HALF_PX = 20, 7.0  # how far a line is looked for, and how much of its profile tells it
FINE = 4  # places a pixel
EVERY_PX, SAME = 6.0, 0.75  # correlation below which a place of the line is not found again
LEAST_STEP_L = 2.0  # of a profile, with less there is no line to follow
LEAST_CHANGE_L = 0.5
LEAST_PLACES, LEAST_FOUND = 6, 0.4  # of a line, to say anything of it


def bent(lines: StraightLines, start: Plane, now: Plane) -> Worst:
    """The furthest that a line lies off the straight line through it, px of the planes.

    Each line is followed by its profile across it. What is not found again was painted over.

    Parameters
    ----------
    lines : as they lie in `start`.
    start, now : (h, w) L* of the same places.
    """
    worst = NOTHING
    for number in np.unique(lines.line):
        pieces = lines.pieces[lines.line == number]
        found = [_followed(piece, start, now) for piece in pieces]
        at, shift = (np.concatenate(both) for both in zip(*found, strict=True))
        there = ~np.isnan(shift)
        if there.sum() < max(LEAST_PLACES, LEAST_FOUND * len(at)):
            continue
        here = _off_straight(at[there], shift[there])
        worst = max(worst, here, key=lambda w: w.value)
    return worst


def _followed(
    piece: NDArray[np.float32], start: Plane, now: Plane
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Places along a piece, and how far across it each is found again; NaN where it is not."""
    import cv2

    points = samples(piece[None], EVERY_PX)
    way = (piece[2:] - piece[:2]).astype(np.float64)
    way /= max(float(np.linalg.norm(way)), 1e-9)
    across = np.array([-way[1], way[0]])
    offsets = np.arange(-(HALF_PX + REACH_PX) * FINE, (HALF_PX + REACH_PX) * FINE + 1) / FINE
    grid = points[:, None] + offsets[None, :, None] * across - 0.5
    was, is_now = (
        cv2.remap(plane, grid[..., 0].astype("f4"), grid[..., 1].astype("f4"), cv2.INTER_LINEAR,
                  borderMode=cv2.BORDER_REPLICATE)
        for plane in (start, now)
    )  # fmt: skip
    shifts = np.arange(-REACH_PX * FINE, REACH_PX * FINE + 1) / FINE
    middle = slice(REACH_PX * FINE, len(offsets) - REACH_PX * FINE)
    found = np.full(len(points), np.nan)
    tells = np.ptp(was[:, middle], axis=1) >= LEAST_STEP_L
    for n in np.flatnonzero(tells):
        if np.abs(is_now[n] - was[n]).max() < LEAST_CHANGE_L:
            found[n] = 0.0
            continue
        scores = cv2.matchTemplate(is_now[n][None], was[n, middle][None], cv2.TM_CCOEFF_NORMED)[0]
        best = int(np.argmax(scores - 1e-4 * np.abs(shifts)))  # of the same ones the nearest
        if scores[best] >= SAME:
            found[n] = shifts[best]
    return points[tells], found[tells]


def _off_straight(points: NDArray[np.float64], shift: NDArray[np.float64]) -> Worst:
    """How far shifts are from moving and turning the line as a whole."""
    middle = points - points.mean(0)
    _, _, ways = np.linalg.svd(middle, full_matrices=False)
    along = middle @ ways[0]
    off = shift - np.polyval(np.polyfit(along, shift, 1), along)
    # A single place may be found wrongly: three beside each other are not.
    order = np.argsort(along)
    off = off[order]
    if len(off) >= 3:
        off = np.median(np.stack([off[:-2], off[1:-1], off[2:]]), axis=0)
        order = order[1:-1]
    most = int(np.argmax(np.abs(off)))
    return Worst(float(abs(off[most])), *map(float, points[order[most]]))
