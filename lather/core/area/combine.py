"""How a new outline goes together with the area that is there."""

from __future__ import annotations

from enum import Enum

import numpy as np

from lather.core.arrays import Plane


class Combine(Enum):
    """What a new outline does to the area."""

    NEW = "new"
    ADD = "add"
    TAKE = "take"
    OVERLAP = "overlap"


def combined(area: Plane, outline: Plane, how: Combine) -> Plane:
    """Two coverages 0-1 of the same shape as one; soft where either is."""
    if how is Combine.NEW:
        return outline
    if how is Combine.ADD:
        return np.maximum(area, outline)
    other = outline if how is Combine.OVERLAP else 1 - outline
    return np.minimum(area, other)
