"""Undoing, saving, closing and opening while a stroke or other work is under way."""

from pathlib import Path

from lather.actions.findings import surveying
from lather.actions.hand import broken
from lather.actions.job.opening import open_file
from lather.actions.job.recovery import open_path
from lather.actions.job.saving import save, save_as, settle_unsaved
from lather.actions.start import start_workbench
from lather.actions.work.task import Offer
from lather.core.brush.stroke import PenSample
from lather.core.work import no_progress
from lather.document import edits
from lather.document.digest import digest
from lather.document.job import Job
from lather.document.state import new_state
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.jobs.lock import Lock
from lather.files.photos.reading import read_photo
from lather.files.places import beside
from lather.settings.store import Settings
from tests.support import Answers, Case, Later, photo_in, skin_photo


class SettlingCase(Case):
    def setUp(self) -> None:
        super().setUp()
        self.tasks, self.strokes, self.answers = Later(), Later(), Answers()
        self.bench = start_workbench(Settings(self.folder / "settings.json"), self.answers,
                               task_executor=self.tasks, stroke_executor=self.strokes)  # fmt: skip
        self.said: list[str] = []
        self.bench.said.connect(lambda text, error: self.said.append(text))
        self.photo = photo_in(self.folder, "photo.png").path
        self.path = self.folder / "a.lather"
        self.bench.take_job(Job(edits.add_pixel_layer(new_state(read_photo(self.photo)))))
        self.bench.hands.take_tool("paint_colour")
        self.addCleanup(lambda: self.bench.take_job(None))

    def down(self, x: float = 50.0) -> None:
        self.bench.session.down(PenSample(0, x, 60, 1.0))
        self.bench.session.move(PenSample(0.1, x + 30, 60, 1.0))

    def stroke(self, x: float = 50.0) -> None:
        self.down(x)
        self.bench.session.up(PenSample(0.2, x + 30, 60, 0.0))

    def steps(self) -> list[str]:
        return [step.name for step in self.bench.job.history.done]

    def run_all(self) -> None:
        while self.tasks.posted or self.strokes.posted:
            self.strokes.run()
            self.tasks.run()


class UndoTest(SettlingCase):
    def test_undo_takes_back_the_stroke_that_is_still_computed_and_no_other(self) -> None:
        self.stroke()
        self.run_all()
        kept = self.bench.state
        self.stroke(150)
        self.bench.undo()
        self.assertIs(self.bench.state, kept)
        self.assertIn("the stroke in hand", self.said[-1])
        self.run_all()
        self.assertIs(self.bench.state, kept)
        self.assertEqual(self.steps(), ["Paint colour"])
        self.bench.undo()
        self.assertEqual(self.steps(), [])

    def test_undo_with_the_pen_down_forgets_that_stroke(self) -> None:
        self.stroke()
        self.run_all()
        self.down(150)
        self.bench.undo()
        self.bench.session.move(PenSample(0.3, 170, 60, 1.0))
        self.bench.session.up(PenSample(0.4, 170, 60, 0.0))
        self.run_all()
        self.assertEqual(self.steps(), ["Paint colour"])
        self.assertFalse(self.bench.session.busy)

    def test_of_several_strokes_that_wait_the_last_goes(self) -> None:
        ended = []
        for x in (50, 120, 190):
            self.stroke(x)
        self.down(220)  # drawn while the others wait
        self.bench.undo()
        self.bench.session.up(PenSample(0.4, 240, 60, 0.0))
        self.bench.undo()
        self.bench.session.rested.connect(lambda: ended.append(1))
        self.run_all()
        self.assertEqual(len(self.steps()), 2)
        self.assertEqual(len(ended), 1)
        self.assertFalse(self.bench.session.busy)


class SaveTest(SettlingCase):
    def saved(self) -> str:
        return digest(load_job(self.path).state)

    def test_a_save_holds_the_stroke_that_is_computed_or_drawn(self) -> None:
        self.answers.answers["path_to_save"] = self.path
        for pen in (self.stroke, self.down):
            pen()
            save(self.bench)
            self.run_all()
            self.assertEqual(self.saved(), digest(self.bench.state))
            self.assertFalse(self.bench.job.modified)
        self.assertEqual(len(self.steps()), 2)

    def test_save_as_appends_and_asks_about_the_real_name(self) -> None:
        other = self.folder / "smith v1.5.lather"
        for typed, real in (("smith.final", "smith.final.lather"),
                            ("smith v1.5", "smith v1.5.lather")):  # fmt: skip
            asked = []
            (self.folder / real).write_bytes(b"another job")
            self.answers.answers["path_to_save"] = self.folder / typed
            self.answers.replace = lambda path, asked=asked: asked.append(path) or False
            save_as(self.bench)
            self.run_all()
            self.assertEqual(asked, [self.folder / real])
            self.assertEqual((self.folder / real).read_bytes(), b"another job")
            self.assertIsNone(self.bench.job.path)
        self.answers.replace = lambda path: True
        save_as(self.bench)
        self.run_all()
        self.assertEqual(self.bench.job.path, other)
        self.assertFalse((self.folder / "smith v1.lather").exists())
        self.assertEqual(digest(load_job(other).state), digest(self.bench.state))

    def test_a_job_that_somebody_else_replaced_is_kept_as_a_backup(self) -> None:
        self.bench.settings.set("backups_kept", 0)
        self.answers.answers["path_to_save"] = self.path
        save(self.bench)
        self.run_all()
        save_job(new_state(skin_photo(80, 60)), self.path)
        replaced = self.path.read_bytes()
        self.stroke()
        save(self.bench)
        self.run_all()
        self.assertEqual((self.folder / "a.backup1.lather").read_bytes(), replaced)
        self.assertEqual(self.saved(), digest(self.bench.state))

    def test_work_that_was_never_saved_is_not_saved_over(self) -> None:
        other = Job(new_state(read_photo(self.photo)), self.path)
        save_job(other.state, self.path, revision="1")
        opened = open_path(self.path, no_progress, locked=True)
        crashed = start_workbench(Settings(), Answers())
        crashed.take_job(opened)
        crashed.change("Name it", edits.add_pixel_layer)
        opened.release()
        self.assertTrue(beside(self.path).journal.exists())
        self.answers.answers["path_to_save"] = self.path
        self.answers.answers["replace"] = True
        save_as(self.bench)
        self.run_all()
        self.assertIn("never saved", self.said[-1])
        self.assertIsNone(self.bench.open_job.path)
        self.assertFalse(Lock.held_here(beside(self.path).lock))
        self.assertEqual(len(load_job(self.path).state.layers), 1)


class ClosingTest(SettlingCase):
    def closed(self, answer: str | None) -> list[str]:
        went: list[str] = []
        self.answers.answers.update(unsaved=answer, path_to_save=self.path)
        settle_unsaved(self.bench, lambda: went.append("on"))
        return went

    def test_the_first_stroke_is_asked_about(self) -> None:
        """Computed or still drawn: there is a question, and Save saves it."""
        for pen in (self.stroke, self.down):
            self.answers.asked.clear()
            pen()
            went = self.closed("save")
            self.assertEqual((went, self.answers.asked), ([], []))
            self.run_all()
            self.assertEqual((went, self.answers.asked[0]), (["on"], "unsaved"))
            self.assertEqual(digest(load_job(self.path).state), digest(self.bench.state))
            self.bench.change("A step", edits.set_delivery_long_side, len(self.steps()) + 1)
            save(self.bench)
            self.run_all()

    def test_what_is_done_during_the_save_is_asked_about_again(self) -> None:
        self.stroke()
        self.run_all()
        went = self.closed("save")
        self.bench.change("Late", edits.add_pixel_layer)
        self.answers.answers["unsaved"] = None
        self.run_all()
        self.assertEqual((went, self.answers.asked.count("unsaved")), ([], 2))

    def test_a_survey_is_cancelled_and_a_delivery_is_waited_for(self) -> None:
        surveying.survey(self.bench)
        went = self.closed("discard")
        self.assertTrue(self.bench.task.cancel.cancelled)
        self.assertEqual(went, [])
        self.run_all()
        self.assertEqual(went, ["on"])
        done = []
        self.bench.run_task("Delivering", lambda progress, cancel: cancel.check() or "whole",
                            done.append, must_end=True)  # fmt: skip
        went = self.closed("discard")
        self.run_all()
        self.assertEqual((done, went), (["whole"], ["on"]))

    def test_who_asks_later_takes_the_place_of_who_waits(self) -> None:
        went = []
        self.stroke()
        for word in ("first", "second"):
            self.answers.answers["unsaved"] = "discard"
            settle_unsaved(self.bench, lambda word=word: went.append(word))
        self.run_all()
        self.assertEqual(went, ["second"])

    def test_outcomes_of_a_closed_job_are_forgotten(self) -> None:
        """Even where somebody takes another job without asking."""
        self.stroke()
        old = self.bench.job
        self.bench.take_job(Job(new_state(skin_photo())))
        said = len(self.said)
        self.run_all()
        self.assertEqual((self.said[said:], old.history.done), ([], ()))
        self.stroke()
        self.bench.take_job(None)
        self.run_all()
        self.assertEqual(self.said[said:], [])

    def test_another_photo_waits_for_the_stroke(self) -> None:
        other = photo_in(self.folder, "other.png", seed=9).path
        self.answers.answers["unsaved"] = "discard"
        self.stroke()
        job = self.bench.job
        open_file(self.bench, other)
        self.assertIs(self.bench.job, job)
        self.run_all()
        self.assertEqual(self.bench.job.title, "other")
        self.assertEqual(len(job.history.done), 1)
        self.assertEqual(self.answers.asked, ["unsaved"])

    def test_what_is_done_while_the_other_one_opens_is_asked_about_again(self) -> None:
        other = photo_in(self.folder, "other.png", seed=9).path
        job = self.bench.job
        self.answers.answers["unsaved"] = "discard"
        self.bench.change("A step", edits.add_pixel_layer)
        for answer, title in ((None, "photo"), ("discard", "other")):
            open_file(self.bench, other)
            self.answers.asked.clear()
            self.answers.answers["unsaved"] = answer
            self.stroke()
            self.run_all()
            self.assertEqual((self.answers.asked, self.bench.job.title), (["unsaved"], title))
            self.answers.answers["unsaved"] = "discard"
        self.assertEqual([step.name for step in job.history.done].count("Paint colour"), 2)

    def test_nothing_is_asked_twice_about_the_same_work(self) -> None:
        other = photo_in(self.folder, "other.png", seed=9).path
        self.answers.answers["unsaved"] = "discard"
        self.stroke()
        open_file(self.bench, other)
        self.run_all()
        self.assertEqual(self.answers.asked, ["unsaved"])

    def test_another_try_asks_about_what_was_done_since(self) -> None:
        open_file(self.bench, self.folder / "none.png")
        self.run_all()
        self.stroke()
        self.answers.answers["unsaved"] = None
        retry = self.bench.offer
        self.assertEqual(retry.title, "Try again")
        self.run_all()
        retry.run()
        self.assertEqual(self.answers.asked, ["unsaved"])

    def test_a_layer_locked_during_a_stroke_takes_no_paint(self) -> None:
        layer_id = self.bench.state.active_id
        self.stroke()
        self.bench.change("Lock", edits.set_locked, layer_id, True)
        locked = self.bench.state
        self.run_all()
        self.assertIs(self.bench.state, locked)
        self.assertIn("locked", self.said[-1])


class OfferTest(SettlingCase):
    def test_an_offer_goes_with_the_state_it_belongs_to(self) -> None:
        withdrawn = []
        self.bench.offer_withdrawn.connect(lambda: withdrawn.append(1))
        self.bench.say("Smears", error=True, offer=Offer("Free it", list, of=self.bench.state))
        self.bench.select_layer(self.bench.state.layers[0].id)  # no work on the picture
        self.assertIsNotNone(self.bench.offer)
        self.bench.change("Another layer", edits.add_pixel_layer)
        self.assertEqual((self.bench.offer, len(withdrawn)), (None, 1))

    def test_no_offer_outlives_its_job(self) -> None:
        for of in (None, self.bench.state):
            self.bench.say("Failed", error=True, offer=Offer("Try again", list, of=of))
            self.bench.take_job(Job(new_state(skin_photo())))
            self.assertIsNone(self.bench.offer)

    def test_the_rim_warning_names_its_state(self) -> None:
        rim = broken.warn_of_broken_rim
        outcome = type("O", (), {"broken": object(), "broken_share": 0.4})
        rim(self.bench, outcome)
        self.assertIs(self.bench.offer.of, self.bench.state)

    def test_a_truncated_photo_offers_what_is_there(self) -> None:
        from tests.files.test_odd_photos import tiff

        _, encoded = tiff(16, compression="none")
        path = Path(self.folder / "half.tif")
        path.write_bytes(encoded[: len(encoded) // 2])
        open_file(self.bench, path)
        self.run_all()
        self.assertIn("too early", self.said[-1])
        self.assertNotEqual(self.bench.job.title, "half")
        self.bench.offer.run()
        self.run_all()
        self.assertEqual(self.bench.job.title, "half")
        self.assertIn("is missing", self.said[-1])
