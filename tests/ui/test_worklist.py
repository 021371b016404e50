"""The worklist in the window: rows, filters, several at once, shapes on the picture."""

from dataclasses import replace

from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtTest import QTest

from lather.core.brush.stroke import PenSample
from lather.document import edits
from lather.document.findings import FindingState
from lather.tools.source import PickedSource, SourceGoes
from lather.ui.scripted import settle, wait_until
from tests.assist.test_clean import PLACES, spotted
from tests.ui.test_window import WindowCase


class WorklistTest(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.open(spotted())
        self.work = self.window.worklist
        self.findings = self.work.findings
        self.rows = self.findings.list

    def texts(self) -> list[str]:
        return [self.rows.item(n).text().split("\n")[0] for n in range(self.rows.count())]

    def settled(self) -> None:
        wait_until(lambda: self.bench.task is None)
        settle(self.app)

    def test_rows_say_what_how_big_and_how_strong(self) -> None:
        self.assertEqual(self.texts(), ["Dark spot"] * 2)
        self.assertIn("1.6 mm · severity 50\nopen", self.rows.item(0).text())
        self.assertIn("a* +9.2", self.rows.item(0).toolTip())
        self.assertEqual(self.work.note.text(), "1 of 3 decided")
        self.assertFalse(self.work.survey.isVisible())

    def test_filters_and_orders(self) -> None:
        counts = []
        for index in range(self.findings.filter.count()):
            self.findings.filter.setCurrentIndex(index)
            counts.append(self.rows.count())
        self.assertEqual(counts, [2, 0, 1, 0, 3])
        for index in range(self.findings.order.count()):
            self.findings.order.setCurrentIndex(index)
            self.assertEqual(self.rows.count(), 3)
        tops = [self.bench.state.findings.get(self.rows.item(n).data(Qt.ItemDataRole.UserRole)).y
                for n in range(3)]
        self.assertEqual(tops, sorted(tops))

    def test_what_is_doubtful_stands_below_a_heading_and_is_drawn_faint(self) -> None:
        def brightest() -> int:
            settle(self.app)
            image = self.window.grab().toImage()
            canvas, geometry = self.window.canvas, self.bench.geometry
            ratio = canvas.devicePixelRatioF()
            x, y = (v / ratio for v in geometry.to_view(*PLACES[0]))
            at = canvas.mapTo(self.window, QPoint(round(x), round(y)))
            near = [image.pixelColor(at.x() + dx, at.y() + dy).lightness()
                    for dx in range(-4, 5) for dy in range(-4, 5)]  # fmt: skip
            return max(near)

        sure = brightest()
        findings = self.bench.state.findings
        items = (replace(findings.items[0], certainty=0.2), *findings.items[1:])
        self.bench.change("Doubt", edits.set_findings, replace(findings, items=items))
        self.assertEqual(self.texts(), ["Dark spot", "DOUBTFUL (1)", "Dark spot"])
        heading = self.rows.item(1)
        self.assertFalse(heading.flags() & Qt.ItemFlag.ItemIsSelectable)
        self.rows.selectAll()
        self.assertEqual([item.id for item in self.findings.picked()], [2, 1])
        self.assertIn("Certainty 20%", self.rows.item(2).toolTip())
        self.rows.clearSelection()
        self.assertLess(brightest(), sure - 20)

    def test_a_row_leads_to_its_place(self) -> None:
        place = self.rows.visualItemRect(self.rows.item(1)).center()
        QTest.mouseClick(self.rows.viewport(), Qt.MouseButton.LeftButton, pos=place)
        self.assertEqual(self.bench.walk.finding_id, 2)
        self.assertAlmostEqual(self.bench.geometry.centre_x, PLACES[1][0], delta=1)
        self.assertIn("24 px with its surround", self.window.tool_card.rulers["size_px"].toolTip())

    def test_keys_walk_and_mend(self) -> None:
        self.chord(Qt.Key.Key_Space)
        self.assertEqual(self.bench.walk.finding_id, 1)
        self.assertEqual([item.data(Qt.ItemDataRole.UserRole)
                          for item in self.rows.selectedItems()], [1])
        self.chord(Qt.Key.Key_Space, Qt.Key.Key_D)
        self.settled()
        self.assertEqual(len(self.texts()), 1)
        self.assertEqual(self.bench.walk.finding_id, 2)
        self.chord(Qt.Key.Key_Space, Qt.Key.Key_F)
        self.assertEqual(self.texts(), [])
        self.assertEqual(self.findings.empty.text(), "Every finding is decided.")

    def test_several_rows_are_decided_together(self) -> None:
        self.rows.selectAll()
        self.findings.buttons[2].click()
        states = self.bench.state.findings
        self.assertEqual(len(list(states.in_state(FindingState.SKIPPED))), 2)
        self.bench.undo()
        self.rows.selectAll()
        self.findings.buttons[0].click()
        self.settled()
        self.assertEqual(len(list(self.bench.state.findings.in_state(FindingState.DONE))), 2)

    def test_shapes_show_what_is_open_and_go_when_it_is_mended(self) -> None:
        self.bench.zoom_to(1.0)
        self.bench.look(all_findings=True)
        settle(self.app)

        def rim() -> tuple:
            """The picture above the first finding, where its shape's corner lies."""
            return [self.pixel(PLACES[0][0], PLACES[0][1] - y) for y in range(14, 26)]

        marked = rim()
        self.bench.change("Done", edits.decide, [1], FindingState.DONE)
        settle(self.app)
        self.assertNotEqual(rim(), marked)
        brightest = max(min(pixel) for pixel in marked)
        self.assertGreater(brightest, max(min(pixel) for pixel in rim()) + 40)

    def test_the_stage_counts_what_is_decided(self) -> None:
        track = self.window.stages
        self.assertEqual(track._counted(self.bench.stage), "Clean 1/3")

    def test_before_a_survey_it_is_offered(self) -> None:
        self.open()
        self.assertTrue(self.work.survey.isVisible())
        self.assertFalse(self.findings.isVisible())
        self.assertIn("Survey the portrait", self.work.text.text())


class KeepMarkTest(WindowCase):
    def test_a_brush_over_a_kept_mark_warns_once(self) -> None:
        self.open(spotted())
        self.bench.hands.take_tool("paint_colour")
        self.bench.zoom_to(1.0)
        settle(self.app)
        for _ in range(2):
            x, y = PLACES[2]
            self.pen.stroke([PenSample(0.01 * n, x - 4 + n, y, 0.8) for n in range(8)])
            self.pen.wait()
            settle(self.app)
        told = [text for text, _ in self.said if "kept mark (mole)" in text]
        self.assertEqual(len(told), 1)
        self.assertIn("belongs to the person", told[0])


class SourceTest(WindowCase):
    def test_a_held_key_picks_the_source_and_the_first_stroke_sets_the_distance(self) -> None:
        self.open()
        self.bench.settings.set("more_of_hand", True)
        self.bench.hands.take_tool("copy_from_source")
        self.bench.hands.set_brush(size_px=20, hardness=1, opacity=1, flow=1)
        self.bench.zoom_to(1.0)
        settle(self.app)
        self.assertTrue(self.window.tool_card.rare.sources.isVisible())
        self.key(Qt.Key.Key_C)
        self.pen.stroke([PenSample(0.0, 250, 200, 0.8)])
        self.key(Qt.Key.Key_C, QEvent.Type.KeyRelease)
        self.assertEqual(len(self.bench.job.history.done), 0)
        self.assertFalse(self.bench.hands.picking)
        source = self.bench.hand.source
        self.assertAlmostEqual(source.x, 250, delta=1)
        for x, y in ((150, 150), (180, 160)):
            self.pen.stroke([PenSample(0.0, x, y, 0.8)])
            self.pen.wait()
        offsets = [stroke.source for stroke in self.bench.state.active.strokes]
        self.assertEqual(offsets[0], offsets[1])
        self.assert_close(offsets[0], (100, 50), 1)
        for goes in SourceGoes:
            goes_list = self.window.tool_card.rare.goes
            goes_list.activated.emit(list(SourceGoes).index(goes))
            self.assertIs(self.bench.hand.source_goes, goes)

    def test_only_a_tool_that_uses_it_sets_the_distance(self) -> None:
        self.open()
        self.bench.hands.take_tool("copy_from_source")
        self.bench.hands.set_source(PickedSource(250.0, 200.0))
        self.bench.hands.take_tool("paint_colour")
        self.pen.stroke([PenSample(0.0, 60, 60, 0.8)])
        self.pen.wait()
        self.assertIsNone(self.bench.hand.source.about)
        self.bench.hands.take_tool("copy_from_source")
        self.bench.hands.set_source_goes(SourceGoes.FIXED)
        self.pen.stroke([PenSample(0.0, 90, 90, 0.8)])
        self.pen.wait()
        self.assertIsNone(self.bench.hand.source.about)
