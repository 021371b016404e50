"""Texture that occurs more than once: found by comparing new texture with the skin around it.

Each block of texture that is not the start's is looked for near by, by normalised correlation
(Lewis 1995, "Fast normalized cross-correlation"). Skin never repeats; a copy does.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import Plane
from lather.core.check.edges import NOTHING, Worst
from lather.core.work import NEVER, CancelToken

BLOCK_MM, REACH_MM, APART_MM = 3.2, 24.0, 2.0
SAME = 0.8  # correlation from which two textures are the same
REPLACED = 0.5  # correlation with the start below which a texture is another one
LEAST_TEXTURE = 0.35  # rms in L*, with less of it there is nothing that could repeat
LAG_MM, LEAST_DETAIL = 0.4, 0.25  # detail is what differs so far away; of the start's
MOST_BLOCKS = 400
MOST_MATCHES = 8
SECOND_IS_HIDDEN = 0.8
LINK = 0.6  # of a block's side


@dataclass(frozen=True)
class _Copy:
    """A block, and the corners of what is like it, x, y."""

    x: int
    y: int
    others: tuple[tuple[int, int], ...]

    @property
    def weight(self) -> float:
        """A second time hardly shows, a third and fourth do."""
        return len(self.others) - SECOND_IS_HIDDEN


def repeated(
    start: Plane, now: Plane, where: NDArray[np.bool_], mm_per_px: float,
    cancel: CancelToken = NEVER,
) -> Worst:
    """Square millimetres of one texture that occurs again and again, times how often; and where.

    Parameters
    ----------
    start, now : (h, w) fine lightness, L*.
    where : (h, w): touched skin.
    """
    side = max(8, round(BLOCK_MM / mm_per_px))
    places, every = _replaced(start, now, where, side, mm_per_px)
    copies = [copy for y, x in places
              if (copy := _looked_for(now, y, x, side, mm_per_px, cancel)) is not None]  # fmt: skip
    block_mm2 = every * (side * mm_per_px / 2) ** 2  # blocks lie half of their side apart
    worst = NOTHING
    for group in _of_one_texture(copies, LINK * side):
        area = sum(block_mm2 * copy.weight for copy in group)
        most = max(group, key=lambda copy: copy.weight)
        here = Worst(area, most.x + side / 2, most.y + side / 2)
        worst = max(worst, here, key=lambda w: w.value)
    return worst


def _of_one_texture(copies: list[_Copy], near_px: float) -> list[list[_Copy]]:
    """Copies in groups that overlap, or whose likes do."""
    groups: list[list[_Copy]] = []
    for copy in copies:
        linked = [g for g in groups if any(_overlap(copy, other, near_px) for other in g)]
        groups = [g for g in groups if not any(g is one for one in linked)]
        groups.append([copy, *(other for g in linked for other in g)])
    return groups


def _overlap(one: _Copy, other: _Copy, near_px: float) -> bool:
    return any(
        abs(x - u) < near_px and abs(y - v) < near_px
        for x, y in ((one.x, one.y), *one.others)
        for u, v in ((other.x, other.y), *other.others)
    )


def _replaced(
    start: Plane, now: Plane, where: NDArray[np.bool_], side: int, mm_per_px: float
) -> tuple[list[tuple[int, int]], int]:
    """Corners of blocks whose texture is there and is not the start's; one of how many is taken."""
    import cv2

    box = (side, side)
    lag, step = max(1, round(LAG_MM / mm_per_px)), max(1, side // 2)
    means = [cv2.blur(plane, box, anchor=(0, 0))[::step, ::step] for plane in (
        start * now, start * start, now * now, start * np.roll(start, lag, 1),
        now * np.roll(now, lag, 1), where.astype(np.float32))]  # fmt: skip
    both, was, there, smooth_was, smooth, share = means
    alike = both / np.sqrt(np.maximum(was * there, 1e-6))
    # Of texture that lost its detail any two places are alike.
    detailed = there - smooth > LEAST_DETAIL * (was - smooth_was)
    wanted = (share > 0.9) & (there > LEAST_TEXTURE**2) & (alike < REPLACED) & detailed
    places = np.argwhere(wanted) * step
    places = places[(places[:, 0] + side <= now.shape[0]) & (places[:, 1] + side <= now.shape[1])]
    every = max(1, -(-len(places) // MOST_BLOCKS))
    return [(int(y), int(x)) for y, x in places[::every]], every


def _looked_for(
    now: Plane, y: int, x: int, side: int, mm_per_px: float, cancel: CancelToken
) -> _Copy | None:
    import cv2

    cancel.check()
    reach, apart = round(REACH_MM / mm_per_px), round(APART_MM / mm_per_px)
    top, left = max(0, y - reach), max(0, x - reach)
    around = now[top : y + reach + side, left : x + reach + side]
    scores = cv2.matchTemplate(around, now[y : y + side, x : x + side], cv2.TM_CCOEFF_NORMED)
    scores[max(0, y - top - apart) : y - top + apart + 1,
           max(0, x - left - apart) : x - left + apart + 1] = 0  # fmt: skip
    found: list[tuple[int, int]] = []
    while len(found) < MOST_MATCHES:
        _, best, _, (at_x, at_y) = cv2.minMaxLoc(scores)
        if best < SAME:
            break
        found.append((left + at_x, top + at_y))
        scores[max(0, at_y - apart) : at_y + apart + 1, max(0, at_x - apart) : at_x + apart + 1] = 0
    return _Copy(x, y, tuple(found)) if found else None
