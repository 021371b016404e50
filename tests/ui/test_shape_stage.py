"""The Shape stage in the real window."""

from __future__ import annotations

import unittest

import numpy as np
from PyQt6.QtCore import QPointF, Qt

from lather.actions.hand.taking import take
from lather.actions.stages.shape import set_shape
from lather.actions.table import all_actions
from lather.core.brush.stroke import PenSample
from lather.document import edits
from lather.document.agreed.style import Style
from lather.document.layers.layer import Stage
from lather.document.layers.reshape import ReshapeLayer
from lather.render.compositor import render
from lather.ui.scripted import settle, wait_until
from lather.ui.stages.shape.shape_panel import ShapePanel
from tests.ui.test_window import WindowCase


class ShapeStageTest(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.open()
        self.panel = self.window.worklist.part(ShapePanel)

    def run_command(self, name: str) -> None:
        next(action for action in all_actions() if action.id == name).run(self.bench)

    def push(self, by_px: float = 12.0) -> None:
        photo = self.bench.state.photo
        x, y = photo.width * 0.5, photo.height * 0.5
        self.pen.stroke([PenSample(0.01 * n, x + by_px * n / 6, y, 1.0) for n in range(7)])
        self.pen.wait()
        settle(self.app)

    def test_a_reshape_tool_brings_its_stage_and_its_tools(self) -> None:
        names = [button.text() for button in self.window.hand.tools.buttons]
        self.assertNotIn("Push", names)
        take(self.bench, "push")
        self.assertIs(self.bench.stage, Stage.SHAPE)
        names = [button.text() for button in self.window.hand.tools.buttons]
        self.assertIn("Push", names)
        self.assertNotIn("Mend spot", names)
        self.assertTrue(self.panel.isVisibleTo(self.window))
        rulers = self.window.tool_card.rulers
        self.assertEqual(rulers["flow"].title, "Give")
        self.assertTrue(rulers["size_px"].advised)
        self.assertFalse(rulers["opacity"].isVisibleTo(self.window))
        take(self.bench, "swell")
        speed = self.window.tool_card.shape.speed
        self.assertTrue(speed.isVisibleTo(self.window))
        speed.moved.emit(6.0)
        self.assertEqual(self.bench.hand.shape.speed_mm_s, 6.0)

    def test_the_size_is_advised_by_what_the_brush_is_over(self) -> None:
        from lather.assist.shape.face_features import mesh_of
        from tests.assist.test_shape import portrait

        self.open(portrait())
        take(self.bench, "push")
        mesh, size = mesh_of(self.bench.state, 0), self.window.tool_card.rulers["size_px"]
        whole = size.advice
        self.assertIn("a face that is", whole.reason)
        for point, title in ((64, "Nose width"), (172, "Jaw line"), (159, "Eye opening")):
            with self.subTest(title):
                self.canvas_hover(*mesh[point, :2])
                self.assertIn(f"'{title}'", size.advice.reason)
        self.assertLess(size.advice.high, whole.high)
        self.canvas_hover(2.0, 2.0)  # the background
        self.assertEqual(size.advice.reason, whole.reason)

    def canvas_hover(self, x: float, y: float) -> None:
        view_x, view_y = self.bench.geometry.to_view(float(x), float(y))
        ratio = self.window.canvas.devicePixelRatioF()
        self.window.canvas._move_cursor(QPointF(view_x / ratio, view_y / ratio))

    def test_a_push_is_drawn_measured_and_taken_back(self) -> None:
        take(self.bench, "push")
        before = render(self.bench.state, self.bench.state.photo.rect)
        self.push()
        layer = self.bench.state.active
        assert isinstance(layer, ReshapeLayer)
        self.assertTrue(layer.moves)
        wait_until(lambda: self.panel.measured.rests)
        measured = self.panel.measured.value
        assert measured is not None
        self.assertIn("Largest move", self.panel.bars.accessibleDescription())
        reading = self.bench.session.reading
        self.assertGreater(reading.moved_mm, 0)
        self.run_command("shape.back_all")
        after = render(self.bench.state, self.bench.state.photo.rect)
        np.testing.assert_array_equal(after, before)

    def test_lenses_show_what_was_moved(self) -> None:
        take(self.bench, "push")
        self.push()
        plain = self.window.canvas.grab().toImage()
        for lens in ("moved", "stretched"):
            self.run_command(f"lens.{lens}")
            self.assertEqual(self.bench.looks.lens, lens)
            settle(self.app)
            self.assertNotEqual(self.window.canvas.grab().toImage(), plain)
            self.bench.look(lens="")

    def test_keys_of_the_plane(self) -> None:
        self.chord(Qt.Key.Key_F, Qt.Key.Key_D)
        self.assertNotEqual(self.bench.hand.tool, "push")  # Clean's plane
        self.bench.go_to_stage(Stage.SHAPE)
        self.bench.hands.take_tool("swell")
        self.chord(Qt.Key.Key_F, Qt.Key.Key_D)
        self.assertEqual(self.bench.hand.tool, "push")
        self.chord(Qt.Key.Key_F, Qt.Key.Key_T)
        self.assertTrue(self.bench.hand.shape.mirrored)
        self.chord(Qt.Key.Key_F, Qt.Key.Key_1)
        self.assertFalse(self.bench.hand.shape.keeps_straight)

    def test_marks_are_drawn_where_they_are_seen(self) -> None:
        take(self.bench, "push")
        self.push(30.0)
        photo = self.bench.state.photo
        x, y = photo.width * 0.5, photo.height * 0.5
        seen = self.bench.photo_sight.seen(x, y)
        self.assertGreater(seen[0], x + 5)
        self.assertAlmostEqual(self.bench.photo_sight.under(*seen)[0], x, delta=0.1)
        self.window.canvas._move_cursor(QPointF(200, 200))
        self.window.canvas.grab()

    def test_a_document_is_left_alone_and_the_panel_says_why(self) -> None:
        self.bench.change("Style", edits.set_style, Style.IDENTITY)
        take(self.bench, "push")
        self.assertIn("document", self.panel.said.text())
        set_shape(self.bench, mirrored=False)
        self.push()
        self.assertEqual(len(self.bench.state.layers), 1)


if __name__ == "__main__":
    unittest.main()
