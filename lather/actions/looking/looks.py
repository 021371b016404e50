"""How the picture is looked at."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from lather.core.rect import Rect
from lather.core.survey.regions.region import Part, Region
from lather.render.lenses.lens import LIGHTNESS, LensLook
from lather.render.screen.geometry import ViewGeometry
from lather.render.screen.request import Shown
from lather.tools.session import Viewport


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
    lens: str = ""  # one of the table, or none
    lens_before: str = ""  # what it goes back to when its key was held
    lens_since_s: float = 0.0
    red_percent: float = 40.0  # of the lens in black and white
    deviation_of: str = LIGHTNESS  # of the blotch lens
    limits: bool = False  # those of the active layer are open to be set
    card: bool = False  # of the active layer, before the brush
    handles: bool = False  # face handles are shown and can be dragged
    all_findings: bool = False  # every finding's mark in full, while a key is down
    peek: Peek = Peek.NONE
    person: int = 0  # whose face map, scores and features are shown, of several
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
        return Shown.LENS if self.lens else Shown.AFTER

    def hides_paint_at(self, share: float) -> str:
        """Why paint would not be seen at a share of the view's width, a sentence; '' if it is."""
        if self.shown is Shown.BEFORE:
            return "The original is shown: switch Before off to paint ({key:view.before})."
        if self.splits and share < self.line_at:
            return ("This half shows the original: paint on the other one, or switch Split off "
                    "({key:view.split}).")  # fmt: skip
        return ""

    def viewport(
        self, geometry: ViewGeometry, region: Region | Part, surround: float
    ) -> Viewport:
        """What a stroke has to draw: nothing where the original or a mask is looked at."""
        if self.shown not in (Shown.AFTER, Shown.LENS):
            return Viewport(geometry.level, Rect(0, 0, 0, 0), surround)
        look = self.through(region) if self.shown is Shown.LENS else None
        return Viewport(geometry.level, geometry.visible, surround, look)

    def through(self, region: Region | Part) -> LensLook:
        """What is looked through; the region is that in the hand."""
        return LensLook(self.lens or "regions", self.red_percent, self.deviation_of, region)
