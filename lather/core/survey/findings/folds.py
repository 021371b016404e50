"""Natural folds: the creases that everybody has, known by the mesh and by where skin bends."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from lather.core.survey.faces.frame import Frame
from lather.core.survey.faces.mesh_fit import Mesh
from lather.core.survey.faces.mesh_points import (
    BROWS,
    EYES,
    JAW,
    LEFT,
    MOUTH_CORNERS,
    NASOLABIAL,
    OVAL,
    RIGHT,
)

Path = NDArray[np.floating]  # (N, 2) x, y

# In heights of the face.
BESIDE_MOUTH, CORNER_REACH, CORNER_END = 0.06, 0.17, 0.06
CHIN_FOLD = (0.02, 0.16, 0.2)  # below the lips: from, to; half width
MOST_TURN_DEG, LEVEL_DEG = 35.0, 35.0
NECK_FROM = -0.06  # below the chin
HANDS_FROM = 0.8  # below the chin
EAR_FROM, EAR_TOP = 0.3, -0.2  # beside the face's middle, and below between the eyes
ON_OUTLINE = 0.045
_LOWER_LIP = 17


def is_natural(path: Path, mesh: Mesh) -> bool:
    """True for a crease that lies and runs as natural folds do, on the face, neck or body.

    Parameters
    ----------
    path, mesh : in the same pixels.
    """
    points, frame = mesh[:, :2].astype(np.float64), Frame.of(mesh)
    height = frame.height_px
    across, down = _on_head(path, frame)
    level = _rise_deg(across, down) < LEVEL_DEG
    middle_across, middle_down = float(np.median(across)), float(np.median(down))
    if not _mostly_inside(path, points[list(OVAL)]):
        if middle_down > frame.chin + NECK_FROM:
            return level or middle_down > frame.chin + 0.5 or abs(middle_across) > 0.6
        if abs(middle_across) > EAR_FROM and middle_down > EAR_TOP:
            return True
    if any(_runs_along(path, points[list(line)], BESIDE_MOUTH * height) for line in NASOLABIAL):
        return True
    if any(_is_of_lid(path, points, side) for side in (RIGHT, LEFT)):
        return True
    if any(_is_of_corner(path, points[corner], height) for corner in MOUTH_CORNERS):
        return True
    lip_down = float(_on_head(points[[_LOWER_LIP]], frame)[1][0])
    below_lip = middle_down - lip_down
    return level and CHIN_FOLD[0] < below_lip < CHIN_FOLD[1] and abs(middle_across) < CHIN_FOLD[2]


def is_outline(path: Path, mesh: Mesh) -> bool:
    """True for a line that runs along the jaw: the face's own outline, no crease."""
    line = mesh[list(JAW), :2].astype(np.float64)
    return _runs_along(path, line, ON_OUTLINE * Frame.of(mesh).height_px)


def is_of_body(path: Path, mesh: Mesh) -> bool:
    """True for a line so far below the chin that it may be one of a hand's."""
    frame = Frame.of(mesh)
    return float(np.median(_on_head(path, frame)[1])) > frame.chin + HANDS_FROM


def _on_head(path: Path, frame: Frame) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Across and down of places, in heights of the face."""
    xs, ys = (path[:, 0] - frame.x) / frame.height_px, (path[:, 1] - frame.y) / frame.height_px
    return (np.asarray(xs * frame.right_x + ys * frame.right_y, dtype=np.float64),
            np.asarray(ys * frame.right_x - xs * frame.right_y, dtype=np.float64))  # fmt: skip


def _rise_deg(across: NDArray[np.float64], down: NDArray[np.float64]) -> float:
    return math.degrees(math.atan2(abs(down[-1] - down[0]), abs(across[-1] - across[0])))


def _runs_along(path: Path, line: Path, reach_px: float) -> bool:
    """True if a path lies near a line and points the same way."""
    away, nearest = _to_line(path, line)
    if float(np.median(away)) > reach_px:
        return False
    way, piece = path[-1] - path[0], np.diff(line, axis=0)[int(np.median(nearest))]
    cosine = abs(float(way @ piece)) / max(float(np.hypot(*way) * np.hypot(*piece)), 1e-6)
    return cosine > math.cos(math.radians(MOST_TURN_DEG))


def _to_line(path: Path, line: Path) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """How far each point is from a line of pieces, and from which piece."""
    start, step = line[:-1], np.diff(line, axis=0)
    off = path[:, None] - start[None]
    share = np.clip((off * step).sum(-1) / np.maximum((step**2).sum(-1), 1e-9), 0, 1)
    away = np.hypot(*np.moveaxis(off - share[..., None] * step, -1, 0))
    return away.min(1), away.argmin(1)


def _is_of_lid(path: Path, points: Path, side: int) -> bool:
    """Between the upper lid's rim and the brow."""
    upper = [EYES[side][0], *reversed(EYES[side][9:]), EYES[side][8]]
    if side == LEFT:
        upper = [EYES[side][8], *EYES[side][9:], EYES[side][0]]
    lower_brow = BROWS[side][5:]  # from the nose outwards
    ring = points[[*upper, *lower_brow]]
    return _mostly_inside(path, ring)


def _is_of_corner(path: Path, corner: Path, height: float) -> bool:
    """At the corner of the mouth: begins there and stays near."""
    away = np.hypot(*(path - corner).T)
    ends = min(float(away[0]), float(away[-1]))
    return ends < CORNER_END * height and float(away.max()) < CORNER_REACH * height


def _mostly_inside(path: Path, ring: Path) -> bool:
    """True if more than half of the points lie inside a polygon (even-odd rule)."""
    ends = np.roll(ring, -1, axis=0)
    xs, ys = path[:, 0, None], path[:, 1, None]
    crosses = (ring[:, 1] > ys) != (ends[:, 1] > ys)
    run = np.where(ends[:, 1] == ring[:, 1], 1e-9, ends[:, 1] - ring[:, 1])
    at = ring[:, 0] + (ys - ring[:, 1]) / run * (ends[:, 0] - ring[:, 0])
    inside = (crosses & (xs < at)).sum(1) % 2 == 1
    return float(inside.mean()) > 0.5
