"""What a tool is: how it begins, what it does with dabs, what it leaves behind."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass, field

from lather.core.area.combine import Combine
from lather.core.area.place import Place
from lather.core.arrays import FloatImage
from lather.core.brush.dabs import Dabs
from lather.core.brush.stroke import Brush, PenSample
from lather.core.mend.mode import MendMode
from lather.core.mend.placement import Turn
from lather.core.rect import Rect
from lather.core.shape.guard import NO_LINES, Lines
from lather.core.shape.lines import Bend
from lather.core.survey.regions.region import Part, Region
from lather.document.layers.layer import Stage
from lather.document.operations.operation import Measure
from lather.document.painting.painting import Coverage
from lather.document.state import JobState
from lather.render.screen.request import Shown
from lather.tools.source import PickedSource, Reads, SourceGoes

Colour = tuple[float, float, float]


@dataclass(frozen=True)
class ShapeHand:
    """How all reshape tools work.

    Attributes
    ----------
    speed_mm_s : of the skin, under tools that work while the pen rests.
    mirrored : the other half of the face does the same.
    keeps_straight : straight lines in the background stay straight.
    """

    speed_mm_s: float = 3.0
    mirrored: bool = False
    keeps_straight: bool = True


@dataclass(frozen=True)
class Hand:
    """What is in the hand: a tool, its brush, and what it acts on."""

    tool: str
    brush: Brush = field(default_factory=Brush)
    colour: Colour = (0.86, 0.70, 0.62)
    mode: MendMode = MendMode.ALL
    on_mask: bool = False
    back_to: JobState | None = None  # what Paint back brings back; None: the photo
    source: PickedSource | None = None
    source_goes: SourceGoes = SourceGoes.FOLLOWING
    turn: Turn = field(default_factory=Turn)  # of the source
    reads: Reads = Reads.BELOW
    combine: Combine = Combine.NEW  # what an outline does to the area
    weak: bool = True  # creases and eye bags go on layers of their own
    curve: str = "rgb"  # of a curves layer, that Pick from picture sets a point on
    region: Region | Part = Region.SKIN  # what Correct region corrects, and the lens shows
    shape: ShapeHand = field(default_factory=ShapeHand)
    stage: Stage = Stage.CLEAN  # that is looked at: whose layers are worked on


@dataclass(frozen=True)
class Outcome:
    """A finished stroke: the step's name and the change itself.

    `apply` lays it into the job's state of that moment, which may have gone on since the
    stroke began; it raises `EditError` if there is nothing left to lay it on. `broken` is the
    place of a mend
    whose rim crosses an edge, `broken_share` how much of it does. `lays` says that it lays
    something on the picture, which has to show.
    """

    name: str
    apply: Callable[[JobState], JobState]
    broken: Place | None = None
    broken_share: float = 0.0
    lays: bool = False

    @property
    def measures(self) -> tuple[Measure, ...]:
        """What the stroke was measured by."""
        if self.broken is None:
            return ()
        share = self.broken_share
        return (Measure("rim that crosses an edge", share, share),)


@dataclass(frozen=True)
class ShapeReading:
    """What is told beside the pen as it reshapes.

    Attributes
    ----------
    moved_mm : how far the skin under the pen has gone from where the photo has it.
    face_share : the same as a share of the face's width; None without a face.
    bends : lines near by that are bent.
    lines : all lines near by, (N, 4) px.
    stopped : the skin would fold, and goes no further.
    stretched, squeezed : the most and the least that skin under the brush is stretched to.
    """

    moved_mm: float
    face_share: float | None
    is_beyond: bool = False
    bends: tuple[Bend, ...] = ()
    lines: Lines = field(default_factory=lambda: NO_LINES)
    stopped: bool = False
    stretched: float = 1.0
    squeezed: float = 1.0


class Work(ABC):
    """One stroke in progress.

    `add`, `preview`, `shown`, `hatched`, `covered`, `shows` and `finish` are called on one worker
    thread, one at a time; `outlines` on the interface thread at any moment.
    """

    @abstractmethod
    def add(self, dabs: Dabs) -> Rect:
        """Take dabs in; returns the dirty rectangle, full resolution."""

    @abstractmethod
    def preview(self) -> JobState:
        """The state to show while the stroke goes on."""

    def hatched(self) -> Coverage | None:
        """Coverage to mark on the picture, for tools whose result comes at the end."""
        return None

    def covered(self) -> Coverage | None:
        """What the brush has covered so far; None for tools that are no brushes."""
        return None

    def moves_pixels(self) -> bool:
        """True if what is dragged are pixels of the picture."""
        return False

    def outlines(self) -> bool:
        """True while the pen's own path is what is being drawn."""
        return False

    def reading(self) -> ShapeReading | None:
        """What a reshape comes to so far; None for other tools."""
        return None

    def shown(self, rect: Rect, level: int) -> FloatImage | None:  # noqa: ARG002
        """(h, w, 4) pixels to show of a rectangle of a level, instead of the preview's."""
        return None

    def shows(self) -> Shown:
        """Which way of looking `shown` is for."""
        return Shown.AFTER

    @abstractmethod
    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:
        """The outcome; None if the stroke touched nothing."""


class CoveredWork(Work):
    """A stroke that only collects what the brush covers; what it does comes at the end."""

    def __init__(self, state: JobState) -> None:
        self._state = state
        self._coverage = Coverage(state.photo.rect)

    def add(self, dabs: Dabs) -> Rect:
        return self._coverage.stamp(dabs)

    def preview(self) -> JobState:
        return self._state

    def hatched(self) -> Coverage | None:
        return self._coverage


Begin = Callable[[JobState, Hand], Work]


@dataclass(frozen=True)
class Tool:
    """An entry of the tool table.

    `begin` raises `EditError` where the tool cannot work on the active layer.
    `waits` says that the result comes after the pen is lifted; `is_brush` that size, hardness
    and so on count, `only_size` that nothing but the size does; `uses_combine` that it adds and
    takes; `tests_rim` that a broken rim would smear; `makes_layer` that it makes the layer that
    it needs, whichever is active; `reverse` the tool that does the reverse; `paints` that it lays
    something on the layer; `on_photo` that it works on places of the photo, whichever layer is
    active; `reshapes` that it works on a reshape layer, `by_time` while the pen is down rather than
    as it moves.
    """

    id: str
    title: str
    help: str
    icon: str
    begin: Begin
    brush: Brush
    uses_colour: bool = False
    uses_mode: bool = False
    uses_source: bool = False
    uses_turn: bool = False
    works_on_mask: bool = False
    waits: bool = False
    is_brush: bool = True
    only_size: bool = False
    uses_combine: bool = False
    tests_rim: bool = False
    uses_region: bool = False
    makes_layer: bool = False
    reverse: str = ""
    paints: bool = True
    on_photo: bool = False
    reshapes: bool = False
    by_time: bool = False

    def uses(self, attribute: str) -> bool:
        """True if an attribute of the brush counts."""
        if not self.is_brush or (self.only_size and attribute != "size_px"):
            return False
        if not self.reshapes:
            return True
        return attribute in ("size_px", "hardness") or (attribute == "flow" and not self.by_time)
