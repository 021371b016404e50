"""A whole shift of the picture at once: of a feature, an area, a line drawn straight.

As a move of a brush (`moves.py`): what is shifted by u(p) is looked up where it came from, by the
same guards; a shift that would fold is made smaller.
"""

from __future__ import annotations

import numpy as np

from lather.core.arrays import Plane
from lather.core.kernels import Kernel
from lather.core.rect import Rect
from lather.core.shape.field import Field, Nodes
from lather.core.shape.guard import (
    Guard,
    Lines,
    Numbers,
    along_lines,
    inside_picture,
    largest_share,
)

SOFT_BORDER = 0.25  # of the shorter side of what is shifted: how far the border's hold fades


def shifted(
    nodes: Nodes, at: Rect, step_px: int, free: Plane, shift: Nodes, picture: Rect, guard: Guard,
    most_px: float,
) -> float:
    """Change nodes in place; how much of the shift was made, 0-1.

    `shift` is (rows, columns, 2), px of the picture, and comes to nothing at the rim of `at`. The
    rest is as for `moves.moved`.
    """
    soft = max(SOFT_BORDER * min(at.width, at.height) * step_px, 1.0)
    bounds = np.array([picture.width, picture.height, guard.hold_px, guard.free_px, most_px, soft])
    return float(shift_nodes(
        nodes, shift, free, np.ascontiguousarray(guard.lines), step_px, float(at.x0 * step_px),
        float(at.y0 * step_px), bounds,
    ))  # fmt: skip


def _shift_reference(
    nodes: Nodes, shift: Nodes, free: Plane, lines: Lines, step_px: int, left: float, top: float,
    bounds: Numbers,
) -> float:
    rows, columns = nodes.shape[:2]
    x, y = np.meshgrid(left + np.arange(columns) * step_px, top + np.arange(rows) * step_px)
    wanted = shift.astype(np.float64) * free[..., None]
    wanted = inside_picture(along_lines(wanted, x, y, lines, bounds), x, y, bounds[5], bounds)
    field = Field(nodes, Rect(0, 0, columns, rows), step_px)

    def changed(share: float) -> Nodes:
        u = share * wanted
        came_from = np.stack([x - left, y - top], -1) - u
        old = field.at(came_from.reshape(-1, 2)).reshape(nodes.shape)
        return np.where((u != 0).any(-1)[..., None], old - u, nodes).astype(np.float32)

    return largest_share(nodes, step_px, bounds[4], changed)


shift_nodes = Kernel("lather.core.shape.compiled_moves", "shift_nodes", _shift_reference)
