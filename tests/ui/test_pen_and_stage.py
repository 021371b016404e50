"""The pen's other end, right clicks, halves that show the original, and proposals of other stages,
by real events in the window."""

from __future__ import annotations

import unittest

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMenu

from lather.actions.stages import evening
from lather.core.rect import Rect
from lather.document import areas
from lather.document.agreed.brief import Brief, Delivered, Task
from lather.document.agreed.briefing import set_brief
from lather.document.findings import FindingState
from lather.document.layers.layer import Stage
from lather.document.state import new_state
from lather.ui.dialogs.deliver_dialog import DeliverDialog
from lather.ui.scripted import settle, wait_until
from lather.ui.stages.deliver.outputs import Outputs
from tests.assist.test_clean import PLACES, spotted
from tests.support import painted_state, skin_photo
from tests.ui.test_clean_stage import StageCase
from tests.ui.test_even_stage import shining

K = Qt.Key


class EraserTest(StageCase):
    def test_the_pens_other_end_erases_and_the_tool_is_back_when_it_is_turned(self) -> None:
        self.open()
        self.bench.hands.take_tool("paint_colour")
        self.bench.hands.set_brush(size_px=60, hardness=1, opacity=1, flow=1, pressure_flow=False)
        self.stroke([(150, 150), (190, 150)])
        alpha = self.bench.state.active.tiles.read(Rect(150, 150, 190, 151))[..., 3]
        self.assertTrue((alpha == 65535).all())
        self.pen.is_turned = True
        self.assertEqual(self.bench.hand.tool, "paint_colour")
        self.stroke([(150, 150), (190, 150)])
        self.assertEqual(self.bench.hand.tool, "erase")
        erased = self.bench.state.active.tiles.read(Rect(160, 150, 180, 151))[..., 3]
        self.assertLess(erased.max(), 40000)
        steps = [step.name for step in self.bench.open_job.history.done]
        self.assertEqual(steps, ["Paint colour", "Erase"])
        self.pen.is_turned = False
        self.stroke([(250, 250), (260, 250)])
        self.assertEqual(self.bench.hand.tool, "paint_colour")

    def test_in_shape_it_eases_back(self) -> None:
        self.open()
        self.bench.go_to_stage(Stage.SHAPE)
        self.bench.hands.set_erasing(True)
        self.assertEqual(self.bench.hand.tool, "ease_back")
        self.bench.hands.set_erasing(False)
        self.assertEqual(self.bench.hand.tool, "push")


class SeenTest(StageCase):
    def test_the_half_that_shows_the_original_takes_no_stroke(self) -> None:
        self.open()
        self.bench.hands.take_tool("paint_colour")
        self.bench.look(split=True)
        settle(self.app)
        at = self.bench.geometry.to_photo(self.bench.geometry.view_width / 2, 0)[0]
        self.stroke([(at - 60, 150), (at - 30, 150)])
        self.assertIn("This half shows the original", self.said[-1][0])
        self.assertEqual(self.bench.open_job.history.n_done, 0)
        self.stroke([(at + 30, 150), (at + 60, 150)])
        self.assertEqual(self.bench.open_job.history.n_done, 1)

    def test_what_is_mended_while_the_original_shows_is_shown(self) -> None:
        self.open(spotted())
        self.key(K.Key_A, modifier=Qt.KeyboardModifier.ShiftModifier)
        self.assertTrue(self.bench.looks.before)
        self.chord(K.Key_Space, K.Key_E)
        wait_until(lambda: self.bench.task is None)
        self.assertEqual(self.bench.open_job.history.n_done, 1)
        self.assertFalse(self.bench.looks.before)


class RightClickTest(StageCase):
    def menu_at(self, x: float, y: float) -> QMenu:
        left, top = self.bench.geometry.to_view(x, y)
        place = QPoint(int(left), int(top))
        canvas = self.window.canvas
        event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, place,
                                  canvas.mapToGlobal(place))  # fmt: skip
        QApplication.sendEvent(canvas, event)
        menu = QApplication.activePopupWidget()
        self.assertIsInstance(menu, QMenu)
        self.addCleanup(menu.close)
        return menu

    def test_the_commands_of_what_lies_there(self) -> None:
        x, y = PLACES[0]
        whole = np.ones((80, 80), np.float32)
        self.open(areas.outline(spotted(), Rect(x - 40, y - 40, x + 40, y + 40), whole,
                                areas.Combine.NEW))  # fmt: skip
        menu = self.menu_at(x + 1, y + 1)
        entries = {entry.text().split("\t")[0]: entry for entry in menu.actions()}
        self.assertTrue({"Mend it", "Keep it", "No area", "Before"} <= set(entries))
        self.assertFalse(entries["Open it again"].isSeparator())
        entries["Keep it"].trigger()
        menu.close()
        finding = self.bench.state.findings.items[0]
        self.assertIs(self.bench.state.findings.state(finding), FindingState.KEPT)

    def test_in_the_list_of_findings_too(self) -> None:
        self.open(spotted())
        rows = self.window.worklist.findings
        at = rows.list.visualItemRect(rows.list.item(0)).center()
        rows.list.customContextMenuRequested.emit(at)
        menu = QApplication.activePopupWidget()
        self.assertIsInstance(menu, QMenu)
        self.assertIn("Skip it", [entry.text().split("\t")[0] for entry in menu.actions()])
        menu.close()


class StageOfProposalTest(StageCase):
    def test_escape_leaves_it_and_another_stage_does_not_take_it(self) -> None:
        self.open(shining())
        self.bench.go_to_stage(Stage.EVEN)
        evening.tame_shine(self.bench)
        wait_until(lambda: self.bench.pending is not None)
        self.bench.go_to_stage(Stage.CLEAN)
        self.assertFalse(self.window.worklist.proposal.isVisible())
        self.chord(K.Key_Space, K.Key_D)
        self.assertEqual(self.bench.open_job.history.n_done, 0)
        self.assertIn("no finding is looked at", self.said[-1][0])
        self.bench.go_to_stage(Stage.EVEN)
        self.assertTrue(self.window.worklist.proposal.isVisible())
        self.key(K.Key_Escape)
        self.assertIsNone(self.bench.pending)
        self.assertEqual(self.said[-1][0], "Left: nothing was changed.")


class DeliverByBriefTest(StageCase):
    def dialog(self, brief: Brief) -> DeliverDialog:
        self.open(set_brief(new_state(skin_photo()), brief))
        dialog = DeliverDialog(self.bench.open_job, self.bench.settings, self.window)
        dialog.folder_field.setText(str(self.folder))
        self.addCleanup(dialog.close)
        return dialog

    def ticked(self, dialog: DeliverDialog) -> list[str]:
        return [delivery.name for delivery, ticked in dialog.deliveries() if ticked]

    def test_what_is_in_the_brief_is_what_is_ticked(self) -> None:
        agreed = Brief(delivery_long_side_px=300, more_sizes_px=(120,),
                       formats=(Delivered.JPEG, Delivered.TIFF))  # fmt: skip
        dialog = self.dialog(agreed)
        self.assertEqual(self.ticked(dialog), ["Brief: JPEG, 300 px", "Brief: JPEG, 120 px",
                                               "Brief: TIFF, 300 px", "Brief: TIFF, 120 px"])
        names = [path.name for path, _ in dialog.orders()]
        self.assertEqual(len(names), len(set(names)))
        self.assertTrue(dialog.deliver.isEnabled())
        dialog.deliver.click()
        self.assertEqual(self.bench.state.brief, agreed)
        again = self.dialog(Brief())  # the person's own ticks are as they were
        self.assertEqual(self.ticked(again), ["Client, full size"])

    def test_beside_the_delivery_stands_what_would_be_written_and_what_the_check_says(self) -> None:
        self.open(set_brief(new_state(skin_photo()), Brief(delivery_long_side_px=300)))
        self.bench.go_to_stage(Stage.DELIVER)
        beside = self.window.hand.findChild(Outputs)
        self.assertTrue(beside.isVisible())
        self.assertEqual(beside.outputs, ["Brief: JPEG, 300 px", "JPEG, 8 bit, 300 × 270 px, sRGB"])
        self.bench.change("Brief", set_brief, Brief())
        self.assertEqual(beside.outputs[0], "Client, full size")
        self.assertEqual(beside.gauge.text, "not checked yet")
        beside.buttons[0].click()
        self.assertIs(self.bench.stage, Stage.FINISH)

    def test_nothing_delivered_changes_the_brief(self) -> None:
        dialog = self.dialog(Brief(delivery_long_side_px=300))
        self.answers.answers["orders"] = dialog.orders()
        brief, n_done = self.bench.state.brief, self.bench.open_job.history.n_done
        self.window.actions_by_id["job.deliver"].run(self.bench)
        wait_until(lambda: self.bench.task is None)
        self.assertIn("Delivered to", self.said[-1][0])
        self.assertEqual((self.bench.state.brief, self.bench.open_job.history.n_done),
                         (brief, n_done))  # fmt: skip
        self.assertTrue(any(self.folder.glob("*.jpg")))

    def test_what_cannot_be_written_is_said_while_it_is_typed(self) -> None:
        dialog = self.dialog(Brief())
        self.assertTrue(dialog.deliver.isEnabled())
        dialog.pattern_field.setText("")
        QTest.keyClicks(dialog.pattern_field, "x" * 260)
        self.assertIn("it has 264 bytes; disks take 255", dialog.preview.text())
        self.assertFalse(dialog.deliver.isEnabled())
        dialog.pattern_field.setText("")
        QTest.keyClicks(dialog.pattern_field, "anna")
        self.assertTrue(dialog.deliver.isEnabled())
        QTest.keyClicks(dialog.folder_field, "/nowhere")
        self.assertIn("There is no folder", dialog.preview.text())
        self.assertFalse(dialog.deliver.isEnabled())


class BriefPageTest(StageCase):
    def test_what_nobody_can_do_yet_is_said_beside_it(self) -> None:
        self.open(painted_state())
        self.bench.go_to_stage(Stage.BRIEF)
        tasks = self.window.pages.page.tasks
        self.assertEqual(tasks[Task.TEETH].text(), "Teeth, not built yet")
        self.assertEqual(tasks[Task.SHINE].text(), "Shine")


if __name__ == "__main__":
    unittest.main()
