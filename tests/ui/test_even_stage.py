"""The Even stage in the real window: proposals on the picture, the face map, scores, matching."""

from __future__ import annotations

import unittest
from dataclasses import replace
from functools import lru_cache

import cv2
import numpy as np
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication

from lather.actions.findings import finding as commands
from lather.actions.stages import evening
from lather.actions.work import proposing
from lather.assist.even.findings import even_findings
from lather.assist.face_map import FIGURES, part_outlines
from lather.assist.skin_view import skin_view
from lather.assist.survey import survey_photo, surveyed, with_survey
from lather.core.area.combine import Combine
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Kind
from lather.core.survey.regions.region import Part
from lather.document import areas, edits
from lather.document.findings import FindingState
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Stage
from lather.document.photo import Photo
from lather.document.state import JobState, new_state
from lather.document.tree import walk
from lather.ui.parts.face_map import FaceMap
from lather.ui.parts.measured_aside import MeasuredAside
from lather.ui.scripted import settle, wait_until
from lather.ui.stages.even.score_panel import ScorePanel
from tests.assist.test_clean import spotted
from tests.even_skin import BROWN, field, highlight, skin_rgb, skin_state
from tests.support import DEMO, Later
from tests.ui.test_clean_stage import StageCase

SHINE = (150, 160)


def shining() -> JobState:
    state = skin_state(skin_rgb(0.1 * field(4.0, 7), highlight(*SHINE, 9.0, 0.5), colour=BROWN))
    found = even_findings(skin_view(state))
    return edits.set_findings(state, replace(state.findings, items=tuple(found)))


def with_area(state: JobState, x: int) -> JobState:
    """A square of 60 px around x, 160 outlined."""
    whole = np.ones((60, 60), np.float32)
    return areas.outline(state, Rect(x - 30, 130, x + 30, 190), whole, Combine.NEW)


@lru_cache(maxsize=1)
def portrait() -> JobState:
    """Portrait 8 at half size, surveyed."""
    picture = cv2.imread(str(DEMO / "portrait8.jpg"))
    half = cv2.resize(picture[..., ::-1], None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    photo = Photo(half.astype(np.uint16) * 257, name="portrait.png")
    return with_survey(new_state(photo), surveyed(survey_photo(photo)))


class EvenCase(StageCase):
    def open(self, state=None) -> None:
        super().open(state or shining())
        self.bench.go_to_stage(Stage.EVEN)
        settle(self.app)

    def proposed(self, command) -> None:
        command(self.bench)
        wait_until(lambda: self.bench.task is None)
        settle(self.app)
        self.assertIsNotNone(self.bench.pending, self.said)

    def accept(self) -> None:
        proposing.accept(self.bench)
        self.ended()

    def ended(self) -> None:
        wait_until(lambda: self.bench.task is None)
        settle(self.app)

    def light_at(self, x: float, y: float) -> float:
        """The mean around a photo pixel: between the dots of a rim, too."""
        left, top = self.bench.geometry.to_view(x, y)
        image = self.window.canvas.grab().toImage()
        near = [image.pixelColor(int(left) + dx, int(top) + dy).lightness()
                for dx in range(-12, 13, 3) for dy in range(-12, 13, 3)]  # fmt: skip
        return float(np.median(near))


class ProposalTest(EvenCase):
    def test_until_it_is_taken_only_the_ring_shows_it(self) -> None:
        self.open()
        self.window.canvas.leaveEvent(QEvent(QEvent.Type.Leave))
        plain = self.light_at(*SHINE)
        self.proposed(evening.tame_shine)
        self.window.canvas.leaveEvent(QEvent(QEvent.Type.Leave))
        self.assertAlmostEqual(self.light_at(*SHINE), plain, delta=6)
        self.assertEqual(len(self.bench.state.layers), 1)
        self.hover(SHINE[0] + 30, SHINE[1])
        settle(self.app)
        self.assertLess(self.light_at(*SHINE), plain - 15)
        proposing.leave(self.bench)
        settle(self.app)
        self.window.canvas.leaveEvent(QEvent(QEvent.Type.Leave))
        self.assertAlmostEqual(self.light_at(*SHINE), plain, delta=6)
        self.assertEqual(self.bench.open_job.history.n_done, 0)

    def test_it_is_taken_as_one_step_by_the_key_that_mends(self) -> None:
        self.open()
        self.proposed(evening.tame_shine)
        self.chord(Qt.Key.Key_Space, Qt.Key.Key_D)
        self.ended()
        self.assertIsNone(self.bench.pending)
        self.assertEqual(self.bench.open_job.history.n_done, 1)
        self.assertEqual(self.bench.state.active.name, "Tamed shine: body")
        self.bench.undo()
        self.assertEqual(len(self.bench.state.layers), 1)

    def test_its_ruler_marks_the_limit_and_can_be_set_beyond(self) -> None:
        self.open()
        self.proposed(evening.tame_shine)
        ruler = self.window.worklist.proposal.strength
        pending = self.bench.pending
        self.bench.set_pending(replace(pending, limit=0.7))
        settle(self.app)
        self.assertAlmostEqual(ruler.limit, 70)
        self.assertIn("overdone", ruler.toolTip())
        shown = ruler.grab().toImage()
        self.bench.set_pending(replace(pending, limit=None))
        settle(self.app)
        self.assertIsNone(ruler.limit)
        self.assertNotEqual(ruler.grab().toImage(), shown)
        proposing.set_strength(self.bench, 0.9)
        self.assertEqual(self.bench.pending.strength, 0.9)

    def test_the_handle_on_its_rim_sets_the_strength(self) -> None:
        self.open()
        self.proposed(evening.tame_shine)
        card = self.window.worklist.proposal
        self.assertTrue(card.isVisible())
        self.assertEqual(card.strength.value, 60)
        knob = self.window.canvas._grips.proposal._knob(1.0)
        self.assertIsNotNone(knob)
        self._drag_on_canvas(knob, knob + QPointF(32, 0))
        self.assertAlmostEqual(self.bench.pending.strength, 0.8, delta=0.02)
        self.assertAlmostEqual(card.strength.value, 80, delta=2)
        self.accept()
        self.assertAlmostEqual(self.bench.state.active.strength, 0.8, delta=0.02)

    def _drag_on_canvas(self, start: QPointF, end: QPointF) -> None:
        button, none = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton
        for kind, at, pressed, held in (
            (QEvent.Type.MouseButtonPress, start, button, button),
            (QEvent.Type.MouseMove, end, none, button),
            (QEvent.Type.MouseButtonRelease, end, button, none),
        ):
            event = QMouseEvent(kind, at, at, pressed, held, Qt.KeyboardModifier.NoModifier)
            QApplication.sendEvent(self.window.canvas, event)

    def test_painted_in_it_hides_until_the_brush_comes(self) -> None:
        self.open()
        self.proposed(evening.even_out)
        n_new = len(self.bench.pending.after.layers) - 1
        proposing.paint_in(self.bench)
        settle(self.app)
        layer = self.bench.state.active
        self.assertTrue(layer.mask.hides_all)
        self.assertTrue(self.bench.hand.on_mask)
        self.assertEqual(isinstance(layer, GroupLayer), n_new > 1)
        self.bench.hands.set_brush(size_px=60, hardness=1, opacity=1, flow=1)
        self.stroke([(100, 100), (140, 110)])
        self.assertFalse(self.bench.state.active.mask.hides_all)

    def test_several_layers_are_painted_in_as_one_group(self) -> None:
        self.open()
        self.proposed(evening.propose_all)
        self.assertGreater(len(self.bench.pending.after.layers), 2)
        proposing.paint_in(self.bench)
        settle(self.app)
        self.assertIsInstance(self.bench.state.active, GroupLayer)
        self.assertEqual(len(self.bench.state.layers), 2)

    def test_what_was_done_meanwhile_stays(self) -> None:
        self.open()
        self.proposed(evening.tame_shine)
        self.bench.change("Layer", edits.add_pixel_layer, "Mine")
        self.accept()
        names = {layer.name for layer in walk(self.bench.state.layers)}
        self.assertTrue({"Mine", "Tamed shine: body"} <= names)

    def test_another_job_forgets_it(self) -> None:
        self.open()
        self.proposed(evening.tame_shine)
        self.open(skin_state(skin_rgb()))
        self.assertIsNone(self.bench.pending)
        self.assertFalse(self.window.worklist.proposal.isVisible())

    def test_where_nothing_is_sure_the_reason_is_said(self) -> None:
        self.open(skin_state(skin_rgb()))
        evening.tame_shine(self.bench)
        wait_until(lambda: self.bench.task is None)
        self.assertIsNone(self.bench.pending)
        text, error = self.said[-1]
        self.assertTrue(error)
        self.assertIn("by hand", text)


class CleanProposalTest(EvenCase):
    def test_mends_of_clean_are_looked_at_the_same_way(self) -> None:
        self.open(spotted())
        self.bench.go_to_stage(Stage.CLEAN)
        self.proposed(commands.propose_mends)
        self.assertTrue(self.window.worklist.proposal.isVisible())
        self.assertFalse(self.window.worklist.findings.isVisible())
        self.assertEqual(len(self.bench.pending.outlines), 2)  # the third spot is kept
        self.assertEqual(len(self.bench.state.layers), 1)
        self.accept()
        self.assertEqual(self.bench.open_job.history.n_done, 1)
        self.assertEqual(len(list(self.bench.state.findings.in_state(FindingState.DONE))), 2)

    def test_on_a_layer_that_is_there_it_has_no_strength_of_its_own(self) -> None:
        state = edits.add_pixel_layer(spotted(), "Mended spots", Stage.CLEAN)
        self.open(state)
        self.proposed(commands.propose_mends)
        self.assertFalse(self.bench.pending.can_be_weakened)
        self.assertFalse(self.window.worklist.proposal.strength.isVisible())
        self.assertIsNone(self.window.canvas._grips.proposal._knob(1.0))
        self.assertFalse(self.window.actions_by_id["proposal.paint_in"].enabled(self.bench))
        self.accept()
        self.assertEqual(len(self.bench.state.layers), 2)


class WorklistTest(EvenCase):
    def test_findings_of_the_stage_are_listed_with_what_is_off(self) -> None:
        self.open()
        shown = self.window.worklist.findings
        self.assertTrue(shown.isVisible())
        texts = [shown.list.item(n).text() for n in range(shown.list.count())]
        self.assertTrue(any(text.startswith("Shine\n") and "L* +" in text for text in texts))
        self.assertEqual(shown.buttons[0].text(), "Propose")
        self.bench.go_to_stage(Stage.CLEAN)
        self.assertEqual(shown.list.count(), 0)
        self.assertEqual(shown.buttons[0].text(), "Mend")

    def test_a_finding_is_proposed_taken_and_done(self) -> None:
        self.open()
        shine = next(f for f in self.bench.state.findings.items if f.kind is Kind.SHINE)
        commands.look_at(self.bench, shine)
        self.assertIs(self.bench.stage, Stage.EVEN)
        self.proposed(commands.mend_current)
        commands.mend_current(self.bench)  # the same key takes it
        self.ended()
        self.assertIs(self.bench.state.findings.state(shine), FindingState.DONE)

    def test_keep_and_skip_are_as_in_clean(self) -> None:
        self.open()
        first = self.bench.state.findings.items[0]
        commands.look_at(self.bench, first)
        commands.decide(self.bench, [first], FindingState.SKIPPED)
        self.assertIs(self.bench.state.findings.state(first), FindingState.SKIPPED)
        self.assertNotEqual(self.bench.walk.finding_id, first.id)


class ScoreTest(EvenCase):
    def test_the_face_map_shows_this_persons_parts_and_goes_there(self) -> None:
        self.open(portrait())
        panel = self.window.worklist.part(ScorePanel)
        wait_until(lambda: panel.measured and panel.scores is not None, 60)
        self.assertIn(Part.CHEEK_RIGHT, panel.scores.parts)
        outlines = part_outlines(self.bench.state, 0)
        self.assertTrue({Part.FOREHEAD, Part.NOSE, Part.CHIN} <= set(outlines))
        told = panel.map.told(Part.CHEEK_RIGHT)
        self.assertIn("Right cheek: blotches, redness", told)
        self.assertIn("at the start", told)
        place = panel.map._paths()[Part.CHEEK_RIGHT].boundingRect().center()
        self.assertIs(panel.map.part_at(place), Part.CHEEK_RIGHT)
        panel.map.picked.emit(Part.CHEEK_RIGHT)
        xs = [x for x, _ in outlines[Part.CHEEK_RIGHT][0]]
        self.assertTrue(min(xs) < self.bench.geometry.centre_x < max(xs))
        for number, figure in enumerate(FIGURES):
            panel.figures.setCurrentIndex(number)
            self.assertIn(figure.title.lower(), panel.map.told(Part.NOSE))
        panel.as_table.setChecked(True)
        self.assertTrue(panel.table.isVisible())
        self.assertGreater(np.ptp(self._grey(panel.table)), 60)

    def _grey(self, widget) -> np.ndarray:
        image = widget.grab().toImage()
        return np.array([image.pixelColor(x, 12).lightness() for x in range(image.width())])

    def test_a_part_limits_what_is_proposed(self) -> None:
        self.open(portrait())
        self.proposed(evening.even_out)
        self.window.worklist.part(ScorePanel).map.picked.emit(Part.FOREHEAD)
        self.assertEqual(self.bench.pending.parts, (Part.FOREHEAD,))
        self.assertIn("forehead", self.window.worklist.proposal.parts.text())
        self.accept()
        self.assertEqual(self.bench.state.active.limits.regions, (Part.FOREHEAD,))


class PickTest(EvenCase):
    def test_paint_colour_picks_the_mean_of_a_disc(self) -> None:
        self.open(skin_state(skin_rgb()))
        self.bench.hands.take_tool("paint_colour")
        button = self.window.tool_card.colours.disc
        self.assertTrue(button.isVisible())
        self.assertIn("1 mm", button.text())
        button.click()
        self.assertIn("2 mm", button.text())
        self.key(Qt.Key.Key_C)
        self.mouse(QEvent.Type.MouseButtonPress, 120, 120)
        self.mouse(QEvent.Type.MouseButtonRelease, 120, 120)
        self.key(Qt.Key.Key_C, QEvent.Type.KeyRelease)
        self.assertFalse(self.bench.hands.picking)
        wanted = skin_rgb()[118:123, 118:123].mean((0, 1))
        self.assert_close(self.bench.hand.colour, wanted, 0.02)
        self.assertEqual(self.bench.open_job.history.n_done, 0)  # nothing was painted


class LateTest(EvenCase):
    def test_what_comes_in_late_is_not_the_next_job_s(self) -> None:
        """Measured of a job that was closed meanwhile."""
        self.open()
        later = Later()
        aside = MeasuredAside(self.bench, later, wanted=lambda: True, shown=lambda: None,
                              measure=lambda state, cancel: state.photo.name)  # fmt: skip
        self.addCleanup(aside.close)
        aside._measure()
        self.open(skin_state(skin_rgb()))
        aside.forget()
        later.run()
        self.assertIsNone(aside.value)
        aside._measure()
        later.run()
        self.assertEqual(aside.value, self.bench.state.photo.name)

    def test_a_face_map_of_an_earlier_survey_is_drawn_aside(self) -> None:
        self.open(portrait())
        later, state = Later(), self.bench.state
        drawn = FaceMap(self.bench, later)
        drawn.show_state(state)
        self.assertEqual(drawn._paths(), {})
        later.run()
        self.assertTrue(drawn._outlines)
        self.assertEqual(drawn._outlines.keys(), part_outlines(state, 0).keys())


class MatchInWindowTest(EvenCase):
    def test_an_area_is_the_reference_another_the_target(self) -> None:
        rgb = skin_rgb()
        rgb[:, 180:] = skin_rgb(0.4)[:, 180:]
        self.open(skin_state(rgb))
        for x, command in ((80, evening.take_reference), (250, None)):
            self.bench.change("Outline", with_area, x)
            if command is not None:
                command(self.bench)
                self.assertIsNone(self.bench.state.area)
        self.proposed(evening.match_colour)
        card = self.window.worklist.proposal
        self.assertTrue(card.swatches.isVisible())
        left, right = (card.swatches.grab().toImage().pixelColor(x, 30)
                       for x in (10, card.swatches.width() - 10))  # fmt: skip
        self.assertGreater(left.redF() - left.greenF(), right.redF() - right.greenF())
        self.assertIn("CIEDE2000", card.figures.text())
        evening.forget_reference(self.bench)
        self.assertIsNone(self.bench.state.reference)


if __name__ == "__main__":
    unittest.main()
