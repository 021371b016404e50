"""Work that is found again: on the same photo, after a kill, under another name, elsewhere."""

from __future__ import annotations

import subprocess
import sys
import unittest
from dataclasses import replace
from pathlib import Path

from lather.actions.job.saving import save, save_as
from lather.document import edits
from lather.document.job import Job
from lather.document.state import new_state
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.photos.reading import read_photo
from lather.files.places import all_apart
from tests.actions.test_keeping import KeepingCase
from tests.support import photo_in, surveyed

ROOT = Path(__file__).parents[2]


class SamePhotoTest(KeepingCase):
    """A photo is opened again whose work was never saved."""

    def leave_work(self) -> str:
        self.open(self.photo.path)
        self.work([("add", 0), ("paint", 1)])
        left = self.bench.state.active.name
        self.end_process()
        return left

    def test_its_work_is_offered_and_gone_on_with(self) -> None:
        left = self.leave_work()
        self.answers.answers["unsaved_work"] = ("recover", 0)
        self.open(self.photo.path)
        self.assertEqual(self.answers.asked, ["unsaved_work"])
        self.assertEqual(self.bench.state.active.name, left)
        self.assertIn("Recovered 2 unsaved steps", self.said[-1])

    def test_later_opens_the_photo_and_keeps_the_work(self) -> None:
        self.leave_work()
        self.open(self.photo.path)
        self.assertEqual(self.answers.asked, ["unsaved_work"])
        self.assertEqual(len(self.bench.state.layers), 1)
        self.assertEqual(len(all_apart()), 1)

    def test_thrown_away_it_is_not_offered_again(self) -> None:
        self.leave_work()
        self.answers.answers["unsaved_work"] = ("throw away", 0)
        self.open(self.photo.path)
        self.assertEqual(len(self.bench.state.layers), 1)
        self.assertEqual(all_apart(), [])

    def test_work_on_another_photo_is_not(self) -> None:
        self.leave_work()
        other = photo_in(self.folder, "other.png", seed=7)
        self.open(other.path)
        self.assertEqual(self.answers.asked, [])


class AbsorbedTest(KeepingCase):
    def test_a_survey_that_came_by_itself_is_no_step_after_a_kill_either(self) -> None:
        self.open()
        job = self.bench.open_job
        self.bench.change("One", edits.add_pixel_layer, "One")
        job.absorb("Survey", lambda state: replace(state, findings=surveyed(4)))
        self.bench.change("Two", edits.add_pixel_layer, "Two")
        self.end_process()
        self.answers.answers["recovery"] = "recovered"
        self.open()
        job = self.bench.open_job
        self.assertEqual([step.name for step in job.history.done], ["One", "Two"])
        for _ in range(2):
            self.assertTrue(job.state.findings.items)
            job.undo()
        self.assertTrue(job.state.findings.items)

    def test_on_a_photo_that_nothing_was_done_to_it_leaves_no_journal(self) -> None:
        self.open(self.photo.path)
        self.bench.open_job.absorb("Survey", lambda s: replace(s, findings=surveyed(4)))
        self.assertEqual(all_apart(), [])
        self.bench.change("One", edits.add_pixel_layer, "One")
        self.end_process()
        self.answers.answers["unsaved_work"] = ("recover", 0)
        self.open(self.photo.path)
        self.assertEqual(len(self.bench.state.findings.items), 4)


class MovedPhotoTest(KeepingCase):
    def test_another_picture_is_called_one_and_asked_for_again(self) -> None:
        job = Job(new_state(read_photo(self.photo.path)))
        linked = self.folder / "linked.lather"
        save_job(job.state, linked, link_photo=True)
        wrong = photo_in(self.folder, "wrong.png", width=120, height=90)
        right = self.folder / "moved.png"
        self.photo.path.rename(right)
        given = [wrong.path, right]
        told: list[str] = []

        def photo_of_job(sentence: str, name: str) -> Path | None:  # noqa: ARG001
            told.append(sentence)
            return given.pop(0)

        self.answers.answers = {}
        self.bench.ask.photo_of_job = photo_of_job
        self.open(linked)
        self.assertEqual(len(told), 2)
        self.assertIn("'wrong.png' is another picture: 120 x 90 px instead of 300 x 280", told[1])
        self.assertNotIn("damaged", " ".join(told))
        self.assertEqual(self.bench.state.photo.path, right)


class ElsewhereTest(KeepingCase):
    CODE = (
        "import sys, pathlib, lather.files.jobs.lock as l, lather.files.places as p\n"
        "lock = l.Lock.acquire(p.beside(pathlib.Path(sys.argv[1])).lock, 'b')\n"
        "print('held', flush=True); sys.stdin.read()"
    )

    def held_elsewhere(self, path: Path):
        holder = subprocess.Popen([sys.executable, "-c", self.CODE, str(path)], cwd=ROOT,
                                  text=True, stdin=subprocess.PIPE,
                                  stdout=subprocess.PIPE)  # fmt: skip
        self.assertEqual(holder.stdout.readline(), "held\n")
        return holder

    def test_saving_over_a_job_that_is_open_elsewhere_says_so(self) -> None:
        other = self.folder / "b.lather"
        save_job(self.painted(), other)
        before = other.read_bytes()
        holder = self.held_elsewhere(other)
        self.open()
        self.answers.answers.update(path_to_save=other, replace=True)
        save_as(self.bench)
        holder.stdin.close()
        holder.wait()
        holder.stdout.close()
        self.assertIn("'b.lather' was not saved: process", self.said[-1])
        self.assertIn("choose another name", self.said[-1])
        self.assertEqual(other.read_bytes(), before)

    def painted(self):
        return load_job(self.path).state

    def test_a_copy_of_a_job_that_is_open_elsewhere_keeps_its_name(self) -> None:
        holder = self.held_elsewhere(self.path)
        self.answers.answers.update(open_copy=True)
        self.open()
        holder.stdin.close()
        holder.wait()
        holder.stdout.close()
        job = self.bench.open_job
        self.assertEqual((job.title, job.path), ("a", None))
        suggestions = []

        def path_to_save(suggested: Path) -> Path:
            suggestions.append(suggested)
            return suggested

        self.bench.ask.path_to_save = path_to_save
        save(self.bench)
        self.assertEqual(suggestions, [self.folder / "a copy.lather"])
        self.assertEqual(job.title, "a copy")


if __name__ == "__main__":
    unittest.main()
