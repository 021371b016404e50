"""A picture from top to bottom, every row of what lies below a wide layer computed once.

Of a piece by itself the surroundings that wide layers look at add up: each layer more makes the
piece larger that the lowest one needs. Going down in strips as wide as the picture, what was
computed for the strip before is most of what the next one needs.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from lather.core.arrays import FloatImage
from lather.core.rect import Rect
from lather.document.layers.layer import Layers
from lather.document.state import JobState
from lather.render.ground import photo_ground
from lather.render.layers.scene import Scene, transparent
from lather.render.stack import paint


@dataclass
class _Rows:
    """Rows of some layers' picture that the strip before needed; they go with the next one's."""

    rect: Rect
    pixels: FloatImage


@dataclass
class _Below:
    """What lies below the wide layers of one state, as it is asked for from top to bottom."""

    kept: dict[tuple[int, ...], _Rows] = field(default_factory=dict)

    def __call__(self, scene: Scene, layers: Layers, rect: Rect) -> FloatImage:
        ids = tuple(layer.id for layer in layers)
        had = self.kept.get(ids)
        out = self._went_on(had, scene, layers, rect) if had is not None else None
        if out is None:
            out = paint(layers, scene, transparent, rect)
        self.kept[ids] = _Rows(rect, out)
        return out.copy()

    def _went_on(
        self, had: _Rows, scene: Scene, layers: Layers, rect: Rect
    ) -> FloatImage | None:
        """The same rows and those below them; None where they are not all known."""
        known = had.rect.intersect(rect)
        if known.empty or (known.x0, known.x1, known.y0) != (rect.x0, rect.x1, rect.y0):
            return None
        out = np.empty((rect.height, rect.width, 4), dtype=np.float32)
        out[: known.height] = had.pixels[known.shifted(-had.rect.x0, -had.rect.y0).slices]
        rest = Rect(rect.x0, known.y1, rect.x1, rect.y1)
        if not rest.empty:
            out[known.height :] = paint(layers, scene, transparent, rest)
        return out


def strips(state: JobState, height_px: int) -> Iterator[tuple[Rect, FloatImage]]:
    """The picture of a state at full size, in strips of so many rows, from top to bottom."""
    below, whole = _Below(), state.photo.rect
    scene = Scene(photo_ground(state), 0, paint, below, below)
    for top in range(0, whole.height, height_px):
        strip = Rect(0, top, whole.width, min(top + height_px, whole.height))
        yield strip, paint(state.layers, scene, transparent, strip)
