"""A displacement field: where every place of a reshaped picture is taken from.

The field is smooth and held coarsely, at nodes `step_px` apart; node (row, column) lies at
(column * step, row * step) of the picture. Between nodes it goes by the cubic of Keys 1981
("Cubic Convolution Interpolation for Digital Image Processing", a = -1/2), beyond its border by the
nodes at the border. A field maps *back*: the reshaped picture at p shows what lies at p + d(p).

Lengths are pixels of the picture; displacements are x right, y down. A map of which the Jacobian
I + grad d is positive everywhere is not folded.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lather.core.rect import Rect

Nodes = NDArray[np.float32]  # (rows, columns, 2): dx, dy in pixels of the picture
Points = NDArray[np.float64]  # (N, 2): x, y in pixels of the picture

Indexes = NDArray[np.int64]
NodeAt = Callable[[Indexes, Indexes], NDArray[np.float32]]  # rows, columns -> (N, 2)

SUPPORT = 2  # nodes around a place that it depends on
LARGE_PICTURE_PX, HUGE_PICTURE_PX = 16e6, 64e6
NEWTON_STEPS = 12
CLOSE_PX = 1e-3


def step_for(picture: Rect) -> int:
    """The distance of nodes on a picture: fine enough for the smallest brush (docs/shape.md), and
    coarse enough to stay small."""
    if picture.area <= LARGE_PICTURE_PX:
        return 2
    return 4 if picture.area <= HUGE_PICTURE_PX else 8


def node_rect(rect: Rect, step_px: int) -> Rect:
    """The nodes of a picture, or a part of it: its corners are nodes, or lie within the outer."""
    return Rect(rect.x0 // step_px, rect.y0 // step_px, -(-rect.x1 // step_px) + 1,
                -(-rect.y1 // step_px) + 1)  # fmt: skip


def node_places(nodes: Rect, step_px: int) -> NDArray[np.float64]:
    """(rows, columns, 2): where nodes lie."""
    xs, ys = np.arange(nodes.x0, nodes.x1), np.arange(nodes.y0, nodes.y1)
    return np.stack(np.meshgrid(xs, ys), axis=-1).astype(np.float64) * step_px


def nodes_under(rect: Rect, step_px: int) -> Rect:
    """The nodes that a rectangle of the picture depends on."""
    return Rect(
        rect.x0 // step_px - 1, rect.y0 // step_px - 1,
        -(-rect.x1 // step_px) + SUPPORT, -(-rect.y1 // step_px) + SUPPORT,
    )  # fmt: skip


def pixels_around(nodes: Rect, step_px: int) -> Rect:
    """The pixels that depend on a rectangle of nodes."""
    return Rect(
        (nodes.x0 - SUPPORT) * step_px, (nodes.y0 - SUPPORT) * step_px,
        (nodes.x1 - 1 + SUPPORT) * step_px, (nodes.y1 - 1 + SUPPORT) * step_px,
    )  # fmt: skip


def cubic_weights(t: NDArray[np.float64]) -> NDArray[np.float64]:
    """(..., 4): weights of the four nodes around a place that lies `t`, 0-1, past the second."""
    return np.stack(
        [
            ((-0.5 * t + 1.0) * t - 0.5) * t, (1.5 * t - 2.5) * t * t + 1.0,
            ((-1.5 * t + 2.0) * t + 0.5) * t, (0.5 * t - 0.5) * t * t,
        ],
        axis=-1,
    )  # fmt: skip


def cubic_slopes(t: NDArray[np.float64]) -> NDArray[np.float64]:
    """(..., 4): how those weights change with t."""
    return np.stack(
        [
            (-1.5 * t + 2.0) * t - 0.5, (4.5 * t - 5.0) * t,
            (-4.5 * t + 4.0) * t + 0.5, (1.5 * t - 1.0) * t,
        ],
        axis=-1,
    )  # fmt: skip


def interpolated(points: Points, step_px: int, node: NodeAt) -> Points:
    """(N, 2): displacements of places between nodes that `node` looks up."""
    places = np.asarray(points, dtype=np.float64) / step_px
    whole = np.floor(places).astype(np.int64)
    weights = cubic_weights(places - whole)
    taps = np.arange(-1, 3)
    rows = np.broadcast_to(whole[:, 1, None, None] + taps[:, None], (len(places), 4, 4))
    columns = np.broadcast_to(whole[:, 0, None, None] + taps, (len(places), 4, 4))
    found = node(rows.ravel(), columns.ravel()).reshape(len(places), 4, 4, 2)
    out: Points = np.einsum("ni,nj,nijc->nc", weights[:, 1], weights[:, 0], found)
    return out


@dataclass(frozen=True, eq=False)
class Field:
    """A rectangle of nodes of a field.

    Attributes
    ----------
    nodes : their displacements.
    rect : which nodes they are.
    step_px : their distance.
    """

    nodes: Nodes
    rect: Rect
    step_px: int

    def at(self, points: Points) -> Points:
        """(N, 2): displacements of places."""
        return interpolated(points, self.step_px, self._node)

    def _node(self, rows: Indexes, columns: Indexes) -> NDArray[np.float32]:
        y = np.clip(rows - self.rect.y0, 0, self.nodes.shape[0] - 1)
        x = np.clip(columns - self.rect.x0, 0, self.nodes.shape[1] - 1)
        found: NDArray[np.float32] = self.nodes[y, x]
        return found

    def sources(self, points: Points) -> Points:
        """Where places of the reshaped picture are taken from."""
        return np.asarray(points, dtype=np.float64) + self.at(points)

    def scaled(self, share: float) -> Field:
        return replace(self, nodes=(self.nodes * np.float32(share)).astype(np.float32))

    @property
    def lengths_px(self) -> NDArray[np.float64]:
        """(rows, columns): how far each node is displaced."""
        out: NDArray[np.float64] = np.sqrt((self.nodes.astype(np.float64) ** 2).sum(-1))
        return out

    @property
    def largest_px(self) -> float:
        """The largest displacement of a node."""
        return float(self.lengths_px.max(initial=0.0))


Sources = Callable[[Points], Points]


def seen_at(sources: Sources, places: Points) -> Points:
    """Where places of the picture below are seen: the inverse of a map that is not folded.

    Newton's method with a numeric Jacobian, and a plain step where that does not come closer.
    """
    wanted = np.asarray(places, dtype=np.float64)
    guess = 2 * wanted - sources(wanted)
    for _ in range(NEWTON_STEPS):
        missing = wanted - sources(guess)
        if float(np.abs(missing).max(initial=0.0)) < CLOSE_PX:
            break
        jacobian = _jacobian(sources, guess)
        determinant = np.linalg.det(jacobian)
        safe = np.abs(determinant) > 1e-3
        step = missing.copy()
        step[safe] = np.linalg.solve(jacobian[safe], missing[safe][..., None])[..., 0]
        guess = guess + step
    return guess


def _jacobian(sources: Sources, points: Points, by_px: float = 0.25) -> NDArray[np.float64]:
    """(N, 2, 2): how the map's x and y change with x and y."""
    columns = [
        (sources(points + step) - sources(points - step)) / (2 * by_px)
        for step in (np.array([by_px, 0.0]), np.array([0.0, by_px]))
    ]
    return np.stack(columns, axis=-1)


def composed(upper: Field, lower: Field) -> Field:
    """One field that does what `upper` on top of `lower` do; both of the same nodes."""
    through = node_places(upper.rect, upper.step_px) + upper.nodes
    nodes = upper.nodes + lower.at(through.reshape(-1, 2)).reshape(upper.nodes.shape)
    return replace(upper, nodes=nodes.astype(np.float32))


def jacobians(field: Field) -> NDArray[np.float32]:
    """(rows, columns, 2, 2): I + grad d at the nodes, by central differences."""
    step = np.float32(field.step_px)
    by_y, by_x = (np.gradient(field.nodes, step, axis=axis) for axis in (0, 1))
    out: NDArray[np.float32] = np.stack([by_x, by_y], axis=-1).astype(np.float32)
    out[..., 0, 0] += 1
    out[..., 1, 1] += 1
    return out


def stretches(field: Field) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """(rows, columns) each: how far the picture is stretched at the nodes, least and most; 1 is not
    at all. They are one over the singular values of the Jacobian, which maps back."""
    j = jacobians(field)
    # Of a 2 x 2 matrix the singular values are the sum and the difference of two lengths.
    sum_x, difference_x = j[..., 0, 0] + j[..., 1, 1], j[..., 0, 0] - j[..., 1, 1]
    sum_y, difference_y = j[..., 1, 0] + j[..., 0, 1], j[..., 1, 0] - j[..., 0, 1]
    turned, sheared = np.hypot(sum_x, difference_y), np.hypot(difference_x, sum_y)
    most, least = (turned + sheared) / 2, np.abs(turned - sheared) / 2
    tiny = np.float32(1e-3)
    return 1 / np.maximum(most, tiny), 1 / np.maximum(least, tiny)
