"""What is about to be done, said by who does it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from lather.document.operations.operation import Again, Measure
from lather.document.operations.place import Place
from lather.document.painting.strokes import StrokeRecord
from lather.document.state import JobState


@dataclass(frozen=True, eq=False)
class Call:
    """What is done, by who does it.

    Attributes
    ----------
    id : of the row in the table of operations.
    arguments : by name, as JSON.
    again : whether it can be done again; `why_not`, if it cannot.
    stage, tool : where the person was, and what was in the hand.
    strokes : of the pen, each in the space of the layer that it went on.
    findings : ids of those that it answers.
    measures : what it was measured by.
    places : where it is done, as far as that is more than where its findings lie.
    begun : the state that it was worked out on, if the job may have gone on since.
    """

    id: str
    arguments: Mapping[str, Any] = field(default_factory=dict)
    again: Again = Again.SAME
    why_not: str = ""
    stage: str = ""
    tool: str = ""
    strokes: tuple[StrokeRecord, ...] = ()
    findings: tuple[int, ...] = ()
    measures: tuple[Measure, ...] = ()
    places: tuple[Place, ...] = ()
    begun: JobState | None = None
