"""What a mend may change; apart from the mending itself so that start-up stays light."""

from __future__ import annotations

from enum import Enum

import numpy as np

from lather.core.arrays import Plane

MODE_RAMP = 0.012  # luma difference over which 'lift darks' and 'tame brights' fade in


class MendMode(Enum):
    """Which differences a mend may change."""

    ALL = "all"
    LIFT_DARKS = "darks"
    TAME_BRIGHTS = "brights"


def mode_weight(rise: Plane, mode: MendMode) -> Plane:
    """1 where the mode lets a change of light by `rise` through, 0 where not, soft between."""
    if mode is MendMode.ALL:
        return np.ones_like(rise)
    signed = rise if mode is MendMode.LIFT_DARKS else -rise
    weight: Plane = np.clip(signed / np.float32(MODE_RAMP), 0.0, 1.0)
    return weight
