"""Keeps the open job safe: its lock, its journal, and a checkpoint while nobody works.

A journal exists exactly while there are steps that the job file does not hold.
"""

from __future__ import annotations

import logging
import shutil
import threading
import time
from contextlib import suppress
from pathlib import Path
from uuid import uuid4

from lather.actions.job.claiming import claim
from lather.actions.job.parking import Parking
from lather.actions.job.recovery import Opened, Recovered
from lather.actions.job.written import Written
from lather.core.work import CancelToken
from lather.document.events import Signal
from lather.document.history import Step
from lather.document.job import ABSORBED, Job
from lather.document.state import JobState
from lather.document.tree import walk
from lather.errors import Cancelled, LatherError
from lather.files.atomic import replacing
from lather.files.entries import Entry
from lather.files.jobs.archive import Archive
from lather.files.jobs.jobfile import new_revision
from lather.files.jobs.jobwriter import save_job
from lather.files.jobs.journal import Journal
from lather.files.jobs.lock import Lock
from lather.files.jobs.spill import spill_folder
from lather.files.places import Places, apart, apart_root, beside
from lather.render.worker import Executor

log = logging.getLogger(__name__)

IDLE_S = 3.0  # without a sign of life before a checkpoint begins
UNTITLED_FIRST_S = 10.0  # work without any file gets its first checkpoint soon


class Keeper:
    """One job's keeper, from opening to closing.

    Signals
    -------
    troubled(LatherError) : steps cannot be written down, or only elsewhere.
    """

    def __init__(self, opened: Opened, executor: Executor) -> None:
        self.troubled: Signal[LatherError] = Signal()
        self.job: Job = opened.job
        self.in_memory_only = False
        self._copy_of = opened.copy_of
        self._executor = executor
        self._lock: Lock | None = opened.lock
        self._written: Written | None = None
        self._hold = threading.RLock()  # what is written, and where: also on workers
        self._ended = False
        self._base: tuple[JobState, str] = (self.job.state, self.job.revision or new_revision())
        self._sync_posted = False
        self._checkpoint: CancelToken | None = None
        self._checkpoint_at_s = time.monotonic()
        self._steps_at_checkpoint = 0
        self._parking = Parking(executor, self.troubled)
        self._settling = CancelToken()
        self._process = uuid4().hex[:12]

    def start(self, opened: Opened) -> None:
        """Go on with what was recovered, and record every step from here on.

        Apart from the constructor, so that whoever listens to `troubled` hears all of it.
        """
        if opened.recovered is not None:
            self._go_on(opened.recovered)
        self.job.recorder = self._record
        self.job.ahead = self._ahead
        self._executor.post(apart_root)  # the first step finds its modules loaded
        self.job.history.park = self._parking.park
        if opened.archive is not None:
            self._settle_in(opened.archive)

    @property
    def n_unsaved(self) -> int:
        """Steps that lie in the journal and not in the job file."""
        return self._written.journal.n_steps if self._written is not None else 0

    def n_unwritten(self, after: JobState, most: int) -> int:
        """How many tiles a step to a state would have to write now, counted up to `most`."""
        with suppress(OSError, LatherError):
            return self._begun().journal.n_unwritten(after, most)
        return 0

    # --- saving --------------------------------------------------------------------------

    def take(self, path: Path) -> Lock | None:
        """The lock for saving to `path`; None where a folder allows no lock.

        Raises
        ------
        InUseError : another process has that job open.
        JobFileError : it is another job, with work that was never saved.
        """
        try:
            return claim(path, self._written.places if self._written is not None else None)
        except OSError:
            return None  # saving will say what is wrong with the folder

    def saving(self) -> str:
        """The present state is going to be saved; the revision to save it under."""
        self.make_way()
        revision = new_revision()
        if self._written is not None or self.job.path is not None:
            # Begun now if there is none: steps may be made while the file is written, and they
            # have to be found on whichever file is there after a kill.
            with suppress(OSError, LatherError):
                self._begun().journal.mark(revision)
        return revision

    def saved(self, state: JobState, revision: str, lock: Lock | None) -> None:
        """The job's file holds `state`: what the journal held up to there can go."""
        job, old_lock = self.job, self._lock
        with self._hold:
            self._base, self._lock, self._copy_of = (state, revision), lock, None
            self._steps_at_checkpoint = 0
            assert job.path is not None
            goes_on = job.state.work != state.work
            written = self._written
            if goes_on and written is not None and written.places == beside(job.path):
                self._restart(written, revision, job.path)
            else:
                self._drop()
                if goes_on:
                    self._write("Steps during saving", job.state)
            if old_lock is not None:
                old_lock.release()

    def _restart(self, written: Written, revision: str, path: Path) -> None:
        """The journal goes on from the file at `path`."""

        def work() -> None:
            with suppress(OSError, KeyError, LatherError):  # too long a journal is no harm
                written.journal.restart(revision)
                with self._hold:
                    if written is self._written:
                        written.keep_base(path)

        self._executor.post(work)

    def close(self) -> None:
        """The job is closed and what is unsaved is not wanted."""
        self._stop()
        self._drop()
        self._release()

    def leave(self) -> None:
        """The process ends: journal and checkpoint stay, so that the work is found again."""
        self._stop()
        with self._hold:
            written, self._written = self._written, None
        if written is not None:
            written.leave()
        self._release()

    def _stop(self) -> None:
        self.make_way()
        self._settling.cancel()
        with self._hold:
            self._ended = True
        self.job.recorder = self.job.ahead = None
        self.job.history.park = None

    def _release(self) -> None:
        if self._lock is not None:
            self._lock.release()
            self._lock = None

    def _drop(self) -> None:
        with self._hold:
            written, self._written = self._written, None
            if written is not None:
                written.drop()

    # --- every step ----------------------------------------------------------------------

    def _record(self, step: Step, after: JobState) -> None:
        self.make_way()
        self._write(step.name, after, self._told(step.gesture))

    def _told(self, gesture: object) -> str | None:
        """A gesture as the journal has it: those of another process are others."""
        if gesture is None:
            return None
        return repr(gesture) if gesture == ABSORBED else f"{self._process}:{gesture!r}"

    def _write(self, name: str, after: JobState, gesture: str | None = None) -> None:
        try:
            self._begun().journal.record(name, after, gesture)
        except (OSError, LatherError) as error:
            self._write_elsewhere(after, error)
            return
        self.in_memory_only = False
        self._post_sync()

    def _ahead(self, before: JobState, after: JobState) -> None:
        """On a worker: write the pixels of a step that is about to be made."""
        try:
            with self._hold:
                if self._ended:
                    return
                written = self._begun()
            written.journal.ahead(before, after)
        except (OSError, LatherError):
            pass  # the step itself will tell
        except Exception:  # no fault of this may cost the stroke: its step writes all of it
            log.exception("pixels were not written ahead")

    def _begun(self) -> Written:
        """The journal in use; a new one if there is none."""
        with self._hold:
            if self._written is None:
                self._written = self._begin(self._usual_places())
            return self._written

    def _usual_places(self) -> Places:
        if self.job.path is not None and self._lock is not None:
            return beside(self.job.path)
        return apart(self.job.title)

    def _begin(self, places: Places) -> Written:
        """A journal on the base."""
        lock = Lock.acquire(places.lock, self.job.title) if places.is_apart else None
        state, revision = self._base
        try:
            written = Written(
                Journal(places.journal, state, revision, self._about()), places, lock
            )
            written.keep_base(self.job.path)
            return written
        except (OSError, LatherError):
            if lock is not None:
                lock.release()
                shutil.rmtree(places.folder, ignore_errors=True)
            raise

    def _write_elsewhere(self, after: JobState, error: Exception) -> None:
        """The journal's place fails: all unsaved steps go to the user's own folder."""
        why = getattr(error, "strerror", None) or getattr(error, "why", "") or str(error)
        other: Written | None = None
        try:
            other = self._begin(apart(self.job.title))
            other.journal.record("Unsaved steps", after)
        except (OSError, LatherError):
            if other is not None:
                other.drop()
            self._tell_in_memory_only(why)
            return
        with self._hold:
            self._drop()
            self._written = other
        self.in_memory_only = False
        self._post_sync()
        self.troubled.emit(LatherError(
            "The journal was moved",
            f"it can no longer be written where it was ({why})",
            f"unsaved steps are kept in {other.places.folder}; save the job on another disk",
        ))  # fmt: skip

    def _tell_in_memory_only(self, why: str) -> None:
        first_time, self.in_memory_only = not self.in_memory_only, True
        if first_time:
            self.troubled.emit(LatherError(
                "Your last steps are in memory only",
                f"the journal cannot be written ({why})",
                "make room or save the job on another disk; every further step tries again",
            ))  # fmt: skip

    def _about(self) -> Entry:
        """Where this work belongs, for who finds the journal."""
        job = self.job
        about: Entry = {"title": job.title, "began_s": time.time()}
        if job.path is not None:
            return {**about, "job": str(job.path.resolve())}
        if self._copy_of is not None:
            return {**about, "copy_of": str(self._copy_of)}
        photo, first = self._base[0].photo, self._base[0].layers[0]
        return {
            **about,
            "photo": str(photo.path.resolve()) if photo.path is not None else "",
            "sha256": photo.sha256,
            "photo_layer": first.id,
            "photo_name": first.name,
        }

    def _post_sync(self) -> None:
        if self._sync_posted or self._written is None:
            return
        self._sync_posted, journal = True, self._written.journal

        def work() -> None:
            self._sync_posted = False  # what is written from here on needs another one
            with suppress(OSError):  # the next write will tell
                journal.sync()

        self._executor.post(work)

    def _go_on(self, recovered: Recovered) -> None:
        """Continue the journal that the work was recovered from."""
        places, lock = recovered.places, None
        if places.is_apart and self.job.path is None:
            self._lock, lock = None, self._lock
        try:
            if recovered.leaves_rest:
                self._keep_rest(recovered)
            journal = Journal(
                places.journal, recovered.state, new_revision(), recovered.found.about,
                recovered.replayed,
            )  # fmt: skip
            self._written = Written(journal, places, lock)
            self._written.keep_base(self.job.path)
        except OSError as error:
            self._write_elsewhere(self.job.state, error)
            return
        if self.job.state is not recovered.state:
            self._write(self.job.history.done[-1].name, self.job.state)

    def _keep_rest(self, recovered: Recovered) -> None:
        """A copy of a journal of which only the beginning can be replayed; OSError."""
        aside = recovered.places.aside("unread")
        with replacing(aside) as temporary:
            shutil.copyfile(recovered.places.journal, temporary)
        lost = f"{recovered.n_lost} further ones" if recovered.n_lost else "what follows"
        n_steps = recovered.n_steps
        self.troubled.emit(LatherError(
            f"{n_steps} unsaved steps were recovered" if n_steps != 1
            else "1 unsaved step was recovered",
            f"{lost} could not be read out of the journal",
            f"the whole of it is kept as '{aside}'",
        ))  # fmt: skip

    # --- while nobody works --------------------------------------------------------------

    def idle(self, quiet_s: float, every_s: float) -> None:
        """Called now and then: write a checkpoint if it is due. `every_s` 0: never."""
        since_s = time.monotonic() - self._checkpoint_at_s
        due_s = UNTITLED_FIRST_S if self._without_any_file() else every_s
        if (
            every_s <= 0
            or quiet_s < IDLE_S
            or since_s < due_s
            or self._checkpoint is not None
            or self._written is None
            or self.n_unsaved == self._steps_at_checkpoint
        ):
            return
        self._write_checkpoint()

    def make_way(self) -> None:
        """The person works again: a checkpoint under way is given up, not to be felt."""
        if self._checkpoint is not None:
            self._checkpoint.cancel()
            self._checkpoint = None

    def _without_any_file(self) -> bool:
        return self.job.path is None and self._steps_at_checkpoint == 0

    def _write_checkpoint(self) -> None:
        assert self._written is not None
        written_to, path = self._written, self._written.places.checkpoint
        state, n_steps = self.job.state, self.n_unsaved
        revision, worked_s = new_revision(), self.job.ledger.worked_s
        try:
            written_to.journal.mark(revision)
        except OSError:
            return  # the next step finds out and moves the journal
        token = self._checkpoint = CancelToken()

        def work() -> None:
            save_job(state, path, worked_s=worked_s, revision=revision, cancel=token)

        def written(nothing: None) -> None:  # noqa: ARG001
            if self._checkpoint is token:
                self._checkpoint = None
                self._checkpoint_at_s = time.monotonic()
                self._steps_at_checkpoint = n_steps
            elif self._written is not written_to:
                path.unlink(missing_ok=True)

        def failed(error: Exception) -> None:
            if self._checkpoint is token:
                self._checkpoint = None
                self._checkpoint_at_s = time.monotonic()
            if not isinstance(error, (Cancelled, LatherError, OSError)):
                raise error

        self._executor.post(work, written, failed=failed)

    def _settle_in(self, archive: Archive) -> None:
        """Check the job file and copy it, so that its disk may go."""

        def work() -> Archive:
            with suppress(Cancelled):
                with suppress(OSError):
                    archive.copy_to(spill_folder() or Path("/var/tmp"), self._settling)
                archive.check(self._settling)
                with suppress(LatherError):
                    list(self.job.state.operations)  # what cannot be read of them is told, too
            return archive

        self._executor.post(work, self._tell_damage, priority=1)

    def _tell_damage(self, archive: Archive) -> None:
        damage = archive.damage({layer.id: layer.name for layer in walk(self.job.state.layers)})
        if damage:
            self.troubled.emit(LatherError(
                f"'{self.job.title}' is damaged", damage,
                "open a backup of the job if there is one",
            ))  # fmt: skip
