"""Where on the person something was done, in words."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lather.core.last import Last
from lather.core.survey.faces import mesh_points as points
from lather.core.survey.faces.anchors import inside_ring_px
from lather.core.survey.faces.geometry import FaceGeometry
from lather.core.survey.faces.mesh_fit import Mesh, fitted_points
from lather.document.operations.operation import Operation
from lather.document.operations.place import Place
from lather.document.state import JobState

Ring = NDArray[np.float64]  # (N, 2) px
SIDES = ("right", "left")  # the person's own
BESIDE_MM, NEAR_MM = 5.0, 60.0  # beyond a part from which it is said how far; to a landmark
STRAIGHT = 1.5  # times as far down as across: below, and not beside


def where(state: JobState, operation: Operation) -> str:
    """Where an operation was done: 'left cheek, 12 mm below the eye'; '' if it has no place."""
    places = operation.places
    if not places:
        return ""
    if len(operation.strokes) == 1 and not operation.findings:  # where it began, and half-way
        return place_in_words(state, places[min(1, len(places) - 1)])
    told = place_in_words(state, places[0])
    n_more = len(places) - 1
    return f"{told}, and {n_more} more" if n_more else told


def place_in_words(state: JobState, place: Place) -> str:
    """A place on the person, or on the picture where there is no face."""
    faces, mm_per_px = state.findings.faces, state.findings.mm_per_px
    if place.face is None or place.face.face >= len(faces) or mm_per_px is None:
        return _on_picture(state, place)
    face = _faces.of((faces,), lambda: [_Face(one) for one in faces])[place.face.face]
    return face.told(place.x, place.y, mm_per_px)


def _on_picture(state: JobState, place: Place) -> str:
    photo = state.photo
    rows, columns = ("at the top", "", "at the bottom"), ("left", "", "right")
    row = rows[min(max(int(3 * place.y / photo.height), 0), 2)]
    column = columns[min(max(int(3 * place.x / photo.width), 0), 2)]
    words = " ".join(filter(None, (row, column))) or "in the middle"
    if not row and column:
        words = f"on the {column}"
    return f"{words} of the picture"


class _Face:
    """A face's parts as rings, and which way is down on it."""

    def __init__(self, face: FaceGeometry) -> None:
        mesh: Mesh = fitted_points(face)
        flat = mesh[:, :2].astype(np.float64)
        self._parts = {name: flat[list(ring)] for name, ring in _part_rings().items()}
        self._boxes = {name: (*ring.min(0), *ring.max(0)) for name, ring in self._parts.items()}
        marks = _landmarks()
        self._marks = flat[[number for ring in marks.values() for number in ring]]
        self._mark_names = [name for name, ring in marks.items() for _ in ring]
        self._outline = flat[list(points.OVAL)]
        chin, top = flat[points.CHIN], flat[points.FOREHEAD_TOP]
        self._down = (chin - top) / max(float(np.linalg.norm(chin - top)), 1e-6)
        eyes = [flat[list(ring)].mean(0) for ring in points.EYES]
        self._middle = (eyes[0] + eyes[1]) / 2

    def told(self, x: float, y: float, mm_per_px: float) -> str:
        part = next((name for name in self._parts if self._is_on(name, x, y)), "")
        if not part:
            inside_px = inside_ring_px(self._outline, x, y)
            if inside_px < 0:
                way = self._way(np.array([x, y]) - self._outline.mean(0))
                return f"{max(-inside_px * mm_per_px, 1):.0f} mm {way} the face"
            below_eyes = float((np.array([x, y]) - self._middle) @ self._down) > 0
            part = "face" if below_eyes else "forehead"
        near = self._near(x, y, mm_per_px, part)
        return f"{part}, {near}" if near else part

    def _is_on(self, part: str, x: float, y: float) -> bool:
        x0, y0, x1, y1 = self._boxes[part]
        may_be = x0 <= x <= x1 and y0 <= y <= y1
        return may_be and inside_ring_px(self._parts[part], x, y) >= 0

    def _near(self, x: float, y: float, mm_per_px: float, part: str) -> str:
        """How far from the nearest landmark that is none of the part itself."""
        side = next((one for one in SIDES if part.startswith(one)), "")
        away = np.array([x, y]) - self._marks
        for number in np.argsort((away**2).sum(1)).tolist():
            name = self._mark_names[number]
            noun = name.removeprefix("right ").removeprefix("left ")
            is_sided = noun != name
            if noun in part or (side and is_sided and not name.startswith(side)):
                continue
            mm = float(np.linalg.norm(away[number])) * mm_per_px
            told = noun if side and is_sided else name
            is_near = BESIDE_MM <= mm <= NEAR_MM
            return f"{mm:.0f} mm {self._way(away[number])} the {told}" if is_near else ""
        return ""

    def _way(self, away: NDArray[np.float64]) -> str:
        down = float(away @ self._down)
        across = abs(float(away @ np.array([self._down[1], -self._down[0]])))
        if abs(down) * STRAIGHT < across:
            return "beside"
        return "below" if down > 0 else "above"


_faces: Last[list[_Face]] = Last()


@lru_cache(maxsize=1)
def _part_rings() -> Mapping[str, tuple[int, ...]]:
    """What lies in two of them belongs to the first."""
    found: dict[str, tuple[int, ...]] = {"mouth": points.LIPS_OUTER, "nose": points.NOSE}
    for side, name in enumerate(SIDES):
        found[f"{name} eye"] = points.EYES[side]
        found[f"{name} brow"] = points.BROWS[side]
        found[f"under the {name} eye"] = points.UNDER_EYES[side]
        found[f"{name} cheek"] = points.CHEEKS[side]
    return {**found, "chin": points.CHIN_RING}


@lru_cache(maxsize=1)
def _landmarks() -> Mapping[str, tuple[int, ...]]:
    eyes = {f"{name} eye": points.EYES[side] for side, name in enumerate(SIDES)}
    return {**eyes, "mouth": points.LIPS_OUTER, "nose": points.NOSE}
