"""What no reshape may do: bend what is straight, tear the picture's border off, or fold.

Here are the rules as NumPy has them; the kernels in `compiled_moves.py` have the same.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from lather.core.adjust.bracket import smooth_step
from lather.core.shape.field import Nodes, cubic_slopes, cubic_weights
from lather.core.work import NEVER, CancelToken

Lines = NDArray[np.float32]  # (N, 4): x0, y0, x1, y1 of lines that are kept straight
Numbers = NDArray[np.float64]

NO_LINES: Lines = np.zeros((0, 4), dtype=np.float32)
LEAST_AREA = 0.2  # of a place: the least that the Jacobian's determinant may come to
LOOK_CLOSER = 0.75  # of a place: cells squeezed so far are looked at between their corners too
TRIALS = 4  # halvings of a move before it is left

_INSIDE = np.array([0.0, 0.5, 1.0])  # of a cell: where it is looked at
INSIDE_WEIGHTS = cubic_weights(_INSIDE)  # (3, 4)
INSIDE_SLOPES = cubic_slopes(_INSIDE)


@dataclass(frozen=True)
class Guard:
    """Lines that are kept straight: up to `hold_px` from them nothing moves across them, at
    `free_px` anything does."""

    lines: Lines = field(default_factory=lambda: NO_LINES)
    hold_px: float = 8.0
    free_px: float = 40.0

    def near(self, x: float, y: float, radius_px: float) -> Guard:
        """With the lines that a disc comes near, alone."""
        if not len(self.lines):
            return self
        away = distances(np.array([[x, y]]), self.lines)[:, 0]
        found = self.lines[away < radius_px + self.free_px]
        return replace(self, lines=np.ascontiguousarray(found))


def distances(points: Numbers, lines: Lines | Numbers) -> Numbers:
    """(N lines, N points): how far points lie from the segments."""
    start, along = lines[:, :2].astype(np.float64), (lines[:, 2:] - lines[:, :2]).astype(np.float64)
    square = np.maximum((along**2).sum(1), 1e-9)
    from_start = points[None] - start[:, None]
    share = np.clip((from_start * along[:, None]).sum(-1) / square[:, None], 0, 1)
    out: Numbers = np.linalg.norm(
        from_start - share[..., None] * along[:, None], axis=-1
    )
    return out


def folded(before: Numbers, after: Numbers) -> NDArray[np.bool_]:
    """The cells, by their least areas, that a change squeezes more than it may."""
    out: NDArray[np.bool_] = (after < LEAST_AREA) & (after < before - 1e-6)
    return out


def largest_share(
    nodes: Nodes, step_px: int, most_px: float, changed: Callable[[float], Nodes]
) -> float:
    """Take over `changed(share)` for the largest share, a half of the last, that does not fold
    anything nor goes further than `most_px`; that share, 0 if there is none."""
    before, share = least_area(nodes, step_px), 1.0
    for _ in range(TRIALS + 1):
        after = changed(share)
        folds = folded(before, least_area(after, step_px)).any()
        if not folds and float(np.abs(after).max()) <= most_px:
            nodes[...] = after
            return share
        share /= 2
    return 0.0


def along_lines(
    u: Numbers, x: Numbers, y: Numbers, lines: Lines,
    bounds: Numbers, cancel: CancelToken = NEVER,
) -> Numbers:  # fmt: skip
    """Without what goes across the lines that are near; `x` and `y` are a grid's."""
    u = u.copy()
    for line in lines:
        cancel.check()
        near = _around(line, x, y, max(bounds[2:4]))
        part = u[near]
        if not part.size:
            continue
        points = np.stack([x[near].ravel(), y[near].ravel()], -1)
        away = distances(points, line[None])[0].reshape(part.shape[:2])
        held = 1 - smooth_step((away - bounds[2]) / max(bounds[3] - bounds[2], 1e-6))
        normal = np.array([line[1] - line[3], line[2] - line[0]], dtype=np.float64)
        normal /= max(float(np.hypot(*normal)), 1e-9)
        across = (part @ normal) * held
        part -= across[..., None] * normal
    return u


def _around(line: Lines, x: Numbers, y: Numbers, reach_px: float) -> tuple[slice, slice]:
    """The part of a grid that a line comes so near."""
    columns = _span(x[0], line[0], line[2], reach_px)
    return _span(y[:, 0], line[1], line[3], reach_px), columns


def _span(places: Numbers, one: float, other: float, reach_px: float) -> slice:
    low, high = min(one, other) - reach_px, max(one, other) + reach_px
    return slice(int(np.searchsorted(places, low)), int(np.searchsorted(places, high, "right")))


def inside_picture(
    u: Numbers, x: Numbers, y: Numbers,
    soft: float, bounds: Numbers,
) -> Numbers:
    """The border of the picture stays where it is; what is `soft` px away from it is free."""
    for axis, (place, size) in enumerate(((x, bounds[0]), (y, bounds[1]))):
        u[..., axis] *= smooth_step(np.minimum(place, size - place) / soft)
    return u


def least_area(nodes: Nodes, step_px: int) -> Numbers:
    """(rows - 1, columns - 1): the least determinant of the Jacobians in a cell.

    At its corners the Jacobian is that of the cell alone; where that comes to little, the cubic
    between the nodes may fold though no cell does, and is looked at in its place.
    """
    d = nodes.astype(np.float64) / step_px
    across = np.diff(d, axis=1)  # (rows, columns - 1, 2)
    down = np.diff(d, axis=0)
    least = np.full((nodes.shape[0] - 1, nodes.shape[1] - 1), np.inf)
    for by_x in (across[:-1], across[1:]):
        for by_y in (down[:, :-1], down[:, 1:]):
            area = (1 + by_x[..., 0]) * (1 + by_y[..., 1]) - by_x[..., 1] * by_y[..., 0]
            least = np.minimum(least, area)
    closer = least < LOOK_CLOSER
    least[closer] = np.minimum(least[closer], _least_inside(d, *np.nonzero(closer)))
    return least


def _least_inside(d: Numbers, rows: NDArray[np.int64], columns: NDArray[np.int64]) -> Numbers:
    """(N cells,): the least determinant of the cubic's Jacobians, nodes in steps of the grid."""
    taps = np.arange(-1, 3)
    i = np.clip(rows[:, None] + taps, 0, d.shape[0] - 1)
    j = np.clip(columns[:, None] + taps, 0, d.shape[1] - 1)
    around = d[i[:, :, None], j[:, None, :]]  # (N, 4, 4, 2)
    by_x = np.einsum("si,tj,nijc->nstc", INSIDE_WEIGHTS, INSIDE_SLOPES, around)
    by_y = np.einsum("si,tj,nijc->nstc", INSIDE_SLOPES, INSIDE_WEIGHTS, around)
    area = (1 + by_x[..., 0]) * (1 + by_y[..., 1]) - by_x[..., 1] * by_y[..., 0]
    out: Numbers = area.min(axis=(1, 2))
    return out
