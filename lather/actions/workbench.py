"""The application without a window: the open job, the hand, the view, and what runs aside.

Commands act on it, views subscribe to it. It decides; the window only shows and forwards.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import replace
from typing import Any, TypeVar

from lather.actions.asker import Asker
from lather.actions.keeping import Keeper
from lather.actions.looks import Looks
from lather.actions.recovery import Opened
from lather.actions.task import Task
from lather.actions.walk import Walk
from lather.core.brush.stroke import PenSample
from lather.core.mend.mode import MendMode
from lather.core.rect import Rect
from lather.core.work import CancelToken, Progress
from lather.document import edits
from lather.document.events import Signal
from lather.document.findings import FindingState
from lather.document.job import Job, JobState
from lather.document.layers import Stage
from lather.errors import Cancelled, LatherError
from lather.render.geometry import ViewGeometry
from lather.render.view import Shown
from lather.render.worker import Executor, SameThread
from lather.settings.store import Settings
from lather.tools.base import Colour, Hand
from lather.tools.session import Frame, PenSession, Viewport
from lather.tools.source import PickedSource, SourceGoes
from lather.tools.table import TOOLS, tool

T = TypeVar("T")
SIZE_STEP = 1.15
SMALLEST_SIZE_PX, LARGEST_SIZE_PX = 1.0, 2000.0
SMALLEST_SPACING = 0.02
_LOWEST = {"hardness": 0.0, "opacity": 0.0, "flow": 0.0, "spacing": SMALLEST_SPACING}

log = logging.getLogger(__name__)


class Workbench:
    """The application's state.

    Signals
    -------
    job_opened() : `job` is another one (or None).
    job_changed(before, after) : the open job's state changed.
    hand_changed() : tool, brush, colour or mode changed.
    looks_changed() : before, split, mask view, or zoom, place, mirror changed.
    stage_changed() : another stage is looked at.
    task_changed() : long work began, advanced or ended.
    said(text, is_error) : a sentence for the person; `retry` is what could be tried again.
    """

    def __init__(
        self,
        settings: Settings,
        asker: Asker,
        *,
        stroke_executor: Executor | None = None,
        task_executor: Executor | None = None,
        keep_executor: Executor | None = None,
    ) -> None:
        self.settings = settings
        self.ask = asker
        self.job: Job | None = None
        self.keeper: Keeper | None = None
        self.session: PenSession | None = None
        self.retry: Callable[[], None] | None = None
        self.looks = Looks()
        self.walk = Walk()
        self.geometry: ViewGeometry | None = None
        self.stage = Stage.CLEAN
        self.task: Task | None = None
        self.panning = False
        self.picking = False  # the next click picks the source
        self.job_opened: Signal[()] = Signal()
        self.job_changed: Signal[JobState, JobState] = Signal()
        self.hand_changed: Signal[()] = Signal()
        self.looks_changed: Signal[()] = Signal()
        self.stage_changed: Signal[()] = Signal()
        self.task_changed: Signal[()] = Signal()
        self.said: Signal[str, bool] = Signal()
        self._stroke_executor = stroke_executor or SameThread()
        self._task_executor = task_executor or SameThread()
        self._keep_executor = keep_executor or SameThread()
        self._hands = {entry.id: Hand(entry.id, entry.brush) for entry in TOOLS}
        self._tool_id = TOOLS[0].id
        self._on_mask = False
        self._view_size = (800, 600)
        self._warned_of: set[int] = set()  # kept marks that a brush has touched
        self._fitting = True

    # --- the job -------------------------------------------------------------------------

    @property
    def state(self) -> JobState:
        """The open job's state; EditError if none is open."""
        return self.open_job.state

    @property
    def open_job(self) -> Job:
        if self.job is None:
            raise LatherError("Nothing was changed", "no photo is open", "open one first")
        return self.job

    def take_job(self, opened: Opened | Job | None) -> None:
        """Make a job the open one; the one before is closed and its unsaved steps go."""
        if self.job is not None:
            self.job.changed.disconnect(self.job_changed.emit)
        if self.keeper is not None:
            self.keeper.close()
        if isinstance(opened, Job):
            opened = Opened(opened)
        self.job = opened.job if opened is not None else None
        self.keeper = self.session = None
        self.looks = Looks()
        self.walk.leave()
        self._on_mask = False
        for tool_id, hand in self._hands.items():
            self._hands[tool_id] = replace(hand, back_to=None, source=None)
        if opened is not None:
            self._attend(opened)
        self.job_opened.emit()
        self.hand_changed.emit()

    def _attend(self, opened: Opened) -> None:
        job = opened.job
        job.history.budget_bytes = self.settings["history_megabytes"] * 2**20
        job.history.disk_bytes = self.settings["history_disk_megabytes"] * 2**20
        job.changed.connect(self.job_changed.emit)
        self.keeper = Keeper(opened, self._keep_executor)
        self.keeper.troubled.connect(lambda error: self.say(error.sentence(), error=True))
        self.keeper.start(opened)
        self.session = PenSession(job, self._stroke_executor, self.viewport)
        self.session.hand = self.hand
        self.session.began.connect(self._on_pen_down)
        self.session.frame.connect(self._warn_of_kept_marks)
        self._warned_of.clear()
        self.session.failed.connect(lambda error: self.say(error.sentence(), error=True))
        self.fit()

    def _on_pen_down(self, sample: PenSample) -> None:
        if self.keeper is not None:
            self.keeper.make_way()
        hand = self.hand
        aims = tool(hand.tool).uses_source and hand.source_goes is SourceGoes.FOLLOWING
        if aims and hand.source is not None and hand.source.offset is None:
            offset = hand.source.offset_for(sample.x, sample.y, hand.source_goes)
            self.set_source(replace(hand.source, offset=offset))

    def _warn_of_kept_marks(self, frame: Frame) -> None:
        """Once a mark: what belongs to the person is under the brush."""
        findings = self.state.findings
        for finding in findings.in_state(FindingState.KEPT):
            touched = frame.painted.contains_point(finding.x, finding.y)
            if touched and finding.id not in self._warned_of:
                self._warned_of.add(finding.id)
                self.say(
                    f"The brush touches a kept mark ({finding.kind.value.split('.')[-1]}): it "
                    "belongs to the person. Undo, or open it again in the worklist.", error=True,
                )  # fmt: skip

    def change(
        self, name: str, edit: Callable[..., JobState], *args: Any, gesture: object = None,
        **kwargs: Any,
    ) -> None:
        """Apply an edit of `lather.document.edits` as a named step."""
        job = self.open_job
        job.change(name, edit(job.state, *args, **kwargs), gesture)
        self._leave_missing_mask()

    def undo(self) -> None:
        self._step(self.open_job.undo(), "Undone")

    def redo(self) -> None:
        self._step(self.open_job.redo(), "Redone")

    def go_to_step(self, n_done: int) -> None:
        """Undo or redo until that many steps of the history are done."""
        self.open_job.go_to(n_done)
        self._leave_missing_mask()

    def _step(self, name: str | None, done: str) -> None:
        self._leave_missing_mask()
        if name is not None:
            self.say(f"{done}: {name}.")

    # --- what is in the hand -------------------------------------------------------------

    @property
    def hand(self) -> Hand:
        hand = self._hands[self._tool_id]
        return replace(hand, on_mask=self._on_mask and tool(hand.tool).works_on_mask)

    @property
    def back_to(self) -> JobState | None:
        """What Paint back brings back: a state of the job, or the photo (None)."""
        return self._hands["paint_back"].back_to

    @property
    def on_mask(self) -> bool:
        """True while brushes work on the active layer's mask."""
        return self._on_mask

    def take_tool(self, tool_id: str) -> None:
        self._tool_id = tool_id
        if self._on_mask and not tool(tool_id).works_on_mask:
            self._on_mask = False
        self._hand_is(self._hands[tool_id])

    def set_brush(self, **changes: Any) -> None:
        """Change attributes of the brush in hand, kept within their bounds."""
        if "size_px" in changes:
            changes["size_px"] = min(max(changes["size_px"], SMALLEST_SIZE_PX), LARGEST_SIZE_PX)
        for name, lowest in _LOWEST.items():
            if name in changes:
                changes[name] = min(max(changes[name], lowest), 1.0)
        hand = self._hands[self._tool_id]
        self._hand_is(replace(hand, brush=replace(hand.brush, **changes)))

    def scale_brush(self, steps: int) -> None:
        """Larger (steps > 0) or smaller by a constant ratio per step, at least one pixel."""
        size_px = self.hand.brush.size_px
        grown = size_px * SIZE_STEP**steps
        if abs(grown - size_px) < 1:
            grown = size_px + (1 if steps > 0 else -1)
        self.set_brush(size_px=float(round(grown)))

    def set_mode(self, mode: MendMode) -> None:
        self._hand_is(replace(self._hands[self._tool_id], mode=mode))

    def set_colour(self, colour: Colour) -> None:
        for tool_id, hand in self._hands.items():
            self._hands[tool_id] = replace(hand, colour=colour)
        self._hand_is(self._hands[self._tool_id])

    def set_source(self, source: PickedSource | None) -> None:
        """Where all source tools take from."""
        for tool_id, hand in self._hands.items():
            self._hands[tool_id] = replace(hand, source=source)
        self._hand_is(self._hands[self._tool_id])

    def set_source_goes(self, goes: SourceGoes) -> None:
        self._hand_is(replace(self._hands[self._tool_id], source_goes=goes))

    def set_on_mask(self, on_mask: bool) -> None:
        if on_mask:
            edits.mask_paintable(self.state, self.state.active_id)
            if not tool(self._tool_id).works_on_mask:
                self._tool_id = "paint_colour"
        self._on_mask = on_mask
        self._hand_is(self._hands[self._tool_id])

    def paint_back_from(self, state: JobState | None) -> None:
        """Set `back_to` and take Paint back."""
        self._hands["paint_back"] = replace(self._hands["paint_back"], back_to=state)
        self.take_tool("paint_back")

    def select_layer(self, layer_id: int) -> None:
        self.open_job.select(layer_id)
        self._leave_missing_mask()

    def _leave_missing_mask(self) -> None:
        if self.job is not None and self.state.active.mask is None:
            if self._on_mask:
                self.set_on_mask(False)
            if self.looks.mask_alone:
                self.look(mask_alone=False)

    def _hand_is(self, hand: Hand) -> None:
        self._hands[self._tool_id] = hand
        if self.session is not None:
            self.session.hand = self.hand
        self.hand_changed.emit()

    # --- the view ------------------------------------------------------------------------

    def look(self, **changes: Any) -> None:
        looks = replace(self.looks, **changes)
        if looks != self.looks:
            self.looks = looks
            self.looks_changed.emit()

    def resize_view(self, width: int, height: int) -> None:
        self._view_size = (max(1, width), max(1, height))
        if self.geometry is not None:
            if self._fitting:
                self.fit()
            else:
                self._show(self.geometry.resized(*self._view_size), fitting=False)

    def fit(self) -> None:
        photo = self.state.photo
        mirrored = self.geometry.mirrored if self.geometry is not None else False
        fitted = ViewGeometry.fitting(photo.width, photo.height, *self._view_size)
        self._show(replace(fitted, mirrored=mirrored), fitting=True)

    def zoom_to(self, zoom: float, at: tuple[float, float] | None = None) -> None:
        """Set the zoom, keeping the view point `at` (default: the middle) in place."""
        if self.geometry is not None:
            width, height = self._view_size
            self._show(self.geometry.zoomed(zoom, *(at or (width / 2, height / 2))))

    def pan(self, dx: float, dy: float) -> None:
        if self.geometry is not None:
            self._show(self.geometry.panned(dx, dy))

    def centre_on(self, rect: Rect) -> None:
        if self.geometry is not None:
            x, y = (rect.x0 + rect.x1) / 2, (rect.y0 + rect.y1) / 2
            self._show(self.geometry.centred(x, y))

    def mirror(self) -> None:
        if self.geometry is not None:
            mirrored = not self.geometry.mirrored
            self._show(replace(self.geometry, mirrored=mirrored), fitting=self._fitting)

    @property
    def surround(self) -> float:
        return float(self.settings["surround_percent"]) / 100

    def viewport(self) -> Viewport:
        """What a stroke has to draw."""
        assert self.geometry is not None
        if self.looks.shown is not Shown.AFTER:
            return Viewport(self.geometry.level, Rect(0, 0, 0, 0), self.surround)
        return Viewport(self.geometry.level, self.geometry.visible, self.surround)

    def _show(self, geometry: ViewGeometry, fitting: bool = False) -> None:
        self._fitting = fitting
        if geometry != self.geometry:
            self.geometry = geometry
            self.looks_changed.emit()

    def go_to_stage(self, stage: Stage) -> None:
        if stage is not self.stage:
            self.stage = stage
            self.stage_changed.emit()

    def tick(self, now_s: float) -> None:
        """Called about once a second: what is to be done while nobody works."""
        if self.keeper is None or self.task is not None or self.job is None:
            return
        if self.session is not None and self.session.busy:
            return
        quiet_s = self.job.ledger.quiet_s(now_s)
        self.keeper.idle(quiet_s, 60.0 * self.settings["checkpoint_minutes"])

    # --- messages and long work ----------------------------------------------------------

    def say(
        self, text: str, *, error: bool = False, retry: Callable[[], None] | None = None
    ) -> None:
        self.retry = retry
        self.said.emit(text, error)

    def run_task(
        self,
        title: str,
        work: Callable[[Progress, CancelToken], T],
        done: Callable[[T], None],
        *,
        retry: Callable[[], None] | None = None,
        handled: Callable[[Exception], bool] | None = None,
    ) -> None:
        """Run long work aside, one at a time, with progress and cancel.

        A failure that `handled` takes care of is not told; `retry` is offered with others.
        """
        if self.task is not None:
            raise LatherError(
                f"'{title}' was not started",
                f"'{self.task.title}' is still running",
                "wait for it or cancel it",
            )
        task = self.task = Task(title)
        self.task_changed.emit()

        def report(share: float, what: str) -> None:
            task.share, task.what = share, what

        def finished(outcome: T) -> None:
            self._end_task()
            done(outcome)

        def failed(error: Exception) -> None:
            self._end_task()
            if handled is not None and handled(error):
                return
            self.report(error, f"'{title}' failed", retry)
            if isinstance(error, Cancelled):
                self.say(f"{title}: cancelled, nothing was changed.")

        self._task_executor.post(lambda: work(report, task.cancel), finished, failed=failed)

    def report(
        self, error: Exception, what: str, retry: Callable[[], None] | None = None
    ) -> None:
        """Say an expected error; log a bug and say that it happened."""
        if isinstance(error, LatherError):
            self.say(error.sentence(), error=True, retry=retry)
        elif not isinstance(error, Cancelled):
            log.error(what, exc_info=error)
            self.say(f"{what}: {error!r}. This is a fault of Lather; the job is unharmed.",
                     error=True)

    def _end_task(self) -> None:
        self.task = None
        self.task_changed.emit()
