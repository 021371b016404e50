"""What is on the screen brought up to date: coarse while it goes on changing, exact at rest.

One change by itself is rendered exactly at once. Where one follows upon the other, as they do while
something is dragged, one frame is under way at a time, of the newest state, and of the best grade
(`Grade`) that this machine makes in time; of a coarse one the surroundings of the focus are of the
view's own level where what changed would not show on a coarser one. Once nothing has changed for a
while, what was not exact is rendered so, nearest to the focus first. What is no longer wanted is
not begun.
"""

from __future__ import annotations

import logging
import math
import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np

from lather.core.arrays import ByteImage
from lather.core.rect import Rect
from lather.document.tiles import DEEPEST_LEVEL
from lather.render.screen.coarse import coarse_rect, enlarged
from lather.render.screen.pace import Grade, Pace
from lather.render.screen.request import Fresh, ViewRequest
from lather.render.worker import Executor

REST_MS = 30  # without a change, after which what is coarse is made exact
DRAG_S = 0.25  # from what is on the screen to the next change that belongs with it
FOCUS_PX = 256  # around the focus, in which fine kinds are rendered at the view's level
LEAST_BAND_PX = 64  # rows of a piece

Later = Callable[[int, Callable[[], None]], None]  # milliseconds, and what to do then

log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Target:
    """What is out of date on the screen.

    request : of the whole of it, at the view's own level.
    focus : the place of the level that is looked at.
    is_fine : what changed does not show on a coarser level.
    """

    request: ViewRequest
    focus: tuple[float, float]
    is_fine: bool = False

    @property
    def rect(self) -> Rect:
        return self.request.rect

    @property
    def near(self) -> Rect:
        """The surroundings of the focus."""
        x, y = self.focus
        return Rect.around(x, y, FOCUS_PX).intersect(self.rect)

    def pace(self) -> Pace:
        """A new one, of the grades that its frames can be; it begins with the worst that makes
        sense: where most of a coarse one would be of its own level, it is not coarse."""
        grades = tuple(Grade)[: Grade.COARSE if self.request.level == DEEPEST_LEVEL else None]
        mostly_near = self.is_fine and 2 * self.near.area >= self.rect.area
        return Pace(first=Grade.HELD if mostly_near else grades[-1], grades=grades)


@dataclass(eq=False)
class _Frame:
    """Pieces of one state; shown as they come, or all at once while it goes on changing."""

    target: Target
    grade: Grade
    at_once: bool
    began_s: float
    waiting: int = 0
    is_wanted: bool = True
    pieces: list[tuple[Rect, ByteImage]] = field(default_factory=list)

    @property
    def exact(self) -> bool:
        return self.grade is Grade.EXACT

    @property
    def coarser(self) -> int:
        return int(self.grade is Grade.COARSE)


class Refresh:
    """Keeps one way of looking up to date. Lives on the owner's thread.

    Parameters
    ----------
    put : takes pixels, of the state of a number.
    later : runs something on the owner's thread after a while; None: at once.
    """

    def __init__(
        self, executor: Executor, put: Callable[[Fresh, int], None], later: Later | None = None,
        clock: Callable[[], float] = time.perf_counter,
    ) -> None:  # fmt: skip
        self._executor, self._put, self._later, self._clock = executor, put, later, clock
        self._target: Target | None = None  # what is wanted, until it is there
        self._frame: _Frame | None = None
        self._shown_s = -math.inf
        self._dragged = False
        self._closed = False
        self._paces: dict[object, Pace] = {}
        self.frames = {0: 0, 1: 0}  # shown while dragged, by how much coarser than the view

    @property
    def busy(self) -> bool:
        """True until what is on the screen is exact."""
        return self._target is not None

    @property
    def comes_at_once(self) -> bool:
        """True if all that is wanted is about to be put on the screen in one go."""
        return self.busy and self._dragged

    @property
    def wanted(self) -> ViewRequest | None:
        return None if self._target is None else self._target.request

    def close(self) -> None:
        self._closed, self._target = True, None
        if self._frame is not None:
            self._frame.is_wanted = False

    def want(self, target: Target) -> None:
        """The screen is out of date, by a change since it was asked for last."""
        now_s = self._clock()
        self._dragged = self.busy or now_s - self._shown_s < DRAG_S
        self._target = target
        if self._frame is not None and not self._frame.at_once:
            self._frame.is_wanted = False  # pieces that are not begun yet are left
        if self._frame is None:
            self._begin()

    def _begin(self) -> None:
        target = self._target
        assert target is not None
        n_px = target.rect.area
        grade = self._pace(target).choose(n_px) if self._dragged else Grade.EXACT
        self._post(_Frame(target, grade, self._dragged, self._clock()))

    def _post(self, frame: _Frame) -> None:
        self._frame = frame
        requests = self._requests(frame)
        frame.waiting = len(requests)
        for request, place in requests:
            self._executor.post(
                partial(_rendered, frame, request, place),
                partial(self._accept, frame, place), failed=partial(self._failed, frame),
                priority=0,
            )  # fmt: skip

    def _requests(self, frame: _Frame) -> list[tuple[ViewRequest, Rect]]:
        """What is rendered for a frame, and the place of the view's level that it fills."""
        target, n_threads = frame.target, self._executor.n_threads
        bands = _bands(target.rect, n_threads if frame.at_once else 2 * n_threads)
        if not frame.coarser:
            bands.sort(key=lambda band: _away(band, target.focus))
            held = not frame.exact
            return [(replace(target.request, rect=band, held=held), band) for band in bands]
        level = target.request.level + frame.coarser
        requests = [
            (replace(target.request, level=level, rect=coarse_rect(band, frame.coarser),
                     coarser=frame.coarser, held=True), band)
            for band in bands
        ]
        if target.is_fine:
            requests += [(replace(target.request, rect=band, held=True), band)
                         for band in _bands(target.near, n_threads)]  # fmt: skip
        return requests

    def _accept(self, frame: _Frame, place: Rect, image: ByteImage | None) -> None:
        frame.waiting -= 1
        if self._closed:
            return
        if image is not None:
            if frame.at_once:
                frame.pieces.append((place, image))
            else:
                self._show(frame, place, image)
        if frame.waiting == 0 and frame is self._frame:
            self._over(frame)

    def _over(self, frame: _Frame) -> None:
        self._frame = None
        if frame.is_wanted:
            took_s = self._clock() - frame.began_s
            self._pace(frame.target).note(frame.grade, frame.target.rect.area, took_s)
        if frame.at_once:
            self._show_together(frame)
            self.frames[frame.coarser] += 1
        if self._target is not frame.target:
            if self._target is not None:
                self._begin()
        elif frame.exact and frame.is_wanted:
            self._target = None
        elif self._later is None:
            self._settle(frame.target)
        else:
            self._later(REST_MS, partial(self._settle, frame.target))

    def _settle(self, target: Target) -> None:
        """Render exactly what is still as it was when that was asked for."""
        if self._target is target and self._frame is None and not self._closed:
            self._post(_Frame(target, Grade.EXACT, False, self._clock()))

    def _show(self, frame: _Frame, place: Rect, image: ByteImage) -> None:
        self._shown_s = self._clock()
        request = frame.target.request
        self._put(Fresh(request.shown, request.level, place, image, frame.exact), request.id)

    def _show_together(self, frame: _Frame) -> None:
        rect = frame.target.rect
        whole = np.empty((rect.height, rect.width, 4), dtype=np.uint8)
        # What is rendered around the focus covers what is coarse there.
        for place, image in sorted(frame.pieces, key=lambda piece: -piece[0].area):
            whole[place.shifted(-rect.x0, -rect.y0).slices] = image
        self._show(frame, rect, whole)

    def _failed(self, frame: _Frame, error: Exception) -> None:
        log.error("a frame of the view failed", exc_info=error)
        if frame is self._frame:
            self._frame = self._target = None  # wanted again when the screen is out of date again

    def _pace(self, target: Target) -> Pace:
        request = target.request
        about = request.shown, request.look.id, request.level, request.n_kept, target.is_fine
        if about not in self._paces:
            self._paces[about] = target.pace()
        return self._paces[about]


def _rendered(frame: _Frame, request: ViewRequest, place: Rect) -> ByteImage | None:
    """On a worker: a piece as large as its place on the view's level; None if nobody wants it."""
    if not frame.is_wanted:
        return None
    return enlarged(request.render(), request.coarser, place)


def _bands(rect: Rect, n: int) -> list[Rect]:
    """A rectangle in at most so many bands from top to bottom, each of an even number of rows."""
    n = max(1, min(n, rect.height // LEAST_BAND_PX))
    step = -(-rect.height // n)
    step += step % 2
    return [Rect(rect.x0, top, rect.x1, min(top + step, rect.y1))
            for top in range(rect.y0, rect.y1, step)]  # fmt: skip


def _away(band: Rect, focus: tuple[float, float]) -> float:
    x, y = focus
    return math.hypot((band.x0 + band.x1) / 2 - x, (band.y0 + band.y1) / 2 - y)
