"""What was done, in job files and journals: it comes back, costs little; its damage is its own."""

from __future__ import annotations

import json
import tempfile
import unittest
import zipfile
from dataclasses import replace
from pathlib import Path
from unittest import mock

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from lather.core.bounds import DEEPEST_ARGUMENTS, MOST_OPERATIONS, MOST_PLACES
from lather.document import edits
from lather.document.digest import digest, operations_digest
from lather.document.findings import FindingState
from lather.document.job import Job
from lather.document.operations.operation import DAMAGED, EARLIER, Again
from lather.document.state import JobState, new_state
from lather.errors import EditError, JobFileError
from lather.files.jobs.archive import Archive
from lather.files.jobs.carried import OPERATIONS_A_PART
from lather.files.jobs.jobfile import WORK_BEFORE, load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.jobs.journal import Journal
from lather.files.jobs.journalreader import read_journal
from lather.operations.edits import call_of
from lather.operations.redo import first_state, redo
from lather.paths import demo_job
from tests.files.test_job_file import DATA, edited, rewritten
from tests.support import (
    Case,
    apply_edit,
    draw,
    edit_sequences,
    finding,
    photo_in,
    session_for,
    surveyed,
)


def do(job: Job, edit, *args, **options) -> None:
    job.change(edit.__name__, edit(job.state, *args, **options), call=call_of(edit, *args))


def worked(folder: Path) -> Job:
    """A job with strokes on layers, masks and the area, edits, and something unsaid."""
    job = Job(new_state(photo_in(folder)))
    session = session_for(job)
    do(job, edits.set_findings, surveyed(4))
    draw(session, "paint_colour", [(20.0, 30.0), (60.0, 80.0), (120.0, 90.0)], size_px=18.0)
    draw(session, "outline", [(20.0, 20.0), (190.0, 20.0), (190.0, 190.0), (15.0, 160.0)])
    draw(session, "mend_spot", [(70.0, 75.0), (76.0, 79.0)], size_px=14.0)
    painted = job.state.active_id
    do(job, edits.add_mask, painted)
    session.hand = replace(session.hand, on_mask=True)
    draw(session, "erase", [(60.0, 60.0), (90.0, 90.0)], size_px=20.0)
    session.hand = replace(session.hand, on_mask=False)
    state = edits.add_pixel_layer(job.state, "Unsaid")
    job.change("Unsaid", state)
    draw(session, "paint_colour", [(30.0, 130.0), (70.0, 120.0)], size_px=18.0)
    do(job, edits.delete, job.state.active_id)  # its stroke is nowhere but in the operation
    do(job, edits.set_strength, painted, 0.6)
    return job


def reloaded(state: JobState, folder: Path) -> JobState:
    save_job(state, folder / "a.lather")
    return load_job(folder / "a.lather").state


class RoundTripTest(Case):
    def test_all_of_it_comes_back(self) -> None:
        state = worked(self.folder).state
        again = reloaded(state, self.folder)
        self.assertEqual(operations_digest(again), operations_digest(state))
        self.assertEqual(operations_digest(reloaded(again, self.folder)), operations_digest(state))

    def test_what_came_back_is_done_again(self) -> None:
        state = reloaded(worked(self.folder).state, self.folder)
        redone = redo(first_state(state.photo, state.layers[0].id), state.operations)
        self.assertEqual(redone.not_done, ())
        self.assertEqual(redone.n_carried, 2)  # the findings, and what was unsaid
        self.assertEqual(digest(redone.state), digest(state))

    @settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
    @given(edit_sequences(10))
    def test_whatever_carries_its_pixels(self, what) -> None:
        """Steps that say nothing of themselves, on layers that are gone by the end."""
        with tempfile.TemporaryDirectory() as folder:
            job = Job(new_state(photo_in(Path(folder))))
            for name, pick in what:
                apply_edit(job, name, pick)
            state = reloaded(job.state, Path(folder))
            redone = redo(first_state(state.photo, state.layers[0].id), state.operations)
            self.assertEqual(digest(redone.state), digest(job.state))

    def test_a_stroke_and_a_tile_are_in_the_file_once(self) -> None:
        job = worked(self.folder)
        save_job(job.state, self.folder / "a.lather")
        with zipfile.ZipFile(self.folder / "a.lather") as archive:
            text = json.loads(archive.read("operations/0.json"))
            own = archive.read("operations/0.f32")
        named = [one for entry in text for one in entry.get("strokes", [])]
        self.assertEqual(sum(isinstance(one, list) for one in named), 2)  # paint and mend
        whole = [one for one in named if isinstance(one, dict)]
        self.assertEqual([one["tool"] for one in whole], ["outline", "erase", "paint_colour"])
        self.assertEqual(len(own), 4 * sum(6 * one["n_readings"] for one in whole))

    def test_the_demo_job_is_no_larger_by_it(self) -> None:
        with zipfile.ZipFile(demo_job()) as archive:
            sizes = {info.filename: info.compress_size for info in archive.infolist()}
        operations = sum(n for name, n in sizes.items() if name.startswith("operations/"))
        self.assertGreater(operations, 0)
        self.assertLess(operations, (sum(sizes.values()) - operations) / 20)

    def test_many_lie_in_parts(self) -> None:
        job = Job(new_state(photo_in(self.folder)))
        for n in range(OPERATIONS_A_PART + 5):
            do(job, edits.set_delivery_long_side, 100 + n)
        again = reloaded(job.state, self.folder)
        self.assertEqual(len(again.operations), OPERATIONS_A_PART + 5)
        self.assertEqual(operations_digest(again), operations_digest(job.state))


class JournalTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.job = worked(self.folder)
        save_job(self.job.state, self.folder / "a.lather")
        self.base = load_job(self.folder / "a.lather").state
        self.job = Job(self.base)
        self.journal = Journal(self.folder / "journal", self.base, "r", {})
        self.job.recorder = lambda step, after: self.journal.record(step.name, after)
        self.addCleanup(self.journal.close, delete=True)

    def replayed(self) -> list[JobState]:
        return [step.state for step in read_journal(self.journal.path).steps("r", self.base)]

    def test_every_step_comes_back_with_what_it_did(self) -> None:
        kept: list[str] = []
        self.job.changed.connect(lambda before, after: kept.append(operations_digest(after)))
        session = session_for(self.job)
        draw(session, "paint_colour", [(150.0, 40.0), (180.0, 80.0)], size_px=9.0)
        draw(session, "outline", [(20.0, 20.0), (90.0, 20.0), (90.0, 90.0)])
        self.job.change("Unsaid", edits.add_pixel_layer(self.job.state, "Mine"))
        self.job.undo()
        self.job.redo()
        self.job.go_to(0)
        do(self.job, edits.add_pixel_layer, "Branch")
        self.job.undo()
        self.job.redo()
        self.assertEqual([operations_digest(state) for state in self.replayed()], kept)

    def test_going_to_and_fro_writes_nothing_again(self) -> None:
        session = session_for(self.job)
        for n in range(5):
            draw(session, "outline", [(20.0, 20.0 + n), (90.0, 20.0), (90.0, 90.0)])
        before = self.journal.size_bytes
        self.job.go_to(0)
        self.job.go_to(5)
        self.assertEqual(len(self.job.state.operations), len(self.base.operations) + 5)
        for record in (self.journal.path.read_bytes()[before:],):
            self.assertNotIn(b"tool.outline", record)
        self.assertEqual(operations_digest(self.replayed()[-1]),
                         operations_digest(self.job.state))  # fmt: skip

    def test_what_is_damaged_costs_itself(self) -> None:
        """Its step is there, and says that nothing is known of it."""
        draw(session_for(self.job), "paint_colour", [(150.0, 40.0), (180.0, 80.0)], size_px=9.0)
        do(self.job, edits.add_pixel_layer, "After")
        from lather.files.jobs import delta_operations

        real, n_read = delta_operations.operation_from, []

        def once(entry, *args):
            n_read.append(entry)
            if len(n_read) == 1:
                entry = {**entry, "made": "everything"}
            return real(entry, *args)

        with mock.patch.object(delta_operations, "operation_from", once):
            states = self.replayed()
        self.assertEqual(digest(states[-1]), digest(self.job.state))
        lost, after = states[-1].operations.from_number(len(self.base.operations))
        self.assertEqual((lost.id, lost.again), (DAMAGED, Again.NOT))
        self.assertIsNotNone(lost.carried)
        self.assertEqual(after.name, "add_pixel_layer")


class DamagedTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.state = worked(self.folder).state
        self.good = self.folder / "good.lather"
        save_job(self.state, self.good)

    def opened(self, **members) -> JobState:
        self.loaded = load_job(rewritten(self.good, self.folder / "bad.lather", **members))
        return self.loaded.state

    def told(self) -> str:
        return " ".join(self.loaded.notices)

    def test_one_that_does_not_fit_is_named_and_the_rest_is_there(self) -> None:
        n = len(self.state.operations)
        for value in (7, "x" * 50_000, {"a": 1}, [[]], None, -1, 1e308):
            for key in ("id", "layers", "active", "places", "spent", "strokes", "measures"):
                def change(part, key=key, value=value):
                    part[1][key] = value

                state = self.opened(operations_0_json=edited(change))
                read = list(state.operations)
                self.assertEqual(len(read), n)
                self.assertEqual(digest(state), digest(self.state))
                n_lost = sum(one.id == DAMAGED for one in read)
                self.assertLessEqual(n_lost, 1, (key, value))
                if n_lost:
                    self.assertEqual(read[1].id, DAMAGED)
                    self.assertIn("what was done", self.told())

    def test_a_part_that_is_gone_costs_no_more(self) -> None:
        for change in (b"", b"[", b"{}", b"[" * 90_000):
            state = self.opened(operations_0_json=lambda _, change=change: change)
            self.assertEqual({one.id for one in state.operations}, {DAMAGED})
            self.assertEqual(len(state.operations), len(self.state.operations))
            self.assertEqual(digest(state), digest(self.state))
            self.assertIn("what was done", self.told())
            redone = redo(first_state(state.photo, state.layers[0].id), state.operations)
            self.assertEqual(len(redone.not_done), len(self.state.operations))

    def test_what_was_lost_is_no_hindrance_to_saving(self) -> None:
        """It goes on being told as lost, once it was saved without a word."""
        def change(part):
            part[1]["layers"] = "all"

        state = self.opened(operations_0_json=edited(change))
        self.assertEqual(list(state.operations)[1].id, DAMAGED)
        save_job(state, self.folder / "again.lather")
        again = load_job(self.folder / "again.lather")
        self.assertEqual(operations_digest(again.state), operations_digest(state))
        self.assertEqual(again.notices, [])

    def test_readings_that_are_gone_cost_the_strokes(self) -> None:
        state = self.opened(operations_0_f32=lambda data: data[:8])
        lost = [one.id == DAMAGED for one in state.operations]
        self.assertEqual(sum(lost), 3)

    def test_arguments_beyond_all_depth(self) -> None:
        deep: object = 1
        for _ in range(DEEPEST_ARGUMENTS + 2):
            deep = [deep]

        def change(part):
            part[1]["arguments"] = {"deep": deep}

        self.assertEqual(list(self.opened(operations_0_json=edited(change)).operations)[1].id,
                         DAMAGED)  # fmt: skip

    def test_more_than_any_job_has_are_refused(self) -> None:
        def change(job):
            job["operations"] = [["operations/0.json", "", MOST_OPERATIONS]] * 2

        with self.assertRaises(JobFileError):
            self.opened(job_json=edited(change))
        for odd in (-1, 1e9, "many", None):
            state = self.opened(job_json=edited(
                lambda job, odd=odd: job.update(operations=[["operations/0.json", "", odd]])))
            self.assertEqual([one.id for one in state.operations], [DAMAGED])

    def test_a_disk_that_is_gone_for_now_loses_nothing(self) -> None:
        state = load_job(self.good).state
        with (mock.patch.object(Archive, "read", side_effect=OSError(5, "Input/output error")),
              self.assertRaisesRegex(JobFileError, "What was done was not read")):
            list(state.operations)
        self.assertEqual(operations_digest(state), operations_digest(self.state))


class BoundsTest(Case):
    """What is written can be read: nothing that is done may keep a job from being saved."""

    def test_work_on_more_than_a_step_can_name_is_saved(self) -> None:
        job = Job(new_state(photo_in(self.folder)))
        many = [finding(n + 1, 5.0 + n % 280, 5.0 + n // 280) for n in range(2500)]
        do(job, edits.set_findings, replace(surveyed(3), items=tuple(many)))
        do(job, edits.decide, [f.id for f in many], FindingState.SKIPPED)
        last = job.state.operations.last
        self.assertEqual((len(last.findings), len(last.places)), (2500, MOST_PLACES))
        again = reloaded(job.state, self.folder)
        self.assertEqual(operations_digest(again), operations_digest(job.state))

    def test_arguments_of_any_depth_are_saved(self) -> None:
        """A newer Lather's brief may be as deep as it likes."""
        job = Job(new_state(photo_in(self.folder)))
        deep: object = 1
        for _ in range(DEEPEST_ARGUMENTS + 9):
            deep = [deep]
        do(job, edits.set_brief, replace(job.state.brief, extras={"of tomorrow": deep}))
        last = job.state.operations.last
        self.assertEqual((last.again, dict(last.arguments)), (Again.NOT, {}))
        again = reloaded(job.state, self.folder)
        self.assertEqual(again.brief, job.state.brief)
        redone = redo(first_state(again.photo, again.layers[0].id), again.operations)
        self.assertEqual(digest(redone.state), digest(job.state))

    def test_parts_stay_below_what_is_read(self) -> None:
        job = Job(new_state(photo_in(self.folder)))
        with mock.patch("lather.files.jobs.carried.LETTERS_A_PART", 300):
            for n in range(9):
                do(job, edits.set_delivery_long_side, 100 + n)
            save_job(job.state, self.folder / "a.lather")
        with zipfile.ZipFile(self.folder / "a.lather") as archive:
            described = json.loads(archive.read("job.json"))["operations"]
        self.assertGreater(len(described), 3)
        self.assertEqual(sum(part[2] for part in described), 9)
        again = load_job(self.folder / "a.lather").state
        self.assertEqual(operations_digest(again), operations_digest(job.state))

    def test_one_step_more_than_a_job_has_is_refused(self) -> None:
        job = Job(new_state(photo_in(self.folder)))
        with mock.patch("lather.document.bounds.MOST_OPERATIONS", 2):
            do(job, edits.set_delivery_long_side, 100)
            do(job, edits.set_delivery_long_side, 200)
            with self.assertRaisesRegex(EditError, "at most 2 steps"):
                do(job, edits.set_delivery_long_side, 300)
        self.assertEqual(job.state.brief.delivery_long_side_px, 200)


class EarlierTest(Case):
    def test_a_job_that_kept_none(self) -> None:
        for version in range(1, 6):
            state = load_job(DATA / f"job-v{version}.lather").state
            (only,) = state.operations
            self.assertEqual((only.id, only.name), (EARLIER, WORK_BEFORE))
            again = reloaded(state, self.folder)
            self.assertEqual(operations_digest(again), operations_digest(state))
            redone = redo(first_state(again.photo, again.layers[0].id), again.operations)
            self.assertEqual((redone.n_carried, redone.not_done), (1, ()))
            self.assertEqual(digest(redone.state), digest(state))

    def test_its_pixels_are_in_the_file_once(self) -> None:
        state = load_job(DATA / "job-v5.lather").state
        save_job(state, self.folder / "a.lather")
        with zipfile.ZipFile(self.folder / "a.lather") as archive:
            tiles = [n for n in archive.namelist() if n.startswith("operations/") and ".png" in n]
        self.assertEqual(tiles, [])
        job = Job(load_job(self.folder / "a.lather").state)
        draw(session_for(job), "paint_colour", [(20.0, 30.0), (60.0, 80.0)], size_px=9.0)
        save_job(job.state, self.folder / "b.lather")
        again = load_job(self.folder / "b.lather").state
        redone = redo(first_state(again.photo, again.layers[0].id), again.operations)
        self.assertEqual(digest(redone.state), digest(job.state))

    def test_a_journal_that_kept_none(self) -> None:
        base = load_job(DATA / "job-v5.lather")
        steps = list(read_journal(DATA / "journal-v5.journal").steps(base.revision, base.state))
        done = list(steps[-1].state.operations)
        self.assertEqual([one.name for one in done], [WORK_BEFORE, *(s.name for s in steps)])
        state = steps[-1].state
        redone = redo(first_state(state.photo, state.layers[0].id), done)
        self.assertEqual(digest(redone.state), digest(state))


class HostileTest(Case):
    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.state = worked(Path(folder.name)).state

    @settings(max_examples=150, deadline=None, suppress_health_check=list(HealthCheck))
    @given(st.data())
    def test_whatever_arguments_say_doing_it_again_ends(self, data) -> None:
        done = list(self.state.operations)
        number = data.draw(st.integers(0, len(done) - 1))
        value = data.draw(st.sampled_from((None, -1, 0, 2**40, 1e308, float("nan"), "", "x" * 300,
                                           [], {}, [[]], True, {"a": 1}, "skin")))  # fmt: skip
        names = [*done[number].arguments, "layer_id", "stage", "source"]
        name = data.draw(st.sampled_from(names))
        done[number] = replace(done[number], arguments={**done[number].arguments, name: value})
        other = data.draw(st.sampled_from(["active", "begun", "begun_active", "made", "none"]))
        if other != "none":
            odd = (99, 98) if other == "made" else 99
            done[-1] = replace(done[-1], **{other: odd})
        start = first_state(self.state.photo, self.state.layers[0].id)
        redone = redo(start, done)
        self.assertLessEqual(len(redone.not_done), len(done))


if __name__ == "__main__":
    unittest.main()
