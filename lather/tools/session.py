"""The pen at work: readings in, frames and history steps out.

Lives on the interface thread and computes nothing there. Dabs are handed to one worker
thread, which paints them and renders what changed; what the pen adds meanwhile is taken in
one go with the next step, so a slow machine draws fewer frames and never lags behind. After
the pen lifts, the worker finishes the stroke; readings that arrive before its outcome is in
the job wait and are then replayed.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from lather.core.arrays import ByteImage, FloatImage, Plane
from lather.core.brush.dabs import Dabs
from lather.core.brush.stroke import PenSample, StrokePath
from lather.core.rect import Rect
from lather.document.diff import changed_above, changed_within
from lather.document.events import Signal
from lather.document.job import Job
from lather.document.operations.call import Call
from lather.document.painting.painting import Coverage
from lather.document.painting.strokes import as_kept
from lather.document.state import JobState
from lather.document.tiles import DEEPEST_LEVEL
from lather.errors import LatherError
from lather.render.around import AroundCache
from lather.render.compositor import render
from lather.render.lenses.lens import LensLook
from lather.render.lenses.table import LENSES, looked_through
from lather.render.screen.coarse import coarse_rect, enlarged
from lather.render.screen.overlay import hatch
from lather.render.screen.pace import Grade, Pace
from lather.render.screen.request import Shown, screen_bytes
from lather.render.space import Space
from lather.render.worker import Executor
from lather.tools.base import Hand, Outcome, ShapeReading, Work
from lather.tools.drawing import call_of_stroke, space_of
from lather.tools.effect import refuse_without_effect
from lather.tools.table import tool

FRAMES = (Grade.EXACT, Grade.COARSE)  # under the pen
STROKE_MS = 9.0  # for rendering a frame under the pen; the dabs, the way and the paint take more


@dataclass(frozen=True)
class Viewport:
    """The part of the picture on screen: a rectangle of a mip level."""

    level: int
    rect: Rect
    surround: float
    look: LensLook | None = None  # through which it is looked at


@dataclass(frozen=True)
class Frame:
    """Freshly painted pixels for the screen."""

    level: int
    rect: Rect  # of the level
    image: ByteImage
    painted: Rect  # full resolution, all of the stroke so far
    covered: Coverage | None  # by the brush, if it is one; the stroke's own, which goes on growing
    space: Space  # that what is covered lies in
    shown: Shown
    reading: ShapeReading | None = None


Done = tuple[Outcome, Call]  # what came of a stroke, and what it was to draw it


@dataclass
class _Stroke:
    work: Work
    hand: Hand
    begun: JobState  # with which the work began
    began_s: float
    path: StrokePath
    space: Space  # that the tool works in: the pen is mapped into it
    seen: list[PenSample]  # as the pen went on the picture
    samples: list[PenSample]  # the same, where it went on the layer
    pending: list[Dabs]
    painted: Rect = Rect(0, 0, 0, 0)
    step_posted: bool = False


class PenSession:
    """Drives the tool in hand over one job.

    Signals
    -------
    began(PenSample) : the pen goes down; `hand` may still be changed.
    frame(Frame) : show these pixels.
    ended() : the stroke is over; what the job holds now is the truth.
    failed(LatherError) : the stroke came to nothing, with the sentence why.
    broke(Outcome) : a mend is in the job whose rim crosses an edge.
    rested() : nothing is drawn, computed or waiting any more.
    """

    def __init__(self, job: Job, executor: Executor, viewport: Callable[[], Viewport]) -> None:
        self.hand = Hand("mend_spot", tool("mend_spot").brush)
        self.began: Signal[PenSample] = Signal()
        self.frame: Signal[Frame] = Signal()
        self.ended: Signal[()] = Signal()
        self.failed: Signal[LatherError] = Signal()
        self.broke: Signal[Outcome] = Signal()
        self.rested: Signal[()] = Signal()
        self._job = job
        self._executor = executor
        self._viewport = viewport
        self._stroke: _Stroke | None = None  # the pen is down
        self._finishing: _Stroke | None = None  # it is up, the outcome is not in the job yet
        self._waiting: list[tuple[str, PenSample]] = []
        self._lock = threading.Lock()
        self._around = AroundCache()
        self._paces: dict[object, Pace] = {}
        self.reading: ShapeReading | None = None  # of the stroke in progress, or the last

    @property
    def busy(self) -> bool:
        """True from pen-down until the outcome is in the job, and readings that wait for it."""
        return bool(self._stroke or self._finishing or self._waiting)

    @property
    def drawing(self) -> bool:
        """True while the pen is down."""
        return self._stroke is not None

    @property
    def trail(self) -> list[PenSample]:
        """The pen's path so far, while it draws an outline."""
        stroke = self._stroke
        return stroke.seen if stroke is not None and stroke.work.outlines() else []

    def down(self, sample: PenSample) -> None:
        self.began.emit(sample)
        if self._finishing is not None:
            self._waiting.append(("down", sample))
            return
        self.cancel()
        self.reading = None
        try:
            work = tool(self.hand.tool).begin(self._job.state, self.hand)
        except LatherError as error:
            self.failed.emit(error)
            return
        path = StrokePath(self.hand.brush, by_time=tool(self.hand.tool).by_time)
        self._stroke = _Stroke(work, self.hand, self._job.state, sample.time_s, path,
                               space_of(work, self.hand, self._job.state), [], [], [])  # fmt: skip
        self._take(sample)

    def move(self, sample: PenSample) -> None:
        if self._finishing is not None:
            self._waiting.append(("move", sample))
        elif self._stroke is not None:
            self._take(sample)

    def up(self, sample: PenSample) -> None:
        if self._finishing is not None:
            self._waiting.append(("up", sample))
            return
        if self._stroke is None:
            return
        if sample.pressure > 0:
            self._take(sample)
        stroke, self._stroke = self._stroke, None
        self._finishing = stroke
        samples = tuple(stroke.samples)

        def finish() -> Done | None:
            self._paint_pending(stroke)
            outcome = stroke.work.finish(samples)
            if outcome is None:
                return None
            refuse_without_effect(self._job.state, outcome, stroke.painted)
            self._job.prepare(outcome.apply)
            return outcome, call_of_stroke(stroke.hand, samples, stroke.painted, stroke.space,
                                           stroke.begun, outcome)  # fmt: skip

        self._executor.post(
            finish,
            lambda done: self._settle(stroke, done),
            failed=lambda error: self._fail(stroke, error),
        )

    def rest(self, now_s: float) -> None:
        """The pen is down and still; called regularly for brushes that build up."""
        stroke = self._stroke
        if stroke is None:
            return
        rested = stroke.path.resting(float(np.float32(now_s - stroke.began_s)))
        if rested is not None:
            stroke.samples.append(rested)
            self._feed(stroke, stroke.path.extend([rested]))

    def cancel(self) -> None:
        """Forget the stroke in progress."""
        if self._stroke is not None:
            self._stroke = None
            self._over()

    def take_back(self) -> bool:
        """Forget the stroke begun last, if it is not in the job yet; False if there is none."""
        begun = [n for n, (kind, _) in enumerate(self._waiting) if kind == "down"]
        if begun:
            del self._waiting[begun[-1] :]
        elif self._stroke is not None:
            self.cancel()
        elif self._finishing is not None:
            self._finishing = None
            self._over()
        else:
            return False
        return True

    def lift(self) -> None:
        """End the stroke in progress, as if the pen were lifted where it is."""
        if self._stroke is not None:
            self.up(replace(self._stroke.seen[-1], pressure=0.0))
        elif self._waiting and self._waiting[-1][0] != "up":
            self._waiting.append(("up", replace(self._waiting[-1][1], pressure=0.0)))

    def close(self) -> None:
        """Forget everything: the job is closed, and what is computed for it has no place."""
        self._waiting.clear()
        self._stroke = self._finishing = None

    def _take(self, sample: PenSample) -> None:
        stroke = self._stroke
        assert stroke is not None
        stroke.seen.append(sample)
        if stroke.space.above:
            x, y = stroke.space.from_seen(np.array([[sample.x, sample.y]]))[0]
            sample = replace(sample, x=float(x), y=float(y))
        sample = as_kept(sample, stroke.began_s)
        stroke.samples.append(sample)
        self._feed(stroke, stroke.path.extend([sample]))

    def _feed(self, stroke: _Stroke, dabs: Dabs) -> None:
        if len(dabs) == 0:
            return
        with self._lock:
            stroke.pending.append(dabs)
            if stroke.step_posted:
                return
            stroke.step_posted = True
        viewport = self._viewport()
        self._executor.post(
            lambda: self._step(stroke, viewport),
            lambda frame: self._show(stroke, frame),
            failed=lambda error: self._fail(stroke, error),
        )

    def _step(self, stroke: _Stroke, viewport: Viewport) -> Frame | None:
        """On the worker: paint what is pending and render what it changed."""
        dirty = self._paint_pending(stroke)
        if dirty.empty:
            return None
        state = stroke.work.preview()
        seen = stroke.space.seen_rect(changed_within(state, state.active_id, dirty))
        level, look, shown = viewport.level, viewport.look, stroke.work.shows()
        reach_px = 0 if look is None else LENSES[look.id].near_px(state, level)
        rect = seen.at_level(level).grown(reach_px).intersect(viewport.rect)
        if rect.empty:
            return None
        if look is not None:
            shown = Shown.LENS
        pace = self._pace(stroke, look, level)
        grade = Grade.EXACT if pace is None else pace.choose(rect.area)
        began_s, coarser = time.perf_counter(), int(grade is Grade.COARSE)
        pixels = self._pixels(stroke, state, look, coarse_rect(rect, coarser), level + coarser)
        image = enlarged(screen_bytes(state, pixels, viewport.surround), coarser, rect)
        if pace is not None:
            pace.note(grade, rect.area, time.perf_counter() - began_s)
        hatched = stroke.work.hatched()
        if hatched is not None:
            hatch(image, _at_level(hatched, rect, viewport.level), rect)
        work, live = stroke.work, changed_above(state, state.active_id, stroke.painted)
        return Frame(
            viewport.level, rect, image, live, work.covered(), stroke.space, shown,
            work.reading(),
        )

    def _pace(self, stroke: _Stroke, look: LensLook | None, level: int) -> Pace | None:
        """Of frames that may be coarse until the pen is lifted: through a lens, and of pixels that
        are moved; None for paint."""
        if level >= DEEPEST_LEVEL or (look is None and not stroke.work.moves_pixels()):
            return None
        about = stroke.hand.tool, look, level
        return self._paces.setdefault(about, Pace(STROKE_MS, Grade.EXACT, FRAMES))

    def _pixels(
        self, stroke: _Stroke, state: JobState, look: LensLook | None, rect: Rect, level: int
    ) -> FloatImage:
        own = None
        if not _other_lens(look, stroke.work.shows()):
            own = self._own_pixels(stroke, rect, level)
        if own is not None:
            return own
        if look is None:
            return self._render(state, rect, level)
        return looked_through(look, state, rect, level,
                              lambda wide, at: self._render(state, wide, at))  # fmt: skip

    def _own_pixels(self, stroke: _Stroke, rect: Rect, level: int) -> FloatImage | None:
        """What the tool itself shows; it knows nothing of what lies reshaped above."""
        work = stroke.work
        if not stroke.space.above or work.shows() is not Shown.AFTER:
            return work.shown(rect, level)
        if work.shown(Rect(rect.x0, rect.y0, rect.x0 + 1, rect.y0 + 1), level) is None:
            return None

        def below(wide: Rect) -> FloatImage:
            pixels = work.shown(wide, level)
            assert pixels is not None
            return pixels

        return stroke.space.shown(below, rect, level)

    def _render(self, state: JobState, rect: Rect, level: int) -> FloatImage:
        if rect.area > 2**22:  # larger than any cache of backdrops is worth
            return render(state, rect, level)
        return self._around.render(state, self._job.state, rect, level)

    def _paint_pending(self, stroke: _Stroke) -> Rect:
        with self._lock:
            pending, stroke.pending = stroke.pending, []
            stroke.step_posted = False
        dirty = stroke.work.add(np.concatenate(pending)) if pending else Rect(0, 0, 0, 0)
        stroke.painted = stroke.painted.union(dirty)
        return dirty

    def _show(self, stroke: _Stroke, frame: Frame | None) -> None:
        if frame is not None and (self._stroke is stroke or self._finishing is stroke):
            self.reading = frame.reading
            self.frame.emit(frame)

    def _settle(self, stroke: _Stroke, done: Done | None) -> None:
        if stroke is not self._finishing:
            return  # its work failed before: what came of it is not whole
        self._finishing = None
        try:
            if done is not None:
                outcome, call = done
                self._job.change(outcome.name, outcome.apply(self._job.state), call=call)
        except LatherError as error:
            self._over(error)
        except BaseException:
            self._over()  # a fault, told at the edge
            raise
        else:
            self._over(broken=done[0] if done is not None else None)

    def _fail(self, stroke: _Stroke, error: Exception) -> None:
        """A stroke's work failed: that stroke ends, and no other."""
        expected = error if isinstance(error, LatherError) else None
        if stroke is self._stroke or stroke is self._finishing:
            if stroke is self._stroke:
                self._stroke = None
            else:
                self._finishing = None
            self._over(expected)
        if expected is None:
            raise error

    def _over(self, error: LatherError | None = None, broken: Outcome | None = None) -> None:
        """Tell how the stroke ended; the readings that waited for it come next."""
        try:
            self.ended.emit()
            if error is not None:
                self.failed.emit(error)
            if broken is not None and broken.broken is not None:
                self.broke.emit(broken)
        finally:
            self._replay()
            if not self.busy:
                self.rested.emit()

    def _replay(self) -> None:
        waiting, self._waiting = self._waiting, []
        for kind, sample in waiting:
            {"down": self.down, "move": self.move, "up": self.up}[kind](sample)


def _other_lens(look: LensLook | None, shown: Shown) -> bool:
    """True if a tool's own pixels are not what is looked at."""
    return look is not None and not (shown is Shown.LENS and look.id == "regions")


def _at_level(coverage: Coverage, rect: Rect, level: int) -> Plane:
    """Coverage in a rectangle of a mip level, one sample per pixel."""
    step = 1 << level
    return coverage.read(rect.from_level(level))[step // 2 :: step, step // 2 :: step]
