"""The tiles of the picture as the screen shows them, rendered aside and kept while valid.

The owner looks at a rectangle and gets at once what is there; what is missing or out of date
is wanted, and workers render what is wanted: what is looked at now first, in the state of the
moment they begin. What is no longer looked at is not wanted any more. Changes and paint share
one ever-rising number: an answer in a state from before the last change or the last paint of
its tile is dropped.
"""

from __future__ import annotations

import itertools
import logging
from collections import OrderedDict
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from enum import Enum

import numpy as np

from lather.core.arrays import ByteImage, FloatImage
from lather.core.colour.display import to_screen
from lather.core.rect import Rect
from lather.document.state import JobState
from lather.document.tiles import TILE_PX, Key
from lather.render.compositor import deepest_level, render, render_kept, render_photo
from lather.render.lenses.lens import LensLook
from lather.render.lenses.table import LENSES, looked_through
from lather.render.screen.wanted import Wanted
from lather.render.shown import render_mask, shares_depend_on
from lather.render.worker import Executor

MOST_TILES = 900  # 256 kB each

log = logging.getLogger(__name__)


class Shown(Enum):
    """What a view shows."""

    AFTER = "after"
    BEFORE = "before"
    MASK = "mask"
    LENS = "lens"
    PROPOSED = "proposed"


@dataclass(frozen=True)
class TileRequest:
    """Everything a worker needs to render one tile; `id` is the number of its state."""

    id: int
    state: JobState
    shown: Shown
    level: int
    key: Key
    surround: float
    look: LensLook
    proposed: JobState | None = None

    def render(self) -> ByteImage:
        rect = Rect.cell(self.key, TILE_PX)
        return screen_bytes(self.state, self._pixels(rect), self.surround)

    def _pixels(self, rect: Rect) -> FloatImage:
        if self.shown is Shown.PROPOSED and self.proposed is not None:
            return render(self.proposed, rect, self.level)
        if self.shown is Shown.BEFORE:
            return render_photo(self.state.photo, rect, self.level)
        if self.shown is Shown.MASK:
            return render_mask(self.state, self.state.active, rect, self.level)
        if self.shown is Shown.LENS:
            return looked_through(
                self.look, self.state, rect, self.level,
                lambda wide, level: render_kept(self.state, wide, level),
            )
        return render(self.state, rect, self.level)


@dataclass(frozen=True)
class TileResponse:
    request: TileRequest
    image: ByteImage  # (256, 256, 4) blue, green, red, 255


@dataclass
class _Entry:
    """A tile; the numbers are those of `ViewTiles`."""

    wanted: int  # of its last change
    image: ByteImage | None = None
    shown: int = -1  # of the state that the image shows
    painted: int = -1  # of the last paint over it


@dataclass(frozen=True)
class _Now:
    """What tiles are rendered of; replaced as a whole, so that any thread may read it."""

    number: int
    state: JobState
    surround: float
    look: LensLook
    proposed: JobState | None = None


Place = tuple[Shown, int, Key]


def depends_on(shown: Shown, state: JobState, look: LensLook) -> tuple[object, ...]:
    """What a way of looking goes by beside the picture's pixels."""
    if shown is Shown.MASK:
        return shares_depend_on(state, state.active)
    return LENSES[look.id].depends(state, look) if shown is Shown.LENS else ()


def screen_bytes(state: JobState, pixels: FloatImage, surround: float) -> ByteImage:
    return to_screen(pixels, state.photo.lattice, surround)


class ViewTiles:
    """Rendered tiles of one job.

    Parameters
    ----------
    executor : runs the rendering.
    arrived : called on the owner's thread after a tile came in.
    """

    def __init__(
        self, state: JobState, executor: Executor, arrived: Callable[[TileRequest], None],
        surround: float = 0.2,
    ) -> None:
        self.live_rect: Rect | None = None  # full resolution; a stroke paints here meanwhile
        self._executor = executor
        self._arrived = arrived
        self._entries: OrderedDict[Place, _Entry] = OrderedDict()
        self._numbers = itertools.count()
        self._now = _Now(next(self._numbers), state, surround, LensLook())
        self._wanted: Wanted[Place] = Wanted()
        self._rendering: dict[Place, int] = {}  # and in the state of which number
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

    def close(self) -> None:
        self._closed = True
        self._wanted.drop(lambda place: True)  # noqa: ARG005
        self._entries.clear()

    def set_state(self, state: JobState, cells: Iterable[Key]) -> None:
        """A new state that differs from the last in tiles of full resolution."""
        before, look = self._now.state, self._now.look
        self._now = replace(self._now, state=state)
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
        changed: dict[int, set[Key]] = {0: set(cells)}

        def is_changed(level: int, key: Key) -> bool:
            if level not in changed:
                changed[level] = {(r >> level, c >> level) for r, c in changed[0]}
            return key in changed[level]

        self._mark(kinds, is_changed)

    def set_surround(self, surround: float) -> None:
        self._now = replace(self._now, surround=surround)
        self._mark(Shown)  # the border too, of which tiles show what lies outside

    def set_proposed(self, proposed: JobState | None) -> None:
        """What a proposal would make of the picture; None if there is none."""
        self._now = replace(self._now, proposed=proposed)
        self._mark((Shown.PROPOSED,))

    def set_lens(self, look: LensLook) -> None:
        """What is looked through."""
        if look != self.look_through:
            self._now = replace(self._now, look=look)
            self._mark((Shown.LENS,))

    def _mark(
        self, kinds: Iterable[Shown], is_changed: Callable[[int, Key], bool] = lambda *_: True
    ) -> None:
        """A new number, and tiles (by level and key) that are out of date from it on."""
        number, kinds = next(self._numbers), set(kinds)
        self._now = replace(self._now, number=number)
        for (shown, level, key), entry in self._entries.items():
            if shown in kinds and is_changed(level, key):
                entry.wanted = number

    def look(self, shown: Shown, level: int, rect: Rect) -> ByteImage:
        """The rectangle of a level that is on the screen now; of `shown` no other is wanted."""
        self.want(shown, level, rect)
        return self.picture(shown, level, rect)

    def want(self, shown: Shown, level: int, rect: Rect) -> None:
        """Ask for what is missing or out of date of the rectangle that is on the screen now."""
        self._look += 1
        bounds = self.state.photo.rect.at_level(level)
        visible = dict.fromkeys(rect.intersect(bounds).cells(TILE_PX))
        deepest = deepest_level(self.state.photo)
        self._wanted.drop(
            lambda place: place[0] is shown
            and place[1] != deepest
            and (place[1] != level or place[2] not in visible)
        )
        for key in visible:
            self.request(shown, level, key)

    def picture(self, shown: Shown, level: int, rect: Rect) -> ByteImage:
        """What is known of a rectangle of a level; asks for the rest.

        Missing tiles are filled from the coarsest overview, and where that is missing too,
        with the surround.
        """
        grey = np.uint8(round(self.surround * 255))
        out = np.full((rect.height, rect.width, 4), grey, dtype=np.uint8)
        bounds = self.state.photo.rect.at_level(level)
        for key in rect.intersect(bounds).cells(TILE_PX):
            entry = self.request(shown, level, key)
            cell = Rect.cell(key, TILE_PX)
            part = cell.intersect(rect)
            inside = part.shifted(-rect.x0, -rect.y0).slices
            if entry.image is not None:
                out[inside] = entry.image[part.shifted(-cell.x0, -cell.y0).slices]
            else:
                self._fill_from_overview(shown, level, part, out[inside])
        return out

    def request(self, shown: Shown, level: int, key: Key, priority: int = 1) -> _Entry:
        """The entry of a tile, wanted if it is missing or out of date."""
        place = (shown, level, key)
        entry = self._entries.get(place)
        if entry is None:
            entry = self._entries[place] = _Entry(wanted=self._now.number)
            self._trim()
        self._entries.move_to_end(place)
        is_due = entry.shown < entry.wanted and self._rendering.get(place, -1) < entry.wanted
        if is_due and self._wanted.put(place, priority, self._look):
            self._executor.post(self._render_next, self._accept, failed=self._failed,
                                priority=priority)  # fmt: skip
        return entry

    def is_current(self, shown: Shown, level: int, keys: Iterable[Key]) -> bool:
        """True once tiles show the state of now."""
        found = (self._entries.get((shown, level, key)) for key in keys)
        return all(entry is not None and entry.shown >= entry.wanted for entry in found)

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

    def _render_next(self) -> TileResponse | None:
        """On a worker: the tile that is wanted most, in the state of now."""
        place = self._wanted.take()
        if place is None:
            return None
        now, (shown, level, key) = self._now, place
        self._rendering[place] = now.number
        request = TileRequest(
            now.number, now.state, shown, level, key, now.surround, now.look, now.proposed
        )
        try:
            return TileResponse(request, request.render())
        except BaseException:
            self._rendering.pop(place, None)
            raise

    def _failed(self, error: Exception) -> None:
        log.error("a tile of the view failed", exc_info=error)

    def _accept(self, response: TileResponse | None) -> None:
        if response is None:
            return
        request = response.request
        place = (request.shown, request.level, request.key)
        if self._rendering.get(place) == request.id:
            del self._rendering[place]
        entry = self._entries.get(place)
        if self._closed or entry is None:
            return
        if request.id < max(entry.wanted, entry.shown, entry.painted):
            return
        if self._under_the_brush(request):
            return  # wanted again when next drawn; the stroke's own pixels are newer
        entry.image = response.image
        entry.shown = request.id
        self._arrived(request)

    def _under_the_brush(self, request: TileRequest) -> bool:
        if self.live_rect is None or request.shown not in (Shown.AFTER, Shown.LENS):
            return False
        cell = Rect.cell(request.key, TILE_PX << request.level)
        return not cell.intersect(self.live_rect).empty

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
