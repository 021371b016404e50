"""Lenses, limits and picking in the real window."""

import time
from dataclasses import replace
from unittest import mock

from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtTest import QTest

from lather.actions.looking import lens
from lather.core.brush.stroke import PenSample
from lather.core.survey.regions.region import Region
from lather.document import edits
from lather.document.layers.limits import OPEN
from lather.document.layers.table import KINDS
from lather.document.state import new_state
from lather.render.lenses.table import LENSES
from lather.ui.layers.cards.ranges import RangesCard
from lather.ui.parts.widgets import run_action
from lather.ui.scripted import settle, wait_until
from tests.render.test_limits import with_left_half
from tests.support import painted_state, skin_photo
from tests.ui.test_window import WindowCase


class LensStripTest(WindowCase):
    def test_each_lens_has_a_button_a_key_and_a_legend(self) -> None:
        self.open(with_left_half(painted_state(skin_photo(), 1)))
        strip = self.window.lenses
        self.assertEqual(list(strip.buttons), list(LENSES))
        for name, button in strip.buttons.items():
            QTest.mouseClick(button, Qt.MouseButton.LeftButton)
            settle(self.app)
            self.assertEqual(self.bench.looks.lens, name)
            self.assertTrue(button.isChecked())
            self.assertTrue(self.window.legend.isVisible())
            self.assertTrue(self.window.legend.accessibleDescription())
        run_action(self.window.actions_by_id["lens.clear"], self.bench)
        self.assertFalse(any(button.isChecked() for button in strip.buttons.values()))
        self.assertFalse(self.window.legend.swatches or self.window.legend.isVisible())

    def test_the_region_lens_can_be_taken_once_there_are_regions(self) -> None:
        self.open()
        button = self.window.lenses.buttons["regions"]
        self.assertFalse(button.isEnabled())
        regions = with_left_half(self.bench.state).planes.regions
        self.bench.change("Survey", edits.set_survey, self.bench.state.findings, regions)
        self.assertTrue(button.isEnabled())
        self.bench.undo()
        self.assertFalse(button.isEnabled())

    def test_a_key_switches_and_held_down_it_only_shows(self) -> None:
        self.open()
        self.key(Qt.Key.Key_V)
        self.key(Qt.Key.Key_1)
        self.key(Qt.Key.Key_1, QEvent.Type.KeyRelease)
        self.key(Qt.Key.Key_V, QEvent.Type.KeyRelease)
        self.assertEqual(self.bench.looks.lens, "tone")
        self.key(Qt.Key.Key_V)
        self.key(Qt.Key.Key_2)
        self.assertEqual(self.bench.looks.lens, "texture")
        later = time.monotonic() + 2 * lens.HELD_S
        with mock.patch.object(lens.time, "monotonic", lambda: later):
            self.key(Qt.Key.Key_2, QEvent.Type.KeyRelease)
        self.assertEqual(self.bench.looks.lens, "tone")
        self.key(Qt.Key.Key_V, QEvent.Type.KeyRelease)

    def test_the_picture_is_seen_through_it_and_stays_as_it_is(self) -> None:
        self.open()
        plain = self.pixel(100, 100)
        self.bench.look(lens="black_white")
        settle(self.app)
        grey = self.pixel(100, 100)
        self.assertEqual(len(set(grey)), 1)
        run_action(self.window.actions_by_id["lens.less_red"], self.bench)
        settle(self.app)
        self.assertNotEqual(self.pixel(100, 100), grey)
        self.bench.look(lens="")
        settle(self.app)
        self.assertEqual(self.pixel(100, 100), plain)
        self.assertEqual(self.bench.job.history.n_done, 0)

    def test_a_stroke_shows_through_the_lens_while_it_is_made(self) -> None:
        self.open()
        self.bench.look(lens="change")
        self.bench.hands.take_tool("paint_colour")
        self.bench.hands.set_colour((0.0, 0.0, 0.0))
        self.bench.hands.set_brush(size_px=60, hardness=1, opacity=1, flow=1, pressure_flow=False)
        settle(self.app)
        before = self.pixel(120, 100)
        self.pen.send(QEvent.Type.TabletPress, PenSample(0.0, 100.0, 100.0, 1.0))
        self.pen.send(QEvent.Type.TabletMove, PenSample(0.1, 130.0, 100.0, 1.0))
        wait_until(lambda: self.window.canvas.frames_painted > 0)
        settle(self.app)
        while_down = self.pixel(120, 100)
        self.pen.send(QEvent.Type.TabletRelease, PenSample(0.2, 130.0, 100.0, 0.0), pressure=0.0)
        self.pen.wait()
        settle(self.app)
        self.assertTrue(abs(before[0] - 128) < 4, before)  # grey: nothing was changed there
        self.assertEqual(while_down, (0, 0, 0))
        self.assertEqual(self.pixel(120, 100), while_down)

    def test_it_fits_the_smallest_window(self) -> None:
        self.open()
        self.window.resize(1024, 700)
        self.bench.look(lens="blotch")
        settle(self.app)
        for button in (*self.window.lenses.buttons.values(), *self.window.lenses.options["blotch"]):
            self.assertGreaterEqual(button.width(), button.minimumSizeHint().width())
            self.assertLessEqual(button.geometry().right(), self.window.lenses.width())


class CardsTest(WindowCase):
    def add(self, kind: str):
        run_action(self.window.actions_by_id[f"layer.add_{kind}"], self.bench)
        settle(self.app)
        return self.window.layer_card.card

    def press(self, widget, *places: QPointF) -> None:
        points = [place.toPoint() for place in places]
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=points[0])
        for point in points[1:]:
            QTest.mouseMove(widget, point)
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=points[-1])

    @property
    def ranges(self):
        return self.bench.state.active.parameters.ranges

    def test_brackets_are_added_dragged_widened_set_and_removed(self) -> None:
        self.open()
        for kind in ("hues", "inks", "mono"):
            card = self.add(kind)
            assert isinstance(card, RangesCard)
            ruler = card.ruler
            y = ruler._top(0.2)
            self.press(ruler, QPointF(ruler._x(180), y))
            settle(self.app)
            self.assertAlmostEqual(self.ranges[0].middle_deg, 180, delta=3)
            place = ruler._handles(0)["middle"]
            self.press(ruler, place, place + QPointF(20, 0), place + QPointF(40, 0))
            settle(self.app)
            self.assertGreater(self.ranges[0].middle_deg, 190)
            end = ruler._handles(0)["right"]
            self.press(ruler, end, end + QPointF(10, 0), end + QPointF(20, 0))
            settle(self.app)
            self.assertGreater(self.ranges[0].width_deg, 80)
            name = "black" if kind == "inks" else "light_l"
            card.rulers[f"ranges.{name}"].moved.emit(-7.0)
            self.assertEqual(getattr(self.ranges[0], name), -7.0)
            self.press(ruler, QPointF(ruler._x(40), y))
            settle(self.app)
            self.assertEqual((len(self.ranges), card.picked), (2, 1))
            QTest.mouseClick(card.remove, Qt.MouseButton.LeftButton)
            settle(self.app)
            self.assertEqual(len(self.ranges), 1)

    def test_a_range_from_a_region(self) -> None:
        self.open(with_left_half(new_state(skin_photo())))
        card = self.add("inks")
        settle(self.app)
        wait_until(lambda: card.region.isEnabled())
        card._from_region(Region.SKIN)
        settle(self.app)
        wait_until(lambda: bool(self.ranges))
        self.assertTrue(0 < self.ranges[0].middle_deg < 90)
        card._from_region(Region.LIPS)
        settle(self.app)
        wait_until(lambda: any("no lips" in text for text, _ in self.said))

    def test_the_pick_button_takes_the_tool(self) -> None:
        self.open()
        for kind in ("exposure", "curves", "radial", "hues", "area_colour"):
            card = self.add(kind)
            self.bench.hands.take_tool("mend_spot")
            button = next(b for b in card.findChildren(type(card.pick_button("")))
                          if b.text() in ("pick", "pick a grey", "drag on picture",
                                          "pick the mean"))  # fmt: skip
            QTest.mouseClick(button, Qt.MouseButton.LeftButton)
            self.assertEqual(self.bench.hand.tool, "pick", kind)

    def test_filters_begin_hidden_with_the_brush_on_their_mask(self) -> None:
        self.open()
        for kind in ("smooth", "soften", "blur", "sweep"):
            self.add(kind)
            layer = self.bench.state.active
            self.assertTrue(layer.mask.hides_all)
            self.assertEqual(layer.strength, 0.5)
            self.assertTrue(self.bench.hands.on_mask)
            self.assertTrue(0.2 <= self.bench.hand.brush.flow <= 0.3)

    def test_limits_are_set_by_dragging_and_are_one_step(self) -> None:
        self.open(with_left_half(painted_state(skin_photo(), 1)))
        self.assertFalse(self.window.layer_card.isVisible())
        run_action(self.window.actions_by_id["layer.limits"], self.bench)
        settle(self.app)
        card = self.window.layer_card.limits
        self.assertTrue(card.isVisible())
        n_done = self.bench.job.history.n_done
        low = card.span._handles()[0]
        self.press(card.span, low, low + QPointF(30, 0), low + QPointF(60, 0))
        settle(self.app)
        self.assertGreater(self.bench.state.active.limits.span.low_l, 5)
        self.assertEqual(self.bench.job.history.n_done, n_done + 1)
        card.menu.actions()[0].trigger()
        settle(self.app)
        self.assertEqual(self.bench.state.active.limits.regions, (Region.SKIN,))
        self.assertIn("skin", card.regions.text())
        QTest.mouseClick(card.open, Qt.MouseButton.LeftButton)
        settle(self.app)
        self.assertEqual(self.bench.state.active.limits, OPEN)
        self.bench.job.undo()
        self.assertEqual(self.bench.state.active.limits.regions, (Region.SKIN,))

    def test_keys_move_a_limit_and_a_bracket(self) -> None:
        self.open(painted_state(skin_photo(), 1))
        run_action(self.window.actions_by_id["layer.limits"], self.bench)
        settle(self.app)
        QTest.keyClick(self.window.layer_card.limits.span, Qt.Key.Key_Right)
        self.assertEqual(self.bench.state.active.limits.span.low_l, 1.0)
        card = self.add("hues")
        card.ruler.added.emit(50.0)
        settle(self.app)
        QTest.keyClick(card.ruler, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(self.ranges[0].middle_deg, 55.0)


class MaskCommandsTest(WindowCase):
    def run_command(self, name: str) -> None:
        run_action(self.window.actions_by_id[name], self.bench)
        wait_until(lambda: self.bench.task is None)
        settle(self.app)

    def test_masks_are_made_aside_and_are_a_step_each(self) -> None:
        self.open(with_left_half(painted_state(skin_photo(), 1)))
        self.run_command("mask.from_region")
        self.assertFalse(self.bench.state.active.mask.hides_all)
        self.run_command("mask.softer")
        self.run_command("mask.harder")
        self.answers.text = lambda *asked: "3"
        self.run_command("mask.from_change")
        self.assertEqual(self.bench.job.history.n_done, 4)
        self.answers.text = lambda *asked: "much"
        self.run_command("mask.from_change")
        self.assertTrue(any("is no number" in text for text, _ in self.said))
        limits = replace(OPEN, span=replace(OPEN.span, low_l=40.0))
        self.bench.change("Limits", edits.set_limits, self.bench.state.active_id, limits)
        self.run_command("mask.from_lightness")
        self.assertEqual(self.bench.job.history.n_done, 6)
        self.run_command("mask.from_colours")
        self.assertEqual(self.bench.hand.tool, "pick")
        self.assertTrue(self.bench.hand.on_mask)

    def test_a_split_becomes_two_layers(self) -> None:
        self.open(edits.add_computed(new_state(skin_photo()), KINDS["split"]))
        self.run_command("layer.split_to_layers")
        self.assertEqual([layer.kind for layer in self.bench.state.layers],
                         ["photo", "split", "group"])  # fmt: skip

    def test_a_held_key_turns_lighten_round(self) -> None:
        self.open()
        self.bench.hands.take_tool("lighten")
        self.bench.hands.set_brush(size_px=77)
        self.key(Qt.Key.Key_T, modifier=Qt.KeyboardModifier.AltModifier)
        self.assertEqual((self.bench.hand.tool, self.bench.hand.brush.size_px), ("darken", 77))
        self.key(Qt.Key.Key_T, QEvent.Type.KeyRelease)
        self.assertEqual(self.bench.hand.tool, "lighten")
