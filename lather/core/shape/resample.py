"""A picture through a displacement field, sampled once.

The filter is Lanczos' of three lobes (Duchon 1979, "Lanczos Filtering in One and Two
Dimensions"), its weights made to sum to one, tabulated at `N_PHASES` places between two pixels.
What is shifted by half a pixel keeps its detail up to 0.25 cycles a pixel within 5 %; docs/shape.md
has what is lost beyond. Where the field is zero pixels are not touched at all.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage, Plane
from lather.core.kernels import Kernel
from lather.core.rect import Rect
from lather.core.shape.field import Field, cubic_weights
from lather.core.shape.reach import LOBES
from lather.core.two_parts import in_two_parts

N_TAPS = 2 * LOBES
N_PHASES = 512


def _weights() -> Plane:
    """(N_PHASES + 1, N_TAPS): of the taps around a place, by how far it lies past the third."""
    phase = np.arange(N_PHASES + 1)[:, None] / N_PHASES
    x = np.arange(N_TAPS)[None, :] - (LOBES - 1) - phase
    weights = np.where(np.abs(x) < LOBES, np.sinc(x) * np.sinc(x / LOBES), 0.0)
    out: Plane = (weights / weights.sum(1, keepdims=True)).astype(np.float32)
    return out


WEIGHTS = _weights()


def resampled(
    below: FloatImage, at: Rect, out: FloatImage, rect: Rect, field: Field, level: int
) -> None:
    """Show what lies below through a field, in place.

    Parameters
    ----------
    below : (h, w, 4) pixels of the rectangle `at` of the level, straight alpha; what lies beyond it
        is its border.
    out : (h, w, 4) of the rectangle `rect`; unchanged where nothing is displaced.
    field : its nodes around the rectangle; the displacements are those of full size.
    """
    scale = 1.0 / (1 << level)
    nodes = field.nodes * np.float32(scale)
    spacing = field.step_px * scale
    origin = rect.x0 / spacing - field.rect.x0, rect.y0 / spacing - field.rect.y0
    opaque = bool((below[..., 3] == 1).all())
    pixels, nodes = np.ascontiguousarray(below), np.ascontiguousarray(nodes)

    def rows(first: int, last: int) -> None:
        through_field(
            pixels, nodes, WEIGHTS, out[first:last], spacing, origin[0],
            origin[1] + first / spacing, float(rect.x0 - at.x0), float(rect.y0 - at.y0 + first),
            opaque,
        )  # fmt: skip

    in_two_parts(rows, rect.height, rect.area)


def _through_field_reference(
    below: FloatImage, nodes: NDArray[np.float32], weights: Plane, out: FloatImage, spacing: float,
    origin_x: float, origin_y: float, left: float, top: float, opaque: bool,  # noqa: FBT001
) -> None:
    """`nodes` every `spacing` pixels, of which the out's corner lies at `origin`; that corner lies
    at (`left`, `top`) of `below`."""
    height, width = out.shape[:2]
    xs, ys = ((np.arange(n, dtype=np.float64) + 0.5) / spacing for n in (width, height))
    dx, dy = _dense(nodes, xs + origin_x, ys + origin_y)
    moved = (dx != 0) | (dy != 0)
    rows, columns = np.nonzero(moved)
    x, y = columns + left + dx[moved], rows + top + dy[moved]
    premultiplied = below.copy()
    premultiplied[..., :3] *= below[..., 3:]
    total = np.zeros((len(rows), 4))
    x0, y0 = np.floor(x).astype(int), np.floor(y).astype(int)
    across = weights[((x - x0) * N_PHASES + 0.5).astype(int)]
    down = weights[((y - y0) * N_PHASES + 0.5).astype(int)]
    for i in range(N_TAPS):
        row = np.clip(y0 + i - (LOBES - 1), 0, below.shape[0] - 1)
        for j in range(N_TAPS):
            column = np.clip(x0 + j - (LOBES - 1), 0, below.shape[1] - 1)
            total += (down[:, i] * across[:, j])[:, None] * premultiplied[row, column]
    alpha = total[:, 3:]
    total[:, :3] = np.where(alpha > 1e-6, total[:, :3] / np.maximum(alpha, 1e-6), 0)
    total[:, 3:] = 1 if opaque else np.clip(alpha, 0, 1)
    out[moved] = total


def _dense(
    nodes: NDArray[np.float32], xs: NDArray[np.float64], ys: NDArray[np.float64]
) -> tuple[Plane, Plane]:
    """Displacements on a grid of places, in units of nodes."""
    def of_axis(
        places: NDArray[np.float64], n: int
    ) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
        whole = np.floor(places).astype(np.int64)
        taps = np.clip(whole[:, None] + np.arange(-1, 3), 0, n - 1)
        return taps, cubic_weights(places - whole)

    rows, down = of_axis(ys, nodes.shape[0])
    columns, across = of_axis(xs, nodes.shape[1])
    lines = np.einsum("yi,yixc->yxc", down, nodes[rows].astype(np.float64))
    dense = np.einsum("xj,yxjc->yxc", across, lines[:, columns])
    return dense[..., 0].astype(np.float32), dense[..., 1].astype(np.float32)


through_field = Kernel("lather.core.shape.compiled", "through_field", _through_field_reference)
