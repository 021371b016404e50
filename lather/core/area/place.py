"""A selection on the picture."""

from __future__ import annotations

from dataclasses import dataclass

from lather.core.arrays import Plane
from lather.core.rect import Rect


@dataclass(frozen=True)
class Place:
    """A selection on the picture: `coverage` (h, w) 0-1 lies in `rect`."""

    rect: Rect
    coverage: Plane
