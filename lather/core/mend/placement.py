"""Where a mend or a copy takes its pixels from, and how they are turned on the way."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.errors import EditError

Read = Callable[[Rect, int], FloatImage]  # (rectangle of a mip level, level) -> (h, w, 3+)

_CUBIC_REACH_PX = 3
CELL_PX = 64  # of what is turned at a time


@dataclass(frozen=True)
class Turn:
    """How the source is turned before it is laid down.

    Attributes
    ----------
    mirrored : left and right swapped: the other half of a face, coat or collar.
    angle_deg : turned clockwise.
    scale : enlarged so many times.
    """

    mirrored: bool = False
    angle_deg: float = 0.0
    scale: float = 1.0

    @property
    def plain(self) -> bool:
        return not self.mirrored and self.angle_deg % 360 == 0 and self.scale == 1

    @property
    def to_source(self) -> NDArray[np.float64]:
        """(2, 2): a step on the target as a step on the source."""
        turn = math.radians(self.angle_deg)
        cos, sin = math.cos(turn) / self.scale, math.sin(turn) / self.scale
        matrix = np.array([[cos, sin], [-sin, cos]])
        mirror = np.diag([-1.0 if self.mirrored else 1.0, 1.0])
        combined: NDArray[np.float64] = mirror @ matrix
        return combined


@dataclass(frozen=True)
class Placement:
    """A source for every pixel of a target.

    The source of `about` lies (dx, dy) away, whole pixels; around it the source is turned.
    """

    dx: int
    dy: int
    turn: Turn = field(default_factory=Turn)
    about: tuple[float, float] = (0.0, 0.0)

    def source_of(self, x: float, y: float) -> tuple[float, float]:
        step = self.turn.to_source @ (x - self.about[0], y - self.about[1])
        return self.about[0] + self.dx + float(step[0]), self.about[1] + self.dy + float(step[1])

    def source_rect(self, rect: Rect) -> Rect:
        """The pixels that `rect` takes from."""
        if self.turn.plain:
            return rect.shifted(self.dx, self.dy)
        corners = [self.source_of(x, y) for x in (rect.x0, rect.x1) for y in (rect.y0, rect.y1)]
        xs, ys = zip(*corners, strict=True)
        low = math.floor(min(xs)), math.floor(min(ys))
        high = math.ceil(max(xs)), math.ceil(max(ys))
        return Rect(*low, *high).grown(_CUBIC_REACH_PX)

    def at_level(self, level: int) -> Placement:
        """The same among the pixels of a mip level, to the nearest of them."""
        step = 1 << level
        about = self.about[0] / step, self.about[1] / step
        return Placement(round(self.dx / step), round(self.dy / step), self.turn, about)


def read_placed(
    read: Read, picture: Rect, rect: Rect, placement: Placement, level: int = 0, *,
    repeat: bool = True,
) -> FloatImage:
    """The source's pixels laid over `rect`, (h, w, C).

    Beyond the picture's border the last ones repeat, or with `repeat` off all is zero.

    Parameters
    ----------
    read : gives pixels of a rectangle that lies inside of `picture`.
    picture, rect, placement : in pixels of `level`.

    Raises
    ------
    EditError : all of the source lies outside of the picture, and `repeat` is on.
    """
    if placement.turn.plain:
        return _read_with_border(read, picture, placement.source_rect(rect), level, repeat)
    if repeat:
        return _turned(read, picture, rect, placement, level, repeat)
    return _turned_in_cells(read, picture, rect, placement, level)


def _turned_in_cells(
    read: Read, picture: Rect, rect: Rect, placement: Placement, level: int
) -> FloatImage:
    """A rectangle out of whole cells of one grid: what is copied bit by bit, as the pen goes, must
    not depend on what it is read together with, and OpenCV counts from the corner in steps of
    1/1024 px."""
    cells = [Rect.cell(key, CELL_PX) for key in rect.cells(CELL_PX)]
    inside = [cell for cell in cells
              if not placement.source_rect(cell).intersect(picture).empty]  # fmt: skip
    turned = [_turned(read, picture, cell, placement, level, repeat=False) for cell in inside]
    n_channels = turned[0].shape[2] if turned else 4
    around = Rect.union_of(cells)
    out = np.zeros((around.height, around.width, n_channels), np.float32)
    for cell, pixels in zip(inside, turned, strict=True):
        out[cell.shifted(-around.x0, -around.y0).slices] = pixels
    return np.ascontiguousarray(out[rect.shifted(-around.x0, -around.y0).slices])


def _turned(
    read: Read, picture: Rect, rect: Rect, placement: Placement, level: int, repeat: bool
) -> FloatImage:
    import cv2

    wanted = placement.source_rect(rect)
    pixels = _read_with_border(read, picture, wanted, level, repeat)
    matrix = placement.turn.to_source
    x, y = placement.source_of(rect.x0 + 0.5, rect.y0 + 0.5)
    corner = np.array([x - wanted.x0 - 0.5, y - wanted.y0 - 0.5])
    turned: FloatImage = cv2.warpAffine(
        pixels, np.column_stack([matrix, corner]), (rect.width, rect.height),
        flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    return turned.reshape(rect.height, rect.width, -1)


def _read_with_border(
    read: Read, picture: Rect, rect: Rect, level: int, repeat: bool
) -> FloatImage:
    part = rect.intersect(picture)
    if part.empty and not repeat:
        return np.zeros((rect.height, rect.width, 4), dtype=np.float32)
    if part.empty:
        raise EditError(
            "Nothing was taken", "the source lies outside of the picture", "pick it again"
        )
    pixels = read(part, level)
    if part == rect:
        return pixels
    rows = (part.y0 - rect.y0, rect.y1 - part.y1)
    columns = (part.x0 - rect.x0, rect.x1 - part.x1)
    padded: FloatImage = np.pad(
        pixels, (rows, columns, (0, 0)), mode="edge" if repeat else "constant"
    )
    return padded
