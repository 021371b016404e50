"""The lever: which layer brings a measure beyond its limit, and how far down it must go.

Found by trial on a reduced picture: every layer is taken out once, and the one without which the
measure falls most is weakened until the limit holds.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from lather.assist.check.check import Checked, check
from lather.assist.check.reading import Row
from lather.core.work import NEVER, CancelToken, Progress, no_progress
from lather.document.layers.layer import Layer
from lather.document.layers.photo import PhotoLayer
from lather.document.state import JobState
from lather.document.tree import replaced

HOLDS = 0.995  # share of the limit that a lever brings a measure to
STEPS = 6  # halvings of what is left between too much and too little
MOST_CORRECTIONS, CORRECTION = 4, 0.05
LEAST_EFFECT = 0.02  # of a share, below which a layer has nothing to do with it


@dataclass(frozen=True)
class Lever:
    """What would bring a measure to its limit.

    Attributes
    ----------
    strength : 0-1, of the layer; 0 takes it out.
    share : of the limit that the measure comes to then; more than 1 if no lever alone is enough.
    """

    row_id: str
    layer_id: int
    layer_name: str
    now: float
    strength: float
    share: float

    @property
    def is_enough(self) -> bool:
        return self.share <= 1

    def sentence(self) -> str:
        """'Even light at 70 % instead of 100 % brings this to the limit.'"""
        head = f"'{self.layer_name}' at {self.strength:.0%} instead of {self.now:.0%}"
        if self.is_enough:
            return f"{head} brings this to the limit."
        return f"{head} helps most, and is not enough by itself."


def find_lever(
    state: JobState, checked: Checked, *, progress: Progress = no_progress,
    cancel: CancelToken = NEVER,
) -> Lever | None:
    """The lever for a row; None where no layer has anything to do with it.

    Raises
    ------
    Cancelled : by the token.
    """
    row = checked.row
    candidates = [layer for layer in state.layers
                  if layer.is_shown and not isinstance(layer, PhotoLayer)]  # fmt: skip
    share_of, start = _trial(state, row, cancel)
    without = {}
    for number, layer in enumerate(candidates):
        progress(0.6 * number / len(candidates), f"trying without '{layer.name}'")
        without[layer.id] = share_of(at_strength(state, layer, 0.0))
    if not without:
        return None
    best_id = min(without, key=lambda layer_id: without[layer_id])
    layer = next(one for one in candidates if one.id == best_id)
    if start - without[best_id] < LEAST_EFFECT * max(start, 1.0):
        return None
    if without[best_id] > 1:
        return Lever(row.id, layer.id, layer.name, layer.strength, 0.0, without[best_id])
    progress(0.6, f"trying '{layer.name}' weaker")
    strength = _weakened(lambda s: share_of(at_strength(state, layer, s)), layer.strength)
    for _ in range(MOST_CORRECTIONS):  # what a reduced picture does not show
        share = _share(at_strength(state, layer, strength), row, cancel, quick=row.quick)
        if share <= 1 or strength == 0:
            break
        strength = round(max(0.0, strength - CORRECTION), 2)
    return Lever(row.id, layer.id, layer.name, layer.strength, strength, share)


def _trial(
    state: JobState, row: Row, cancel: CancelToken
) -> tuple[Callable[[JobState], float], float]:
    """How a state's share is tried, on a reduced picture if the fault shows there, and the share
    that there is now."""
    for quick in (True, False):
        start = _share(state, row, cancel, quick=quick)
        if start > 1 or not quick:
            break
    return lambda changed: _share(changed, row, cancel, quick=quick), start


def at_strength(state: JobState, layer: Layer, strength: float) -> JobState:
    """The state with a layer of the top level at another strength."""
    weaker = replace(layer, strength=strength)
    return replace(state, layers=replaced(state.layers, layer.id, (weaker,)))


def _weakened(share_at: Callable[[float], float], now: float) -> float:
    """The largest strength, in whole per cent, at which the limit holds."""
    low, high = 0.0, now
    for _ in range(STEPS):
        middle = round(50 * (low + high)) / 100
        if middle in (low, high):
            break
        if share_at(middle) <= HOLDS:
            low = middle
        else:
            high = middle
    return low


def _share(state: JobState, row: Row, cancel: CancelToken, *, quick: bool) -> float:
    cancel.check()
    return check(state, quick=quick, rows=(row,), cancel=cancel, skips=False).share
