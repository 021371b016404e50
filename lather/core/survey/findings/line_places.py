"""What a line is by where it lies on the face: nose, ears, brows and jaw have their own."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from lather.core.survey.faces.geometry import FaceGeometry
from lather.core.survey.faces.mesh_fit import Mesh
from lather.core.survey.findings.finding import Kind
from lather.core.survey.findings.folds import is_natural, is_of_body, is_outline
from lather.core.survey.findings.lines import Line
from lather.core.survey.findings.spot import Spot

# All in pupil distances, from between the pupils.
NOSTRILS, EAR = (0.38, 0.3), 0.02
FOREHEAD, BETWEEN_BROWS, BROWS_HIGH = -0.3, 0.36, 0.25
NECK, MOST_RISE_DEG = 2.1, 40.0
CHIN_DOWN = 1.7
JAW = (-0.25, 0.25, 1.0)
BROWS, BROW_HAIR = (1.05, -0.6, 0.05), 0.25


def on_open_skin(
    lines: list[Line], spots: Sequence[Spot], face: FaceGeometry | None,
    mesh: Mesh | None = None,
) -> list[Line]:
    """Lines that are no part of a nostril, an ear, or the rim of a spot; scars told apart, and
    natural folds by the mesh."""
    kept = []
    for line in lines:
        x, y = line.path[len(line.path) // 2]
        on_spot = any(
            math.dist((x, y), (spot.x, spot.y)) < 3 * math.sqrt(spot.area_px / math.pi)
            and len(line.path) < 5 * math.sqrt(spot.area_px)
            for spot in spots
        )
        if on_spot or (face is not None and _on_feature(face, float(x), float(y))):
            continue
        if line.kind is Kind.SKIN_HAIR and face is not None and _is_of_brow(face, line):
            continue
        if line.kind is Kind.SCAR and not (face is not None and _runs_across_the_skin(face, line)):
            continue  # a streak of shine
        if mesh is not None and is_outline(line.path, mesh):
            continue
        if mesh is not None and line.kind in (Kind.CREASE, Kind.SKIN_HAIR):
            broad = line.kind is Kind.CREASE
            if (broad or _is_fold_of_face(line, face)) and is_natural(line.path, mesh):
                kept.append(replace(line, kind=Kind.FOLD))
                continue
        if line.kind is Kind.CREASE and face is not None:
            if _is_jaw(face, line):
                continue
            if _runs_across_the_skin(face, line):
                line = replace(line, kind=Kind.SCAR)
        kept.append(_of_body(line) if mesh is None or is_of_body(line.path, mesh) else line)
    return kept


def _of_body(line: Line) -> Line:
    """Away from a face a crease may be a hand's or a knee's, and what is thin a part of one."""
    if line.kind is Kind.CREASE:
        return replace(line, kind=Kind.FOLD)
    return replace(line, doubtful=line.kind in (Kind.SKIN_HAIR, Kind.VEIN))


def _is_fold_of_face(line: Line, face: FaceGeometry | None) -> bool:
    """What is as thin as a hair may still be a fold: beside the mouth and over the eyes."""
    if face is None:
        return False
    down = np.array([face.place_of(float(x), float(y))[1] for x, y in line.path[::8]])
    return bool(np.median(down) < CHIN_DOWN)


def _on_feature(face: FaceGeometry, x: float, y: float) -> bool:
    """Nostrils and ears: their folds are the person's."""
    nose_x, nose_y = face.place_of(*face.handles["nose_tip"])
    across, down = face.place_of(x, y)
    nostrils = abs(across - nose_x) < NOSTRILS[0] and -0.1 < down - nose_y < NOSTRILS[1]
    right, left = (
        face.place_of(*face.handles[name])[0] for name in ("temple_right", "temple_left")
    )
    beside = (across < right + EAR or across > left - EAR) and -0.4 < down < 1.2
    return nostrils or beside


def _is_jaw(face: FaceGeometry, line: Line) -> bool:
    """The shade under the chin is the face's own outline; creases of the neck lie lower."""
    chin = face.place_of(*face.handles["chin"])[1]
    places = np.array([face.place_of(float(x), float(y)) for x, y in line.path[::8]])
    below = np.median(places[:, 1]) - chin
    return bool(JAW[0] < below < JAW[1] and np.abs(np.median(places[:, 0])) < JAW[2])


def _runs_across_the_skin(face: FaceGeometry, line: Line) -> bool:
    """True for a line on forehead or neck that crosses the way creases run there: a scar.

    Creases follow the lines of relaxed tension, which lie level on both. Source: Borges 1984,
    "Relaxed skin tension lines versus other skin lines".
    """
    start, end = (face.place_of(float(x), float(y)) for x, y in (line.path[0], line.path[-1]))
    across, down = (start[0] + end[0]) / 2, (start[1] + end[1]) / 2
    rise = math.degrees(math.atan2(abs(end[1] - start[1]), abs(end[0] - start[0])))
    between_brows = abs(across) < BETWEEN_BROWS and down > FOREHEAD - BROWS_HIGH
    level_here = (down < FOREHEAD and not between_brows) or down > NECK
    return level_here and rise > MOST_RISE_DEG


def _is_of_brow(face: FaceGeometry, line: Line) -> bool:
    """A short hair over the eye belongs to the brow."""
    step = line.path[-1] - line.path[0]
    across, down = face.place_of(*(float(v) for v in line.path[len(line.path) // 2]))
    short = float(np.hypot(*step)) < BROW_HAIR * face.pupil_distance_px
    return short and abs(across) < BROWS[0] and BROWS[1] < down < BROWS[2]
