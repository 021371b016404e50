"""The window at its smallest, panels that fold, names of tools, marks, and the peek ring."""

import ast
import subprocess
import sys
from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtWidgets import QComboBox, QLabel, QPushButton, QScrollArea, QToolButton

from lather.actions.looking.looks import Peek
from lather.document import edits
from lather.document.findings import Findings, FindingState
from lather.document.job import Job
from lather.document.photo import UNTAGGED
from lather.document.state import new_state
from lather.settings.store import Settings
from lather.tools.stages import row
from lather.tools.table import TOOLS, tool
from lather.ui.app import build
from lather.ui.picture.peek_ring import RADIUS_PX
from lather.ui.scripted import open_and_settle, settle
from tests.support import Case, finding, painted_state, skin_photo
from tests.ui.test_window import ROOT, WindowCase

SMALLEST = (1024, 700)


class FittingTest(WindowCase):
    def cut_off(self) -> list[str]:
        """Controls of the panels and the strip that are shown and not whole."""
        found = []
        for part in (*self.window.panels.findChildren(QScrollArea), self.window.checks):
            inner = part.viewport() if isinstance(part, QScrollArea) else part
            for kind in (QPushButton, QToolButton, QComboBox, QLabel):
                for widget in part.findChildren(kind):
                    if not widget.isVisible() or not widget.width():
                        continue
                    wanted = widget.minimumSizeHint().width()
                    if isinstance(widget, (QPushButton, QToolButton)) and widget.width() < wanted:
                        found.append(f"{widget.text()} is narrower than its text")
                    left = widget.mapTo(inner, widget.rect().topLeft()).x()
                    right = widget.mapTo(inner, widget.rect().bottomRight()).x()
                    if left < 0 or right >= inner.width():
                        name = widget.text() if not isinstance(widget, QComboBox) else "list"
                        found.append(f"{name or widget.accessibleName()} {left}-{right}")
        return found

    def test_nothing_is_cut_off_with_any_tool_at_either_size(self) -> None:
        state = painted_state(n_layers=2)
        state.photo.notices = (UNTAGGED,)  # the strip is fullest then
        self.open(state)
        for size in ((1280, 800), SMALLEST):
            self.window.resize(*size)
            settle(self.app)
            self.assertEqual((self.window.width(), self.window.height()), size)
            for named in (True, False):
                self.bench.settings.set("tool_names", named)
                for entry in TOOLS:
                    self.bench.hands.take_tool(entry.id)
                    settle(self.app)
                    with self.subTest(entry.id, size=size, named=named):
                        self.assertEqual(self.cut_off(), [])

    def test_the_looks_have_names_where_there_is_room(self) -> None:
        self.open()
        self.window.resize(1300, 800)
        settle(self.app)
        names = [button.text() for button in self.window.checks._looks]
        self.assertIn("Split", names)
        self.window.resize(*SMALLEST)
        settle(self.app)
        self.assertEqual({button.text() for button in self.window.checks._looks}, {""})
        self.assertIn("Split", self.window.checks._looks[1].toolTip())


class FoldingTest(WindowCase):
    def sizes(self) -> list[int]:
        settle(self.app)
        return self.window.panels.sizes()

    def test_a_key_folds_a_panel_and_unfolds_it_as_wide_as_it_was(self) -> None:
        self.open()
        before = self.sizes()
        self.assertTrue(all(before))
        for index, key in ((0, Qt.Key.Key_A), (2, Qt.Key.Key_S)):
            self.chord(Qt.Key.Key_V, key)
            folded = self.sizes()
            self.assertEqual(folded[index], 0)
            self.assertGreater(folded[1], before[1])
            self.chord(Qt.Key.Key_V, key)
            self.assertEqual(self.sizes(), before)

    def test_what_is_dragged_is_remembered(self) -> None:
        self.open()
        self.window.panels.moveSplitter(330, 1)
        width = self.sizes()[0]
        self.assertAlmostEqual(width, 330, delta=8)
        self.window.panels.moveSplitter(0, 1)
        self.assertEqual(self.sizes()[0], 0)
        self.assertTrue(self.bench.settings["left_folded"])
        self.chord(Qt.Key.Key_V, Qt.Key.Key_A)
        self.assertEqual(self.sizes()[0], width)
        settings = Settings()
        for name in ("left_px", "left_folded", "right_px"):
            settings.set(name, self.bench.settings[name])
        again = build(settings)
        self.addCleanup(again.close)
        again.window.resize(1280, 800)
        again.window.show()
        settle(again)
        self.assertEqual(again.window.panels.sizes()[0], width)


class ToolNamesTest(WindowCase):
    def test_names_show_until_they_are_folded(self) -> None:
        self.open()
        tools = self.window.hand.tools.buttons
        listed = [tool(name) for name in row(self.bench.stage).tools]
        self.assertEqual([button.text() for button in tools], [entry.title for entry in listed])
        self.chord(Qt.Key.Key_V, Qt.Key.Key_Q)
        self.assertEqual({button.text() for button in tools}, {""})
        for button, entry in zip(tools, listed, strict=True):
            self.assertIn(entry.title, button.toolTip())
            self.assertIn(entry.help, button.toolTip())
            self.assertEqual(button.accessibleName(), entry.title)


class MarksTest(WindowCase):
    """Two findings close together and one far away."""

    PLACES = ((100.0, 100.0), (170.0, 100.0), (330.0, 300.0))

    def setUp(self) -> None:
        super().setUp()
        items = [finding(n, x, y) for n, (x, y) in enumerate(self.PLACES, start=1)]
        plain = new_state(skin_photo())
        self.open(edits.set_findings(plain, Findings.of_survey(0.2, items)))
        self.bench.zoom_to(1.0)
        settle(self.app)

    def marked(self, number: int) -> str:
        """How a finding is marked: 'shape' where its rim is drawn, 'dot' in its middle."""
        x, y = self.PLACES[number - 1]
        rim = max(min(self.pixel(x + dx, y + dy)) for dx in range(9, 20) for dy in (-3, 0, 3))
        dot = min(self.pixel(x, y))
        return "shape" if rim > 200 else "dot" if dot > 200 else ""

    def marks(self) -> list[str]:
        settle(self.app)
        return [self.marked(number) for number in (1, 2, 3)]

    def test_only_what_matters_now_is_drawn_in_full(self) -> None:
        self.assertEqual(self.marks(), ["dot"] * 3)
        self.bench.walk.go_to(1)
        settle(self.app)
        green = [self.pixel(100 + dx, 100) for dx in range(8, 18)]
        self.assertTrue(any(g > r + 30 for r, g, _ in green), green)  # its extent, in the accent
        self.assertEqual(self.marks()[1:], ["shape", "dot"])
        self.key(Qt.Key.Key_A, modifier=Qt.KeyboardModifier.AltModifier)
        self.assertEqual(self.marks()[1:], ["shape", "shape"])
        self.key(Qt.Key.Key_A, QEvent.Type.KeyRelease)
        self.assertEqual(self.marks()[1:], ["shape", "dot"])

    def test_nothing_lies_between_the_pen_and_the_skin(self) -> None:
        from lather.core.brush.stroke import PenSample

        self.assertEqual(self.marks(), ["dot"] * 3)
        self.pen.send(QEvent.Type.TabletPress, PenSample(0.0, 250.0, 200.0, 0.8))
        self.window.canvas.update()
        self.assertEqual(self.marks(), [""] * 3)
        self.pen.send(QEvent.Type.TabletRelease, PenSample(0.1, 250.0, 200.0, 0.0), pressure=0.0)
        self.pen.wait()
        self.assertEqual(self.marks()[2], "dot")

    def test_kept_ones_are_rings(self) -> None:
        self.bench.change("Keep", edits.decide, [3], FindingState.KEPT)
        settle(self.app)
        x, y = self.PLACES[2]
        self.assertLess(min(self.pixel(x, y)), 200)


class PeekTest(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        state = painted_state(skin_photo(), 1)
        white = np.full((256, 256, 4), 65535, np.uint16)
        tiles = state.active.tiles.with_tiles({(0, 0): white, (0, 1): None})
        self.bench.take_job(Job(edits.set_pixels(state, state.active_id, tiles)))
        self.bench.zoom_to(1.0)
        settle(self.app)
        x, y = self.bench.geometry.to_view(120, 120)
        self.window.canvas._move_cursor(QPointF(x, y))

    def test_the_original_shows_in_a_ring_around_the_pen(self) -> None:
        self.key(Qt.Key.Key_S, modifier=Qt.KeyboardModifier.ShiftModifier)
        settle(self.app)
        photo = tuple(round(v / 257) for v in self.bench.state.photo.samples[150, 150])
        self.assert_close(self.pixel(150.5, 150.5), photo, 2)
        outside = 120.5 + RADIUS_PX + 20
        self.assert_close(self.pixel(outside, 120.5), (255, 255, 255), 1)
        self.window.canvas._move_cursor(QPointF(*self.bench.geometry.to_view(outside, 120)))
        settle(self.app)
        self.assertLess(min(self.pixel(outside + 9.5, 130.5)), 250)
        self.key(Qt.Key.Key_S, QEvent.Type.KeyRelease)
        settle(self.app)
        self.assertIs(self.bench.looks.peek, Peek.NONE)
        self.assert_close(self.pixel(outside + 9.5, 130.5), (255, 255, 255), 1)

    def test_delivery_size_shows_in_the_same_place(self) -> None:
        """Half size: what lies twice as far from the pen shows; the pen's own place stays."""
        self.bench.change("Size", edits.set_delivery_long_side, 200)
        self.key(Qt.Key.Key_V, modifier=Qt.KeyboardModifier.ShiftModifier)
        settle(self.app)
        self.assert_close(self.pixel(120.5 + 60, 120.5), (255, 255, 255), 2)  # shows x = 240
        past_edge = self.pixel(120.5 + 75, 120.5)  # shows x = 270, past the white tile
        self.assertLess(min(past_edge), 240)
        self.key(Qt.Key.Key_V, QEvent.Type.KeyRelease)
        settle(self.app)
        self.assert_close(self.pixel(120.5 + 75, 120.5), (255, 255, 255), 1)

    def test_a_mirrored_view_is_peeked_at_mirrored(self) -> None:
        self.bench.mirror()
        settle(self.app)
        self.window.canvas._move_cursor(QPointF(*self.bench.geometry.to_view(120, 120)))
        self.bench.look(peek=Peek.BEFORE)
        settle(self.app)
        photo = tuple(round(v / 257) for v in self.bench.state.photo.samples[150, 160])
        self.assert_close(self.pixel(160.5, 150.5), photo, 12)


class ChipTest(WindowCase):
    def test_a_photo_without_a_profile_says_so_in_the_status_line_alone(self) -> None:
        chip = self.window.checks.untagged
        import cv2

        path = self.folder / "plain.png"
        cv2.imwrite(str(path), skin_photo().samples)  # writes no profile
        open_and_settle(self.app, path)
        self.assertTrue(chip.isVisible())
        self.assertIn("taken as sRGB", chip.toolTip())
        self.assertFalse([text for text, _ in self.said if "profile" in text], self.said)
        self.bench.take_job(None)
        settle(self.app)
        self.assertFalse(chip.isVisible())

    def test_long_names_of_findings_end_in_dots_and_their_hint_has_all(self) -> None:
        item = replace(finding(1, 100, 100), diameter_mm=999999.1)
        self.open(edits.set_findings(new_state(skin_photo()), Findings.of_survey(0.2, [item])))
        rows = self.window.worklist.findings.list
        self.assertFalse(rows.horizontalScrollBar().isVisible())
        self.assertIn("999999.1 mm", rows.item(0).toolTip())


class FirstWindowTest(Case):
    def test_the_first_window_needs_no_heavy_module(self) -> None:
        code = (
            "import sys; from lather.settings.store import Settings; from lather.ui.app import "
            "build; app = build(Settings()); app.window.show(); app.qt.processEvents(); "
            "print(sorted({name.split('.')[0] for name in sys.modules})); "
            "sys.stdout.flush(); import os; os._exit(0)"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True,
                              cwd=ROOT, check=True, timeout=120)  # fmt: skip
        loaded = set(ast.literal_eval(done.stdout.strip().splitlines()[-1]))
        self.assertIn("lather", loaded)
        heavy = {"scipy", "cv2", "numba", "skimage", "pyvips", "rawpy", "PIL", "llvmlite"}
        self.assertEqual(loaded & heavy, set())
