"""What a mend gives."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from lather.core.arrays import FloatImage, Plane
from lather.core.mend.placement import Placement
from lather.core.rect import Rect

Avoid = Callable[[Rect], Plane]  # rectangle at full resolution -> (h, w) 0-1


@dataclass(frozen=True)
class Mended:
    """Pixels to lay over `rect` of the picture."""

    rect: Rect
    colour: FloatImage  # (h, w, 3)
    coverage: Plane  # (h, w) 0-1
    source: Placement
