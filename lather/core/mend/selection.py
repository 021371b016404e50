"""What a mend is asked for: a coverage somewhere in the picture, cut down to what it selects."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lather.core.arrays import Plane
from lather.core.mend.search import SUPPORT
from lather.core.rect import Rect, paste


@dataclass(frozen=True)
class Selection:
    """A coverage (h, w) 0-1 that lies in `rect` of the picture, with nothing around it."""

    rect: Rect
    coverage: Plane

    @staticmethod
    def of(place: Rect, coverage: Plane) -> Selection | None:
        """The selected part of a coverage that lies in `place`; None if nothing is selected."""
        ys, xs = np.nonzero(coverage > SUPPORT)
        if len(ys) == 0:
            return None
        tight = Rect(int(xs.min()), int(ys.min()), int(xs.max()) + 1, int(ys.max()) + 1)
        return Selection(tight.shifted(place.x0, place.y0), coverage[tight.slices])

    @property
    def inside(self) -> NDArray[np.bool_]:
        """(h, w), what is selected at all."""
        return self.coverage > SUPPORT

    @property
    def area_px(self) -> int:
        return int(np.count_nonzero(self.inside))

    def within(self, rect: Rect) -> Plane:
        """The coverage in a plane of `rect`, zero elsewhere."""
        out = np.zeros((rect.height, rect.width), dtype=np.float32)
        paste(out, rect, self.coverage, self.rect)
        return out
