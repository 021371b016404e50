"""The tiles of the picture as the screen shows them, rendered aside and kept while valid.

The owner looks at a rectangle and gets at once what is there; what is missing is wanted tile by
tile, and workers render what is wanted: what is looked at now first, in the state of the moment
they begin. What is no longer looked at is not wanted any more. What a change has put out of date
on the screen is brought up to date as one picture (`Refresh`).

Changes and paint share one ever-rising number: an answer in a state from before the last change or
the last paint of its tile is dropped.
"""

from __future__ import annotations

import itertools
import logging
from collections import OrderedDict
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

import numpy as np

from lather.core.arrays import ByteImage
from lather.core.rect import Rect
from lather.document.state import JobState
from lather.document.tiles import TILE_PX, Key
from lather.render.compositor import deepest_level
from lather.render.lenses.lens import LensLook
from lather.render.lenses.table import LENSES
from lather.render.screen.changes import (
    WhatChanged,
    depends_on,
    going_on,
    parts_of,
    what_changed,
)
from lather.render.screen.refresh import Later, Refresh, Target
from lather.render.screen.request import Fresh, Shown, ViewRequest
from lather.render.screen.tile import TileEntry
from lather.render.screen.wanted import Wanted
from lather.render.worker import Executor

MOST_TILES = 900  # 256 kB each

log = logging.getLogger(__name__)


@dataclass(frozen=True)
class _Now:
    """What tiles are rendered of; replaced as a whole, so that any thread may read it."""

    number: int
    state: JobState
    surround: float
    look: LensLook
    proposed: JobState | None = None
    changed: WhatChanged = WhatChanged()  # last


Place = tuple[Shown, int, Key]
NOTHING = Rect(0, 0, 0, 0)


class ViewTiles:
    """Rendered tiles of one job.

    Parameters
    ----------
    executor : runs the rendering.
    arrived : called on the owner's thread with what came in.
    later : runs something on the owner's thread after a while; None: at once.
    """

    def __init__(
        self, state: JobState, executor: Executor, arrived: Callable[[Fresh], None],
        surround: float = 0.2, later: Later | None = None,
    ) -> None:  # fmt: skip
        self.live_rect: Rect | None = None  # full resolution; a stroke paints here meanwhile
        self._executor = executor
        self._arrived = arrived
        self._later = later
        self._entries: OrderedDict[Place, TileEntry] = OrderedDict()
        self._numbers = itertools.count()
        self._now = _Now(next(self._numbers), state, surround, LensLook())
        self._wanted: Wanted[Place] = Wanted()
        self._rendering: dict[Place, int] = {}  # and in the state of which number
        self._refreshes: dict[Shown, Refresh] = {}
        self._refreshed: dict[Shown, int] = {}  # of the change that was brought to the screen last
        self._look = 0
        self._closed = False

    @property
    def state(self) -> JobState:
        return self._now.state

    @property
    def surround(self) -> float:
        return self._now.surround

    @property
    def look_through(self) -> LensLook:
        """The lens, and how it is set."""
        return self._now.look

    @property
    def busy(self) -> bool:
        """True while something on the screen is not exact yet."""
        return any(refresh.busy for refresh in self._refreshes.values())

    @property
    def frames(self) -> dict[int, int]:
        """How many were shown while something was dragged, by levels coarser than the view's."""
        return {n: sum(r.frames[n] for r in self._refreshes.values()) for n in (0, 1)}

    def close(self) -> None:
        self._closed = True
        self._wanted.drop(lambda place: True)  # noqa: ARG005
        self._entries.clear()
        for refresh in self._refreshes.values():
            refresh.close()

    def set_state(self, state: JobState, cells: Iterable[Key]) -> None:
        """A new state that differs from the last in tiles of full resolution."""
        before, look = self._now.state, self._now.look
        new = what_changed(before, state)
        if self.busy:  # what is on the screen goes by what the drag began with
            new = going_on(self._now.changed, new)
        self._now = replace(self._now, state=state, changed=new)
        changed = set(cells)
        self._invalidate(changed, (Shown.AFTER,))
        if depends_on(Shown.LENS, before, look) != depends_on(Shown.LENS, state, look):
            self._mark((Shown.LENS,))
        else:
            self._invalidate(self._seen_from(changed), (Shown.LENS,))
        if depends_on(Shown.MASK, before, look) != depends_on(Shown.MASK, state, look):
            self._mark((Shown.MASK,))

    def _seen_from(self, cells: set[Key]) -> set[Key]:
        """The tiles whose look through the lens depends on these."""
        reach_px = LENSES[self._now.look.id].reach(self.state, 0)
        if not reach_px or not cells:
            return cells
        reach = -(-reach_px // TILE_PX)
        steps = range(-reach, reach + 1)
        return {(row + y, column + x) for row, column in cells for y in steps for x in steps}

    def invalidate(self, rect: Rect, kinds: Iterable[Shown]) -> None:
        """What shows a rectangle of full resolution is out of date."""
        self._invalidate(rect.cells(TILE_PX), kinds)

    def _invalidate(self, cells: Iterable[Key], kinds: Iterable[Shown]) -> None:
        full, by_level = list(cells), dict[int, dict[Key, Rect]]()
        picture = self.state.photo.rect
        is_all = len(full) >= len(list(picture.cells(TILE_PX)))

        def part_of(level: int, key: Key) -> Rect:
            if is_all:
                return picture.at_level(level)
            if level not in by_level:
                by_level[level] = parts_of(full, level)
            return by_level[level].get(key, NOTHING)

        self._mark(kinds, part_of)

    def set_surround(self, surround: float) -> None:
        self._now = replace(self._now, surround=surround)
        self._mark(Shown)  # the border too, of which tiles show what lies outside

    def set_proposed(self, proposed: JobState | None) -> None:
        """What a proposal would make of the picture; None if there is none."""
        was = self._now.proposed or self.state
        changed = what_changed(was, proposed or was)
        self._now = replace(self._now, proposed=proposed, changed=changed)
        self._mark((Shown.PROPOSED,))

    def set_lens(self, look: LensLook) -> None:
        """What is looked through."""
        if look != self.look_through:
            self._now = replace(self._now, look=look, changed=what_changed(self.state, self.state))
            self._mark((Shown.LENS,))

    def _mark(
        self, kinds: Iterable[Shown], part_of: Callable[[int, Key], Rect] | None = None
    ) -> None:
        """A new number, and parts of tiles (by level and key) that are out of date from it on;
        None: the whole of each."""
        number, kinds = next(self._numbers), set(kinds)
        self._now = replace(self._now, number=number)
        for (shown, level, key), entry in self._entries.items():
            if shown not in kinds:
                continue
            cell = Rect.cell(key, TILE_PX)
            part = cell if part_of is None else part_of(level, key).intersect(cell)
            if not part.empty:
                entry.mark(number, part)

    def look(
        self, shown: Shown, level: int, rect: Rect, focus: tuple[float, float] | None = None
    ) -> ByteImage:
        """The rectangle of a level that is on the screen now; of `shown` no other is wanted."""
        self.want(shown, level, rect, focus)
        return self.picture(shown, level, rect)

    def want(
        self, shown: Shown, level: int, rect: Rect, focus: tuple[float, float] | None = None
    ) -> None:
        """Ask for what is missing or out of date of the rectangle that is on the screen now, of
        which `focus` is looked at; its middle, if nobody knows."""
        self._look += 1
        inside = rect.intersect(self.state.photo.rect.at_level(level))
        visible = dict.fromkeys(inside.cells(TILE_PX))
        deepest = deepest_level(self.state.photo)
        self._wanted.drop(
            lambda place: place[0] is shown
            and place[1] != deepest
            and (place[1] != level or place[2] not in visible)
        )
        changed = self._refreshed.get(shown, -1) < self._now.number
        stale = NOTHING
        for key in visible:
            entry = self._entry((shown, level, key))
            due = Rect.union_of(part.intersect(inside) for part in entry.due
                                if not part.intersect(inside).empty)  # fmt: skip
            if entry.image is not None and changed:
                stale = stale.union(due)
            elif not due.empty and not self._is_refreshed(shown, level, due):
                self.request(shown, level, key)
        self._refreshed[shown] = self._now.number
        if not stale.empty:
            middle = (rect.x0 + rect.x1) / 2, (rect.y0 + rect.y1) / 2
            self._refresh(shown, level, stale, focus or middle)

    def _refresh(
        self, shown: Shown, level: int, rect: Rect, focus: tuple[float, float]
    ) -> None:
        if shown not in self._refreshes:
            self._refreshes[shown] = Refresh(self._executor, self._put, self._later)
        now = self._now
        began = now.changed.began if shown is Shown.AFTER else None
        request = ViewRequest(now.number, now.state, shown, level, rect, now.surround, now.look,
                              now.proposed, now.changed.n_kept, began=began)  # fmt: skip
        is_fine = now.changed.finest_px < 2 << (level + 1)
        self._refreshes[shown].want(Target(request, focus, is_fine))

    def comes_at_once(self, shown: Shown, level: int, rect: Rect) -> bool:
        """True if all of a rectangle is about to come in as one picture."""
        refresh = self._refreshes.get(shown)
        inside = rect.intersect(self.state.photo.rect.at_level(level))
        return refresh is not None and refresh.comes_at_once and (
            self._is_refreshed(shown, level, inside)
        )

    def _is_refreshed(self, shown: Shown, level: int, rect: Rect) -> bool:
        """True if a rectangle that is out of date is being brought up to date."""
        refresh = self._refreshes.get(shown)
        wanted = refresh.wanted if refresh is not None else None
        return wanted is not None and wanted.level == level and (
            rect.intersect(wanted.rect) == rect
        )

    def picture(self, shown: Shown, level: int, rect: Rect) -> ByteImage:
        """What is known of a rectangle of a level; asks for the rest.

        Missing tiles are filled from the coarsest overview, and where that is missing too,
        with the surround.
        """
        grey = np.uint8(round(self.surround * 255))
        out = np.full((rect.height, rect.width, 4), grey, dtype=np.uint8)
        bounds = self.state.photo.rect.at_level(level)
        for key in rect.intersect(bounds).cells(TILE_PX):
            cell = Rect.cell(key, TILE_PX)
            part = cell.intersect(rect)
            entry = self._entry((shown, level, key))
            if not self._is_refreshed(shown, level, part.intersect(bounds)):
                self.request(shown, level, key)
            inside = part.shifted(-rect.x0, -rect.y0).slices
            if entry.image is not None:
                out[inside] = entry.image[part.shifted(-cell.x0, -cell.y0).slices]
            else:
                self._fill_from_overview(shown, level, part, out[inside])
        return out

    def _entry(self, place: Place) -> TileEntry:
        entry = self._entries.get(place)
        if entry is None:
            cell = Rect.cell(place[2], TILE_PX)
            entry = self._entries[place] = TileEntry(self._now.number, (cell,))
            self._trim()
        self._entries.move_to_end(place)
        return entry

    def request(self, shown: Shown, level: int, key: Key, priority: int = 1) -> TileEntry:
        """The entry of a tile, wanted if it is missing or out of date."""
        place = (shown, level, key)
        entry = self._entry(place)
        is_due = bool(entry.due) and self._rendering.get(place, -1) < entry.wanted
        if is_due and self._wanted.put(place, priority, self._look):
            self._executor.post(self._render_next, self._accept, failed=self._failed,
                                priority=priority)  # fmt: skip
        return entry

    def is_current(self, shown: Shown, level: int, rect: Rect) -> bool:
        """True once a rectangle of a level shows the state of now."""
        return all(
            entry is not None and all(part.intersect(rect).empty for part in entry.due)
            for entry in (self._entries.get((shown, level, key)) for key in rect.cells(TILE_PX))
        )

    def prepare_overview(self) -> None:
        """Ask for the coarse picture that fills gaps while finer tiles are on their way."""
        level = deepest_level(self.state.photo)
        for shown in (Shown.AFTER, Shown.BEFORE):
            for key in self.state.photo.rect.at_level(level).cells(TILE_PX):
                self.request(shown, level, key, priority=2)

    def paint_over(
        self, level: int, rect: Rect, image: ByteImage, shown: Shown = Shown.AFTER
    ) -> None:
        """Put freshly painted pixels into the tiles that are there.

        What they show is newer than any answer on its way; who paints says at the end what
        has changed.
        """
        number = next(self._numbers)
        for key in rect.cells(TILE_PX):
            entry = self._entries.get((shown, level, key))
            if entry is None or entry.image is None:
                continue
            entry.painted = number
            cell = Rect.cell(key, TILE_PX)
            part = cell.intersect(rect)
            entry.image[part.shifted(-cell.x0, -cell.y0).slices] = image[
                part.shifted(-rect.x0, -rect.y0).slices
            ]

    def _render_next(self) -> tuple[ViewRequest, ByteImage] | None:
        """On a worker: the tile that is wanted most, in the state of now."""
        place = self._wanted.take()
        if place is None:
            return None
        now, (shown, level, key) = self._now, place
        self._rendering[place] = now.number
        request = ViewRequest(now.number, now.state, shown, level, Rect.cell(key, TILE_PX),
                              now.surround, now.look, now.proposed)  # fmt: skip
        try:
            return request, request.render()
        except BaseException:
            self._rendering.pop(place, None)
            raise

    def _failed(self, error: Exception) -> None:
        log.error("a tile of the view failed", exc_info=error)

    def _accept(self, response: tuple[ViewRequest, ByteImage] | None) -> None:
        if response is None:
            return
        request, image = response
        (key,) = request.rect.cells(TILE_PX)
        place = (request.shown, request.level, key)
        if self._rendering.get(place) == request.id:
            del self._rendering[place]
        self._put(Fresh(request.shown, request.level, request.rect, image), request.id)

    def _put(self, fresh: Fresh, number: int) -> None:
        """Take over pixels in the state of a number, and tell of what is not too old."""
        if self._closed or self._under_the_brush(fresh):
            return  # wanted again when next drawn; the stroke's own pixels are newer
        taken = [fresh.rect.intersect(Rect.cell(key, TILE_PX))
                 for key in fresh.rect.cells(TILE_PX)
                 if self._taken(fresh, number, key)]  # fmt: skip
        if not taken:
            return
        rect = Rect.union_of(taken)
        image = fresh.image[rect.shifted(-fresh.rect.x0, -fresh.rect.y0).slices]
        self._arrived(replace(fresh, rect=rect, image=image))

    def _taken(self, fresh: Fresh, number: int, key: Key) -> bool:
        entry = self._entries.get((fresh.shown, fresh.level, key))
        if entry is None:
            return False
        if not fresh.exact:  # seen until it comes exactly, and kept by nobody
            return number >= max(entry.shown, entry.painted)
        return entry.put(number, Rect.cell(key, TILE_PX), fresh.rect, fresh.image)

    def _under_the_brush(self, fresh: Fresh) -> bool:
        if self.live_rect is None or fresh.shown not in (Shown.AFTER, Shown.LENS):
            return False
        return not fresh.rect.from_level(fresh.level).intersect(self.live_rect).empty

    def _fill_from_overview(
        self, shown: Shown, level: int, part: Rect, out: ByteImage
    ) -> None:
        coarse = deepest_level(self.state.photo)
        if coarse <= level:
            return
        shift = coarse - level
        rows = np.arange(part.y0, part.y1) >> shift
        columns = np.arange(part.x0, part.x1) >> shift
        for key in Rect(
            int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1
        ).cells(TILE_PX):
            entry = self._entries.get((shown, coarse, key))
            if entry is None or entry.image is None:
                continue
            cell = Rect.cell(key, TILE_PX)
            y = np.flatnonzero((rows >= cell.y0) & (rows < cell.y1))
            x = np.flatnonzero((columns >= cell.x0) & (columns < cell.x1))
            piece = entry.image[np.ix_(rows[y] - cell.y0, columns[x] - cell.x0)]
            out[y[0] : y[-1] + 1, x[0] : x[-1] + 1] = piece

    def _trim(self) -> None:
        while len(self._entries) > MOST_TILES:
            self._entries.popitem(last=False)
