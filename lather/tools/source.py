"""Where source tools take from: a picked place, and how it goes with the brush."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

Offset = tuple[int, int]  # source minus target, whole pixels: copies stay exact


class SourceGoes(Enum):
    """How the source goes with the brush."""

    FOLLOWING = "following"  # keeps the distance that the first stroke set
    FIXED = "fixed"  # every stroke begins at the picked place again
    FRESH = "fresh"  # every stroke looks for the best place near by


@dataclass(frozen=True)
class PickedSource:
    """The picked place, in photo pixels.

    `offset` is the distance that a following source keeps, None before its first stroke.
    """

    x: float
    y: float
    offset: Offset | None = None

    def offset_for(self, x: float, y: float, goes: SourceGoes) -> Offset:
        """The offset for a stroke that begins at (x, y)."""
        if goes is SourceGoes.FOLLOWING and self.offset is not None:
            return self.offset
        return round(self.x - x), round(self.y - y)
