"""The features of this face that can be reshaped: where they are seen, and how far they went."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lather.core.rect import Rect
from lather.core.shape.features import BODY, FEATURES, Feature, Placed, placed
from lather.core.shape.field import Points
from lather.core.shape.head import Matrix, Mesh, face_plane, face_width_px
from lather.core.survey.faces.mesh_fit import fitted_points
from lather.core.survey.regions.region import Region
from lather.document.people import px_per_mm_of
from lather.document.state import JobState
from lather.render.ground import photo_ground
from lather.render.regions import region_coverage
from lather.render.space import above_layer, seen_space

_LEVEL = 2  # of the picture that necks and shoulders are looked for on
# In widths of the face, from the chin: where a neck is looked for, and shoulders beside the head.
NECK_HEIGHTS, NECK_REACH = (0.04, 0.08, 0.12), 0.9
SHOULDERS_AWAY, SHOULDERS_FROM, SHOULDERS_DOWN = (0.75, 0.95, 1.15), -0.6, 2.2


@dataclass(frozen=True, eq=False)
class FeatureNow:
    """A feature as it is seen.

    Attributes
    ----------
    strands : where they are now, below the layers above `layer_id`.
    moved_mm : how far it went from where the photo has it.
    most_mm : how far the brief lets it go.
    """

    feature: Feature
    strands: tuple[Placed, ...]
    plane: Matrix
    moved_mm: float
    most_mm: float
    radius_px: float


def mesh_of(state: JobState, person: int) -> Mesh | None:
    """The mesh of a person's face; None before the portrait is surveyed."""
    faces = state.findings.faces
    return fitted_points(faces[person]) if person < len(faces) else None


def most_mm(state: JobState, person: int) -> float:
    """How far the brief's style lets anything of a person go."""
    mesh = mesh_of(state, person)
    if mesh is None:
        return 0.0
    per_mm = px_per_mm_of(state.findings, person, state.photo)
    return state.brief.limits.displacement * face_width_px(mesh) / per_mm


def feature_now(
    state: JobState, feature: Feature, person: int, layer_id: int | None = None
) -> FeatureNow | None:
    """A feature of a person's face; None where it is not found.

    Places are those on the picture, or with `layer_id` those on that reshape layer.
    """
    mesh = mesh_of(state, person)
    if mesh is None:
        return None
    strands = _body(state, feature, mesh) if feature.id in BODY else placed(feature, mesh)
    if not strands:
        return None
    space = seen_space(state) if layer_id is None else above_layer(state, layer_id)
    plane, per_mm = face_plane(mesh), px_per_mm_of(state.findings, person, state.photo)
    gone, now = [], []
    for strand in strands:
        seen = space.from_photo(strand.points)
        way = strand.way / max(float(np.linalg.norm(strand.way)), 1e-9)
        gone.append(float(((seen - strand.points) @ way).mean() / np.linalg.norm(strand.way)))
        now.append(replace(strand, points=seen))
    strongest = max(float(np.linalg.norm(strand.way)) for strand in strands)
    share = [float(np.linalg.norm(strand.way)) / strongest for strand in strands]
    moved_px = float(np.average(gone, weights=share))
    return FeatureNow(feature, tuple(now), plane, moved_px / per_mm, most_mm(state, person),
                      feature.radius_mm * per_mm)  # fmt: skip


def features_now(state: JobState, person: int) -> tuple[FeatureNow, ...]:
    """All features of a person that are found."""
    found = (feature_now(state, feature, person) for feature in FEATURES)
    return tuple(one for one in found if one is not None)


def _body(state: JobState, feature: Feature, mesh: Mesh) -> tuple[Placed, ...]:
    """Neck and shoulders, by the outline of the person below the face."""
    if Region.BACKGROUND not in state.regions.masks:
        return ()
    plane = face_plane(mesh)
    chin, width = mesh[152, :2].astype(np.float64), face_width_px(mesh)
    down = plane[1] / max(float(np.linalg.norm(plane[1])), 1e-9)
    if feature.id == "shoulders":
        return _shoulders(state, chin, width)
    strands = []
    for side in (-1, 1):
        points = [_edge(state, chin + height * width * down, side, NECK_REACH * width, Region.SKIN)
                  for height in NECK_HEIGHTS]  # fmt: skip
        found = [p for p in points if p is not None]
        if len(found) < 2:
            return ()
        strands.append(Placed(np.array(found), np.array([side * 1.0, 0.0]) @ plane, side))
    return tuple(strands)


def _edge(
    state: JobState, start: Points, side: int, reach_px: float, region: Region
) -> Points | None:
    """Where a region that holds a place ends, to one side; None if not before `reach_px`."""
    line = _line_of(state, start, (side * reach_px, 0.0), region)
    inside = np.flatnonzero(line < 0.5)
    if line.size == 0 or line[0] < 0.5 or not inside.size:
        return None
    out: Points = start + np.array([side * reach_px * inside[0] / len(line), 0.0])
    return out


def _shoulders(state: JobState, chin: Points, width: float) -> tuple[Placed, ...]:
    """Where the person begins, looked at from above, beside the head."""
    strands = []
    for side in (-1, 1):
        points = []
        for away in SHOULDERS_AWAY:
            top = chin + np.array([side * away * width, SHOULDERS_FROM * width])
            line = _line_of(state, top, (0.0, SHOULDERS_DOWN * width), Region.BACKGROUND)
            person = np.flatnonzero(line < 0.5)
            if line.size and line[0] >= 0.5 and person.size:
                down_px = SHOULDERS_DOWN * width * person[0] / len(line)
                points.append(top + np.array([0.0, down_px]))
        if len(points) < 2:
            return ()
        strands.append(Placed(np.array(points), np.array([0.0, -1.0]), side))
    return tuple(strands)


def _line_of(
    state: JobState, start: Points, by: tuple[float, float], region: Region
) -> NDArray[np.float32]:
    """A region's shares along a straight way, as far as the picture goes."""
    n = 200
    points = (start + np.linspace(0, 1, n)[:, None] * np.array(by)) / 2**_LEVEL
    small = state.photo.rect.at_level(_LEVEL)
    inside = [small.contains_point(x, y) for x, y in points]
    if not all(inside):
        return np.zeros(0, dtype=np.float32)
    x, y = points[:, 0].astype(int), points[:, 1].astype(int)
    rect = Rect(int(x.min()), int(y.min()), int(x.max()) + 1, int(y.max()) + 1)
    plane = region_coverage(photo_ground(state), region, rect, _LEVEL)
    return np.asarray(plane[y - rect.y0, x - rect.x0])
