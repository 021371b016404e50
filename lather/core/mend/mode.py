"""What a mend may change; apart from the mending itself so that start-up stays light."""

from __future__ import annotations

from enum import Enum


class MendMode(Enum):
    """Which differences a mend may change."""

    ALL = "all"
    LIFT_DARKS = "darks"
    TAME_BRIGHTS = "brights"
