"""Undo and redo: the states a job went through, each with the name of the step to it.

States share all that did not change, so a step costs what it changed. There is no limit of
steps. Once the tiles that only steps hold, done or undone, exceed the memory budget, those of the
steps farthest from now are parked on disk; where that is impossible, those steps go.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from weakref import WeakKeyDictionary

from lather.core.dropping import drop_aside
from lather.document.state import JobState
from lather.document.tiles import Tile, Tiles
from lather.document.tree import walk

DEFAULT_BUDGET_BYTES = 768 * 2**20
DEFAULT_DISK_BYTES = 8 * 2**30
WEIGHED_EACH_TIME = 8  # steps, when one is done, undone or redone

Parked = Callable[[bool], None]
Park = Callable[[list[Tile], Parked], bool]


@dataclass(frozen=True)
class Step:
    """A named change: the states before and after it."""

    name: str
    before: JobState
    after: JobState
    gesture: object = None  # steps of one gesture (a dragged slider) count as one

    @property
    def replaced_tiles(self) -> list[Tile]:
        """Tiles that the step took out of the picture."""
        return _only_in(self.before, self.after)

    @property
    def added_tiles(self) -> list[Tile]:
        """Tiles that the step brought into the picture."""
        return _only_in(self.after, self.before)


def _only_in(state: JobState, other: JobState) -> list[Tile]:
    """Tiles of a state that lie in their place in no plane of another one."""
    mine, planes = planes_of(state), planes_of(other)
    shared = {id(plane) for plane in mine} & {id(plane) for plane in planes}
    found: list[Tile] = []
    for plane in mine:
        if id(plane) in shared:
            continue
        left = set(plane.tiles.items())
        for one in planes:
            if id(one) not in shared:
                left -= one.tiles.items()
        found += [tile for key, tile in left
                  if not any(one.tiles.get(key) is tile for one in planes)]  # fmt: skip
    return found


@dataclass(eq=False)
class _Kept:
    """A step, done or undone, and the tiles that it alone holds.

    `parking` while they are on their way to disk: then they count as gone already.
    """

    step: Step
    tiles: list[Tile]
    parking: bool = False
    disk_bytes: int = 0
    memory_bytes: int = field(init=False)

    def __post_init__(self) -> None:
        self.weigh()

    def weigh(self) -> None:
        """Measure what is in memory now."""
        self.memory_bytes = 0 if self.parking else sum(tile.nbytes for tile in self.tiles)


class History:
    """Two stacks of steps.

    Attributes
    ----------
    budget_bytes : memory that tiles held by steps alone may take.
    disk_bytes : the same on disk.
    park : sends tiles to disk and says whether it will try; how it went is told to the
        callback, on the thread that records. None: there is no disk to use.
    """

    def __init__(self, budget_bytes: int = DEFAULT_BUDGET_BYTES) -> None:
        self.budget_bytes = budget_bytes
        self.disk_bytes = DEFAULT_DISK_BYTES
        self.park: Park | None = None
        self._done: list[_Kept] = []
        self._undone: list[_Kept] = []  # the next to be redone last
        self._weighed = 0  # which one was looked at last, beside those that moved

    @property
    def done(self) -> tuple[Step, ...]:
        """Steps that can be undone, oldest first."""
        return tuple(kept.step for kept in self._done)

    @property
    def n_done(self) -> int:
        return len(self._done)

    @property
    def undone(self) -> tuple[Step, ...]:
        """Steps that can be redone, next first."""
        return tuple(kept.step for kept in reversed(self._undone))

    def record(self, step: Step) -> None:
        undone, self._undone = self._undone, []
        drop_aside(undone)
        joined = self.joined_by(step.gesture)
        if joined is not None:
            self._done.pop()
            step = replace(step, before=joined.before)
        self._done.append(_Kept(step, step.replaced_tiles))
        self._keep_within_budget()

    def absorb(self, edit: Callable[[JobState], JobState]) -> None:
        """Edit every state that undo and redo lead to."""
        edited: dict[int, JobState] = {}

        def of(state: JobState) -> JobState:
            if id(state) not in edited:
                edited[id(state)] = edit(state)
            return edited[id(state)]

        for kept in (*self._done, *self._undone):
            step = kept.step
            kept.step = replace(step, before=of(step.before), after=of(step.after))

    @property
    def next_undo(self) -> Step | None:
        """The step that `undo` would take back."""
        return self._done[-1].step if self._done else None

    @property
    def next_redo(self) -> Step | None:
        return self._undone[-1].step if self._undone else None

    def joined_by(self, gesture: object) -> Step | None:
        """The last step done, if one of that gesture is one with it."""
        last = self.next_undo if gesture is not None else None
        return last if last is not None and last.gesture == gesture else None

    def undo(self) -> Step | None:
        """The step to take back, now redoable; None if there is none."""
        step = self._take_back()
        self._keep_within_budget()
        return step

    def redo(self) -> Step | None:
        step = self._do_again()
        self._keep_within_budget()
        return step

    def _take_back(self) -> Step | None:
        if not self._done:
            return None
        step = self._done.pop().step
        self._undone.append(_Kept(step, step.added_tiles))
        return step

    def _do_again(self) -> Step | None:
        if not self._undone:
            return None
        step = self._undone.pop().step
        self._done.append(_Kept(step, step.replaced_tiles))
        return step

    def state_at(self, n_done: int) -> JobState | None:
        """The state in which so many steps are done; None if that is the present one."""
        n_now = len(self._done)
        n_done = min(max(n_done, 0), n_now + len(self._undone))
        if n_done == n_now:
            return None
        if n_done < n_now:
            return self._done[n_done].step.before
        return self._undone[n_now - n_done].step.after

    def go_to(self, n_done: int) -> None:
        """Undo or redo until so many steps are done, as far as there are steps."""
        while len(self._done) > max(n_done, 0):
            self._take_back()
        while len(self._done) < n_done and self._do_again() is not None:
            pass
        self._keep_within_budget()

    @property
    def memory_bytes(self) -> int:
        """What tiles that only steps hold take now, those on their way to disk left out."""
        return sum(kept.memory_bytes for kept in self._by_distance())

    def _by_distance(self) -> list[_Kept]:
        """All steps, those farthest from now first."""
        n_more = len(self._done) - len(self._undone)
        far, near = (self._done, self._undone) if n_more > 0 else (self._undone, self._done)
        n_alone = abs(n_more)
        both = zip(far[n_alone:], near, strict=True)
        return [*far[:n_alone], *(kept for pair in both for kept in pair)]

    def _keep_within_budget(self, *, may_park: bool = True) -> None:
        kept_steps = self._by_distance()
        for _ in range(min(WEIGHED_EACH_TIME, len(kept_steps))):  # some may have been looked at
            self._weighed = (self._weighed + 1) % len(kept_steps)
            kept_steps[self._weighed].weigh()
        over_bytes = self.memory_bytes - self.budget_bytes
        for kept in kept_steps[:-1] if may_park else ():
            if over_bytes <= 0:
                break
            before_bytes = kept.memory_bytes
            if before_bytes and not self._send_to_disk(kept):
                break
            over_bytes -= before_bytes - kept.memory_bytes
        on_disk_bytes = sum(kept.disk_bytes for kept in kept_steps)
        for kept in kept_steps[:-1]:
            if over_bytes <= 0 and on_disk_bytes <= self.disk_bytes:
                break
            steps = self._done if self._done and self._done[0] is kept else self._undone
            steps.pop(0)
            over_bytes -= kept.memory_bytes
            on_disk_bytes -= kept.disk_bytes

    def _send_to_disk(self, kept: _Kept) -> bool:
        """Park what a step holds in memory; False if there is no disk to use."""
        tiles = [tile for tile in kept.tiles if tile.in_memory]
        new_bytes = sum(tile.nbytes for tile in tiles if tile.stored is None)

        def parked(done: bool) -> None:
            kept.parking = False
            kept.weigh()
            if done:
                kept.disk_bytes += new_bytes
            else:  # the disk is full: only forgetting helps now
                self._keep_within_budget(may_park=False)

        if self.park is None:
            return False
        kept.parking = True
        kept.weigh()
        if self.park(tiles, parked):
            return True
        kept.parking = False
        kept.weigh()
        return False


def planes_of(state: JobState) -> tuple[Tiles, ...]:
    """Pixels and masks of all layers, the area and the regions; no plane twice."""
    found = _planes.get(state)
    if found is None:
        planes: dict[int, Tiles] = {}
        for layer in walk(state.layers):
            masks = (layer.mask.tiles,) if layer.mask is not None else ()
            planes.update((id(plane), plane) for plane in (*layer.planes.values(), *masks))
        planes.update((id(plane), plane) for plane in state.planes.named().values())
        found = _planes[state] = tuple(planes.values())
    return found


_planes: WeakKeyDictionary[JobState, tuple[Tiles, ...]] = WeakKeyDictionary()
