"""Places of a state: what they lie on."""

from __future__ import annotations

import itertools
from collections.abc import Iterable

from lather.core.bounds import FARTHEST_PX, MOST_PLACES
from lather.core.last import Last
from lather.core.survey.faces.anchors import FaceGrid
from lather.document.operations.place import Place
from lather.document.state import JobState


def place_of(state: JobState, x: float, y: float) -> Place:
    """A place of the photo, relative to the face whose outline is nearest."""
    x, y = (round(min(max(value, -FARTHEST_PX), FARTHEST_PX), 1) for value in (x, y))
    grids = _grids_of(state)
    if not grids:
        photo = state.photo
        return Place(x, y, share=(round(x / photo.width, 5), round(y / photo.height, 5)))
    nearest = grids[0] if len(grids) == 1 else max(grids, key=lambda g: g.inside_px(x, y))
    return Place(x, y, nearest.place(x, y, state.findings.mm_per_px))


def places_of(state: JobState, points: Iterable[tuple[float, float]]) -> tuple[Place, ...]:
    """Places of the photo, each once; the first so many."""
    few = itertools.islice(dict.fromkeys(points), MOST_PLACES)
    return tuple(place_of(state, x, y) for x, y in few)


_grids: Last[list[FaceGrid]] = Last()


def _grids_of(state: JobState) -> list[FaceGrid]:
    faces = state.findings.faces
    return _grids.of((faces,), lambda: [FaceGrid(face, n) for n, face in enumerate(faces)])
