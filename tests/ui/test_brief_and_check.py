"""The brief's page, the gauge, the ladder and the blinded test in the real window."""

from __future__ import annotations

import gc
import unittest
import weakref
from dataclasses import replace
from functools import lru_cache

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from lather.actions.stages.checking import check_all, compare_blindly, go_to_check
from lather.actions.table import all_actions
from lather.assist.check.blind import blind_pair
from lather.assist.check.check import Verdict
from lather.assist.check.views import Views
from lather.document import edits
from lather.document.agreed.brief import Delivered, Task
from lather.document.agreed.briefing import set_brief
from lather.document.agreed.style import Style
from lather.document.agreed.trials import Answer, Trial
from lather.document.findings import FindingState
from lather.document.layers.layer import Stage
from lather.document.layers.table import KINDS
from lather.document.state import JobState
from lather.ui.dialogs.blind_dialog import BlindDialog
from lather.ui.parts.widgets import run_action
from lather.ui.scripted import settle, wait_until
from lather.ui.stages.brief.agreed import Agreed
from lather.ui.stages.finish.check_panel import CheckPanel
from tests.assist import test_check
from tests.assist.test_check import smoothed
from tests.ui.test_window import WindowCase

SCALE = 0.42  # what is measured is another test's matter


def portrait() -> JobState:
    return test_check.portrait(SCALE)


@lru_cache(maxsize=2)
def overdone(sigma_mm: float = 0.4) -> JobState:
    """Always the same one: what is measured of it is measured once."""
    return smoothed(portrait(), sigma_mm)


class BriefPageTest(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.open(portrait())
        self.bench.go_to_stage(Stage.BRIEF)
        settle(self.app)
        self.page = self.window.pages.page

    def brief(self):
        return self.bench.state.brief

    def test_the_page_is_there_in_its_stage_and_the_picture_in_others(self) -> None:
        self.assertIs(self.window.pages.currentWidget(), self.page)
        self.assertIn("ASK THE CLIENT", self.window.worklist.text.text())
        self.bench.go_to_stage(Stage.CLEAN)
        self.assertIs(self.window.pages.currentWidget(), self.window.canvas)

    def test_every_field_is_a_step_of_the_job_that_can_be_undone(self) -> None:
        page, steps = self.page, self.bench.job.history.n_done
        page.words.setPlainText("keep the freckles")
        page.long_side.setValue(1200)
        page.n_pictures.setValue(12)
        page.fee.setValue(240.0)
        page.hours.setValue(4.0)
        page.deadline.clear()
        QTest.keyClicks(page.deadline, "2027-01-15")
        QTest.keyClicks(page.consent_by, "A. Nobody")
        page.formats[Delivered.TIFF].click()
        page.tasks[Task.SHAPE].click()
        brief = self.brief()
        self.assertEqual((brief.words, brief.delivery_long_side_px, brief.n_pictures, brief.fee,
                          brief.agreed_hours, brief.deadline, brief.consent_by),
                         ("keep the freckles", 1200, 12, 240.0, 4.0, "2027-01-15", "A. Nobody"))
        self.assertEqual(brief.formats, (Delivered.JPEG, Delivered.TIFF))
        self.assertFalse(brief.wants(Task.SHAPE))
        self.assertIn("20.00 EUR a picture", page.advice.text())
        self.assertIn("Agreed", page.asked.text())
        self.assertEqual(self.bench.job.history.n_done - steps, 9)
        while self.bench.job.history.n_done > steps:
            self.bench.undo()
        self.assertEqual(page.words.toPlainText(), "")
        self.assertEqual(page.long_side.value(), 0)
        self.assertTrue(page.tasks[Task.SHAPE].isChecked())

    def test_what_no_file_could_hold_is_refused_and_what_was_there_stays(self) -> None:
        page, said = self.page, list[str]()
        self.bench.said.connect(lambda text, _: said.append(text))
        QTest.keyClicks(page.consent_by, "A. Nobody")
        QApplication.clipboard().setText("n" * 5000)
        page.consent_by.setFocus()
        page.consent_by.selectAll()
        QTest.keyClick(page.consent_by, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
        page.words.setPlainText("w" * 4001)
        self.assertEqual((self.brief().consent_by, self.brief().words), ("A. Nobody", ""))
        self.assertEqual((page.consent_by.text(), page.words.toPlainText()), ("A. Nobody", ""))
        self.assertIn("in the brief, the name of who agreed has 5,000 letters, more than 4,000",
                      " ".join(said))  # fmt: skip
        self.assertIn("the text in the client's words has 4,001 letters", " ".join(said))

    def test_further_sizes_are_pixels_or_one_clear_sentence(self) -> None:
        field = self.page.more_sizes
        for text, sizes in (("2048, 1080 px", (2048, 1080)), ("tall", (2048, 1080)), ("", ())):
            field.setText(text)
            field.editingFinished.emit()
            self.assertEqual(self.brief().more_sizes_px, sizes)
        self.assertTrue(any("'tall' is no list of pixels" in said for said, _ in self.said))

    def beside(self) -> Agreed:
        part = self.window.hand.findChild(Agreed)
        assert isinstance(part, Agreed)
        self.assertTrue(part.isVisible())
        return part

    def test_a_style_shows_what_it_allows(self) -> None:
        limits = self.beside().limits
        groomed = limits["texture_kept"].text()
        QTest.mouseClick(self.page.styles[Style.INFANT], Qt.MouseButton.LeftButton)
        self.assertIs(self.brief().style, Style.INFANT)
        self.assertNotEqual(limits["texture_kept"].text(), groomed)
        self.assertIn("child's face", self.page.style_help.text())
        self.assertIn("guardian", self.page.asked.text())
        self.assertEqual(limits["displacement"].text(), "≤ 0%")

    def test_identity_refuses_tools_with_the_reason(self) -> None:
        QTest.mouseClick(self.page.styles[Style.IDENTITY], Qt.MouseButton.LeftButton)
        before = self.bench.state
        self.bench.go_to_stage(Stage.CLEAN)
        action = next(a for a in all_actions() if a.id == "finding.mend_all")
        run_action(action, self.bench)
        wait_until(lambda: self.bench.task is None)
        self.assertEqual(self.bench.state.layers, before.layers)
        self.assertTrue(any("must show the person" in text for text, _ in self.said), self.said)

    def test_an_identity_job_with_layers_says_so_when_it_is_opened(self) -> None:
        from lather.actions.job.opening import open_file
        from lather.document.state import new_state
        from lather.files.jobs.jobwriter import save_job
        from tests.support import photo_in

        state = edits.add_computed(new_state(photo_in(self.folder)), KINDS["blur"])
        state = set_brief(state, replace(state.brief, style=Style.IDENTITY))
        path = self.folder / "document.lather"
        save_job(state, path)
        self.bench.take_job(None)
        open_file(self.bench, path)
        wait_until(lambda: self.bench.task is None and self.bench.job is not None)
        self.assertIn("'Blur' may not be in a picture for a document", self.said[-1][0])
        self.assertEqual(len(self.bench.state.layers), 2)

    def test_what_is_ticked_is_kept(self) -> None:
        kept = self.beside().kept.list
        items = [kept.item(n) for n in range(kept.count())]
        item = next(i for i in items if i.checkState() == Qt.CheckState.Checked)
        ids = item.data(Qt.ItemDataRole.UserRole)
        item.setCheckState(Qt.CheckState.Unchecked)
        findings = self.bench.state.findings
        self.assertTrue(all(findings.state(findings.get(n)) is FindingState.OPEN for n in ids))

    def test_a_brief_goes_to_a_file_and_comes_from_one(self) -> None:
        path = self.folder / "brief"
        self.page.words.setPlainText("as it is")
        self.answers.brief_to_save = lambda suggested: path
        self.run_command("brief.save")
        self.run_command("brief.clear")
        self.assertEqual(self.brief().words, "")
        self.answers.brief_to_open = lambda: path.with_name("brief.json")
        self.run_command("brief.open")
        self.assertEqual(self.brief().words, "as it is")

    def run_command(self, name: str) -> None:
        next(action for action in all_actions() if action.id == name).run(self.bench)


class CheckWindowTest(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.open(overdone())
        self.panel = self.window.worklist.part(CheckPanel)

    def whole(self) -> None:
        check_all(self.bench)
        self.assertTrue(wait_until(lambda: self.bench.task is None, 120))
        settle(self.app)

    def test_the_gauge_follows_the_job_and_says_it_in_words(self) -> None:
        gauge = self.window.checks.gauge
        wait_until(lambda: self.window.checks.measured and self.bench.gauge.quick is not None)
        self.assertEqual(gauge.text, "Overdone")
        self.assertIn("plastic", gauge.toolTip())
        layer = self.bench.state.layers[-1]
        self.bench.change("Hide", edits.set_visible, layer.id, False)
        wait_until(lambda: gauge.text == "Untouched look", 30)
        self.assertEqual(gauge.text, "Untouched look")
        self.bench.change("Delete", edits.delete, layer.id)
        self.assertIsNone(self.bench.gauge.quick)

    def test_the_ladder_shows_rows_where_and_a_lever_that_one_key_uses(self) -> None:
        go_to_check(self.bench)
        self.assertIs(self.bench.stage, Stage.FINISH)
        self.assertTrue(wait_until(lambda: self.bench.task is None, 120))
        settle(self.app)
        self.assertTrue(self.panel.isVisibleTo(self.window))
        ids = [row.row.id for row in self.panel.ladder.rows]
        self.assertIn("texture_kept", ids)
        shares = [row.share for row in self.panel.ladder.rows]
        self.assertEqual(shares, sorted(shares, reverse=True))
        n = ids.index("texture_kept")
        self.panel.ladder.grab()
        QTest.mouseClick(self.panel.ladder, Qt.MouseButton.LeftButton,
                         pos=QPointF(30, 36 * n + 10).toPoint())  # fmt: skip
        self.assertEqual(self.bench.gauge.row_id, "texture_kept")
        self.assertIn("plastic", self.panel.detail.text())
        self.assertIn("brings this to the limit", self.panel.detail.text())
        self.assertIn(self.bench.state.layers[-1].name, self.panel.detail.text())
        place = self.bench.gauge.row(self.bench.state).reading.place
        at = self.bench.geometry.to_view(*place)
        self.assertGreaterEqual(self.bench.geometry.zoom, 1.0)
        self.assertLess(abs(at[0] - self.window.canvas.width() / 2), 60)
        lever = self.bench.gauge.lever(self.bench.state)
        self.key(Qt.Key.Key_R, modifier=Qt.KeyboardModifier.AltModifier)
        self.assertEqual(self.bench.state.layer(lever.layer_id).strength, lever.strength)
        self.assertTrue(wait_until(lambda: self.bench.task is None, 120))
        self.assertLessEqual(self.bench.gauge.full.row("texture_kept").share, 1.0)

    def test_what_was_measured_before_a_change_is_dim_and_levers_go(self) -> None:
        self.bench.go_to_stage(Stage.FINISH)
        self.whole()
        self.assertIsNotNone(self.bench.gauge.lever(self.bench.state))
        self.bench.change("Weaker", edits.set_strength, self.bench.state.layers[-1].id, 0.9)
        self.assertIsNone(self.bench.gauge.lever(self.bench.state))
        wait_until(lambda: self.window.checks.measured)
        self.assertIn("before the last change", self.panel.said.text())
        self.panel.all_rows.setChecked(True)
        self.panel.ladder.grab()
        self.assertIn("seams", self.panel.ladder._stale)

    def test_what_is_not_checked_says_why(self) -> None:
        self.bench.go_to_stage(Stage.FINISH)
        self.open(portrait())
        self.assertIn("Nothing was changed yet", self.panel.said.text())
        self.open()
        self.assertIn("Survey the portrait first", self.panel.said.text())
        self.assertTrue(self.window.worklist.survey.isVisibleTo(self.window))

    def test_the_map_marks_where_it_went_too_far(self) -> None:
        self.bench.go_to_stage(Stage.FINISH)
        self.whole()
        self.assertTrue(any(shade.is_beyond for shade in self.panel.map.shades.values()))
        self.assertTrue(self.panel.map._spots)
        self.panel.map.grab()

    def test_the_verdict_is_told_by_shape_and_word(self) -> None:
        self.whole()
        gauge = self.window.checks.gauge
        pictures = []
        for verdict in (Verdict.UNTOUCHED, Verdict.OVERDONE):
            state = self.bench.state
            shown = self.bench.gauge.check(state)
            if verdict is Verdict.UNTOUCHED:
                shown = replace(shown, rows=shown.rows[:0])
            self.assertIs(shown.verdict, verdict)
            gauge.show_check(shown)
            image = gauge.grab().toImage().convertToFormat(
                gauge.grab().toImage().Format.Format_Grayscale8)
            pictures.append(image)
        self.assertNotEqual(pictures[0], pictures[1])


class LifetimeTest(WindowCase):
    def test_what_was_checked_is_let_go_with_its_job(self) -> None:
        self.open(smoothed(portrait(), 0.4))
        wait_until(lambda: self.window.checks.measured and self.bench.gauge.quick is not None)
        start = weakref.ref(Views(self.bench.state, quick=True).begun)
        self.assertIsNotNone(start())
        self.open()
        self.assertTrue(wait_until(lambda: (gc.collect(), start() is None)[1], 5))


class BlindTest(WindowCase):
    def test_an_answer_is_kept_in_the_job(self) -> None:
        self.open(overdone(0.5))
        trial = Trial(Answer.WRONG, "2026-01-02T03:04:05", 1.0, 2)
        self.answers.blind_trial = lambda job: trial
        compare_blindly(self.bench)
        self.assertEqual(self.bench.state.trials, (trial,))
        self.assertIn("passed for the photo", self.said[-1][0])
        self.bench.go_to_stage(Stage.FINISH)
        self.assertIn("0 of 1", self.window.worklist.part(CheckPanel).trials.text())

    def test_the_dialog_tells_nothing_before_the_answer(self) -> None:
        self.open(overdone(0.5))
        for photo_at, key, answer in ((0, Qt.Key.Key_1, Answer.RIGHT), (1, Qt.Key.Key_1,
                                      Answer.WRONG), (1, Qt.Key.Key_0, Answer.CANNOT_TELL)):
            pair = blind_pair(self.bench.state, 300, 240, lambda at=photo_at: at)
            dialog = BlindDialog(self.bench.state, pair, 0.18, self.window)
            shown = dialog.picture.pixmap().toImage()
            QApplication.sendEvent(dialog, QKeyEvent(QKeyEvent.Type.KeyPress, Qt.Key.Key_Space,
                                                     Qt.KeyboardModifier.NoModifier))  # fmt: skip
            self.assertNotEqual(dialog.picture.pixmap().toImage(), shown)
            words = " ".join(w.text() for w in dialog.findChildren(type(dialog.name)))
            self.assertNotIn("before", words.lower())
            QApplication.sendEvent(dialog, QKeyEvent(QKeyEvent.Type.KeyPress, key,
                                                     Qt.KeyboardModifier.NoModifier))  # fmt: skip
            self.assertIs(dialog.trial.answer, answer)
            self.assertEqual(dialog.trial.n_flips, 1)


class LimitsOnStageTest(WindowCase):
    def test_another_style_is_measured_against_at_once(self) -> None:
        self.open(smoothed(portrait(), 0.15))
        wait_until(lambda: self.window.checks.measured and self.bench.gauge.quick is not None)
        before = self.bench.gauge.quick.share
        strict = replace(self.bench.state.brief, style=Style.INFANT)
        self.bench.change("Brief", set_brief, strict)
        wait_until(lambda: self.bench.gauge.quick is not None
                   and self.bench.gauge.quick.brief.style is Style.INFANT, 30)  # fmt: skip
        self.assertGreater(self.bench.gauge.quick.share, before)
        self.assertIn("blur", KINDS)


if __name__ == "__main__":
    unittest.main()
