"""What a tool is: how it begins, what it does with dabs, what it leaves behind."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Protocol

from lather.core.brush.dabs import Dabs
from lather.core.brush.stroke import Brush, PenSample
from lather.core.mend.mode import MendMode
from lather.core.rect import Rect
from lather.document.job import JobState
from lather.document.painting import Coverage
from lather.tools.source import PickedSource, SourceGoes

Colour = tuple[float, float, float]


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


@dataclass(frozen=True)
class Outcome:
    """A finished stroke: the step's name and the change itself.

    `apply` takes the job's state at that moment and raises `EditError` if the layer has
    been changed by something else since the stroke began.
    """

    name: str
    apply: Callable[[JobState], JobState]


class Work(Protocol):
    """One stroke in progress. Used by one worker thread, from `add` to `finish`."""

    def add(self, dabs: Dabs) -> Rect:
        """Take dabs in; returns the dirty rectangle, full resolution."""

    def preview(self) -> JobState:
        """The state to show while the stroke goes on."""

    def hatched(self) -> Coverage | None:
        """Coverage to mark on the picture, for tools whose result comes at the end."""

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:
        """The outcome; None if the stroke touched nothing."""


Begin = Callable[[JobState, Hand], Work]


@dataclass(frozen=True)
class Tool:
    """An entry of the tool table.

    `begin` raises `EditError` where the tool cannot work on the active layer.
    `waits` says that the result comes after the pen is lifted.
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
    works_on_mask: bool = True
    waits: bool = False
    short: str = ""  # for buttons; the title if it is short enough
