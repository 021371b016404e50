"""The application without a window: the open job, the hand, the view, and what runs aside.

Commands act on it, views subscribe to it. It decides; the window only shows and forwards.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, TypeVar

from lather.actions.asker import Asker
from lather.actions.findings.walk import Walk
from lather.actions.hand.hands import Hands
from lather.actions.job.keeping import Keeper
from lather.actions.job.recovery import Opened
from lather.actions.job.stepping import Stepping
from lather.actions.keymap import with_keys
from lather.actions.looking.looks import Looks
from lather.actions.looking.sight import Sight, Sights
from lather.actions.stages.gauge import Gauge
from lather.actions.stages.table import BEGINS_IN
from lather.actions.work.task import Offer, Task, told_error
from lather.actions.work.tasks import Tasks
from lather.assist.pending import Pending
from lather.core.brush.stroke import PenSample
from lather.core.last import forget_all
from lather.core.rect import Rect
from lather.core.work import CancelToken, Progress
from lather.document import edits
from lather.document.events import Signal
from lather.document.job import Job
from lather.document.layers.layer import Stage
from lather.document.merge import same_work
from lather.document.operations.call import Call
from lather.document.state import JobState
from lather.errors import LatherError
from lather.names import readable
from lather.operations.edits import call_of
from lather.render.compositor import kept
from lather.render.screen.geometry import ViewGeometry
from lather.render.worker import Executor, SameThread
from lather.settings.store import Settings
from lather.tools.base import Hand
from lather.tools.session import PenSession, Viewport
from lather.tools.starts import starting_size_px
from lather.tools.table import tool

T = TypeVar("T")

class Workbench:
    """The application's state.

    Signals
    -------
    job_opened() : `job` is another one (or None).
    job_changed(before, after) : the open job's state changed.
    looks_changed() : before, split, mask view, or zoom, place, mirror changed.
    stage_changed() : another stage is looked at.
    task_changed() : long work began, advanced or ended.
    said(text, is_error) : a sentence for the person; `offer` is what could be done about it.
    pending_changed() : another proposal is looked at, or none, or it is set otherwise.
    rests() : some times a second, while no pen is down and nothing runs aside.
    offer_withdrawn() : what was said last is over, and with it what could be done about it.
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
        self.stepping: Stepping | None = None
        self.offer: Offer | None = None
        self.stays = False  # what was said last, until it is put away or was there for long
        self.proposals: dict[Stage, Pending] = {}  # that are looked at, each in its stage
        self.hands, self.looks, self.walk, self.gauge = Hands(settings), Looks(), Walk(), Gauge()
        self.geometry: ViewGeometry | None = None
        self.stage = BEGINS_IN
        self.panning = False
        self.job_opened: Signal[()] = Signal()
        self.job_changed: Signal[JobState, JobState] = Signal()
        self.looks_changed: Signal[()] = Signal()
        self.stage_changed: Signal[()] = Signal()
        self.said: Signal[str, bool] = Signal()
        self.pending_changed: Signal[()] = Signal()
        self.offer_withdrawn: Signal[()] = Signal()
        self.rests: Signal[()] = Signal()
        self.prepared: dict[Stage, tuple[object, Pending | None]] = {}  # and of what
        self.not_surveyed: object = None  # the photo whose survey was given up
        self._stroke_executor = stroke_executor or SameThread()
        self.tasks = Tasks(task_executor or SameThread(), self.say, self.report)
        self.task_changed = self.tasks.changed
        self.tasks.cancelled.connect(self.walk.under_way.clear)
        self._keep_executor = keep_executor or SameThread()
        self._view_size = (800, 600)
        self._sights = Sights()
        self._corrected = False  # a tool that corrects regions was in the hand
        self._fitting = True
        self.hands.changed.connect(self._on_hand_changed)
        self.job_changed.connect(self._on_job_changed)

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
        self.tasks.stop_waiting()
        if self.job is not None:
            self.job.changed.disconnect(self.job_changed.emit)
        if self.session is not None:
            self.session.close()
        if self.keeper is not None:
            self.keeper.close()
        if isinstance(opened, Job):
            opened = Opened(opened)
        if self.job is not None:
            kept.close(self.job.state.photo)
        forget_all()
        self.job = opened.job if opened is not None else None
        self.keeper = self.session = self.stepping = None
        self.looks = Looks()
        self.walk.leave()
        self.gauge.forget()
        self.proposals.clear()
        self.prepared.clear()
        self.tasks.give_way()
        self.tasks.leave_line()
        self._withdraw_offer()
        if opened is not None:
            self._attend(opened)
        self.job_opened.emit()
        self.pending_changed.emit()
        self.hands.for_new_job()

    def leave(self) -> int:
        """Close the job without asking; how many unsaved steps are kept for the next start."""
        if self.keeper is None:
            return 0
        keeper, self.keeper = self.keeper, None
        n_kept = keeper.n_unsaved
        keeper.leave()
        self.take_job(None)
        return n_kept

    def _attend(self, opened: Opened) -> None:
        job = opened.job
        job.history.budget_bytes = self.settings["history_megabytes"] * 2**20
        job.history.disk_bytes = self.settings["history_disk_megabytes"] * 2**20
        job.changed.connect(self.job_changed.emit)
        self.keeper = Keeper(opened, self._keep_executor)
        self.keeper.troubled.connect(lambda error: self.say(error.sentence(), error=True))
        self.keeper.start(opened)
        self.stepping = Stepping(job, self.keeper, self._keep_executor, self.say)
        self.session = PenSession(job, self._stroke_executor, self.viewport)
        self.session.hand = self.hand
        self.session.began.connect(self._on_pen_down)
        self.session.failed.connect(lambda error: self.say(error.sentence(), error=True))
        self.fit()

    def _on_pen_down(self, sample: PenSample) -> None:
        if self.keeper is not None:
            self.keeper.make_way()
        self.hands.use()
        if self.hands.aims:
            self.hands.aim(self.layer_sight.under(sample.x, sample.y))

    def change(
        self, name: str, edit: Callable[..., JobState], *args: Any, gesture: object = None,
        **kwargs: Any,
    ) -> bool:
        """Apply an edit as a named step; False if it changed nothing."""
        after = edit(self.state, *args, **kwargs)
        return self.take_step(name, after, call_of(edit, *args, **kwargs), gesture)

    def take_step(
        self, name: str, after: JobState, call: Call | None, gesture: object = None
    ) -> bool:
        """Make a state a step, which a call led to; False if it changes nothing, which is said
        unless it is one of many changes of a gesture."""
        if call is not None:
            call = replace(call, stage=self.stage.value, tool=self.hand.tool)
        is_step = self.open_job.change(name, after, gesture, call)
        if not is_step and gesture is None:
            self.say(f"{name}: nothing changed.")
        return is_step

    def undo(self) -> None:
        """Take back the stroke that is not in the job yet, or else the last step."""
        if self.session is not None and self.session.take_back():
            self.say("Undone: the stroke in hand.")
            return
        if self.stepping is not None:
            self.stepping.undo()

    def redo(self) -> None:
        if self.stepping is not None:
            self.stepping.redo()

    def go_to_step(self, n_done: int) -> None:
        """Undo or redo until that many steps are done; what is in the hand would land on them."""
        while self.session is not None and self.session.take_back():
            self.say("Taken back: the stroke in hand.")
        if self.stepping is not None:
            self.stepping.go_to(n_done)

    # --- what is in the hand -------------------------------------------------------------

    @property
    def hand(self) -> Hand:
        return self.hands.hand

    def set_on_mask(self, on_mask: bool) -> None:
        """Brushes work on the active layer's mask; EditError if it has none or is locked."""
        if on_mask:
            edits.mask_paintable(self.state, self.state.active_id)
        self.hands.set_on_mask(on_mask)

    def select_layer(self, layer_id: int) -> None:
        self.open_job.select(layer_id)

    def _leave_missing_mask(self) -> None:
        """Whatever made another layer the active one, or took its mask away."""
        if self.state.active.mask is None:
            if self.hands.on_mask:
                self.set_on_mask(False)
            if self.looks.mask_alone:
                self.look(mask_alone=False)

    def _on_hand_changed(self) -> None:
        if self.session is not None:
            self.session.hand = self.hand
        corrects = tool(self.hand.tool).uses_region
        if corrects != self._corrected:  # the lens comes and goes with the tool
            self._corrected = corrects
            self.look(lens="regions" if corrects else "")

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

    @property
    def photo_sight(self) -> Sight:
        """How places of the photo are seen."""
        return self._sights.photo(self.job.state if self.job is not None else None)

    @property
    def layer_sight(self) -> Sight:
        """How places of the layer in work are seen."""
        return self._sights.layer(self.job.state if self.job is not None else None)

    def viewport(self) -> Viewport:
        """What a stroke has to draw."""
        assert self.geometry is not None
        return self.looks.viewport(self.geometry, self.hand.region, self.surround)

    def _show(self, geometry: ViewGeometry, fitting: bool = False) -> None:
        self._fitting = fitting
        if geometry != self.geometry:
            self.geometry = geometry
            self.looks_changed.emit()

    def go_to_stage(self, stage: Stage) -> None:
        """Go to a stage to work in it, with the tool last used there."""
        self.hands.go_to_stage(stage)
        self.start_hand()
        self.show_stage(stage)

    def show_stage(self, stage: Stage) -> None:
        """Look at another stage and its own proposal; what is in the hand stays in it."""
        self.hands.show_stage(stage)
        if stage is not self.stage:
            self.stage = stage
            self.stage_changed.emit()
            self.pending_changed.emit()

    def start_hand(self) -> None:
        """A tool that reshapes begins with a size of this face."""
        if self.job is not None and self.hands.is_fresh:
            self.hands.start(starting_size_px(self.hand.tool, self.state))

    # --- what is proposed ----------------------------------------------------------------

    @property
    def pending(self) -> Pending | None:
        """The proposal of the stage that is looked at."""
        return self.proposals.get(self.stage)

    def set_pending(self, pending: Pending | None) -> None:
        """Look at a proposal, in its own stage; or at none in this one."""
        if pending is None:
            self.proposals.pop(self.stage, None)
        else:
            self.proposals[pending.stage] = pending
        self.pending_changed.emit()

    def tick(self, now_s: float) -> None:
        """Called some times a second, for what is done while nobody works."""
        busy = self.task is not None or (self.session is not None and self.session.busy)
        if self.keeper is None or self.job is None or busy:
            return
        quiet_s = self.job.ledger.quiet_s(now_s)
        self.keeper.idle(quiet_s, 60.0 * self.settings["checkpoint_minutes"])
        self.rests.emit()

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        self._leave_missing_mask()
        if before.layers is not after.layers:
            kept.of(after.photo).keep_only(after.layers)
        if self.looks.before and before.layers is not after.layers:
            self.look(before=False)  # what is done is seen
        of = self.offer.of if self.offer is not None else None
        if of is not None and not same_work(of, after):
            self._withdraw_offer()

    def _withdraw_offer(self) -> None:
        if self.offer is not None:
            self.offer = None
            self.offer_withdrawn.emit()

    # --- messages and long work ----------------------------------------------------------

    def say(
        self, text: str, *, error: bool = False, offer: Offer | None = None, stays: bool = False
    ) -> None:
        """A sentence, with keys for '{key:ID}'; one that `stays` is left beside what comes next."""
        self.offer, self.stays = offer, stays
        self.said.emit(with_keys(readable(text), self.settings), error)

    @property
    def task(self) -> Task | None:
        """The long work that runs aside now."""
        return self.tasks.task

    def run_task(
        self,
        title: str,
        work: Callable[[Progress, CancelToken], T],
        done: Callable[[T], object],
        **options: Any,
    ) -> None:
        """Run long work aside; see `Tasks.run`."""
        self.tasks.run(title, work, done, **options)

    def in_turn(self, start: Callable[[], object]) -> None:
        """Begin something that runs aside, now or when its turn comes; see `Tasks.in_turn`."""
        self.tasks.in_turn(start)

    def leave_line(self) -> None:
        """What waits for its turn is not wanted any more."""
        self.tasks.leave_line()
        self.walk.under_way.clear()

    def report(self, error: Exception, what: str, retry: Callable[[], None] | None = None) -> None:
        """Say an expected error; log a bug and say that it happened."""
        sentence, is_expected = told_error(error, what)
        offer = Offer("Try again", retry) if is_expected and retry is not None else None
        if sentence:
            self.say(sentence, error=True, offer=offer)
