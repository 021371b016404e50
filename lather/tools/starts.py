"""The size that a reshape tool begins with: in proportion to this person's face."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from lather.core.last import Last
from lather.core.shape.field import Points, step_for
from lather.document.people import person_at, px_per_mm_of
from lather.document.scale import FACE_WIDTH_MM, px_per_mm
from lather.document.state import JobState
from lather.tools.table import tool

if TYPE_CHECKING:
    from lather.core.shape.features import Feature

# Of the face's width: a jaw or a cheek goes under a brush of a third, what is drawn together or
# held is smaller.
SHARES = {"push": 0.32}
OTHERS = 0.16
ADVISED = {"push": (0.22, 0.45)}
OTHERS_ADVISED = (0.06, 0.25)
OF_FEATURE = (0.8, 1.3)  # of what moves with a feature: the brush's diameter
SMALLEST_STEPS = 12  # of the grid: the smallest brush that is right to a tenth of a pixel


def face_width_px(state: JobState, person: int = 0) -> float:
    """As surveyed; estimated from the picture's size before."""
    if person < len(state.findings.faces):
        from lather.assist.shape.face_features import mesh_of
        from lather.core.shape.head import face_width_px as measured

        mesh = mesh_of(state, person)
        assert mesh is not None
        return measured(mesh)
    return FACE_WIDTH_MM * px_per_mm(state)


def starting_size_px(tool_id: str, state: JobState) -> float:
    """The brush's diameter when it is first taken; that of the table where no brush is used."""
    if not tool(tool_id).is_brush:
        return tool(tool_id).brush.size_px
    share = SHARES.get(tool_id, OTHERS)
    return float(round(max(share * face_width_px(state), smallest_size_px(state))))


def smallest_size_px(state: JobState) -> float:
    return float(SMALLEST_STEPS * step_for(state.photo.rect))


def advised_size_px(
    tool_id: str, state: JobState, feature: Feature | None = None
) -> tuple[int, int]:
    """The brush's diameter for the feature that it is over, or for the face."""
    if feature is not None:
        (low, high), whole = OF_FEATURE, 2 * feature.radius_mm * px_per_mm(state)
    else:
        (low, high), whole = ADVISED.get(tool_id, OTHERS_ADVISED), face_width_px(state)
    least = smallest_size_px(state)
    return round(max(low * whole, least)), round(max(high * whole, least))


_Strands = tuple[tuple["Feature", Points], ...]
_strands: Last[_Strands] = Last()  # numbers of people are small: told apart by identity, too


def feature_at(state: JobState, x: float, y: float) -> Feature | None:
    """The feature of the nearest face of which the points lie nearest, in what moves with it."""
    person = person_at(state.findings, x, y)
    per_mm = px_per_mm_of(state.findings, person, state.photo)
    about = (state.findings, person)
    near = [
        (float(np.hypot(*(points - (x, y)).T).min()) / (per_mm * feature.radius_mm), feature)
        for feature, points in _strands.of(about, lambda: _strands_of(state, person))
    ]
    away, feature = min(near, key=lambda one: one[0], default=(np.inf, None))
    return feature if away < 1 else None


def _strands_of(state: JobState, person: int) -> _Strands:
    from lather.assist.shape.face_features import mesh_of
    from lather.core.shape.features import FEATURES, placed

    mesh = mesh_of(state, person)
    if mesh is None:
        return ()
    return tuple((one, strand.points) for one in FEATURES for strand in placed(one, mesh))
