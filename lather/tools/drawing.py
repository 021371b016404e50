"""A stroke drawn at once, from its samples: by numbers, or once more."""

from __future__ import annotations

from collections.abc import Sequence

from lather.core.brush.stroke import PenSample, StrokePath
from lather.document.state import JobState
from lather.tools.base import Hand, Outcome
from lather.tools.table import tool


def drawn(state: JobState, hand: Hand, samples: Sequence[PenSample]) -> Outcome | None:
    """What the tool in a hand makes of a stroke, in the space of the layer that it works on; None
    if it touched nothing. Raises `EditError` where it cannot work."""
    row = tool(hand.tool)
    work = row.begin(state, hand)
    dabs = StrokePath(hand.brush, by_time=row.by_time).extend(samples)
    if len(dabs):
        work.add(dabs)
    return work.finish(tuple(samples))
