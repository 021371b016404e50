"""What a reshape brush does to a field, dab by dab.

A move shifts the skin under the dab by u(p), pixels of the picture; the field that shows it is the
old one, looked up where the skin came from: d'(p) = d(p - u(p)) - u(p). So what was under the pen
stays under it, and moves add up to the flow of their u (Beier, Neely 1992 blend displacements
instead, which lags behind the pen). Ease back and Calm change the field in its place.

Where the skin is held u is weakened, at the border of the picture it has no part across it, and
near lines that are kept straight none across them. A move after which the picture would be folded,
or squeezed below `LEAST_AREA` of a place, is made smaller until it is not, down to nothing.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from enum import Enum

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import Plane
from lather.core.kernels import Kernel
from lather.core.rect import Rect
from lather.core.shape.falloff import bell
from lather.core.shape.field import Field, Nodes
from lather.core.shape.guard import (
    Guard,
    Lines,
    along_lines,
    inside_picture,
    largest_share,
)


class Move(Enum):
    """What a dab does."""

    PUSH = 0
    GATHER = 1
    SWELL = 2
    TURN = 3
    EASE_BACK = 4
    CALM = 5


MARGIN = 3  # nodes around a dab: the cells that it may fold lie among them
FASTEST = 0.286  # `fastest` of the softest brush
LARGEST_STEP = 0.08  # of a move, of the width of the brush's soft rim
LEAST_RIM, LEAST_RIM_STEPS = 0.1, 4  # of the radius, of the grid: a harder brush would tear


@dataclass(frozen=True)
class Dab:
    """One print of a reshape brush.

    Attributes
    ----------
    x, y : its centre, where the pen has come to.
    from_x, from_y : of a push, where the pen came from; None for other moves.
    radius_px, hardness : as of any brush; the rim is never harder than `LEAST_RIM` lets it.
    by_x, by_y : of a push, how far the skin goes at the centre. Else `by_x` alone counts: how far
        it goes where it goes most; to turn clockwise, as the picture lies, is positive.
    """

    x: float
    y: float
    radius_px: float
    hardness: float
    by_x: float
    by_y: float = 0.0
    from_x: float | None = None
    from_y: float | None = None

    @property
    def rim_px(self) -> float:
        return max(1.0 - self.hardness, LEAST_RIM) * self.radius_px

    @classmethod
    def push(
        cls, start: tuple[float, float], end: tuple[float, float], radius_px: float,
        hardness: float, give: float = 1.0,
    ) -> Dab:  # fmt: skip
        """The pen goes from start to end, and the skin `give` of that."""
        by = give * (end[0] - start[0]), give * (end[1] - start[1])
        return cls(*end, radius_px, hardness, *by, *start)

    def steps(self) -> tuple[Dab, ...]:
        """A push in so many that they follow each other smoothly."""
        n = n_steps(self)
        x, y = self.start
        ends = [
            (x + k / n * (self.x - x), y + k / n * (self.y - y)) for k in range(n + 1)
        ]
        return tuple(
            replace(self, x=x, y=y, from_x=was_x, from_y=was_y, by_x=self.by_x / n,
                    by_y=self.by_y / n)
            for (was_x, was_y), (x, y) in zip(ends, ends[1:], strict=False)
        )  # fmt: skip

    @property
    def start(self) -> tuple[float, float]:
        """Where it begins, which is where it ends unless it is a push."""
        if self.from_x is None or self.from_y is None:
            return self.x, self.y
        return self.from_x, self.from_y

    @property
    def rect(self) -> Rect:
        """All that it may change."""
        here = Rect.around(self.x, self.y, self.radius_px)
        return here.union(Rect.around(*self.start, self.radius_px))


def moved(
    nodes: Nodes, at: Rect, step_px: int, free: Plane, move: Move, dab: Dab, picture: Rect,
    guard: Guard, most_px: float,
) -> float:
    """Change nodes in place by a dab; how much of the move was made, 0-1.

    Parameters
    ----------
    nodes, at, step_px : those of the dab with `MARGIN` nodes more around, and which they are.
    free : (rows, columns) 0-1, 0 where the skin is held.
    picture : the border of which stays in its place.
    most_px : the largest displacement, along x or y, that can be kept.
    """
    by_px = dab.by_x, dab.by_y
    near = guard.near(dab.x, dab.y, dab.radius_px).lines
    rim_px = max(dab.rim_px, float(LEAST_RIM_STEPS * step_px))
    radius_px = max(dab.radius_px, rim_px)
    if move in (Move.GATHER, Move.SWELL, Move.TURN):
        by_px = dab.by_x * FASTEST / fastest(rim_px / radius_px), 0.0
    return float(move_nodes(
        nodes, free, near, move.value, step_px, float(at.x0 * step_px), float(at.y0 * step_px),
        np.array([dab.x, dab.y, radius_px, rim_px, *by_px, *dab.start]),
        np.array([picture.width, picture.height, guard.hold_px, guard.free_px, most_px]),
    ))  # fmt: skip


def fastest(rim: float) -> float:
    """Where a move about a centre goes most, in radii: the most of t times the brush's profile, of
    a rim of so much of the radius, 0-1."""
    inner = (1 - rim) / rim
    s = (math.sqrt(16 * inner**2 + 20) - 4 * inner) / 10  # where the derivative is 0
    return (1 - rim + rim * s) * (1 - s * s) ** 2


def n_steps(dab: Dab) -> int:
    """Into how many a dab is divided, so that its moves follow each other smoothly."""
    length = float(np.hypot(dab.by_x, dab.by_y))
    return max(1, int(np.ceil(length / (LARGEST_STEP * dab.rim_px))))


def _move_reference(
    nodes: Nodes, free: Plane, lines: Lines, kind: int, step_px: int, left: float, top: float,
    dab: NDArray[np.float64], bounds: NDArray[np.float64],
) -> float:
    rows, columns = nodes.shape[:2]
    xs = left + np.arange(columns) * step_px
    ys = top + np.arange(rows) * step_px
    x, y = np.meshgrid(xs, ys)
    weight = _profile(np.hypot(x - dab[0], y - dab[1]), dab[2], dab[3])
    return largest_share(nodes, step_px, bounds[4], lambda share: _changed(
        nodes, x, y, weight, free, lines, kind, step_px, left, top, dab, bounds, share
    ))  # fmt: skip


def _profile(
    distance: NDArray[np.float64], radius: float, rim: float
) -> NDArray[np.float64]:
    return bell((distance - (radius - rim)) / rim)


def _changed(
    nodes: Nodes, x: NDArray[np.float64], y: NDArray[np.float64], weight: NDArray[np.float64],
    free: Plane, lines: Lines, kind: int, step_px: int, left: float, top: float,
    dab: NDArray[np.float64], bounds: NDArray[np.float64], share: float,
) -> Nodes:  # fmt: skip
    by = dab[4:6] * share
    if kind in (Move.EASE_BACK.value, Move.CALM.value):
        eases = kind == Move.EASE_BACK.value
        target = np.zeros_like(nodes) if eases else _calm(nodes, step_px, dab)
        way = (target - nodes).astype(np.float64)
        length = np.maximum(np.hypot(way[..., 0], way[..., 1]), 1e-12)
        way *= np.minimum(1, by[0] * weight * free / length)[..., None]
        if kind == Move.CALM.value:
            way = along_lines(way, x, y, lines, bounds)
            way = inside_picture(way, x, y, dab[2] / 2, bounds)
        return (nodes + way).astype(np.float32)
    u = _shift(x, y, weight, kind, dab, by) * free[..., None]
    u = inside_picture(along_lines(u, x, y, lines, bounds), x, y, dab[2] / 2, bounds)
    found = Field(nodes, Rect(0, 0, nodes.shape[1], nodes.shape[0]), step_px)
    came_from = np.stack([x - left, y - top], -1) - u
    old = found.at(came_from.reshape(-1, 2)).reshape(nodes.shape)
    there = (u != 0).any(-1)[..., None]
    return np.where(there, old - u, nodes).astype(np.float32)


def _shift(
    x: NDArray[np.float64], y: NDArray[np.float64], weight: NDArray[np.float64], kind: int,
    dab: NDArray[np.float64], by: NDArray[np.float64],
) -> NDArray[np.float64]:
    """Where the skin goes."""
    if kind == Move.PUSH.value:
        # Half way, by the midpoint rule: the skin there, and the pen.
        half_x, half_y = x - weight * by[0] / 2, y - weight * by[1] / 2
        pen_x, pen_y = (dab[0] + dab[6]) / 2, (dab[1] + dab[7]) / 2
        away = np.hypot(half_x - pen_x, half_y - pen_y)
        return _profile(away, dab[2], dab[3])[..., None] * by
    out_x, out_y = (x - dab[0]) / dab[2], (y - dab[1]) / dab[2]
    amount = weight * by[0] / FASTEST
    if kind == Move.TURN.value:
        return np.stack([-out_y * amount, out_x * amount], -1)
    sign = -1.0 if kind == Move.GATHER.value else 1.0
    return np.stack([sign * out_x * amount, sign * out_y * amount], -1)


def _calm(nodes: Nodes, step_px: int, dab: NDArray[np.float64]) -> Nodes:
    """Means of eight nodes in a ring around each."""
    ring = max(1, int(dab[2] / (6 * step_px)))
    padded = np.pad(nodes, ((ring, ring), (ring, ring), (0, 0)), mode="edge")
    rows, columns = nodes.shape[:2]
    total = np.zeros_like(nodes)
    for i in (0, ring, 2 * ring):
        for j in (0, ring, 2 * ring):
            if (i, j) != (ring, ring):
                total += padded[i : i + rows, j : j + columns]
    mean: Nodes = total / np.float32(8)
    return mean


move_nodes = Kernel("lather.core.shape.compiled_moves", "move_nodes", _move_reference)
