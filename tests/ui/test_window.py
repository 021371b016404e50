"""The real window, offscreen: model to widget, widget to model, pen to pixels, sweeps."""

import gc
import os
import subprocess
import sys
import threading
import time
import unittest
import weakref
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QTimer, QUrl
from PyQt6.QtGui import QDropEvent, QKeyEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QLabel, QPushButton, QToolButton

import lather.core.mend.spot  # noqa: F401 - its kernels are declared before they are swapped
from lather.actions.job.delivering import deliver_to
from lather.actions.job.opening import open_file
from lather.actions.table import MENUS, all_actions
from lather.core.brush.stroke import PenSample
from lather.core.mend.mode import MendMode
from lather.core.rect import Rect
from lather.document import edits
from lather.document.job import Job
from lather.document.layers.layer import Stage
from lather.document.layers.limits import Limits, Span
from lather.document.layers.pixels import PixelLayer
from lather.document.layers.table import KINDS
from lather.document.photo import Metadata
from lather.document.state import new_state
from lather.files.exchange.delivery import Delivery, SizeBy
from lather.files.exchange.recordings import read_recording
from lather.files.photos.reading import read_photo
from lather.render.compositor import render
from lather.render.screen.request import screen_bytes
from lather.render.screen.view import ViewTiles
from lather.settings.options import OPTIONS
from lather.settings.store import Settings
from lather.tools.table import tool
from lather.ui.app import build
from lather.ui.dialogs.asker import PreferencesDialog
from lather.ui.dialogs.command_search import CommandSearch
from lather.ui.dialogs.deliver_dialog import DeliverDialog
from lather.ui.layers.layer_row import LayerRow
from lather.ui.parts.widgets import run_action
from lather.ui.scripted import open_and_settle, settle, wait_until
from lather.ui.simulated_pen import SimulatedPen
from lather.ui.stages.clean.mended_places import MendedPlaces, mended_places
from tests.support import DEMO, Answers, Case, noise_photo, painted_state, skin_photo

ROOT = Path(__file__).parents[2]


class WindowCase(Case):
    def setUp(self) -> None:
        super().setUp()
        self.app = build(Settings())
        self.bench, self.window = self.app.bench, self.app.window
        self.answers = self.bench.ask = Answers()
        self.said: list[tuple[str, bool]] = []
        self.bench.said.connect(lambda text, error: self.said.append((text, error)))
        self.window.resize(1280, 800)
        self.window.show()
        self.pen = SimulatedPen(self.window.canvas)
        self.addCleanup(self.app.close)

    def open(self, state=None) -> None:
        self.bench.take_job(Job(state or new_state(skin_photo())))
        settle(self.app)

    def key(self, key, kind=QEvent.Type.KeyPress, modifier=Qt.KeyboardModifier.NoModifier) -> None:
        QApplication.sendEvent(self.window.canvas, QKeyEvent(kind, key, modifier))

    def chord(self, *keys) -> None:
        """Keys pressed one after the other, and let go in the other order."""
        for key in keys:
            self.key(key)
        for key in reversed(keys):
            self.key(key, QEvent.Type.KeyRelease)

    def pixel(self, x: float, y: float) -> tuple[int, int, int]:
        """The window's colour over a photo pixel."""
        at = self.bench.geometry.to_view(x, y)
        colour = self.window.canvas.grab().toImage().pixelColor(int(at[0]), int(at[1]))
        return colour.red(), colour.green(), colour.blue()


class PenTest(WindowCase):
    def test_a_stroke_of_the_pen_shows_and_is_in_the_job(self) -> None:
        self.open()
        self.bench.hands.take_tool("paint_colour")
        self.bench.hands.set_colour((0.0, 0.5, 1.0))
        self.bench.hands.set_brush(size_px=40, hardness=1, opacity=1, flow=1, pressure_flow=False)
        self.bench.zoom_to(1.0)
        settle(self.app)
        self.pen.stroke([PenSample(0.01 * i, 150 + 4 * i, 150, 0.8) for i in range(20)])
        self.pen.wait()
        settle(self.app)
        self.window.canvas.leaveEvent(QEvent(QEvent.Type.Leave))
        shown = self.pixel(190, 150)
        self.assert_close(shown, (0, 128, 255), 1)
        record = self.bench.state.active.strokes[0]
        self.assertAlmostEqual(record.readings[3, 1], 162, delta=1)
        self.assertAlmostEqual(record.readings[3, 3], 0.8, places=4)

    def test_mouse_works_like_the_pen(self) -> None:
        self.open()
        self.bench.hands.take_tool("paint_colour")
        self.bench.hands.set_colour((0.0, 0.5, 1.0))
        canvas = self.window.canvas
        middle = QPoint(canvas.width() // 2, canvas.height() // 2)
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=middle)
        QTest.mouseMove(canvas, middle + QPoint(30, 10))
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=middle + QPoint(30, 10))
        self.pen.wait()
        self.assertEqual(len(self.bench.state.active.strokes), 1)

    def test_recorded_strokes_mend_the_demo_portrait(self) -> None:
        open_and_settle(self.app, DEMO / "portrait1.jpg")
        strokes = read_recording(DEMO / "recordings" / "mend_all.jsonl")
        self.bench.hands.set_brush(size_px=60)
        for stroke in strokes[:8]:
            self.pen.stroke(stroke)
            self.pen.wait()
        self.assertEqual(len(mended_places(self.bench.state)), 8)
        places = self.window.worklist.part(MendedPlaces).list
        self.assertEqual(places.count(), 8)
        self.assertIn("8 mended", self.window.worklist.note.text())
        places.itemClicked.emit(places.item(2))
        first = strokes[2][0]
        self.assertAlmostEqual(self.bench.geometry.centre_x, first.x, delta=40)

    def test_the_screen_equals_a_fresh_rendering_after_strokes(self) -> None:
        """Whatever was painted over tiles during strokes, the end is the job's picture."""
        self.open(painted_state(noise_photo(700, 600), 2))
        self.bench.zoom_to(1.0)
        settle(self.app)
        self.bench.hands.take_tool("erase")
        for shift in range(3):
            points = [PenSample(0.01 * i, 200 + 9 * i, 200 + 60 * shift, 0.9) for i in range(15)]
            self.pen.stroke(points)
        self.pen.wait()
        settle(self.app)
        self.window.canvas.leaveEvent(QEvent(QEvent.Type.Leave))
        rect = self.bench.geometry.visible
        wanted = render(self.bench.state, rect)[..., :3]
        at = self.bench.geometry.to_view(rect.x0, rect.y0)
        image = self.window.canvas.grab().toImage()
        for x, y in ((210, 210), (250, 260), (300, 320), (120, 90)):
            colour = image.pixelColor(
                int(round(at[0]) + x - rect.x0), int(round(at[1]) + y - rect.y0)
            )
            shown = (colour.red(), colour.green(), colour.blue())
            self.assert_close(shown, wanted[y - rect.y0, x - rect.x0] * 255, 1.01)

    def test_a_hovering_pen_leaves_the_mouse_alone(self) -> None:
        self.open()
        self.pen.send(QEvent.Type.TabletMove, PenSample(0, 150, 150), pressure=0.0)
        middle = QPoint(self.window.canvas.width() // 2, self.window.canvas.height() // 2)
        QTest.mouseClick(self.window.canvas, Qt.MouseButton.LeftButton, pos=middle)
        self.pen.wait()
        self.assertEqual(len(mended_places(self.bench.state)), 1)

    def test_a_fault_in_a_slot_is_told_and_the_window_lives(self) -> None:
        self.open()

        def broken() -> None:
            raise ZeroDivisionError("planted")

        with self.assertLogs("lather.actions.work.task", "ERROR"):
            QTimer.singleShot(0, broken)
            wait_until(lambda: bool(self.said), 5)
        self.assertIn("fault of Lather", self.said[-1][0])
        self.assertTrue(self.window.isVisible())

    def test_painting_on_the_original_is_refused_in_words(self) -> None:
        self.open()
        self.bench.look(before=True)
        self.pen.stroke([PenSample(0, 100, 100, 1)])
        self.assertEqual(self.bench.open_job.history.done, ())
        self.assertIn("original is shown", self.said[-1][0])


class KeysTest(WindowCase):
    def test_held_key_shows_the_original_until_released(self) -> None:
        state = painted_state()
        self.open(edits.set_pixels(state, state.active_id, state.active.tiles.with_tiles(
            {(0, 0): np.full((256, 256, 4), 65535, np.uint16)}
        )))  # fmt: skip
        self.bench.zoom_to(1.0)
        settle(self.app)
        photo = tuple(round(v / 257) for v in state.photo.samples[100, 100])
        self.assert_close(self.pixel(100.5, 100.5), (255, 255, 255), 1)
        self.key(Qt.Key.Key_A)
        settle(self.app)
        self.assert_close(self.pixel(100.5, 100.5), photo, 2)
        self.key(Qt.Key.Key_A, QEvent.Type.KeyRelease)
        settle(self.app)
        self.assert_close(self.pixel(100.5, 100.5), (255, 255, 255), 1)

    def test_single_keys_take_tools_and_size(self) -> None:
        self.open()
        self.key(Qt.Key.Key_G)
        self.assertEqual(self.bench.hand.tool, "erase")
        size = self.bench.hand.brush.size_px
        self.key(Qt.Key.Key_E)
        self.assertGreater(self.bench.hand.brush.size_px, size)

    def test_left_handed_map_is_the_mirror_image(self) -> None:
        self.bench.settings.set("pen_hand", "left")
        self.open()
        self.key(Qt.Key.Key_H)
        self.assertEqual(self.bench.hand.tool, "erase")

    def test_undo_and_redo_by_key(self) -> None:
        self.open()
        self.bench.change("New layer", edits.add_pixel_layer)
        self.key(Qt.Key.Key_Z)
        self.assertEqual(len(self.bench.state.layers), 1)
        self.key(Qt.Key.Key_Z, modifier=Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(len(self.bench.state.layers), 2)


class ViewTest(WindowCase):
    def test_split_shows_both_sides(self) -> None:
        state = painted_state(skin_photo(500, 400), 1)
        white = np.full((256, 256, 4), 65535, np.uint16)
        every = {(row, column): white.copy() for row in range(2) for column in range(2)}
        state = edits.set_pixels(state, state.active_id, state.active.tiles.with_tiles(every))
        self.open(state)
        self.bench.look(split=True)
        settle(self.app)
        self.assertEqual(self.pixel(400, 200), (255, 255, 255))
        self.assertNotEqual(self.pixel(100, 200), (255, 255, 255))
        self.bench.mirror()
        settle(self.app)
        self.assertEqual(self.pixel(100, 200), (255, 255, 255))

    def test_wheel_zooms_under_the_pen_and_resize_keeps_fitting(self) -> None:
        self.open()
        fitted = self.bench.geometry.zoom
        self.window.resize(1500, 900)
        settle(self.app)
        self.assertGreater(self.bench.geometry.zoom, fitted)
        for action, zoom in (("view.zoom_50", 0.5), ("view.zoom_200", 2.0)):
            self.window.actions_by_id[action].run(self.bench)
            self.assertEqual(self.bench.geometry.zoom, zoom)

    def test_delivery_zoom_follows_the_brief(self) -> None:
        self.open()
        self.bench.change("Delivery size", edits.set_delivery_long_side, 200)
        self.window.actions_by_id["view.zoom_delivery"].run(self.bench)
        self.assertEqual(self.bench.geometry.zoom, 0.5)

    def test_mask_alone(self) -> None:
        self.open(painted_state(skin_photo(500, 400), 1))
        self.bench.change("Add mask", edits.add_mask, self.bench.state.active_id, hide_all=True)
        self.bench.look(mask_alone=True)
        settle(self.app)
        self.assertEqual(self.pixel(200, 200), (0, 0, 0))
        self.bench.undo()
        self.assertFalse(self.bench.looks.mask_alone)

    def test_a_change_asks_for_tiles_and_assembles_nothing(self) -> None:
        """The picture that is shown stays; tiles replace theirs as they come."""
        self.open(painted_state(n_layers=2))
        self.bench.zoom_to(1.0)
        settle(self.app)
        before = self.pixel(100, 100)
        with mock.patch.object(ViewTiles, "look", side_effect=AssertionError("assembled")):
            self.bench.change("Hide", edits.set_visible, self.bench.state.active_id, False)
            settle(self.app)
        self.assertNotEqual(self.pixel(100, 100), before)
        shown = render(self.bench.state, Rect(100, 100, 101, 101))[0, 0, :3]
        self.assertEqual(self.pixel(100, 100), tuple(np.round(255 * shown).astype(int)))

    def test_what_the_hand_does_not_wait_for_stands_back(self) -> None:
        named = {t.name[:-2]: os.getpriority(os.PRIO_PROCESS, t.native_id)
                 for t in threading.enumerate() if t.name[-1].isdigit()}  # fmt: skip
        for name in ("view", "keep", "task"):
            self.assertGreater(named[name], named["stroke"], name)


class PanelsTest(WindowCase):
    def test_rulers_follow_the_hand_and_set_it(self) -> None:
        self.open()
        card = self.window.tool_card
        self.bench.hands.set_brush(size_px=77.0, hardness=0.3)
        self.assertEqual(card.rulers["size_px"].figure, "77 px")
        self.assertEqual(card.rulers["hardness"].value, 30)
        card.rulers["flow"].moved.emit(35.0)
        self.assertAlmostEqual(self.bench.hand.brush.flow, 0.35)

    def test_every_ruler_goes_from_end_to_end(self) -> None:
        self.open()
        for name, ruler in self.window.tool_card.rulers.items():
            groove = ruler.height() - 10
            for x, wanted in ((0, ruler.low), (ruler.width(), ruler.high)):
                with self.subTest(name, x=x):
                    QTest.mouseClick(ruler, Qt.MouseButton.LeftButton, pos=QPoint(x, groove))
                    self.assertAlmostEqual(ruler.value, wanted, delta=1)
            self.assertEqual(ruler.advised, ruler.advice is None or
                             ruler.advice.low <= ruler.value <= ruler.advice.high)

    def test_mode_buttons(self) -> None:
        self.open()
        for button in self.window.tool_card.modes.findChildren(QPushButton):
            button.click()
            self.assertIs(self.bench.hand.mode, button.property("choice"))
        self.assertIs(self.bench.hand.mode, MendMode.TAME_BRIGHTS)

    def test_layer_rows_follow_the_job(self) -> None:
        self.open(painted_state(n_layers=2))
        panel = self.window.layers
        self.assertEqual(len(panel.rows), 3)
        self.bench.change("Rename", edits.rename, self.bench.state.active_id, "Cheeks")
        self.assertEqual(panel.rows[self.bench.state.active_id].layer.name, "Cheeks")
        self.bench.change("Group", edits.group, self.bench.state.active_id)
        self.assertEqual(len(panel.rows), 4)

    def test_rows_that_stay_are_the_same_widgets(self) -> None:
        """Making rows anew for every new layer would take longer than a frame."""
        self.open(painted_state(n_layers=3))
        panel = self.window.layers
        before = dict(panel.rows)
        self.bench.change("Layer", edits.add_pixel_layer)
        self.bench.change("Group", edits.group, self.bench.state.active_id)
        self.assertEqual(before, {key: panel.rows[key] for key in before})
        added = [row for key, row in panel.rows.items() if key not in before]
        self.assertEqual(len(added), 2)
        self.bench.undo()
        self.bench.undo()
        self.assertEqual(panel.rows, before)
        settle(self.app)
        self.assertFalse(any(row.isVisible() for row in added))

    def test_headings_follow_the_stages_of_the_layers(self) -> None:
        state = painted_state(n_layers=3)
        layers = [replace(layer, stage=stage) for layer, stage in zip(
            state.layers, (Stage.CLEAN, Stage.CLEAN, Stage.EVEN, Stage.CLEAN), strict=True)]
        self.open(replace(state, layers=tuple(layers)))
        def titles() -> list[str]:
            rows = self.window.layers.rows
            return [rows[layer.id].heading for layer in reversed(self.bench.state.layers)]

        self.assertEqual(titles(), ["Clean", "Even", "Clean", "Photo"])
        self.bench.change("Layer", edits.add_pixel_layer)  # above the active one, which is on top
        self.assertEqual(titles(), ["Clean", "", "Even", "Clean", "Photo"])

    def test_a_group_is_folded_and_opened_again(self) -> None:
        self.open(painted_state(n_layers=2))
        inner = self.bench.state.active_id
        self.bench.change("Group", edits.group, inner)
        settle(self.app)
        group = self.window.layers.rows[self.bench.state.active_id]
        self.assertTrue(self.window.layers.rows[inner].isVisible())
        QTest.mouseClick(group, Qt.MouseButton.LeftButton, pos=group._fold.center().toPoint())
        self.assertNotIn(inner, self.window.layers.rows)
        self.bench.change("Strength", edits.set_strength, inner, 0.5)  # unseen, and no harm
        QTest.mouseClick(group, Qt.MouseButton.LeftButton, pos=group._fold.center().toPoint())
        settle(self.app)
        self.assertEqual(self.window.layers.rows[inner].layer.strength, 0.5)
        QTest.mouseClick(group, Qt.MouseButton.LeftButton, pos=group._fold.center().toPoint())
        self.bench.select_layer(inner)  # the layer in work is always in the list
        self.assertIn(inner, self.window.layers.rows)

    def test_the_sign_of_the_limits_shows_them(self) -> None:
        self.open(painted_state(n_layers=1))
        limits = Limits(Span(low_l=30.0))
        self.bench.change("Limits", edits.set_limits, self.bench.state.active_id, limits)
        row = self.row()
        place = next(place for place, name in row._chips() if name == "limits")
        QTest.mouseClick(row, Qt.MouseButton.LeftButton, pos=place.center().toPoint())
        self.assertTrue(self.window.layer_card.limits.isVisible())

    def row(self) -> LayerRow:
        settle(self.app)
        return self.window.layers.rows[self.bench.state.active_id]

    def test_while_something_is_dragged_the_picture_is_painted_with_its_frames(self) -> None:
        self.open(edits.add_computed(painted_state(n_layers=1), KINDS["brightness"],
                                     brightness=40.0))  # fmt: skip
        canvas, layer = self.window.canvas, self.bench.state.layers[-1]
        settle(self.app)

        def drag(strength: float) -> bool:
            """True if the canvas is to be painted before there is anything new."""
            with mock.patch.object(canvas, "update") as update:
                self.bench.change("Strength", edits.set_strength, layer.id, strength, gesture="s")
                return bool(update.called)

        self.assertTrue(drag(0.5))  # by itself: piece by piece
        wait_until(lambda: not canvas.tiles.busy)
        self.assertFalse(drag(0.4))
        self.bench.look(before=True)
        self.assertTrue(drag(0.3))  # what is looked at does not change
        self.bench.look(before=False)
        settle(self.app)
        expected = screen_bytes(self.bench.state, render(self.bench.state, Rect(96, 96, 97, 97)),
                                self.bench.surround)  # fmt: skip
        self.assert_close(self.pixel(96, 96), expected[0, 0, 2::-1], 1)

    def test_dragging_strength_is_one_step(self) -> None:
        self.open(painted_state(n_layers=1))
        row = self.row()
        bar = row._bar
        y = int(bar.center().y())
        QTest.mousePress(row, Qt.MouseButton.LeftButton, pos=QPoint(int(bar.right()), y))
        for share in (0.8, 0.6, 0.25):
            QTest.mouseMove(row, QPoint(int(bar.left() + share * bar.width()), y))
        QTest.mouseRelease(row, Qt.MouseButton.LeftButton, pos=QPoint(int(bar.left()), y))
        self.assertAlmostEqual(self.bench.state.active.strength, 0.25, delta=0.02)
        self.assertEqual(len(self.bench.open_job.history.done), 1)

    def test_eye_and_mask_sign(self) -> None:
        self.open(painted_state(n_layers=1))
        row = self.row()
        QTest.mouseClick(row, Qt.MouseButton.LeftButton, pos=QPoint(12, 20))
        self.assertFalse(self.bench.state.active.visible)
        self.bench.undo()
        self.bench.change("Add mask", edits.add_mask, self.bench.state.active_id)
        row = self.row()
        place = next(place for place, name in row._chips() if name == "mask")
        QTest.mouseClick(row, Qt.MouseButton.LeftButton, pos=place.center().toPoint())
        self.assertTrue(self.bench.hands.on_mask)
        self.assertTrue(self.bench.hand.on_mask)

    def test_rows_can_be_dragged_to_another_place(self) -> None:
        self.open(painted_state(n_layers=2))
        top, low = self.bench.state.layers[2].id, self.bench.state.layers[1].id
        row = self.window.layers.rows[top]
        row.dropped.emit(low, QPointF(row.mapToGlobal(QPoint(50, 4))))
        self.assertEqual([x.id for x in self.bench.state.layers[1:]], [top, low])

    def test_blend_mode_box_sets_every_mode(self) -> None:
        self.open(painted_state(n_layers=1))
        box = self.window.layers.mode
        for index in range(box.count()):
            box.setCurrentIndex(index)
            self.assertEqual(self.bench.state.active.mode.value, box.itemText(index))

    def test_every_stage_says_what_it_offers(self) -> None:
        self.open()
        for stage in Stage:
            self.bench.go_to_stage(stage)
            self.assertGreater(len(self.window.worklist.text.text()), 20)
        places = dict(self.window.stages.places())
        QTest.mouseClick(self.window.stages, Qt.MouseButton.LeftButton,
                         pos=places[Stage.CLEAN].center().toPoint())
        self.assertIs(self.bench.stage, Stage.CLEAN)


class CommandsTest(WindowCase):
    def test_the_table_is_sound(self) -> None:
        actions = all_actions()
        ids = [action.id for action in actions]
        self.assertEqual(len(ids), len(set(ids)))
        for action in actions:
            with self.subTest(action.id):
                self.assertIn(action.menu, MENUS)
                self.assertTrue(action.title and action.help.endswith("."))
                self.assertTrue((ROOT / "lather/assets/icons" / f"{action.icon}.svg").exists()
                                or not action.icon)

    def test_every_command_runs_or_is_refused_in_words(self) -> None:
        """A sweep over all commands: without a job, with one, and on a layer with a mask."""
        for state in (None, new_state(skin_photo()), painted_state(skin_photo(), 2)):
            for action in self.window.actions_by_id.values():
                if action.id == "job.open_demo":
                    continue
                if state is not None:
                    self.bench.take_job(Job(state))
                    self.bench.open_job.mark_saved(self.folder / "x.lather", state)
                with self.subTest(action.id, job=state is not None):
                    if action.enabled(self.bench):
                        action.run(self.bench)
                    if action.release is not None:
                        action.release(self.bench)
                    if action.checked is not None:
                        self.assertIsInstance(action.checked(self.bench), bool)
                    wait_until(lambda: self.bench.task is None)
        self.assertFalse([text for text, error in self.said if "fault of Lather" in text])

    def test_search_finds_and_runs(self) -> None:
        self.open()
        search = CommandSearch(self.bench, self.window.actions_by_id, self.window)
        search.field.setText("paint back")
        self.assertEqual(search.list.count(), 1)
        QTest.keyClick(search.field, Qt.Key.Key_Return)
        self.assertEqual(self.bench.hand.tool, "paint_back")

    def test_the_menu_holds_every_command(self) -> None:
        self.open()
        menu = self.window.menu_button.menu()
        menu.aboutToShow.emit()
        titles = [e.text().split("\t")[0] for m in menu.actions() for e in m.menu().actions()]
        for action in self.window.actions_by_id.values():
            self.assertIn(action.title, titles)


class FilesTest(WindowCase):
    def test_open_save_open_again(self) -> None:
        open_and_settle(self.app, DEMO / "portrait2.jpg")
        self.assertIn("portrait2", self.window.windowTitle())
        self.bench.change("New layer", edits.add_pixel_layer)
        self.assertIn("not saved", self.window.job_note.text())
        path = self.folder / "mine.lather"
        self.answers.answers["path_to_save"] = path
        self.window.actions_by_id["job.save"].run(self.bench)
        wait_until(lambda: self.bench.task is None and path.exists())
        self.assertFalse(self.bench.open_job.modified)
        self.assertNotIn("not saved", self.window.job_note.text())
        open_and_settle(self.app, path)
        self.assertEqual(len(self.bench.state.layers), 2)
        self.assertEqual(self.bench.settings["recent"][0], str(path.resolve()))

    def test_unsaved_work_is_asked_about(self) -> None:
        self.open()
        self.bench.change("New layer", edits.add_pixel_layer)
        job = self.bench.job
        open_file(self.bench, DEMO / "portrait2.jpg")
        self.assertEqual(self.answers.asked, ["unsaved"])
        self.assertIs(self.bench.job, job)
        self.window.close()
        self.assertTrue(self.window.isVisible())
        self.answers.answers["unsaved"] = "discard"
        open_and_settle(self.app, DEMO / "portrait2.jpg")
        self.assertIsNot(self.bench.job, job)

    def test_closing_asks_only_about_unsaved_work(self) -> None:
        self.open()
        self.bench.change("New layer", edits.add_pixel_layer)
        self.answers.answers["unsaved"] = "save"
        self.answers.answers["path_to_save"] = self.folder / "last.lather"
        self.window.close()
        self.assertTrue(wait_until(lambda: not self.window.isVisible(), 10))
        self.assertTrue((self.folder / "last.lather").exists())

    def test_closing_without_changes_just_closes(self) -> None:
        self.open()
        self.window.close()
        self.assertFalse(self.window.isVisible())
        self.assertEqual(self.answers.asked, [])
        self.assertTrue(self.bench.settings["window"])

    def test_preparation_shows_until_it_is_done(self) -> None:
        messages = self.window.messages
        messages.set_background(0.4, "compiling kernels")
        self.assertIn("painting works meanwhile", messages.text.text())
        self.assertEqual(messages.bar.value(), 400)
        messages.set_background(1.0, "kernels ready")
        self.assertFalse(messages.isVisible())

    def test_a_locked_layer_takes_nothing_from_its_row_or_the_panel(self) -> None:
        self.open()
        self.bench.change("New layer", edits.add_pixel_layer)
        layer_id = self.bench.state.active_id
        self.bench.change("Mask", edits.add_mask, layer_id)
        panel = self.window.layers
        self.assertTrue(panel.mode.isEnabled())
        self.bench.change("Lock", edits.set_locked, layer_id, True)
        self.assertFalse(panel.mode.isEnabled())
        locked, said = self.bench.state.layer(layer_id), list[str]()
        self.bench.said.connect(lambda text, _: said.append(text))
        row = panel.rows[layer_id]
        start, end = (row._bar.topLeft().toPoint() + QPoint(x, 2) for x in (30, 60))
        QTest.mousePress(row, Qt.MouseButton.LeftButton, pos=start)
        QTest.mouseMove(row, end)
        QTest.mouseRelease(row, Qt.MouseButton.LeftButton, pos=end)
        for name in ("mask.invert", "mask.switch", "mask.remove", "layer.delete"):
            run_action(self.window.actions_by_id[name], self.bench)
        self.assertIs(self.bench.state.layer(layer_id), locked)
        self.assertEqual(len([text for text in said if "is locked" in text]), 5, said)

    def test_what_was_left_out_is_there_until_it_is_read(self) -> None:
        messages = self.window.messages
        self.bench.say("Left out of 'Mend all': 1 change.", error=True, stays=True)
        self.bench.say("Saved: a.lather.")
        self.assertEqual(messages.text.text().splitlines(),
                         ["Left out of 'Mend all': 1 change.", "Saved: a.lather."])
        done: list[int] = []
        self.bench.run_task("Measuring", lambda progress, cancel: time.sleep(0.1), done.append)
        self.assertIn("Left out of", messages.text.text())
        wait_until(lambda: bool(done))
        self.assertTrue(messages.isVisible())
        self.assertIn("Left out of", messages.text.text())
        messages.dismiss.click()
        self.assertFalse(messages.isVisible())
        self.bench.say("Saved: b.lather.")
        self.assertEqual(messages.text.text(), "Saved: b.lather.")

    def test_bad_files_are_told_and_the_job_stays(self) -> None:
        self.open()
        job = self.bench.job
        bad = self.folder / "bad.jpg"
        bad.write_bytes(b"nothing")
        for path, reason in ((bad, "not a JPEG"), (self.folder / "none.png", "no such file")):
            open_file(self.bench, path)
            wait_until(lambda: self.bench.task is None)
            self.assertIn(reason, self.said[-1][0])
            self.assertTrue(self.window.messages.isVisible())
        self.assertIs(self.bench.job, job)

    def test_deliver_writes_what_shows(self) -> None:
        self.open(painted_state(skin_photo(), 1))
        path = self.folder / "out.png"
        self.answers.answers["orders"] = [(path, Delivery(depth_bits=16))]
        self.window.actions_by_id["job.deliver"].run(self.bench)
        wait_until(lambda: self.bench.task is None and path.exists())
        wanted = render(self.bench.state, self.bench.state.photo.rect)[..., :3]
        self.assert_close(read_photo(path).samples / 65535, wanted, 1 / 65535)
        deliver_to(self.bench, [(Path("/proc/none/out.png"), Delivery())])
        wait_until(lambda: self.bench.task is None)
        self.assertTrue(self.said[-1][1])
        self.assertIn("not written", self.said[-1][0])

    def test_long_work_can_be_cancelled(self) -> None:
        self.open()
        outcomes = []

        def endless(progress, cancel):
            while True:
                progress(0.5, "waiting")
                cancel.check()
                time.sleep(0.005)

        self.bench.run_task("Waiting", endless, outcomes.append)
        wait_until(lambda: self.window.messages.cancel.isVisible())
        self.window.messages.cancel.click()
        wait_until(lambda: self.bench.task is None)
        self.assertEqual(outcomes, [])
        self.assertIn("cancelled", self.said[-1][0])

    def test_a_photo_can_be_dropped(self) -> None:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(DEMO / "portrait2.jpg"))])
        event = QDropEvent(QPointF(50, 50), Qt.DropAction.CopyAction, data,
                           Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
        self.window.canvas.dropEvent(event)
        wait_until(lambda: self.bench.job is not None)
        self.assertEqual(self.bench.open_job.title, "portrait2")

    def test_deliver_dialog_offers_what_the_format_holds(self) -> None:
        self.bench.settings.set("delivery_folder", str(self.folder))
        job = Job(new_state(skin_photo()))
        dialog = DeliverDialog(job, self.bench.settings, self.window)
        self.assertFalse(dialog.depth_box.isEnabled())
        dialog.format_box.setCurrentIndex(2)
        self.assertTrue(dialog.depth_box.isEnabled())
        dialog.depth_box.setCurrentIndex(1)
        dialog.size_by_box.setCurrentIndex(1)
        dialog.size_box.setValue(200)
        [(path, delivery)] = dialog.orders()
        self.assertEqual(path, self.folder / "skin_retouched.tif")
        self.assertEqual((delivery.depth_bits, delivery.size), (16, 200))
        self.assertIn("200 × 180 px", dialog.preview.text())

    def test_deliver_dialog_shows_the_resolution_that_is_written(self) -> None:
        """The photo's own, unless a size in millimetres asks for one."""
        photo = replace(skin_photo(), metadata=Metadata(dpi=240.0))
        dialog = DeliverDialog(Job(new_state(photo)), self.bench.settings, self.window)
        self.assertEqual((dialog.dpi_box.isEnabled(), dialog.dpi_box.value()), (False, 240))
        dialog.size_by_box.setCurrentIndex(2)
        self.assertIs(dialog.size_by_box.currentData(), SizeBy.LONG_SIDE_MM)
        self.assertEqual((dialog.dpi_box.isEnabled(), dialog.dpi_box.value()), (True, 300))
        dialog.dpi_box.setValue(150)
        dialog.size_by_box.setCurrentIndex(0)
        self.assertEqual((dialog.dpi_box.isEnabled(), dialog.dpi_box.value()), (False, 240))
        self.assertEqual(dialog.deliveries()[0][0].dpi, 150)
        without = DeliverDialog(Job(new_state(skin_photo())), self.bench.settings, self.window)
        self.assertTrue(without.dpi_box.isEnabled())

    def test_deliver_dialog_keeps_presets(self) -> None:
        job = Job(new_state(skin_photo()))
        dialog = DeliverDialog(job, self.bench.settings, self.window)
        dialog.add.click()
        dialog.name_field.setText("Album")
        dialog.name_field.textEdited.emit("Album")
        dialog.list.item(1).setCheckState(Qt.CheckState.Checked)
        dialog.pattern_field.setText("{title}-{nonsense}")
        dialog.pattern_field.textEdited.emit("")
        dialog.list.item(3).setCheckState(Qt.CheckState.Checked)
        self.assertIn("nonsense", dialog.preview.text())
        self.assertFalse(dialog.deliver.isEnabled())
        dialog.list.item(3).setCheckState(Qt.CheckState.Unchecked)
        dialog.deliver.click()
        again = DeliverDialog(job, self.bench.settings, self.window)
        self.assertEqual([d.name for d, _ in again.deliveries()][-1], "Album")
        self.assertEqual([t for _, t in again.deliveries()], [True, True, False, False])

class PreferencesTest(WindowCase):
    def test_every_option_has_a_control_that_sets_it(self) -> None:
        dialog = PreferencesDialog(self.bench.settings, self.window)
        for option in OPTIONS:
            if not option.shown:
                continue
            control = dialog.controls[option.key]
            with self.subTest(option.key):
                if isinstance(control, QComboBox):
                    for index in range(control.count()):
                        control.setCurrentIndex(index)
                        self.assertEqual(self.bench.settings[option.key], control.itemData(index))
                elif hasattr(control, "setChecked"):
                    control.setChecked(True)
                    self.assertIs(self.bench.settings[option.key], True)
                else:
                    control.setValue(int(option.high))
                    self.assertEqual(self.bench.settings[option.key], option.high)

    def test_they_are_kept_and_bad_files_are_survived(self) -> None:
        path = self.folder / "settings.json"
        first = Settings(path)
        first.set("surround_percent", 40)
        self.assertEqual(Settings(path)["surround_percent"], 40)
        with self.assertRaisesRegex(Exception, "Surround"):
            first.set("surround_percent", 400)
        path.write_text('{"values": {"surround_percent": "x", "old": 1, "pen_hand": "left"}}')
        again = Settings(path)
        self.assertEqual((again["surround_percent"], again["pen_hand"]), (18, "left"))
        path.write_text("{broken")
        self.assertEqual(Settings(path)["pen_hand"], "right")

    def test_icons_follow_the_theme(self) -> None:
        button = self.window.menu_button

        def darkest() -> int:
            image = button.icon().pixmap(18, 18).toImage()
            return min(image.pixelColor(x, y).value() for x in range(18) for y in range(18)
                       if image.pixelColor(x, y).alpha() > 200)

        self.addCleanup(self.bench.settings.set, "appearance", "dark")
        for appearance, light_icon in (("dark", True), ("light", False), ("contrast", True)):
            self.bench.settings.set("appearance", appearance)
            QApplication.processEvents()
            self.assertEqual(darkest() > 128, light_icon, appearance)

    def test_hint_goes_with_the_first_step(self) -> None:
        self.open()
        self.assertTrue(self.window.hint.isVisible())
        self.assertLessEqual(len(self.window.hint.lines), 3)
        first = self.window.hint.findChild(QLabel)
        self.assertIn("Click a blemish", first.text())
        self.bench.hands.take_tool("push")
        self.assertEqual(first.text(), tool("push").help)
        self.bench.change("New layer", edits.add_pixel_layer)
        self.assertFalse(self.window.hint.isVisible())
        self.assertTrue(self.bench.settings["hint_seen"])


class LifetimeTest(WindowCase):
    def test_a_closed_job_is_let_go(self) -> None:
        self.open(painted_state(noise_photo(600, 500), 2))
        photo = weakref.ref(self.bench.state.photo)
        self.open()
        self.assertTrue(wait_until(lambda: (gc.collect(), photo() is None)[1], 5))

    def test_buttons_have_names_for_screen_readers(self) -> None:
        self.open()
        for button in self.window.findChildren(QToolButton):
            self.assertTrue(button.accessibleName() or button.text(), button)


class RealDisplayTest(unittest.TestCase):
    def test_the_demo_runs_in_a_real_window_under_xvfb(self) -> None:
        """A window of the display server, not the offscreen platform."""
        import shutil
        import tempfile

        if shutil.which("xvfb-run") is None:
            self.skipTest("xvfb is not installed")
        with tempfile.TemporaryDirectory() as folder:
            environment = {k: v for k, v in os.environ.items() if k != "QT_QPA_PLATFORM"}
            done = subprocess.run(
                ["xvfb-run", "-a", "-s", "-screen 0 1400x900x24", sys.executable, "-m", "lather",
                 "demo", "--script", folder],
                capture_output=True, text=True, cwd=ROOT, timeout=240, check=False,
                env={**environment, "QT_QPA_PLATFORM": "xcb"},
            )  # fmt: skip
            self.assertEqual(done.returncode, 0, done.stderr)
            shots = sorted(Path(folder).glob("*.png"))
            self.assertEqual(len(shots), 4)
            from PyQt6.QtGui import QImage

            self.assertGreaterEqual(QImage(str(shots[0])).width(), 1200)


class ModelOnlyTest(WindowCase):
    def test_painting_works_while_kernels_are_not_ready(self) -> None:
        """The NumPy forms paint the same picture."""
        from lather.core.kernels import all_kernels

        self.open()
        pictures = []
        for compiled in (True, False):
            self.bench.take_job(Job(new_state(skin_photo())))
            runs = [kernel._run for kernel in all_kernels()]
            if not compiled:
                for kernel in all_kernels():
                    kernel._run = kernel.reference
            try:
                for tool_id in ("paint_colour", "mend_spot"):
                    self.bench.hands.take_tool(tool_id)
                    self.pen.stroke([PenSample(0.01 * i, 200 + i, 180, 0.8) for i in range(8)])
                    self.pen.wait()
                settle(self.app)
            finally:
                for kernel, run in zip(all_kernels(), runs, strict=True):
                    kernel._run = run
            self.assertIsInstance(self.bench.state.active, PixelLayer)
            pictures.append(render(self.bench.state, self.bench.state.photo.rect))
        self.assert_close(pictures[0], pictures[1], 4 / 255)


if __name__ == "__main__":
    unittest.main()
