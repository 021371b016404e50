"""How the picture is looked at."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from lather.render.view import Shown


class Peek(Enum):
    """What shows inside of the ring around the pen."""

    NONE = "nothing"
    BEFORE = "the original"
    DELIVERY = "the picture at delivery size"


@dataclass(frozen=True)
class Looks:
    """How the picture is looked at. Nothing here changes it."""

    before: bool = False
    before_held: bool = False
    split: bool = False
    split_at: float = 0.5  # share of the view's width
    compared: bool = False  # split while a strength is dragged
    compared_at: float = 0.5
    mask_alone: bool = False
    regions: bool = False  # the region lens: one part of the portrait, all else dimmed
    handles: bool = False  # face handles are shown and can be dragged
    all_findings: bool = False  # every finding's mark in full, while a key is down
    peek: Peek = Peek.NONE
    measuring: bool = False  # the next drag is along a known length

    @property
    def splits(self) -> bool:
        return self.split or self.compared

    @property
    def line_at(self) -> float:
        """Where the line between before and after lies, share of the view's width."""
        return self.compared_at if self.compared else self.split_at

    @property
    def shown(self) -> Shown:
        if self.before or self.before_held:
            return Shown.BEFORE
        if self.mask_alone:
            return Shown.MASK
        return Shown.REGION if self.regions else Shown.AFTER
