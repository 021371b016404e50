"""Which layer does it, and the lever: how far down it must go to bring a measure to its limit.

Found by trial on a reduced picture: every layer is left out once, for all measures together. What
does most to a measure beyond its limit is weakened until the limit holds.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from lather.assist.check.check import Check, Checked, check
from lather.assist.check.reading import Row
from lather.core.work import NEVER, CancelToken, Progress, no_progress
from lather.document import edits
from lather.document.layers.layer import Layer
from lather.document.state import JobState

HOLDS = 0.995  # share of the limit that a lever brings a measure to
MOST_STEPS, NEAR = 5, 0.04  # of the search; share of the limit that may be left
MOST_CORRECTIONS, CORRECTION = 4, 0.05
LEAST_EFFECT = 0.02  # of a share, below which a layer has nothing to do with it
LITTLE = 0.25  # share of a limit, below which nobody asks what does it
LEAVING_OUT = 0.5  # of the work, before layers are weakened


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


@dataclass(frozen=True)
class Causes:
    """By row: the name of the layer that does most to it, and the lever of what is beyond its
    limit; None where no layer has anything to do with it."""

    layers: Mapping[str, str]
    levers: Mapping[str, Lever | None]


NO_CAUSES = Causes({}, {})


@dataclass(frozen=True)
class _Trial:
    """A row's share of its limit, and what it is without each layer."""

    share: float
    without: Mapping[int, float]
    quick: bool

    @property
    def layer_id(self) -> int | None:
        """The layer without which it falls most."""
        best = min(self.without, key=lambda layer_id: self.without[layer_id], default=None)
        if best is None:
            return None
        falls = self.share - self.without[best]
        return best if falls >= LEAST_EFFECT * max(self.share, 1.0) else None


def find_causes(
    state: JobState, found: Check, *, progress: Progress = no_progress,
    cancel: CancelToken = NEVER,
) -> Causes:
    """What does most to every row that went some way, and the levers of those beyond.

    Raises
    ------
    Cancelled : by the token.
    """
    telling = [row for row in found.rows if row.share >= LITTLE]
    trials = _tried(state, [row.row for row in telling], cancel, quick=True,
                    progress=lambda share, what: progress(LEAVING_OUT * share, what))  # fmt: skip
    layers: dict[str, str] = {}
    levers: dict[str, Lever | None] = {}
    for number, checked in enumerate(telling):
        row, trial = checked.row, trials[checked.row.id]
        share = LEAVING_OUT + (1 - LEAVING_OUT) * number / len(telling)
        progress(share, f"looking for what brings back: {row.title.lower()}")
        if checked.is_beyond and trial.share <= 1:  # a reduced picture does not show it
            trial = _tried(state, [row], cancel, quick=False)[row.id]
        layer = None if trial.layer_id is None else state.layer(trial.layer_id)
        if layer is not None:
            layers[row.id] = layer.name
        if checked.is_beyond:
            levers[row.id] = None if layer is None else _lever(state, row, layer, trial, cancel)
    return Causes(layers, levers)


def find_lever(
    state: JobState, checked: Checked, *, cancel: CancelToken = NEVER
) -> Lever | None:
    """The lever of one row; None where no layer has anything to do with it."""
    alone = Check((checked,), state.brief)
    return find_causes(state, alone, cancel=cancel).levers.get(checked.row.id)


def _tried(
    state: JobState, rows: Sequence[Row], cancel: CancelToken, *, quick: bool,
    progress: Progress = no_progress,
) -> dict[str, _Trial]:
    """Every row, with all layers and without each of them."""
    if not rows:
        return {}
    candidates = [layer for layer in state.layers
                  if layer.is_shown and not layer.locked]  # fmt: skip
    now, without = _checked(state, rows, cancel, quick=quick), {}
    for number, layer in enumerate(candidates):
        progress(number / len(candidates), f"trying without '{layer.name}'")
        left_out = edits.set_strength(state, layer.id, 0.0)
        without[layer.id] = _checked(left_out, rows, cancel, quick=quick)
    return {
        row.id: _Trial(now[row.id], {key: shares[row.id] for key, shares in without.items()}, quick)
        for row in rows
    }  # fmt: skip


def _lever(
    state: JobState, row: Row, layer: Layer, trial: _Trial, cancel: CancelToken
) -> Lever:
    def share_at(strength: float, quick: bool = trial.quick) -> float:
        weaker = edits.set_strength(state, layer.id, strength)
        return _checked(weaker, (row,), cancel, quick=quick)[row.id]

    strength, share = 0.0, trial.without[layer.id]
    if share <= 1:
        strength = strength_within(share_at, layer.strength, trial.share, share)
        for _ in range(MOST_CORRECTIONS):  # what a reduced picture does not show
            share = share_at(strength, False)
            if share <= 1 or strength == 0:
                break
            strength = round(max(0.0, strength - CORRECTION), 2)
    return Lever(row.id, layer.id, layer.name, layer.strength, strength, share)


def strength_within(
    share_at: Callable[[float], float], now: float, share_now: float, share_without: float,
    holds: float = HOLDS,
) -> float:
    """The largest strength, in whole per cent, at which a limit holds that does without a layer.

    By false position (in the Illinois form of Dowell, Jarratt 1971): a share grows nearly in step
    with the strength, so that two or three looks are enough.

    Parameters
    ----------
    share_at : of the limit, at a strength.
    now, share_now : at which it does not hold.
    share_without : at strength 0, at most `holds`, or the answer is 0.
    """
    low, high = 0.0, now
    at_low, at_high = share_without - holds, share_now - holds
    for _ in range(MOST_STEPS):
        guess = high - at_high * (high - low) / max(at_high - at_low, 1e-9)
        guess = math.floor(100 * min(max(guess, low), high) + 1e-6) / 100
        if guess <= low or at_low > 0:
            break
        found = share_at(guess) - holds
        if found <= 0:
            low, at_low, at_high = guess, found, at_high / 2
            if found > -NEAR:
                break
        else:
            high, at_high, at_low = guess, found, at_low / 2
    return low


def _checked(
    state: JobState, rows: Sequence[Row], cancel: CancelToken, *, quick: bool
) -> dict[str, float]:
    """The share of each row."""
    cancel.check()
    found = check(state, quick=quick, rows=rows, cancel=cancel, skips=False)
    return {checked.row.id: checked.share for checked in found.rows}
