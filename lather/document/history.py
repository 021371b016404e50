"""Undo and redo: the states a job went through, each with the name of the step to it.

States share all that did not change, so a step costs what it changed. There is no limit of
steps; once the tiles that only old steps hold exceed the memory budget, the oldest go.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from lather.document.layers import Layer, PixelLayer
from lather.document.tiles import Tile
from lather.document.tree import walk

if TYPE_CHECKING:
    from lather.document.job import JobState

DEFAULT_BUDGET_BYTES = 768 * 2**20


@dataclass(frozen=True)
class Step:
    """A named change: the states before and after it."""

    name: str
    before: JobState
    after: JobState
    gesture: object = None  # steps of one gesture (a dragged slider) count as one

    @property
    def nbytes(self) -> int:
        """Memory of the tiles that the step replaced."""
        kept = {id(tile) for tile in _tiles_of(self.after)}
        return sum(tile.nbytes for tile in _tiles_of(self.before) if id(tile) not in kept)


class History:
    """Two stacks of steps."""

    def __init__(self, budget_bytes: int = DEFAULT_BUDGET_BYTES) -> None:
        self.budget_bytes = budget_bytes
        self._done: list[Step] = []
        self._costs: list[int] = []
        self._undone: list[Step] = []

    @property
    def done(self) -> tuple[Step, ...]:
        """Steps that can be undone, oldest first."""
        return tuple(self._done)

    @property
    def undone(self) -> tuple[Step, ...]:
        """Steps that can be redone, next first."""
        return tuple(reversed(self._undone))

    def record(self, step: Step) -> None:
        self._undone.clear()
        if step.gesture is not None and self._done and self._done[-1].gesture == step.gesture:
            step = replace(step, before=self._done.pop().before)
            self._costs.pop()
        self._done.append(step)
        self._costs.append(step.nbytes)
        while sum(self._costs) > self.budget_bytes and len(self._done) > 1:
            del self._done[0], self._costs[0]

    def undo(self) -> Step | None:
        """The step to take back, now redoable; None if there is none."""
        if not self._done:
            return None
        self._costs.pop()
        step = self._done.pop()
        self._undone.append(step)
        return step

    def redo(self) -> Step | None:
        if not self._undone:
            return None
        step = self._undone.pop()
        self._done.append(step)
        self._costs.append(step.nbytes)
        return step


def _tiles_of(state: JobState) -> list[Tile]:
    found: list[Tile] = []
    for layer in walk(state.layers):
        found.extend(_own_tiles(layer))
    return found


def _own_tiles(layer: Layer) -> list[Tile]:
    tiles: list[Tile] = []
    if isinstance(layer, PixelLayer):
        tiles.extend(layer.tiles.tiles.values())
    if layer.mask is not None:
        tiles.extend(layer.mask.tiles.tiles.values())
    return tiles
