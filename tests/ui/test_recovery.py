"""Recovery in the window: the questions, the history list, errors with another try."""

import time
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QPushButton

from lather.actions.job.recovery import Opened, Recovered
from lather.actions.job.saving import save
from lather.core.brush.stroke import PenSample
from lather.document import edits
from lather.document.digest import digest
from lather.document.history import History
from lather.document.job import Job
from lather.document.state import new_state
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.jobs.journalreader import FoundJournal, Replayed
from lather.files.places import beside
from lather.ui.dialogs.history_list import HistoryList
from lather.ui.dialogs.recovery_dialogs import RecoveryDialog, UnsavedWorkDialog
from lather.ui.scripted import open_and_settle, settle, wait_until
from tests.support import painted_state, photo_in, skin_photo
from tests.ui.test_window import WindowCase


def left_behind(name: str = "Mend spot", n_steps: int = 14) -> FoundJournal:
    return FoundJournal(
        Path("journal"), {"title": "portrait"}, {"r": 0}, {"r": 9}, n_steps, 0, name,
        time.time() - 60,
    )  # fmt: skip


def recovered(n_steps: int, n_lost: int = 0) -> Recovered:
    state = new_state(skin_photo())
    return Recovered(left_behind(), beside(Path("a.lather")), state, "r", state, History(),
                     Replayed(n_steps, 0, n_lost), n_steps, "Mend spot")  # fmt: skip


def texts(dialog) -> str:
    labels = dialog.findChildren(type(dialog.parent().clock))
    return " ".join(shown.text() for shown in labels)


class DialogTest(WindowCase):
    def test_recovery_says_what_was_found_and_offers_both_states(self) -> None:
        for button, answer in (("recovered", "recovered"), ("saved", "saved")):
            dialog = RecoveryDialog("anna", recovered(14), self.window)
            self.assertIn("14 steps on 'anna'", texts(dialog))
            self.assertIn("Mend spot, at", texts(dialog))
            getattr(dialog, button).click()
            self.assertEqual((dialog.answer, dialog.result()), (answer, 1))
        single = RecoveryDialog("anna", recovered(1), self.window)
        self.assertIn("1 step on 'anna' made after the last save is still here", texts(single))
        self.assertNotIn("cannot be read", texts(single))
        single.reject()
        partly = RecoveryDialog("anna", recovered(5, n_lost=2), self.window)
        self.assertIn("5 steps on 'anna'", texts(partly))
        self.assertIn("2 steps after that cannot be read", texts(partly))
        self.assertEqual(single.answer, "")

    def test_work_that_was_never_saved_is_a_list(self) -> None:
        found = [left_behind(), left_behind("Paint colour", 1)]
        dialog = UnsavedWorkDialog(found, self.window)
        self.assertIn("1 step, the last one Paint colour", dialog.list.item(1).text())
        dialog.list.setCurrentRow(1)
        dialog.throw_away.click()
        self.assertEqual(dialog.answer, ("throw away", 1))
        again = UnsavedWorkDialog(found, self.window)
        again.recover.click()
        self.assertEqual(again.answer, ("recover", 0))
        later = UnsavedWorkDialog(found, self.window)
        next(b for b in later.findChildren(QPushButton) if b.text() == "Later").click()
        self.assertIsNone(later.answer)


class HistoryTest(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.open()
        for name in ("First", "Second", "Third"):
            self.bench.change(f"Layer {name}", edits.add_pixel_layer, name)
        self.history = HistoryList(self.bench, self.window)
        self.addCleanup(self.history.close)

    def rows(self) -> list[str]:
        items = [self.history.list.item(n) for n in range(self.history.list.count())]
        return [item.text().split("\n")[0] for item in items]

    def test_steps_are_named_and_any_can_be_gone_to(self) -> None:
        self.assertEqual(self.rows(), ["As opened", "Layer First", "Layer Second", "Layer Third"])
        self.assertFalse(self.history.go.isEnabled())
        self.history.list.setCurrentRow(1)
        self.history.go.click()
        self.assertEqual([x.name for x in self.bench.state.layers][1:], ["First"])
        self.assertTrue(self.history.list.item(2).font().italic())
        self.assertFalse(self.history.list.item(1).font().italic())
        self.history.list.setCurrentRow(3)
        self.history.go.click()
        self.assertEqual(len(self.bench.state.layers), 4)

    def test_the_list_follows_without_being_filled_anew(self) -> None:
        first = self.history.list.item(0)
        self.bench.go_to_step(1)
        self.assertEqual(self.italic(), [False, False, True, True])
        self.bench.redo()
        self.assertEqual(self.italic(), [False, False, False, True])
        self.bench.change("Layer Other", edits.add_pixel_layer, "Other")
        self.assertEqual(self.rows(), ["As opened", "Layer First", "Layer Second", "Layer Other"])
        self.assertEqual(self.italic(), [False] * 4)
        for strength in (0.5, 0.4):  # one gesture is one row
            self.bench.change("Strength", edits.set_strength, self.bench.state.active_id,
                              strength, gesture="drag")  # fmt: skip
        self.assertEqual(self.rows()[3:], ["Layer Other", "Strength"])
        self.assertIs(self.history.list.item(0), first)
        self.assertEqual(self.history.list.currentRow(), 4)
        self.open()
        self.assertEqual(self.rows(), ["As opened"])

    def test_each_says_what_it_did_and_those_before_are_there(self) -> None:
        texts = [self.history.list.item(n).text() for n in range(self.history.list.count())]
        self.assertEqual(texts[2], "Layer Second\nSecond; on 'Second'")
        before = self.bench.state
        self.bench.take_job(Job(before))
        self.assertEqual(self.rows(), ["Layer First", "Layer Second", "Layer Third", "As opened"])
        self.assertFalse(self.history.list.item(0).flags() & Qt.ItemFlag.ItemIsEnabled)
        self.assertEqual(self.history.list.currentRow(), 3)
        self.bench.change("Layer Fourth", edits.add_pixel_layer, "Fourth")
        self.history.list.setCurrentRow(3)
        self.history.go.click()
        self.assertEqual(len(self.bench.state.layers), len(before.layers))
        self.assertEqual(self.italic(), [False] * 4 + [True])

    def italic(self) -> list[bool]:
        """Which rows are of steps that were undone."""
        items = [self.history.list.item(n) for n in range(self.history.list.count())]
        return [item.font().italic() for item in items]

    def test_painting_back_from_a_step(self) -> None:
        """The brush brings the picture of that step back, not the photo's."""
        self.bench.hands.take_tool("paint_colour")
        self.bench.hands.set_brush(size_px=60, hardness=1, opacity=1, flow=1, pressure_flow=False)
        self.bench.zoom_to(1.0)
        settle(self.app)
        for colour in ((1.0, 0.0, 0.0), (0.0, 0.0, 1.0)):
            self.bench.hands.set_colour(colour)
            self.pen.stroke([PenSample(0.01 * n, 180 + n, 170, 0.8) for n in range(6)])
            self.pen.wait()
        self.assertEqual(self.rows()[-2:], ["Paint colour", "Paint colour"])
        self.history.list.setCurrentRow(4)
        self.history.paint_back.click()
        self.assertIn("as of: Paint colour", self.history.note.text())
        self.assertEqual(self.bench.hand.tool, "paint_back")
        self.bench.hands.set_brush(size_px=60, hardness=1, opacity=1, flow=1, pressure_flow=False)
        settle(self.app)
        self.pen.stroke([PenSample(0.01 * n, 180 + n, 170, 0.8) for n in range(6)])
        self.pen.wait()
        settle(self.app)
        self.assert_close(self.pixel(182, 170), (255, 0, 0), 1)
        self.history.from_photo.click()
        self.assertIsNone(self.bench.hands.back_to)
        self.assertIn("brings the photo back", self.history.note.text())

    def test_it_follows_the_job(self) -> None:
        self.bench.undo()
        self.assertEqual(self.history.list.currentRow(), 2)
        self.bench.take_job(None)
        self.assertFalse(self.history.isEnabled())
        self.open()
        self.assertEqual(self.rows(), ["As opened"])


class FilesInTheWindowTest(WindowCase):
    def test_a_job_is_recovered_through_the_window(self) -> None:
        path = self.folder / "a.lather"
        save_job(painted_state(photo_in(self.folder), 1), path)
        open_and_settle(self.app, path)
        self.bench.hands.take_tool("paint_colour")
        self.pen.stroke([PenSample(0.01 * n, 90 + n, 90, 0.8) for n in range(6)])
        self.pen.wait()
        worked = digest(self.bench.state)
        keeper, self.bench.keeper = self.bench.keeper, None
        keeper.job.recorder = None
        keeper._lock.release()  # as the system does for a process that was killed
        self.bench.take_job(None)
        self.assertTrue(beside(path).journal.exists())
        self.answers.answers["recovery"] = "recovered"
        open_and_settle(self.app, path)
        self.assertEqual(digest(self.bench.state), worked)
        self.assertIn("Recovered 1 unsaved step; the last one: Paint colour", self.said[-1][0])
        self.assertIn("not saved", self.window.job_note.text())

    def test_a_failed_save_offers_another_try(self) -> None:
        path = self.folder / "a.lather"
        save_job(painted_state(photo_in(self.folder), 1), path)
        open_and_settle(self.app, path)
        self.bench.change("New layer", edits.add_pixel_layer)
        with mock.patch("lather.files.atomic.os.fsync", side_effect=OSError(28, "No space left")):
            save(self.bench)
            wait_until(lambda: self.bench.task is None)
        messages = self.window.messages
        self.assertTrue(messages.offer.isVisible())
        self.assertIn("is full", messages.text.text())
        self.assertFalse(messages._hide.isActive())  # stays until answered
        messages.offer.click()
        wait_until(lambda: self.bench.task is None)
        self.assertFalse(self.bench.open_job.modified)
        self.assertEqual(digest(load_job(path).state), digest(self.bench.state))

    def test_trouble_with_the_journal_is_a_warning_in_the_window(self) -> None:
        self.bench.take_job(Opened(Job(new_state(skin_photo()))))
        settle(self.app)
        full = OSError(28, "No space left on device")
        with mock.patch("lather.files.jobs.journalrecords.os.write", side_effect=full), mock.patch(
            "lather.files.atomic.tempfile.mkstemp", side_effect=full
        ):
            self.bench.change("New layer", edits.add_pixel_layer)
        QApplication.processEvents()
        self.assertIn("in memory only", self.window.messages.text.text())
        self.assertEqual(len(self.bench.state.layers), 2)

    def test_layers_go_out_as_openraster_after_telling_what_is_lost(self) -> None:
        self.open(painted_state(skin_photo(), 1))
        target = self.folder / "out.ora"
        self.answers.answers["path_to_export"] = target
        self.window.actions_by_id["job.export_layers"].run(self.bench)
        wait_until(lambda: self.bench.task is None and target.exists())
        open_and_settle(self.app, target)
        self.assertEqual(len(self.bench.state.layers), 2)
        self.assertIsNone(self.bench.open_job.path)

    def test_the_link_command_is_offered_where_there_is_a_photo_file(self) -> None:
        action = self.window.actions_by_id["job.link_photo"]
        self.open()
        self.assertFalse(action.enabled(self.bench))
        open_and_settle(self.app, photo_in(self.folder).path)
        self.assertTrue(action.enabled(self.bench))
        action.run(self.bench)
        self.assertTrue(action.checked(self.bench))

    def test_deliver_dialog_lists_and_keyboard(self) -> None:
        from lather.ui.dialogs.deliver_dialog import DeliverDialog

        dialog = DeliverDialog(Job(new_state(skin_photo())), self.bench.settings, self.window)
        self.assertEqual(dialog.list.count(), 3)
        for row in range(3):
            dialog.list.setCurrentRow(row)
            self.assertTrue(dialog.preview.text())
        for row in range(3):
            dialog.list.item(row).setCheckState(Qt.CheckState.Unchecked)
        self.assertFalse(dialog.deliver.isEnabled())
