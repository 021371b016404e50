"""The tiles of the picture as the screen shows them, rendered aside and kept while valid.

The owner asks for a rectangle and gets at once what is there; what is missing or out of
date is rendered by workers, visible first. Requests and answers are frozen. Requests, changes
and paint share one ever-rising number: an answer to a request from before the last change or
the last paint of its tile is dropped.
"""

from __future__ import annotations

import itertools
from collections import OrderedDict
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from enum import Enum

import numpy as np

from lather.core.arrays import ByteImage, FloatImage
from lather.core.colour.display import to_screen
from lather.core.rect import Rect
from lather.core.survey.region import Region
from lather.document.job import JobState
from lather.document.tiles import TILE_PX, Key
from lather.render.compositor import deepest_level, render, render_mask, render_photo
from lather.render.regions import render_region
from lather.render.worker import Executor

MOST_TILES = 900  # 256 kB each


class Shown(Enum):
    """What a view shows."""

    AFTER = "after"
    BEFORE = "before"
    MASK = "mask"
    REGION = "region"


@dataclass(frozen=True)
class TileRequest:
    """Everything a worker needs to render one tile."""

    id: int
    state: JobState
    shown: Shown
    level: int
    key: Key
    surround: float
    region: Region

    def render(self) -> ByteImage:
        rect = Rect.cell(self.key, TILE_PX)
        return screen_bytes(self.state, self._pixels(rect), self.surround)

    def _pixels(self, rect: Rect) -> FloatImage:
        if self.shown is Shown.BEFORE:
            return render_photo(self.state.photo, rect, self.level)
        if self.shown is Shown.MASK:
            return _outside_cleared(self.state, rect, self.level)
        if self.shown is Shown.REGION:
            return render_region(self.state, self.region, rect, self.level)
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
    asked: int = -1  # of the last request
    shown: int = -1  # of the request that the image answers
    painted: int = -1  # of the last paint over it


def screen_bytes(state: JobState, pixels: FloatImage, surround: float) -> ByteImage:
    return to_screen(pixels, state.photo.lattice, surround)


def _outside_cleared(state: JobState, rect: Rect, level: int) -> FloatImage:
    """The active layer's mask, transparent outside the photo like all other pictures."""
    out = render_mask(state.active, state.photo.rect, rect, level)
    inside = state.photo.rect.at_level(level).intersect(rect).shifted(-rect.x0, -rect.y0)
    clear = np.ones(out.shape[:2], dtype=bool)
    clear[inside.slices] = False
    out[clear] = 0
    return out


class ViewTiles:
    """Rendered tiles of one job.

    Parameters
    ----------
    executor : runs the rendering.
    arrived : called on the owner's thread after a tile came in.
    """

    def __init__(
        self, state: JobState, executor: Executor, arrived: Callable[[TileRequest], None]
    ) -> None:
        self.state = state
        self.surround = 0.2
        self.region = Region.SKIN
        self.live_rect: Rect | None = None  # full resolution; a stroke paints here meanwhile
        self._executor = executor
        self._arrived = arrived
        self._entries: OrderedDict[tuple[Shown, int, Key], _Entry] = OrderedDict()
        self._numbers = itertools.count()
        self._closed = False

    def close(self) -> None:
        self._closed = True
        self._entries.clear()

    def set_state(self, state: JobState, rects: Iterable[Rect]) -> None:
        """A new state that differs from the last in `rects` (full resolution)."""
        self.state = state
        self.invalidate(rects, (Shown.AFTER, Shown.REGION))

    def invalidate(self, rects: Iterable[Rect], kinds: Iterable[Shown]) -> None:
        wanted, rects, number = set(kinds), list(rects), next(self._numbers)
        for (shown, level, key), entry in self._entries.items():
            if shown in wanted:
                cell = Rect.cell(key, TILE_PX << level)
                if any(not cell.intersect(rect).empty for rect in rects):
                    entry.wanted = number

    def set_surround(self, surround: float) -> None:
        self.surround = surround
        self.invalidate([self.state.photo.rect.grown(TILE_PX << 8)], Shown)

    def set_region(self, region: Region) -> None:
        """What the region lens shows."""
        if region is not self.region:
            self.region = region
            self.invalidate([self.state.photo.rect], (Shown.REGION,))

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
        """The entry of a tile, asked for if it is missing or out of date."""
        place = (shown, level, key)
        entry = self._entries.get(place)
        if entry is None:
            entry = self._entries[place] = _Entry(wanted=next(self._numbers))
            self._trim()
        self._entries.move_to_end(place)
        if entry.shown < entry.wanted and entry.asked < entry.wanted:
            entry.asked = next(self._numbers)
            self._ask(TileRequest(entry.asked, self.state, shown, level, key, self.surround,
                                  self.region), priority)
        return entry

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

    def _ask(self, request: TileRequest, priority: int) -> None:
        self._executor.post(
            lambda: TileResponse(request, request.render()), self._accept, priority=priority
        )

    def _accept(self, response: TileResponse) -> None:
        request = response.request
        entry = self._entries.get((request.shown, request.level, request.key))
        if self._closed or entry is None:
            return
        if request.id < max(entry.wanted, entry.shown, entry.painted):
            return
        if self._under_the_brush(request):
            entry.asked = -1  # ask again when next drawn; the stroke's own pixels are newer
            return
        entry.image = response.image
        entry.shown = request.id
        self._arrived(request)

    def _under_the_brush(self, request: TileRequest) -> bool:
        if self.live_rect is None or request.shown not in (Shown.AFTER, Shown.REGION):
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
