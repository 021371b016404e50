"""Marking what belongs to the person: a mole, a scar, a dimple to be kept."""

from __future__ import annotations

import math

from lather.assist.survey import with_mark
from lather.core.brush.stroke import PenSample
from lather.document.state import JobState
from lather.tools.base import CoveredWork, Hand, Outcome, Work


def begin_mark(state: JobState, hand: Hand) -> Work:
    return MarkWork(state, hand)


class MarkWork(CoveredWork):
    """A click, or a stroke over the mark: a round place around it."""

    def __init__(self, state: JobState, hand: Hand) -> None:
        super().__init__(state)
        self._radius_px = hand.brush.size_px / 2

    def finish(self, samples: tuple[PenSample, ...]) -> Outcome | None:
        if self._coverage.rect.empty:
            return None
        x = sum(sample.x for sample in samples) / len(samples)
        y = sum(sample.y for sample in samples) / len(samples)
        farthest = max(math.dist((x, y), (sample.x, sample.y)) for sample in samples)
        radius_px = farthest + self._radius_px
        return Outcome("Mark to keep", lambda now: with_mark(now, x, y, radius_px))
