"""Where source tools take from: a picked place, and how it goes with the brush."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from lather.core.mend.placement import Placement, Turn

Point = tuple[float, float]


class SourceGoes(Enum):
    """How the source goes with the brush."""

    FOLLOWING = "following"  # keeps the distance that the first stroke set
    FIXED = "fixed"  # every stroke begins at the picked place again
    FRESH = "fresh"  # every stroke looks for the best place near by


class Reads(Enum):
    """Which layers a source shows."""

    PHOTO = "photo"
    LAYER = "layer"
    BELOW = "below"
    ALL = "all"


@dataclass(frozen=True)
class PickedSource:
    """The picked place, in photo pixels.

    `about` is where the first stroke of a following source began, None before it: what lies
    there is taken from the picked place, and all else keeps its distance from that pair.
    """

    x: float
    y: float
    about: Point | None = None

    def placement(self, x: float, y: float, goes: SourceGoes, turn: Turn) -> Placement:
        """The source of a stroke that begins at (x, y)."""
        if goes is SourceGoes.FOLLOWING and self.about is not None:
            x, y = self.about
        # Whole pixels: copies stay exact.
        return Placement(round(self.x - x), round(self.y - y), turn, (x, y))
