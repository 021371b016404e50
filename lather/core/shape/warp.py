"""Single places through a displacement field as a layer holds it: by tiles, with strength and mask.

A field of a large picture is millions of nodes; of a few hundred places only those around them are
looked at, and none are copied. `field.py` has what a field is, and how it goes between its nodes.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import Plane
from lather.core.kernels import Kernel
from lather.core.shape.field import Indexes, Points, interpolated, seen_at

Samples = NDArray[np.uint16]  # (N, side, side): tiles of one axis
SIDE = 256  # nodes of a tile
MIDDLE = 32768  # the sample of a node that stays


@dataclass(frozen=True, eq=False)
class Warp:
    """A field, and how much of it is shown.

    Attributes
    ----------
    across, down : tiles of samples along x and y, in the same order.
    index : (rows, columns) which tile lies there, -1 for none; `top`, `left` are the first's.
    step_px : the distance of nodes.
    gain : px that a sample is worth, strength included.
    shares : how far a mask lets nodes move, every `pitch_px` of the picture; (1, 1) of ones where
        there is none.
    """

    across: Samples
    down: Samples
    index: NDArray[np.int64]
    top: int
    left: int
    step_px: int
    gain: float
    shares: Plane
    pitch_px: int

    def sources(self, points: Points) -> Points:
        """(N, 2): where places above come from."""
        return self._run(warp_sources, points)

    def seen(self, places: Points) -> Points:
        """(N, 2): where places below are seen, the inverse of a map that is not folded."""
        return self._run(warp_seen, places)

    def _run(self, kernel: Callable[..., None], points: Points) -> Points:
        out = np.ascontiguousarray(points, dtype=np.float64).copy()
        origin = np.array([self.top, self.left, self.step_px, self.pitch_px])
        kernel(self.across, self.down, self.index, origin, self.gain, self.shares, out)
        return out


def _moved_by(
    across: Samples, down: Samples, index: NDArray[np.int64], origin: NDArray[np.int64],
    gain: float, shares: Plane, points: Points,
) -> Points:
    """(N, 2): displacements of places."""
    top, left, step_px, pitch_px = (int(value) for value in origin)

    def node(rows: Indexes, columns: Indexes) -> NDArray[np.float32]:
        tile_row, tile_column = rows // SIDE - top, columns // SIDE - left
        inside = ((tile_row >= 0) & (tile_row < index.shape[0])
                  & (tile_column >= 0) & (tile_column < index.shape[1]))  # fmt: skip
        tile = np.full(len(rows), -1, dtype=np.int64)
        tile[inside] = index[tile_row[inside], tile_column[inside]]
        there = tile >= 0
        at = tile[there], rows[there] % SIDE, columns[there] % SIDE
        found = np.zeros((len(rows), 2), dtype=np.float32)
        for axis, samples in enumerate((across, down)):
            found[there, axis] = (samples[at].astype(np.float32) - MIDDLE) * np.float32(gain)
        share = _shares_at(shares, rows[there] * step_px / pitch_px,
                           columns[there] * step_px / pitch_px)  # fmt: skip
        found[there] *= share[:, None]
        return found

    return interpolated(points, step_px, node)


def _shares_at(shares: Plane, rows: NDArray[np.float64], columns: NDArray[np.float64]) -> Plane:
    """Between the samples of a plane, whose border goes on beyond it."""
    y, x = np.clip(rows, 0, shares.shape[0] - 1), np.clip(columns, 0, shares.shape[1] - 1)
    y0 = np.minimum(y.astype(int), max(shares.shape[0] - 2, 0))
    x0 = np.minimum(x.astype(int), max(shares.shape[1] - 2, 0))
    y1, x1 = np.minimum(y0 + 1, shares.shape[0] - 1), np.minimum(x0 + 1, shares.shape[1] - 1)
    u, v = (y - y0).astype(np.float32), (x - x0).astype(np.float32)
    above = shares[y0, x0] * (1 - v) + shares[y0, x1] * v
    out: Plane = above * (1 - u) + (shares[y1, x0] * (1 - v) + shares[y1, x1] * v) * u
    return out


def _sources_reference(
    across: Samples, down: Samples, index: NDArray[np.int64], origin: NDArray[np.int64],
    gain: float, shares: Plane, places: Points,
) -> None:  # fmt: skip
    places += _moved_by(across, down, index, origin, gain, shares, places)


def _seen_reference(
    across: Samples, down: Samples, index: NDArray[np.int64], origin: NDArray[np.int64],
    gain: float, shares: Plane, places: Points,
) -> None:  # fmt: skip
    def sources(points: Points) -> Points:
        return points + _moved_by(across, down, index, origin, gain, shares, points)

    places[:] = seen_at(sources, places)


warp_sources = Kernel("lather.core.shape.compiled_warp", "warp_sources", _sources_reference)
warp_seen = Kernel("lather.core.shape.compiled_warp", "warp_seen", _seen_reference)
