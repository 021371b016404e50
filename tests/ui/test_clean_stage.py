"""The Clean stage in the real window: areas, grafts, handles, lenses, presets; a whole portrait."""

import itertools
import threading
import time
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QImage, QMouseEvent, QPainter
from PyQt6.QtWidgets import QApplication

from lather.actions.findings import finding as commands
from lather.actions.findings import surveying
from lather.core.area.combine import Combine
from lather.core.brush.stroke import PenSample
from lather.core.rect import Rect
from lather.core.survey.regions.region import Region
from lather.document import areas, edits
from lather.document.agreed.style import Weak
from lather.document.findings import FindingState
from lather.document.job import Job
from lather.document.layers.layer import Stage
from lather.document.layers.pixels import PixelLayer
from lather.document.planes import Regions, read_plane, with_plane
from lather.document.state import new_state
from lather.document.tiles import BLACK_MASK
from lather.tools.session import PenSession
from lather.tools.source import PickedSource, Reads
from lather.ui.layers.layer_row import LayerRow, row_height_px
from lather.ui.picture import area_mark
from lather.ui.picture.trail_mark import PIECE, TrailMark
from lather.ui.scripted import open_and_settle, settle, wait_until
from tests.core.test_area import circle
from tests.support import DEMO, skin_photo, surveyed
from tests.ui.test_window import WindowCase


class StageCase(WindowCase):
    def open(self, state=None) -> None:
        super().open(state)
        self.bench.zoom_to(1.0)
        settle(self.app)

    def stroke(self, points) -> None:
        self.pen.stroke([PenSample(0.01 * n, x, y, 1.0) for n, (x, y) in enumerate(points)])
        self.pen.wait()
        settle(self.app)

    def mouse(self, kind: QEvent.Type, x: float, y: float) -> None:
        """An event of the left button over a photo pixel."""
        button = Qt.MouseButton.LeftButton
        at = QPointF(*self.bench.geometry.to_view(x, y))
        held = Qt.MouseButton.NoButton if kind is QEvent.Type.MouseButtonRelease else button
        pressed = Qt.MouseButton.NoButton if kind is QEvent.Type.MouseMove else button
        event = QMouseEvent(kind, at, at, pressed, held, Qt.KeyboardModifier.NoModifier)
        QApplication.sendEvent(self.window.canvas, event)

    def drag(self, start, end) -> None:
        self.mouse(QEvent.Type.MouseButtonPress, *start)
        for share in (0.3, 0.7, 1.0):
            at = np.array(start) * (1 - share) + np.array(end) * share
            self.mouse(QEvent.Type.MouseMove, *at)
        self.mouse(QEvent.Type.MouseButtonRelease, *end)
        settle(self.app)

    def hover(self, x: float, y: float) -> None:
        self.mouse(QEvent.Type.MouseMove, x, y)
        settle(self.app)


class AreaInWindowTest(StageCase):
    def test_an_outline_is_drawn_as_a_double_line_and_limits(self) -> None:
        self.open()
        plain = self.pixel(230, 180)
        self.bench.hands.take_tool("outline")
        self.stroke(circle(200, 180, 30))
        self.assertIsNotNone(self.bench.state.area)
        row = [self.pixel(200 + x, 180) for x in range(24, 37)]
        self.assertGreater(max(min(p) for p in row), 180)
        self.assertLess(min(max(p) for p in row), max(plain))
        self.bench.hands.take_tool("paint_colour")
        self.bench.hands.set_brush(size_px=160, opacity=1, flow=1, pressure_flow=False)
        self.bench.hands.set_colour((0.0, 0.0, 1.0))
        self.stroke([(200, 180)])
        self.assertEqual(self.pixel(200, 180), (0, 0, 255))
        self.assertNotEqual(self.pixel(245, 180), (0, 0, 255))

    def test_the_feather_shows_as_a_band(self) -> None:
        self.open()
        self.bench.hands.take_tool("outline")
        self.stroke(circle(200, 180, 60))
        hard = self.pixel(200 + 68, 180)
        self.bench.change("Feather", areas.feather, 40.0)
        settle(self.app)
        self.assertGreater(sum(self.pixel(200 + 68, 180)), sum(hard) + 20)

    def test_the_mark_of_an_area_is_drawn_aside_and_follows_the_view(self) -> None:
        """Until a worker has drawn it, it is shown as it was, where it belongs now."""
        self.open()
        self.bench.hands.take_tool("outline")
        self.stroke(circle(200, 180, 60))
        settle(self.app)
        threads = set()
        real = area_mark._Mark.drawn

        def drawn(mark):
            threads.add(threading.current_thread().name)
            return real(mark)

        with mock.patch.object(area_mark._Mark, "drawn", drawn):
            self.bench.pan(-40, -25)
            at_once = self.brightest(260, 180)
            settle(self.app)
        self.assertTrue(threads and all(name.startswith("aside") for name in threads), threads)
        self.assertGreater(at_once, 180)
        self.assertGreater(self.brightest(260, 180), 180)
        self.bench.change("No area", areas.set_area, None)
        settle(self.app)
        self.assertLess(self.brightest(260, 180), at_once)

    def brightest(self, x: float, y: float) -> int:
        """The brightest darkest channel on a short line across."""
        return max(min(self.pixel(x + dx, y)) for dx in range(-7, 8))

    def test_a_long_outline_is_drawn_piece_by_piece_as_if_at_once(self) -> None:
        self.open()
        path = [PenSample(0.01 * n, x, y) for n, (x, y) in enumerate(circle(200, 180, 90))]
        dense = [replace(a, x=a.x + (b.x - a.x) * k / 30, y=a.y + (b.y - a.y) * k / 30)
                 for a, b in itertools.pairwise(path) for k in range(30)]  # fmt: skip
        self.assertGreater(len(dense), 4 * PIECE)
        trail: list[PenSample] = []
        growing = TrailMark()
        with mock.patch.object(PenSession, "trail", trail):
            for reading in dense:
                trail.append(reading)
                if len(trail) % 7 == 0 or len(trail) == len(dense):
                    shown = self.drawn(growing)
            whole = self.drawn(TrailMark())
        self.assertGreater(int(whole.max()), 200)
        self.assertLess(np.abs(shown.astype(int) - whole).mean(), 0.05)

    def drawn(self, mark: TrailMark) -> np.ndarray:
        image = QImage(self.window.canvas.size(), QImage.Format.Format_RGB32)
        image.fill(0)
        painter = QPainter(image)
        mark.draw(painter, self.bench, 1.0)
        painter.end()
        memory = image.constBits()
        memory.setsize(image.sizeInBytes())
        return np.frombuffer(memory, np.uint8).copy()

    def test_a_broken_outline_shows_where(self) -> None:
        samples = skin_photo(400, 360).samples.copy()
        samples[:, 200:] //= 3
        photo = replace(skin_photo(400, 360), samples=samples)
        self.open(new_state(photo))
        self.bench.hands.take_tool("outline")
        self.stroke(circle(200, 180, 60))
        self.assertGreater(self.window.canvas.rims.area[0].share, 0.02)
        amber = [p for x in range(-12, 13) for y in (-61, -60, -59)
                 if (p := self.pixel(200 + x, 180 + y))[0] > p[2] + 90]  # fmt: skip
        self.assertTrue(amber)
        ones = np.ones((20, 120), "f4")
        edit = areas.outline(self.bench.state, Rect(140, 170, 260, 190), ones, Combine.NEW)
        self.bench.job.change("Outline", edit)
        settle(self.app)
        self.assertIn("Cut free and mend (Space+G)", self.window.tool_card.advice_line.text())

    def test_the_graft_follows_the_pen_before_it_is_there(self) -> None:
        samples = skin_photo(400, 360).samples.copy()
        samples[165:195, 185:215] //= 3
        self.open(new_state(replace(skin_photo(400, 360), samples=samples)))
        self.bench.hands.take_tool("graft")
        self.stroke(circle(200, 180, 32))
        dark = self.pixel(200, 180)
        session = self.bench.session
        session.down(PenSample(0.0, 200, 180))
        session.move(PenSample(0.1, 290, 190))
        settle(self.app)
        self.assertGreater(sum(self.pixel(200, 180)), sum(dark) + 150)
        self.assertEqual(len(self.bench.state.layers), 1)
        session.up(PenSample(0.2, 290, 190, 0.0))
        settle(self.app)
        self.assertEqual(self.bench.state.active.name, "Grafts")
        self.assertGreater(sum(self.pixel(200, 180)), sum(dark) + 150)


class SourceInWindowTest(StageCase):
    def test_the_ghost_shows_what_would_come(self) -> None:
        samples = skin_photo(400, 360).samples.copy()
        samples[100:160, 300:360] = 0
        self.open(new_state(replace(skin_photo(400, 360), samples=samples)))
        self.bench.hands.take_tool("copy_from_source")
        self.bench.hands.set_brush(size_px=50)
        self.hover(150, 200)
        light = self.pixel(160, 210)
        self.bench.hands.set_source(PickedSource(330.0, 130.0))
        self.hover(150, 200)
        self.assertLess(sum(self.pixel(160, 210)), 0.6 * sum(light))

    def test_a_mend_from_source_shows_while_the_pen_works(self) -> None:
        samples = skin_photo(400, 360).samples.copy()
        samples[170:190, 190:210] //= 3
        self.open(new_state(replace(skin_photo(400, 360), samples=samples)))
        self.bench.hands.take_tool("mend_from_source")
        self.bench.hands.set_brush(size_px=50, hardness=0.8)
        self.bench.hands.set_source(PickedSource(300.0, 100.0))
        dark = self.pixel(200, 180)
        session = self.bench.session
        session.down(PenSample(0.0, 200, 180))
        settle(self.app)
        self.assertGreater(sum(self.pixel(200, 180)), sum(dark) + 100)
        self.assertEqual(len(self.bench.job.history.done), 0)
        session.up(PenSample(0.2, 200, 180, 0.0))
        settle(self.app)
        self.assertEqual(len(self.bench.job.history.done), 1)

    def test_a_broken_rim_changes_the_advice(self) -> None:
        samples = skin_photo(400, 360).samples.copy()
        samples[:, 200:] //= 3
        self.open(new_state(replace(skin_photo(400, 360), samples=samples)))
        self.bench.hands.set_brush(size_px=40)
        card = self.window.tool_card
        self.hover(100, 180)
        self.assertNotIn("cut it free", card.advice_line.text())
        self.hover(4, 180)
        self.assertIn("10-20 %, or cut it free", card.advice_line.text())
        self.hover(100, 180)
        self.assertNotIn("cut it free", card.advice_line.text())


class ToolCardTest(StageCase):
    def test_rows_follow_the_tool(self) -> None:
        self.open()
        card = self.window.tool_card
        self.bench.settings.set("more_of_hand", True)
        shown = {
            "mend_spot": (True, False, False, False),
            "mend_from_source": (True, True, True, False),
            "graft": (False, True, True, True),
            "outline": (False, False, False, True),
            "correct_region": (True, False, False, True),
        }  # fmt: skip
        for tool_id, expected in shown.items():
            self.bench.hands.take_tool(tool_id)
            rows = (card.rare.presets, card.rare.sources, card.rare.turn, card.combine)
            with self.subTest(tool_id):
                self.assertEqual(tuple(row.isVisible() for row in rows), expected)

    def test_presets_and_choices_reach_the_hand(self) -> None:
        self.open()
        card, hands = self.window.tool_card.rare, self.bench.hands
        hands.take_tool("copy_from_source")
        index = card.presets.findText("Sweep")
        card.presets.activated.emit(index)
        self.assertEqual(hands.preset_name, "Sweep")
        self.assertEqual(card.presets.currentText(), "Sweep")
        card.presets.activated.emit(0)
        self.assertIsNone(hands.preset_name)
        card.reads.activated.emit(list(Reads).index(Reads.PHOTO))
        self.assertIs(hands.hand.reads, Reads.PHOTO)
        self.answers.answers["text"] = "Mine"
        card.presets.activated.emit(card.presets.count() - 1)
        self.assertEqual(card.presets.currentText(), "Mine")
        hands.take_tool("outline")
        button = next(b for b in self.window.tool_card.combine.buttons
                      if b.property("choice") is Combine.ADD)  # fmt: skip
        button.click()
        self.assertIs(hands.hand.combine, Combine.ADD)

    def test_the_card_leaves_room_for_the_layers(self) -> None:
        self.open()
        for tool_id in ("mend_from_source", "copy_from_source", "graft", "correct_region"):
            self.bench.hands.take_tool(tool_id)
            settle(self.app)
            with self.subTest(tool_id):
                self.assertEqual(self.window.height(), 800)
                self.assertGreater(self.window.layers.height(), 5 * row_height_px())

    def test_what_is_rare_is_folded_until_it_is_wanted(self) -> None:
        self.open()
        card = self.window.tool_card
        self.assertFalse(card.rare.isVisible())
        self.assertTrue(all(ruler.isVisible() for ruler in card.rulers.values()))
        card.more.click()
        self.assertTrue(card.rare.spacing.isVisible())
        self.assertEqual(card.more.text(), "–  Less of the brush")
        card.rare.spacing.moved.emit(30)
        self.assertAlmostEqual(self.bench.hand.brush.spacing, 0.3)
        self.bench.hands.take_tool("outline")  # has nothing of it
        self.assertFalse(card.more.isVisible() or card.rare.isVisible())


class HandleTest(StageCase):
    def setUp(self) -> None:
        super().setUp()
        self.open(edits.set_findings(new_state(skin_photo()), surveyed(2)))

    def test_a_handle_is_dragged_only_while_they_are_shown(self) -> None:
        face = self.bench.state.findings.faces[0]
        x, y = face.handles["nose_tip"]
        self.bench.look(handles=True)
        self.drag((x, y), (x + 20, y + 9))
        moved = self.bench.state.findings.faces[0].handles["nose_tip"]
        self.assert_close(moved, (x + 20, y + 9), 1.5)
        self.assertEqual(self.bench.job.history.done[-1].name, "Move nose tip")
        self.bench.look(handles=False)
        self.bench.hands.take_tool("paint_colour")
        self.drag((x + 20, y + 9), (x, y))
        self.assertEqual(self.bench.state.findings.faces[0].handles["nose_tip"], moved)

    def test_the_pen_drags_them_too(self) -> None:
        x, y = self.bench.state.findings.faces[0].handles["nose_tip"]
        self.bench.look(handles=True)
        self.pen.stroke([PenSample(0.01 * n, x + 2 * n, y, 1.0) for n in range(10)])
        settle(self.app)
        moved = self.bench.state.findings.faces[0].handles["nose_tip"]
        self.assert_close(moved, (x + 18, y), 2.5)

    def test_a_drag_measures_a_known_length(self) -> None:
        self.answers.answers["text"] = "20"
        self.bench.look(measuring=True)
        self.drag((60, 300), (260, 300))
        self.assertAlmostEqual(self.bench.state.findings.mm_per_px, 0.1, delta=0.002)
        self.assertFalse(self.bench.looks.measuring)

    def test_they_are_drawn_and_named_when_there_is_room(self) -> None:
        x, y = self.bench.state.findings.faces[0].handles["nose_tip"]
        before = self.pixel(x + 9, y)
        self.bench.look(handles=True)
        settle(self.app)
        self.assertNotEqual(self.pixel(x + 9, y), before)


class RegionLensTest(StageCase):
    def test_the_lens_dims_and_painting_corrects(self) -> None:
        plane = np.zeros((180, 200), "f4")
        plane[:, :100] = 1
        tiles = with_plane(BLACK_MASK, Rect(0, 0, 200, 180), plane)
        state = replace(new_state(skin_photo()), regions=Regions(0.5, {Region.SKIN: tiles}))
        self.open(state)
        plain = self.pixel(300, 180)
        self.bench.hands.take_tool("correct_region")
        settle(self.app)
        self.assertLess(sum(self.pixel(301, 182)), 0.6 * sum(plain))
        self.bench.hands.set_brush(size_px=60, hardness=1)
        self.stroke([(300, 180)])
        self.assertGreater(sum(self.pixel(301, 182)), 0.9 * sum(plain))
        corrected = read_plane(self.bench.state.regions.masks[Region.SKIN], Rect(150, 90, 151, 91))
        self.assertEqual(float(corrected[0, 0]), 1)
        self.bench.hands.take_tool("mend_spot")
        settle(self.app)
        self.assertAlmostEqual(sum(self.pixel(360, 300)), sum(plain), delta=90)


class StrengthTest(StageCase):
    def test_dragging_what_is_softened_compares(self) -> None:
        state = edits.add_pixel_layer(new_state(skin_photo()), "Softened creases")
        layer = state.active
        state = edits.update_layer(state, layer.id, weak=Weak.CREASES, strength=0.55)
        self.open(state)
        row = next(r for r in self.window.layers.findChildren(LayerRow)
                   if isinstance(r.layer, PixelLayer))  # fmt: skip
        seen = []
        self.bench.looks_changed.connect(lambda: seen.append(self.bench.looks.compared))
        bar = row._bar
        at = QPointF(bar.left() + 0.3 * bar.width(), bar.center().y())
        left = Qt.MouseButton.LeftButton
        none = Qt.KeyboardModifier.NoModifier
        for kind, held in ((QEvent.Type.MouseButtonPress, left),
                           (QEvent.Type.MouseButtonRelease, Qt.MouseButton.NoButton)):  # fmt: skip
            QApplication.sendEvent(row, QMouseEvent(kind, at, at, left, held, none))
        self.assertIn(True, seen)
        self.assertFalse(self.bench.looks.compared)
        self.assertAlmostEqual(self.bench.state.layer(layer.id).strength, 0.3, delta=0.02)


class WholePortraitTest(StageCase):
    def test_the_demo_is_cleaned_from_the_worklist_in_under_two_minutes(self) -> None:
        """Every key a person would press, each counted as a second of thought."""
        open_and_settle(self.app, DEMO / "portrait2.jpg")
        begun_s, n_keys = time.monotonic(), 0
        surveying.survey(self.bench)
        self.assertTrue(wait_until(lambda: self.bench.task is None, 60))
        settle(self.app)
        self.assertIs(self.bench.stage, Stage.CLEAN)
        findings = self.bench.state.findings
        n_open = sum(
            not f.kind.is_patch for f in findings.in_state(FindingState.OPEN)
        )
        self.chord(Qt.Key.Key_Space)
        n_keys += 1
        for _ in range(2 * n_open):
            current = self.bench.walk.current(self.bench.state.findings)
            if current is None:
                break
            if current.stands_free:  # accept the proposed mend, which goes on to the next
                self.chord(Qt.Key.Key_Space, Qt.Key.Key_D)
                self.assertTrue(wait_until(lambda: self.bench.task is None, 30))
            else:
                commands.decide(self.bench, [current], FindingState.SKIPPED)
            n_keys += 1
        state = self.bench.state
        left = [f for f in state.findings.in_state(FindingState.OPEN) if not f.kind.is_patch]
        self.assertEqual(left, [])
        done = list(state.findings.in_state(FindingState.DONE))
        self.assertGreater(len(done), 0.8 * n_open)
        kept = list(state.findings.in_state(FindingState.KEPT))
        self.assertTrue(kept)
        worked_s = time.monotonic() - begun_s
        self.assertLess(worked_s + n_keys, 120)
        names = {layer.name for layer in state.layers[1:]}
        self.assertIn("Mended spots", names)
        while self.bench.job.history.done:
            self.bench.job.undo()
        self.assertEqual(len(self.bench.state.layers), 1)


class JobTest(StageCase):
    def test_another_job_shows_its_own_area(self) -> None:
        ones = np.ones((60, 60), "f4")
        self.open(areas.outline(new_state(skin_photo()), Rect(60, 60, 120, 120), ones, Combine.NEW))
        self.assertEqual(len(self.window.canvas.rims.area), 1)
        self.bench.take_job(Job(new_state(skin_photo())))
        settle(self.app)
        self.assertEqual(self.window.canvas.rims.area, ())


if __name__ == "__main__":
    unittest.main()
