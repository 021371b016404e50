"""The membrane: values inside an area, as smooth as its rim allows.

Inside the area the Laplace equation holds (each value is the mean of its neighbours);
known pixels around it are the boundary. At the array's own border there is no outward
flow (Neumann). Source: Perez, Gangnet, Blake 2003, "Poisson Image Editing", with zero
guidance field. The compiled form is a multigrid V-cycle (Briggs, Henson, McCormick 2000,
"A Multigrid Tutorial"); the NumPy form solves the sparse system directly and is exact.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import FloatImage
from lather.core.kernels import Kernel

TOLERANCE = np.float32(2e-3)  # largest correction in the last cycle; the error is a tenth of it


def fill_membrane(values: FloatImage, unknown: NDArray[np.bool_]) -> FloatImage:
    """Replace the unknown pixels of `values` by the membrane through the known ones.

    Parameters
    ----------
    values : (H, W, C) float32; any range; unknown pixels are ignored.
    unknown : (H, W) bool. At least one pixel must be known.

    Returns
    -------
    A new (H, W, C) float32 array; known pixels are copied bit for bit.
    """
    if not unknown.any():
        return values.copy()
    if unknown.all():
        raise ValueError("a membrane needs at least one known pixel around it")
    out = np.ascontiguousarray(values, dtype=np.float32).copy()
    _solve(out, unknown, TOLERANCE)
    return out


def _solve_directly(values: FloatImage, unknown: NDArray[np.bool_], tolerance: float) -> None:  # noqa: ARG001
    """A @ u = b over the unknown pixels: A holds neighbour counts and -1s, b the known sums."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.linalg import splu

    height, width = unknown.shape
    number = np.full(unknown.shape, -1, dtype=np.int64)
    ys, xs = np.nonzero(unknown)
    n_unknown = len(ys)
    number[ys, xs] = np.arange(n_unknown)
    degree = np.zeros(n_unknown)
    known_sum = np.zeros((n_unknown, values.shape[2]))
    rows, columns = [np.arange(n_unknown)], [np.arange(n_unknown)]
    for dy, dx in ((-1, 0), (1, 0), (0, -1), (0, 1)):
        ny, nx = ys + dy, xs + dx
        inside = (ny >= 0) & (ny < height) & (nx >= 0) & (nx < width)
        degree += inside
        here, ny, nx = np.nonzero(inside)[0], ny[inside], nx[inside]
        neighbour = number[ny, nx]
        linked = neighbour >= 0
        rows.append(here[linked])
        columns.append(neighbour[linked])
        np.add.at(known_sum, here[~linked], values[ny[~linked], nx[~linked]])
    entries = np.concatenate([degree, -np.ones(sum(len(r) for r in rows[1:]))])
    matrix = coo_matrix((entries, (np.concatenate(rows), np.concatenate(columns)))).tocsc()
    values[ys, xs] = splu(matrix).solve(known_sum)


_solve = Kernel("lather.core.mend.compiled", "solve_membrane", _solve_directly)
