"""From places of a layer, or of the photo, to the view and back: through what is reshaped above it.

Findings, face handles and areas lie on the photo; sources and radial lights on the layer in work.
All are drawn where they are seen.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from lather.core.rect import Rect
from lather.core.shape.field import Points
from lather.document.findings import Findings
from lather.document.layers.moving import Moving
from lather.document.state import JobState
from lather.render.screen.geometry import ViewGeometry
from lather.render.space import Space, layer_space, photo_space

Place = tuple[float, float]


class Sight:
    """The places of a space, as they are seen; what was asked for once is kept."""

    def __init__(self, space: Space) -> None:
        self.space = space
        self._kept: dict[Place, Place] = {}

    @property
    def moved_by(self) -> Moving:
        """What lies between the places and the eye."""
        return self.space.above

    def seen(self, x: float, y: float) -> Place:
        """Where a place is seen, px of the picture."""
        if not self.moved_by:
            return x, y
        if (x, y) not in self._kept:
            self.learn([(x, y)])
        return self._kept[x, y]

    def seen_points(self, points: Points) -> Points:
        """(N, 2): the same for many places, none of which are kept."""
        return self.space.to_seen(points)

    def under(self, x: float, y: float) -> Place:
        """What lies where (x, y) of the picture is seen."""
        if not self.moved_by:
            return x, y
        px, py = self.space.from_seen(np.array([[x, y]], dtype=np.float64))[0]
        return float(px), float(py)

    def learn(self, places: Iterable[Place]) -> None:
        """Find many places at once: each by itself takes as long."""
        new = [place for place in places if place not in self._kept]
        if self.moved_by and new:
            seen = self.space.to_seen(np.array(new, dtype=np.float64))
            self._kept.update(zip(new, map(tuple, seen.tolist()), strict=True))

    def to_view(self, geometry: ViewGeometry, x: float, y: float) -> Place:
        """A place in device pixels of the view."""
        return geometry.to_view(*self.seen(x, y))

    def to_photo(self, geometry: ViewGeometry, view_x: float, view_y: float) -> Place:
        """The place that is seen at device pixels of the view."""
        return self.under(*geometry.to_photo(view_x, view_y))


class Sights:
    """The sights of one state; one is made anew when what moves its places changes."""

    def __init__(self) -> None:
        self._forget()

    def _forget(self) -> None:
        self._photo = self._layer = Sight(Space(Rect(0, 0, 0, 0)))
        self._looked_at: tuple[object, int] | None = None
        self._learnt: Findings | None = None

    def photo(self, state: JobState | None) -> Sight:
        """Of what lies on the photo."""
        self._become(state)
        return self._photo

    def layer(self, state: JobState | None) -> Sight:
        """Of what lies on the active layer."""
        self._become(state)
        return self._layer

    def _become(self, state: JobState | None) -> None:
        if state is None:
            self._forget()
            return
        looked_at = state.layers, state.active_id
        if self._looked_at != looked_at:
            self._looked_at = looked_at
            before = self._photo
            self._photo = _still(before, photo_space(state))
            self._layer = _still(self._layer, layer_space(state, state.active_id))
            if self._photo is not before:
                self._learnt = None
        if self._learnt is not state.findings:
            self._learnt = state.findings
            self._photo.learn(_places_of(state.findings))


def _still(sight: Sight, space: Space) -> Sight:
    """A sight that has learnt what it knows through the same layers stays."""
    was = sight.space
    return sight if (was.picture, was.above) == (space.picture, space.above) else Sight(space)


def _places_of(findings: Findings) -> Iterable[Place]:
    """What is drawn of all findings and faces; paths are of those alone that are looked at."""
    for finding in findings.items:
        yield finding.x, finding.y
    for face in findings.faces:
        yield from face.handles.values()
