"""From places of a layer, or of the photo, to the view and back: through what is reshaped above it.

Findings, face handles and areas lie on the photo; sources and radial lights on the layer in work.
All are drawn where they are seen.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from lather.core.rect import Rect
from lather.core.shape.field import Points
from lather.document.layers.reshape import Reshapes
from lather.document.state import JobState
from lather.render.geometry import ViewGeometry
from lather.render.reshaping import above, all_of, seen_at, to_layer

Place = tuple[float, float]


class Sight:
    """The places under some reshapes, as they are seen; what was asked for once is kept."""

    def __init__(self, reshapes: Reshapes, picture: Rect) -> None:
        self.reshapes = reshapes
        self._picture = picture
        self._kept: dict[Place, Place] = {}

    def seen(self, x: float, y: float) -> Place:
        """Where a place is seen, px of the picture."""
        if not self.reshapes:
            return x, y
        if (x, y) not in self._kept:
            self.learn([(x, y)])
        return self._kept[x, y]

    def seen_points(self, points: Points) -> Points:
        """(N, 2): the same for many places, none of which are kept."""
        return seen_at(self.reshapes, points, self._picture) if self.reshapes else points

    def under(self, x: float, y: float) -> Place:
        """What lies where (x, y) of the picture is seen."""
        if not self.reshapes:
            return x, y
        px, py = to_layer(self.reshapes, np.array([[x, y]]), self._picture)[0]
        return float(px), float(py)

    def learn(self, places: Iterable[Place]) -> None:
        """Find many places at once: each by itself takes as long."""
        new = [place for place in places if place not in self._kept]
        if self.reshapes and new:
            seen = seen_at(self.reshapes, np.array(new, dtype=np.float64), self._picture)
            self._kept.update(zip(new, map(tuple, seen.tolist()), strict=True))

    def to_view(self, geometry: ViewGeometry, x: float, y: float) -> Place:
        """A place in device pixels of the view."""
        return geometry.to_view(*self.seen(x, y))

    def to_photo(self, geometry: ViewGeometry, view_x: float, view_y: float) -> Place:
        """The place that is seen at device pixels of the view."""
        return self.under(*geometry.to_photo(view_x, view_y))


class Sights:
    """The sights of one state; made anew when its layers change."""

    def __init__(self) -> None:
        self._forget()

    def _forget(self) -> None:
        self._of: tuple[object, int] | None = None
        self._photo = self._layer = Sight((), Rect(0, 0, 0, 0))

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
        if self._of is not None and self._of[0] is state.layers and self._of[1] == state.active_id:
            return
        self._of = state.layers, state.active_id
        picture = state.photo.rect
        self._photo = Sight(all_of(state), picture)
        self._layer = Sight(above(state, state.active_id), picture)
        if self._photo.reshapes:
            self._photo.learn((finding.x, finding.y) for finding in state.findings.items)
            self._photo.learn(p for finding in state.findings.items for p in finding.path_px)
            self._photo.learn(p for face in state.findings.faces for p in face.handles.values())
