"""Features of a face that are reshaped by measure: where they lie, and which way they go.

Each is one or more strands of the mesh with a way in the head's own axes, so that it is drawn
and moved as the head is turned. The skin around follows by a bell over `radius_mm`, measured in the
plane of the face. What none of them does is make another person: how far they go is limited by the
brief.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lather.core.rect import Rect
from lather.core.shape.falloff import bell
from lather.core.shape.field import Nodes, Points, node_places, nodes_under
from lather.core.shape.guard import distances
from lather.core.shape.head import Matrix, Mesh, face_plane
from lather.core.shape.mirror import counterparts


@dataclass(frozen=True)
class Strand:
    """Points of the mesh, on the right or in the middle, and where they go: out and down."""

    points: tuple[int, ...]
    way: tuple[float, float]
    both: bool = True
    grip: bool = True  # it can be taken hold of


@dataclass(frozen=True)
class Feature:
    """What can be reshaped by measure.

    Attributes
    ----------
    more, less : what a positive and a negative amount do.
    """

    id: str
    title: str
    more: str
    less: str
    radius_mm: float
    strands: tuple[Strand, ...] = ()


_OUT, _UP, _DOWN = (1.0, 0.0), (0.0, -1.0), (0.0, 1.0)

FEATURES: tuple[Feature, ...] = (
    Feature("jaw_line", "Jaw line", "wider", "narrower", 30.0,
            (Strand((58, 172, 136, 150), (0.97, 0.24)),)),
    Feature("cheek", "Cheek", "fuller", "slimmer", 28.0, (Strand((234, 93, 132), _OUT),)),
    Feature("chin", "Chin", "longer", "shorter", 26.0,
            (Strand((176, 148, 152), _DOWN, grip=False), Strand((152,), _DOWN, both=False))),
    Feature("nose_width", "Nose width", "wider", "narrower", 11.0, (Strand((129, 64, 98), _OUT),)),
    Feature("eye_opening", "Eye opening", "more open", "less open", 9.0,
            (Strand((160, 159, 158), _UP), Strand((144, 145, 153), (0.0, 0.4)))),
    Feature("lip_fullness", "Lip fullness", "fuller", "thinner", 9.0,
            (Strand((39, 37), _UP, grip=False), Strand((0,), _UP, both=False),
             Strand((181, 84), _DOWN, grip=False), Strand((17,), _DOWN, both=False))),
    Feature("brow_height", "Brow height", "higher", "lower", 14.0,
            (Strand((70, 63, 105, 66, 107), _UP),)),
    Feature("neck", "Neck", "wider", "slimmer", 34.0),
    Feature("shoulders", "Shoulder line", "higher", "lower", 60.0),
)  # fmt: skip
BODY = ("neck", "shoulders")


@dataclass(frozen=True, eq=False)
class Placed:
    """A strand on the picture.

    Attributes
    ----------
    points : (N, 2) px.
    way : (2,): where it goes, px of the picture for one px in the plane of the face.
    side : -1 on the person's right, 1 on the left, 0 in the middle.
    grip : it can be taken hold of.
    """

    points: Points
    way: NDArray[np.float64]
    side: int
    grip: bool = True

    @property
    def handle(self) -> tuple[float, float]:
        """Where it is taken hold of."""
        x, y = self.points[len(self.points) // 2]
        return float(x), float(y)


def placed(feature: Feature, mesh: Mesh) -> tuple[Placed, ...]:
    """The strands of a feature of a face."""
    plane, other = face_plane(mesh), counterparts()
    found = []
    for strand in feature.strands:
        out, down = strand.way
        sides = ((-1, list(strand.points)), (1, [int(other[n]) for n in strand.points]))
        if not strand.both:
            sides = ((0, list(strand.points)),)  # type: ignore[assignment]
        for side, numbers in sides:
            way = np.array([side * out, down]) @ plane
            points = mesh[numbers, :2].astype(np.float64)
            found.append(Placed(points, way, side, strand.grip))
    return tuple(found)


def feature_rect(strands: Sequence[Placed], radius_px: float, picture: Rect) -> Rect:
    """Pixels that a feature can move."""
    rects = [Rect.around(float(x), float(y), radius_px + 2) for s in strands for x, y in s.points]
    return Rect.union_of(rects).intersect(picture)


def feature_shift(
    strands: Sequence[Placed], plane: Matrix, radius_px: float, rect: Rect, step_px: int
) -> tuple[Rect, Nodes]:
    """The nodes of a rectangle, and how far each goes for one px of the feature.

    Where strands that go the same way meet the stronger wins; where they go apart they add up.
    """
    at = nodes_under(rect, step_px)
    places = node_places(at, step_px)
    flat = np.linalg.inv(plane)
    forth, back = np.zeros(places.shape), np.zeros(places.shape)
    for strand in strands:
        away = _distance(places @ flat, strand.points @ flat) / radius_px
        shift = bell(away)[..., None] * (strand.way @ flat)
        forth, back = np.maximum(forth, shift), np.minimum(back, shift)
    return at, np.asarray((forth + back) @ plane, dtype=np.float32)


def _distance(places: NDArray[np.float64], line: Points) -> NDArray[np.float64]:
    """How far places lie from a line through points."""
    pieces = np.hstack([line[:-1], line[1:]]) if len(line) > 1 else np.hstack([line, line])
    out: NDArray[np.float64] = distances(places.reshape(-1, 2), pieces).min(0)
    return out.reshape(places.shape[:2])
