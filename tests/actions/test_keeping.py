"""Nothing is ever lost: what the keeper does from opening to closing, and when disks fail."""

import errno
import os
import shutil
from contextlib import contextmanager
from pathlib import Path
from unittest import mock

from lather.actions.job.opening import offer_unsaved_work, open_file
from lather.actions.job.recovery import (
    open_copy,
    open_path,
    open_unsaved,
    unsaved_steps,
    unsaved_work,
)
from lather.actions.job.saving import save, save_as
from lather.actions.start import start_workbench
from lather.actions.table import all_actions
from lather.actions.workbench import Workbench
from lather.core.brush.stroke import PenSample
from lather.core.work import no_progress
from lather.document import edits
from lather.document.digest import digest
from lather.document.job import Job
from lather.errors import InUseError, JobFileError, LatherError
from lather.files.jobs import lock as locks
from lather.files.jobs.delta import DeltaWriter
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.jobs.journal import Journal
from lather.files.places import all_apart, apart_root, beside
from lather.settings.store import Settings
from tests.files.test_job_file import edited, rewritten
from tests.support import Answers, Case, apply_edit, painted_state, photo_in

STEPS = [("paint", 2), ("mask", 1), ("paint mask", 1), ("strength", 4), ("undo", 0), ("paint", 1)]


class KeepingCase(Case):
    """A job in a file, open in a workbench where everything happens at once."""

    def setUp(self) -> None:
        super().setUp()
        self.photo = photo_in(self.folder)
        self.path = self.folder / "a.lather"
        save_job(painted_state(self.photo, 2), self.path)
        self.addCleanup(shutil.rmtree, apart_root(), ignore_errors=True)
        self.said: list[str] = []
        self.bench = self.new_bench()

    def new_bench(self) -> Workbench:
        self.answers = Answers()
        bench = start_workbench(Settings(), self.answers)
        bench.said.connect(lambda text, error: self.said.append(text))
        self.addCleanup(lambda: bench.take_job(None))
        return bench

    def open(self, path: Path | None = None) -> Job:
        open_file(self.bench, path or self.path)
        return self.bench.open_job

    def work(self, steps=STEPS) -> str:
        """Some steps; what the job then is."""
        for step in steps:
            self.assertTrue(apply_edit(self.bench.open_job, *step), step)
        return digest(self.bench.state)

    def end_process(self) -> None:
        """As after a kill: locks fall with the process, files stay as they are."""
        keeper, self.bench.keeper = self.bench.keeper, None
        self.bench.open_job.recorder = self.bench.open_job.ahead = None
        held = [keeper._lock, keeper._written.lock if keeper._written else None]
        for lock in held:
            if lock is not None:
                lock._path.unlink(missing_ok=True)
                lock.release()
        self.bench.job = None
        self.bench = self.new_bench()

    @contextmanager
    def full_disk(self, folder: Path):
        """No byte more goes into journals below `folder`."""
        real = os.write

        def write(fd: int, data: bytes) -> int:
            if Path(os.readlink(f"/proc/self/fd/{fd}")).is_relative_to(folder.resolve()):
                raise OSError(errno.ENOSPC, "No space left on device")
            return real(fd, data)

        with mock.patch("lather.files.jobs.journalrecords.os.write", write):
            yield


class AheadTest(KeepingCase):
    """What a worker writes of a stroke before it is a step."""

    def stroke(self, x: float = 40.0) -> None:
        session = self.bench.session
        self.bench.hands.take_tool("paint_colour")
        self.bench.hands.set_brush(size_px=60.0, opacity=1.0, flow=1.0)
        session.down(PenSample(0.0, x, 60.0, 1.0))
        session.up(PenSample(0.1, x + 60, 60.0, 1.0))

    def test_the_interface_thread_writes_no_pixels_of_a_stroke(self) -> None:
        self.open()
        bytes_of_steps = []
        real = Journal.record

        def record(journal, *arguments) -> None:
            before = journal.size_bytes
            real(journal, *arguments)
            bytes_of_steps.append(journal.size_bytes - before)

        with mock.patch.object(Journal, "record", record):
            self.stroke()
            self.stroke(90)
        self.assertEqual(self.bench.keeper.n_unsaved, 2)
        self.assertLess(max(bytes_of_steps), 4000)
        worked = digest(self.bench.state)
        self.end_process()
        self.answers.answers["recovery"] = "recovered"
        self.open()
        self.assertEqual(digest(self.bench.state), worked)

    def test_work_aside_is_written_ahead_too(self) -> None:
        """A merged copy: all of its tiles are new."""
        self.open()
        real, n_written = DeltaWriter._add_patch, []

        def add(writer, tile, patch) -> None:
            n_written.append(1)
            real(writer, tile, patch)

        with (
            mock.patch.object(DeltaWriter, "_add_patch", add),
            mock.patch.object(Job, "change", lambda *_: None),
        ):
            next(a for a in all_actions() if a.id == "layer.merge_copy").run(self.bench)
        self.assertEqual(len(n_written), 4)

    def test_a_worker_that_comes_late_writes_nothing(self) -> None:
        """The job is closed before its stroke's pixels are written."""
        self.open()
        keeper, before = self.bench.keeper, self.bench.state
        after = edits.duplicate(before, before.active_id)
        self.bench.take_job(None)
        keeper._ahead(before, after)
        self.assertFalse(beside(self.path).journal.exists())
        self.assertEqual(all_apart(), [])

    def test_a_fault_in_it_does_not_cost_the_stroke(self) -> None:
        self.open()
        with (
            mock.patch.object(Journal, "ahead", side_effect=RuntimeError("a fault")),
            self.assertLogs("lather.actions.job.keeping", "ERROR"),
        ):
            self.stroke()
        self.assertEqual(len(self.bench.state.active.strokes), 1)
        self.assertEqual(self.bench.keeper.n_unsaved, 1)

    def test_saving_reads_no_journal_that_is_not_the_job_s(self) -> None:
        """A long one would hold everything up."""
        other = start_workbench(Settings(), Answers())
        other.take_job(Job(painted_state(self.photo, 1)))
        self.addCleanup(lambda: other.take_job(None))
        apply_edit(other.open_job, "paint", 1)
        self.open()
        self.work()
        with mock.patch("lather.actions.job.recovery.read_journal") as read:
            save(self.bench)
        read.assert_not_called()
        self.assertFalse(self.bench.open_job.modified)


class RecoveryTest(KeepingCase):
    def test_after_a_kill_the_work_is_there_and_said(self) -> None:
        self.open()
        worked = self.work()
        n_steps = self.bench.keeper.n_unsaved
        self.end_process()
        self.answers.answers["recovery"] = "recovered"
        self.open()
        self.assertEqual(self.answers.asked, ["recovery"])
        self.assertEqual(digest(self.bench.state), worked)
        self.assertTrue(self.bench.open_job.modified)
        self.assertIn(f"Recovered {n_steps} unsaved steps; the last one: paint", self.said[-1])
        while self.bench.open_job.undo() is not None:
            pass
        self.assertEqual(digest(self.bench.state), digest(load_job(self.path).state))

    def test_the_saved_state_can_be_chosen_and_undone(self) -> None:
        self.open()
        saved = digest(self.bench.state)
        worked = self.work()
        self.end_process()
        self.answers.answers["recovery"] = "saved"
        self.open()
        self.assertEqual(digest(self.bench.state), saved)
        self.assertIn("Undo brings", self.said[-1])
        self.bench.undo()
        self.assertEqual(digest(self.bench.state), worked)

    def test_declining_leaves_everything_for_later(self) -> None:
        self.open()
        self.work()
        self.end_process()
        self.open_declined()
        self.assertEqual(unsaved_steps(self.path), 6)
        self.answers.answers["recovery"] = "recovered"
        self.open()

    def open_declined(self) -> None:
        open_file(self.bench, self.path)
        self.assertIsNone(self.bench.job)

    def test_work_after_recovery_is_kept_too(self) -> None:
        """Two kills in a row, and one more after a save in between."""
        self.open()
        self.work()
        for _ in range(2):
            self.end_process()
            self.answers.answers["recovery"] = "recovered"
            self.open()
            worked = self.work([("rename", 3), ("paint", 2)])
        self.end_process()
        self.answers.answers["recovery"] = "recovered"
        self.open()
        self.assertEqual(digest(self.bench.state), worked)
        save(self.bench)
        self.assertFalse(beside(self.path).journal.exists())
        self.end_process()
        self.open()
        self.assertEqual(self.answers.asked, [])
        self.assertEqual(digest(self.bench.state), worked)

    def test_a_checkpoint_shortens_recovery(self) -> None:
        self.open()
        self.work()
        self.bench.keeper.idle(1e9, 1e-9)
        self.assertTrue(beside(self.path).checkpoint.exists())
        worked = self.work([("rename", 5)])
        self.end_process()
        opened = open_path(self.path, no_progress, locked=True)
        self.assertEqual(len(opened.recovered.history.done), 1)
        self.assertEqual(opened.recovered.n_steps, 7)
        self.assertEqual(digest(opened.recovered.state), worked)
        opened.release()

    def test_a_damaged_checkpoint_is_passed_over(self) -> None:
        self.open()
        self.work()
        self.bench.keeper.idle(1e9, 1e-9)
        worked = self.work([("rename", 5)])
        self.end_process()
        with beside(self.path).checkpoint.open("r+b") as file:
            file.truncate(700)
        opened = open_path(self.path, no_progress, locked=True)
        self.assertEqual(digest(opened.recovered.state), worked)
        opened.release()

    def test_checkpoints_wait_for_a_pause_and_for_something_new(self) -> None:
        self.open()
        keeper, checkpoint = self.bench.keeper, beside(self.path).checkpoint
        keeper.idle(1e9, 1e-9)
        self.assertFalse(checkpoint.exists())  # nothing unsaved
        self.work()
        keeper.idle(0.5, 1e-9)
        self.assertFalse(checkpoint.exists())  # the pen rests for half a second only
        keeper.idle(1e9, 0)
        self.assertFalse(checkpoint.exists())  # switched off
        keeper.idle(1e9, 1e-9)
        written = checkpoint.stat().st_mtime_ns
        keeper.idle(1e9, 1e-9)
        self.assertEqual(checkpoint.stat().st_mtime_ns, written)

    def test_a_job_whose_folder_could_not_be_written_saves_once_it_can(self) -> None:
        """Its journal lies apart: it is its own, and no reason to refuse."""
        refused = OSError(30, "Read-only")
        with mock.patch("lather.files.jobs.lock._locked_file", side_effect=refused):
            self.open()
        worked = self.work()
        self.assertTrue(self.bench.keeper._written.places.is_apart)
        save(self.bench)
        self.assertEqual(digest(load_job(self.path).state), worked)

    def test_work_on_a_job_that_was_replaced_comes_back_beside_it(self) -> None:
        """The job was replaced by a backup meanwhile: its journal does not fit that one."""
        self.open()
        worked = self.work()
        self.end_process()
        save_job(painted_state(self.photo, 1), self.path)
        self.open()
        self.assertIn("was brought back as 'a.recovered.lather'", self.said[-1])
        self.assertEqual(digest(load_job(self.folder / "a.recovered.lather").state), worked)

    def test_a_journal_of_a_version_that_is_gone_is_put_aside(self) -> None:
        """On a disk that knows no second names, without a backup and a checkpoint."""
        self.open()
        with mock.patch("os.link", side_effect=OSError(1, "Operation not permitted")):
            self.work()
        self.end_process()
        save_job(painted_state(self.photo, 1), self.path)
        self.open()
        self.assertIn("put aside", self.said[-1])
        self.assertTrue(self.path.with_name(".a.lather.journal.other").exists())


class DamagedCheckpointTest(KeepingCase):
    def test_a_checkpoint_with_a_damaged_part_is_gone_by(self) -> None:
        """It would open, without its findings: the job and the whole journal are better."""
        self.open()
        worked = self.work([*STEPS, ("survey", 3)])
        self.bench.keeper.idle(1e9, 1e-9)
        checkpoint = beside(self.path).checkpoint
        self.assertTrue(checkpoint.exists())
        self.end_process()
        bad = rewritten(checkpoint, self.folder / "bad",
                        job_json=edited(lambda job: job["findings"].update(items=7)))  # fmt: skip
        bad.replace(checkpoint)
        self.answers.answers["recovery"] = "recovered"
        self.open()
        self.assertEqual(digest(self.bench.state), worked)


class DamagedUntitledTest(KeepingCase):
    def test_work_without_a_file_begins_with_the_photo_or_else_with_what_is_left(self) -> None:
        for photo_is_there in (True, False):
            with self.subTest(photo_is_there=photo_is_there):
                self.open(self.photo.path)
                apply_edit(self.bench.open_job, "add", 0)
                worked = self.work([("survey", 3), ("paint", 1)])
                with mock.patch("lather.actions.job.keeping.UNTITLED_FIRST_S", 0.0):
                    self.bench.keeper.idle(1e9, 1e-9)
                (places,) = all_apart()
                self.end_process()
                spoil = edited(lambda job: job["findings"].update(items=7))
                bad = rewritten(places.checkpoint, self.folder / "bad", job_json=spoil)
                bad.replace(places.checkpoint)
                if not photo_is_there:
                    self.photo.path.unlink()
                ((found, left),) = unsaved_work()
                opened = open_unsaved(found, left, no_progress)
                opened.release()
                state = opened.recovered.state
                if photo_is_there:
                    self.assertEqual(digest(state), worked)
                else:
                    self.assertIn("the findings", opened.notices[0])
                    self.assertEqual(len(state.active.strokes), 1)
                shutil.rmtree(apart_root())


class PartlyReplayedTest(KeepingCase):
    """A journal of which a step does not fit: what came before is there, the rest is kept."""

    def left_behind(self) -> None:
        self.open()
        self.half = self.work([("paint", 2), ("mask", 1), ("rename", 1)])
        with mock.patch("lather.files.jobs.delta.DeltaWriter.place", lambda *_: ["t", 99]):
            self.work([("paint", 1)])
        self.work([("rename", 2), ("paint", 1)])
        self.end_process()
        self.answers.answers["recovery"] = "recovered"

    def test_the_number_that_was_recovered_is_said_and_the_rest_kept(self) -> None:
        self.left_behind()
        whole = beside(self.path).journal.read_bytes()
        self.open()
        self.assertEqual(digest(self.bench.state), self.half)
        aside = beside(self.path).aside("unread").with_name(".a.lather.journal.unread")
        self.assertIn("3 unsaved steps were recovered: 3 further ones could not", self.said[-1])
        self.assertIn(aside.name, self.said[-1])
        self.assertEqual(aside.read_bytes(), whole)

    def test_what_is_done_afterwards_is_recovered_too(self) -> None:
        """It follows the last step that fits, not the one that does not."""
        self.left_behind()
        self.open()
        worked = self.work([("paint", 1), ("rename", 0)])
        self.end_process()
        self.answers.answers["recovery"] = "recovered"
        self.open()
        self.assertEqual(digest(self.bench.state), worked)
        self.assertIn("Recovered 5 unsaved steps", self.said[-1])

    def test_a_journal_that_fits_nowhere_is_put_aside_under_a_name_of_its_own(self) -> None:
        for number in range(2):
            self.open()
            self.work([("paint", 2)])
            self.end_process()
            path = beside(self.path).journal
            path.write_bytes(b"x" + path.read_bytes())
            self.open()
            self.assertIn("put aside", self.said[-1])
            self.bench.take_job(None)
            names = [p.name for p in self.folder.glob(".a.lather.journal.unread*")]
            self.assertEqual(len(names), number + 1)


class UntitledTest(KeepingCase):
    def test_work_without_a_file_is_offered_at_the_next_start(self) -> None:
        self.open(self.photo.path)
        apply_edit(self.bench.open_job, "add", 0)
        worked = self.work([("paint", 1), ("rename", 1)])
        self.end_process()
        [(found, places)] = unsaved_work()
        self.assertEqual((found.about["title"], found.n_steps), ("portrait", 3))
        self.answers.answers["unsaved_work"] = ("recover", 0)
        offer_unsaved_work(self.bench)
        self.assertEqual(digest(self.bench.state), worked)
        self.assertIsNone(self.bench.open_job.path)
        self.assertEqual(list(unsaved_work()), [])  # held again
        target = self.folder / "b.lather"
        self.answers.answers["path_to_save"] = target
        save_as(self.bench)
        self.assertEqual(digest(load_job(target).state), worked)
        self.assertEqual(all_apart(), [])
        self.assertFalse(places.folder.exists())

    def test_it_can_be_thrown_away(self) -> None:
        self.open(self.photo.path)
        self.work([("add", 0)])
        self.end_process()
        self.answers.answers["unsaved_work"] = ("throw away", 0)
        offer_unsaved_work(self.bench)
        self.assertEqual(all_apart(), [])
        offer_unsaved_work(self.bench, tell_none=True)
        self.assertIn("no work that was left unsaved", self.said[-1])

    def test_the_photo_may_be_gone_once_there_is_a_checkpoint(self) -> None:
        self.open(self.photo.path)
        worked = self.work([("add", 0), ("rename", 1)])
        self.bench.keeper._checkpoint_at_s -= 11
        self.bench.keeper.idle(1e9, 60)
        self.end_process()
        self.photo.path.unlink()
        opened = open_unsaved(*next(unsaved_work()), no_progress)
        self.assertEqual(digest(opened.recovered.state), worked)
        opened.release()

    def test_a_changed_photo_is_not_painted_over_blindly(self) -> None:
        self.open(self.photo.path)
        self.work([("add", 0)])
        self.end_process()
        shutil.copy(photo_in(self.folder, "other.png", seed=5).path, self.photo.path)
        with self.assertRaisesRegex(JobFileError, "was changed since; put the photo back"):
            open_unsaved(*next(unsaved_work()), no_progress)

    def test_discarding_leaves_nothing(self) -> None:
        self.open(self.photo.path)
        self.work([("add", 0)])
        self.answers.answers["unsaved"] = "discard"
        self.open(self.path)
        self.assertEqual(all_apart(), [])


class SavingTest(KeepingCase):
    def test_history_survives_saving(self) -> None:
        self.open()
        before = digest(self.bench.state)
        self.work()
        n_done = len(self.bench.open_job.history.done)
        save(self.bench)
        self.assertEqual(len(self.bench.open_job.history.done), n_done)
        self.bench.go_to_step(0)
        self.assertEqual(digest(self.bench.state), before)

    def test_steps_made_while_it_is_written_stay_in_the_journal(self) -> None:
        self.open()
        self.work()
        keeper, job = self.bench.keeper, self.bench.open_job
        state, lock = job.state, keeper.take(self.path)
        revision = keeper.saving()
        worked = self.work([("rename", 4), ("paint", 2)])
        save_job(state, self.path, revision=revision)
        job.mark_saved(self.path, state, revision)
        keeper.saved(state, revision, lock)
        self.assertEqual(keeper.n_unsaved, 2)
        self.end_process()
        opened = open_path(self.path, no_progress, locked=True)
        self.assertEqual(digest(opened.recovered.state), worked)
        self.assertEqual(opened.recovered.n_steps, 2)
        opened.release()

    def test_steps_during_the_save_of_a_job_with_nothing_to_save_survive_a_kill(self) -> None:
        """There was no journal before that could say on which file they go on."""
        for settled in (False, True):
            with self.subTest(settled=settled):
                self.open()
                keeper, job = self.bench.keeper, self.bench.open_job
                state, revision = job.state, keeper.saving()
                worked = self.work([("paint", 2), ("rename", 1 + settled)])
                save_job(state, self.path, revision=revision)
                if settled:
                    job.mark_saved(self.path, state, revision)
                    keeper.saved(state, revision, keeper.take(self.path))
                self.end_process()
                opened = open_path(self.path, no_progress, locked=True)
                self.assertIsNotNone(opened.recovered)
                self.assertEqual(digest(opened.recovered.state), worked)
                opened.release()
                beside(self.path).journal.unlink(missing_ok=True)

    def test_a_killed_save_loses_nothing(self) -> None:
        """The mark is written, the job file is not, or is and the journal not yet shortened."""
        for written in (False, True):
            with self.subTest(written=written):
                self.open()
                worked = self.work([("paint", 2), ("rename", int(written))])
                state, revision = self.bench.state, self.bench.keeper.saving()
                if written:
                    save_job(state, self.path, revision=revision)
                self.end_process()
                opened = open_path(self.path, no_progress, locked=True)
                recovered = opened.recovered
                now = recovered.state if recovered is not None else opened.job.state
                self.assertEqual(digest(now), worked)
                opened.release()
                beside(self.path).journal.unlink(missing_ok=True)

    def test_save_as_moves_lock_and_journal(self) -> None:
        self.open()
        self.work()
        target = self.folder / "b.lather"
        self.answers.answers["path_to_save"] = target
        save_as(self.bench)
        names = {path.name for path in self.folder.iterdir()}
        self.assertNotIn(".a.lather.journal", names)
        self.assertNotIn(".a.lather.lock", names)
        self.assertIn(".b.lather.lock", names)
        self.work([("rename", 2)])
        self.assertTrue(beside(target).journal.exists())

    def test_a_failed_save_is_told_and_can_be_tried_again(self) -> None:
        self.open()
        worked = self.work()
        with mock.patch("lather.files.atomic.os.fsync", side_effect=OSError(28, "No space left")):
            save(self.bench)
        self.assertIn("'a.lather' was not written", self.said[-1])
        self.assertIn("make room", self.said[-1])
        self.assertTrue(self.bench.open_job.modified)
        self.assertEqual(digest(self.bench.state), worked)
        self.bench.offer.run()
        self.assertEqual(digest(load_job(self.path).state), worked)

    def test_closing_leaves_no_journal_and_no_lock(self) -> None:
        self.open()
        self.work()
        save(self.bench)
        self.bench.take_job(None)
        self.assertEqual(
            sorted(path.name for path in self.folder.iterdir()),
            ["a.backup1.lather", "a.lather", "portrait.png"],
        )


class LockedTest(KeepingCase):
    def test_two_windows_on_one_job(self) -> None:
        """The second is told who has it, and may open a copy without a name."""
        error = InUseError("'a.lather' was not opened", "process 7 on x has it open", "wait")
        with mock.patch.object(locks.Lock, "acquire", side_effect=error):
            open_file(self.bench, self.path)
            self.assertIsNone(self.bench.job)
            self.assertIn("process 7 on x", self.said[-1])
            self.answers.answers["open_copy"] = True
            open_file(self.bench, self.path)
        self.assertIsNone(self.bench.open_job.path)

    def test_work_on_a_copy_survives_a_kill(self) -> None:
        self.bench.take_job(open_copy(self.path, no_progress))
        worked = self.work()
        self.end_process()
        opened = open_unsaved(*next(unsaved_work()), no_progress)
        self.assertEqual(digest(opened.recovered.state), worked)
        opened.release()


class TroubleTest(KeepingCase):
    def test_a_full_disk_moves_the_journal_to_the_users_folder(self) -> None:
        self.open()
        self.work()
        with self.full_disk(self.folder):
            worked = self.work([("rename", 7)])
            self.assertIn("The journal was moved", self.said[-1])
            self.assertIn("No space left", self.said[-1])
        self.assertFalse(self.bench.keeper.in_memory_only)
        self.end_process()
        opened = open_path(self.path, no_progress, locked=True)
        self.assertEqual(digest(opened.recovered.state), worked)
        opened.release()

    def test_with_no_disk_at_all_it_is_said_once_and_tried_again(self) -> None:
        self.open()
        self.work()
        root = Path("/")
        with self.full_disk(root), mock.patch(
            "lather.files.atomic.tempfile.mkstemp", side_effect=OSError(28, "No space left")
        ):
            self.work([("rename", 7), ("rename", 8)])
            self.assertTrue(self.bench.keeper.in_memory_only)
            told = [text for text in self.said if "in memory only" in text]
            self.assertEqual(len(told), 1)
            self.assertIn("save the job on another disk", told[0])
        worked = self.work([("rename", 9)])
        self.assertFalse(self.bench.keeper.in_memory_only)
        self.end_process()
        opened = open_path(self.path, no_progress, locked=True)
        self.assertEqual(digest(opened.recovered.state), worked)
        opened.release()

    def test_a_folder_that_takes_no_journal(self) -> None:
        """Read-only, as far as the journal is concerned: something is in its place."""
        beside(self.path).journal.mkdir()
        self.open()
        worked = self.work()
        self.assertIn("The journal was moved", self.said[-1])
        self.end_process()
        opened = open_path(self.path, no_progress, locked=True)
        self.assertEqual(digest(opened.recovered.state), worked)
        opened.release()

    def test_a_folder_where_no_lock_can_be_made(self) -> None:
        beside(self.path).lock.mkdir()
        self.open()
        self.assertIn("unsaved steps are kept in your own folder", self.said[-1])
        self.work()
        self.assertEqual(len(all_apart()), 1)

    def test_a_disk_pulled_out_leaves_the_work_whole(self) -> None:
        """All tiles and the photo stay readable, steps go on being written, saving says why."""
        disk = self.folder / "disk"
        disk.mkdir()
        path = disk / "b.lather"
        save_job(load_job(self.path).state, path)
        self.open(path)
        before = digest(load_job(path).state)
        self.assertEqual(digest(self.bench.state), before)
        shutil.rmtree(disk)
        self.work()
        save(self.bench)
        self.assertIn("was not written", self.said[-1])
        self.assertIn("choose another folder", self.said[-1])
        target = self.folder / "rescued.lather"
        self.answers.answers["path_to_save"] = target
        save_as(self.bench)
        self.assertEqual(digest(load_job(target).state), digest(self.bench.state))

    def test_a_damaged_layer_is_told_and_the_rest_opens(self) -> None:
        content = bytearray(self.path.read_bytes())
        at = content.index(b"pixels/0_1.png") + 4000
        content[at] ^= 255
        self.path.write_bytes(content)
        self.open()
        self.assertTrue(any("is damaged" in text and "backup" in text for text in self.said))

    def test_saving_into_the_folder_of_unsaved_work_is_refused(self) -> None:
        self.open()
        self.answers.answers["path_to_save"] = apart_root() / "x" / "a.lather"
        with self.assertRaisesRegex(LatherError, "is emptied; choose another folder"):
            save_as(self.bench)

    def test_a_linked_photo_that_moved_is_asked_for(self) -> None:
        linked = self.folder / "linked.lather"
        save_job(painted_state(self.photo, 1), linked, link_photo=True)
        moved = self.folder / "moved.png"
        self.photo.path.rename(moved)
        open_file(self.bench, linked)
        self.assertEqual(self.answers.asked, ["photo_of_job"])
        self.assertIn("say where the photo is now", self.said[-1])
        self.answers.answers["photo_of_job"] = moved
        job = self.open(linked)
        self.assertTrue(job.modified and job.link_photo)
        save(self.bench)
        self.assertEqual(load_job(linked).state.photo.path.resolve(), moved.resolve())
