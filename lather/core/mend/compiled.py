"""Compiled multigrid for membrane.py; imported only by `prepare_kernels`.

Grids are vertex-centred: coarse node (i, j) lies on fine node (2i, 2j), corrections are
interpolated bilinearly and cut off at the rim, and every coarse operator is the Galerkin
product P^T A P (nine-point stencils), which keeps odd-shaped areas converging as fast as
squares (Trottenberg, Oosterlee, Schueller 2001, "Multigrid", 7.7). All grids carry a
border of one zero node, and four channels so that a node is one vector register.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from lather.core.compiled_types import OPTIONS

_FAST = {**OPTIONS, "fastmath": True}
_MAX_CYCLES = 30
_COARSEST_PX = 14
_SWEEPS_COARSEST = 10
_LANES = 4
_FIVE_POINT = np.array([0, -1, 0, -1, 4, -1, 0, -1, 0], dtype=np.float32)
_NOTHING = np.full((2, 9), 1e9, dtype=np.float32)  # matches no row

Grid = NDArray[np.float32]  # (H + 2, W + 2, 4)
Level = tuple[NDArray[np.float32], NDArray[np.uint8]]  # nine-point stencils, where nodes are


def solve_membrane(
    values: NDArray[np.float32], unknown: NDArray[np.bool_], tolerance: np.float32
) -> None:
    """Fill the unknown pixels of the (H, W, C <= 4) `values` in place."""
    height, width, channels = values.shape
    degree = _degrees(np.ascontiguousarray(unknown).view(np.uint8))
    u = np.zeros((height + 2, width + 2, _LANES), dtype=np.float32)
    u[1:-1, 1:-1, :channels] = values
    u[1:-1, 1:-1, :channels][unknown] = values[~unknown].mean(0)
    levels = _hierarchy(degree)
    for _ in range(_MAX_CYCLES):
        _smooth_fine(u, degree)
        coarse_f = _restrict_fine_residual(u, degree)
        moved = _interpolate(u, _coarse_cycle(coarse_f, levels, 0), degree)
        _smooth_fine(u, degree)
        if moved < tolerance:
            break
    values[unknown] = u[1:-1, 1:-1, :channels][unknown]


def _hierarchy(degree: NDArray[np.uint8]) -> list[Level]:
    """All coarse grids, finest of them first."""
    levels: list[Level] = []
    stencil, regular = _fine_stencil(degree), _FIVE_POINT
    while not levels or min(stencil.shape[:2]) > _COARSEST_PX:
        # Far from the rim every row is alike: computed once, on a small grid, and copied.
        alike = _galerkin(np.ascontiguousarray(np.broadcast_to(regular, (9, 9, 9))), _NOTHING)
        stencil = _galerkin(stencil, np.vstack([regular, alike[3, 3]]))
        regular = alike[3, 3]
        levels.append((stencil, (stencil[..., 4] > 0).view(np.uint8)))
    return levels


def _coarse_cycle(f: Grid, levels: list[Level], index: int) -> Grid:
    """The correction for right side `f`: a V-cycle on the finest coarse grid, W below it."""
    stencil, nodes = levels[index]
    u = np.zeros_like(f)
    if index == len(levels) - 1:
        for _ in range(_SWEEPS_COARSEST):
            _smooth_coarse(u, f, stencil, 1)
            _smooth_coarse(u, f, stencil, -1)
        return u
    for _ in range(1 if index == 0 else 2):
        _smooth_coarse(u, f, stencil, 1)
        coarse_f = _restrict(_residual_coarse(u, f, stencil))
        _interpolate(u, _coarse_cycle(coarse_f, levels, index + 1), nodes)
        _smooth_coarse(u, f, stencil, -1)
    return u


@njit("uint8[:,::1](uint8[:,::1])", **_FAST)
def _degrees(unknown):  # type: ignore[no-untyped-def]
    """Number of neighbours inside the picture per unknown pixel, 0 for known ones; bordered."""
    height, width = unknown.shape
    degree = np.zeros((height + 2, width + 2), dtype=np.uint8)
    for y in range(height):
        for x in range(width):
            if unknown[y, x]:
                degree[y + 1, x + 1] = (y > 0) + (y < height - 1) + (x > 0) + (x < width - 1)
    return degree


@njit("void(float32[:,:,::1],uint8[:,::1])", **_FAST)
def _smooth_fine(u, degree):  # type: ignore[no-untyped-def]
    """One red-black Gauss-Seidel sweep for degree * u = sum(neighbours)."""
    height, width = degree.shape
    for colour in range(2):
        for y in range(1, height - 1):
            for x in range(1 + ((y + colour) & 1), width - 1, 2):
                d = degree[y, x]
                if d == 0:
                    continue
                k = np.float32(0.25) if d == 4 else np.float32(1.0 / max(d, 1))
                for c in range(4):
                    total = u[y - 1, x, c] + u[y + 1, x, c] + u[y, x - 1, c] + u[y, x + 1, c]
                    u[y, x, c] = total * k


@njit("float32[:,:,::1](float32[:,:,::1],uint8[:,::1])", **_FAST)
def _restrict_fine_residual(u, degree):  # type: ignore[no-untyped-def]
    """P^T of the residual; after a red-black sweep only the first colour has any."""
    height, width = u.shape[0] - 2, u.shape[1] - 2
    out = np.zeros((height // 2 + 3, width // 2 + 3, 4), dtype=np.float32)
    for y in range(1, height + 1):
        i0, i1 = (y - 1) // 2 + 1, y // 2 + 1
        for x in range(1 + (y & 1), width + 1, 2):
            if degree[y, x] == 0:
                continue
            j0, j1 = (x - 1) // 2 + 1, x // 2 + 1
            d = np.float32(degree[y, x])
            for c in range(4):
                total = u[y - 1, x, c] + u[y + 1, x, c] + u[y, x - 1, c] + u[y, x + 1, c]
                quarter = np.float32(0.25) * (total - d * u[y, x, c])
                out[i0, j0, c] += quarter
                out[i0, j1, c] += quarter
                out[i1, j0, c] += quarter
                out[i1, j1, c] += quarter
    return out


@njit(inline="always", **_FAST)
def _row(u, stencil, y, x):  # type: ignore[no-untyped-def]
    """(A u) at one node, all four lanes."""
    t0 = t1 = t2 = t3 = np.float32(0)
    for dy in range(3):
        for dx in range(3):
            k = stencil[y, x, 3 * dy + dx]
            t0 += k * u[y + dy - 1, x + dx - 1, 0]
            t1 += k * u[y + dy - 1, x + dx - 1, 1]
            t2 += k * u[y + dy - 1, x + dx - 1, 2]
            t3 += k * u[y + dy - 1, x + dx - 1, 3]
    return t0, t1, t2, t3


@njit("void(float32[:,:,::1],float32[:,:,::1],float32[:,:,::1],int64)", **_FAST)
def _smooth_coarse(u, f, stencil, direction):  # type: ignore[no-untyped-def]
    """One Gauss-Seidel sweep, forwards (1) or backwards (-1)."""
    height, width = stencil.shape[0], stencil.shape[1]
    for i in range(1, height - 1):
        y = i if direction > 0 else height - 1 - i
        for j in range(1, width - 1):
            x = j if direction > 0 else width - 1 - j
            if stencil[y, x, 4] <= 0:
                continue
            inverse = np.float32(1) / stencil[y, x, 4]
            t0, t1, t2, t3 = _row(u, stencil, y, x)
            u[y, x, 0] += (f[y, x, 0] - t0) * inverse
            u[y, x, 1] += (f[y, x, 1] - t1) * inverse
            u[y, x, 2] += (f[y, x, 2] - t2) * inverse
            u[y, x, 3] += (f[y, x, 3] - t3) * inverse


@njit("float32[:,:,::1](float32[:,:,::1],float32[:,:,::1],float32[:,:,::1])", **_FAST)
def _residual_coarse(u, f, stencil):  # type: ignore[no-untyped-def]
    out = np.zeros_like(u)
    height, width = stencil.shape[0], stencil.shape[1]
    for y in range(1, height - 1):
        for x in range(1, width - 1):
            if stencil[y, x, 4] <= 0:
                continue
            t0, t1, t2, t3 = _row(u, stencil, y, x)
            out[y, x, 0] = f[y, x, 0] - t0
            out[y, x, 1] = f[y, x, 1] - t1
            out[y, x, 2] = f[y, x, 2] - t2
            out[y, x, 3] = f[y, x, 3] - t3
    return out


@njit("float32[:,:,::1](float32[:,:,::1])", **_FAST)
def _restrict(residual):  # type: ignore[no-untyped-def]
    """P^T: every fine node gives to the coarse nodes that interpolate it."""
    height, width = residual.shape[0] - 2, residual.shape[1] - 2
    out = np.zeros((height // 2 + 3, width // 2 + 3, 4), dtype=np.float32)
    for i in range(height // 2 + 1):
        for j in range(width // 2 + 1):
            for dy in range(-1, 2):
                y = 2 * i + dy
                if y < 0 or y >= height:
                    continue
                for dx in range(-1, 2):
                    x = 2 * j + dx
                    if x < 0 or x >= width:
                        continue
                    k = np.float32((2 - abs(dy)) * (2 - abs(dx)) * 0.25)
                    for c in range(4):
                        out[i + 1, j + 1, c] += k * residual[y + 1, x + 1, c]
    return out


@njit("float32(float32[:,:,::1],float32[:,:,::1],uint8[:,::1])", **_FAST)
def _interpolate(u, correction, nodes):  # type: ignore[no-untyped-def]
    """Add the bilinear correction at the grid's nodes; returns the largest change."""
    height, width = u.shape[0] - 2, u.shape[1] - 2
    largest = np.float32(0)
    for y in range(height):
        i0, i1 = y // 2 + 1, (y + 1) // 2 + 1
        for x in range(width):
            if nodes[y + 1, x + 1] == 0:
                continue
            j0, j1 = x // 2 + 1, (x + 1) // 2 + 1
            for c in range(4):
                value = np.float32(0.25) * (
                    correction[i0, j0, c]
                    + correction[i0, j1, c]
                    + correction[i1, j0, c]
                    + correction[i1, j1, c]
                )
                u[y + 1, x + 1, c] += value
                largest = max(largest, abs(value))
    return largest


@njit("float32[:,:,::1](uint8[:,::1])", **_FAST)
def _fine_stencil(degree):  # type: ignore[no-untyped-def]
    """The pixel grid's own operator in nine-point form."""
    height, width = degree.shape
    stencil = np.zeros((height, width, 9), dtype=np.float32)
    for y in range(1, height - 1):
        for x in range(1, width - 1):
            if degree[y, x] == 0:
                continue
            stencil[y, x, 4] = degree[y, x]
            for n in (1, 3, 5, 7):
                if degree[y + n // 3 - 1, x + n % 3 - 1] > 0:
                    stencil[y, x, n] = -1
    return stencil


@njit("uint8[:,::1](float32[:,:,::1],float32[:])", **_FAST)
def _alike(stencil, regular):  # type: ignore[no-untyped-def]
    """Nodes whose row is the regular one."""
    out = np.zeros(stencil.shape[:2], dtype=np.uint8)
    for y in range(stencil.shape[0]):
        for x in range(stencil.shape[1]):
            same = True
            for n in range(9):
                if not abs(stencil[y, x, n] - regular[n]) < 1e-4:
                    same = False
                    break
            if same:
                out[y, x] = 1
    return out


@njit("float32[:,:,::1](float32[:,:,::1],float32[:,::1])", **_FAST)
def _galerkin(stencil, known):  # type: ignore[no-untyped-def]
    """P^T A P with bilinear P restricted to the nodes that A knows.

    `known` holds the regular row of A and the coarse row that it leads to.
    """
    height, width = stencil.shape[0] - 2, stencil.shape[1] - 2
    regular = _alike(stencil, known[0])
    out = np.zeros((height // 2 + 3, width // 2 + 3, 9), dtype=np.float32)
    for i in range(height // 2 + 1):
        for j in range(width // 2 + 1):
            top, bottom = max(0, 2 * i - 1), min(height, 2 * i + 2)
            left, right = max(0, 2 * j - 1), min(width, 2 * j + 2)
            n_regular = 0
            for y in range(top, bottom):
                for x in range(left, right):
                    n_regular += regular[y + 1, x + 1]
            if n_regular == 9:
                out[i + 1, j + 1] = known[1]
                continue
            for y in range(top, bottom):
                for x in range(left, right):
                    if stencil[y + 1, x + 1, 4] <= 0:
                        continue
                    own = (1 - 0.5 * abs(y - 2 * i)) * (1 - 0.5 * abs(x - 2 * j))
                    for n in range(9):
                        entry = stencil[y + 1, x + 1, n]
                        if entry == 0:
                            continue
                        ty, tx = y + n // 3 - 1, x + n % 3 - 1
                        k = own * entry / ((1 + (ty & 1)) * (1 + (tx & 1)))
                        for ti in range(ty // 2, (ty + 1) // 2 + 1):
                            for tj in range(tx // 2, (tx + 1) // 2 + 1):
                                out[i + 1, j + 1, (ti - i + 1) * 3 + tj - j + 1] += k
    return out
