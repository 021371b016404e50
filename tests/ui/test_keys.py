"""Keys in the real window: planes, taps, held keys, and the sheet on which they are changed."""

from unittest import mock

from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QKeyEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from lather.document import edits
from lather.ui.dialogs.asker import WindowAsker
from lather.ui.dialogs.command_search import CommandSearch
from lather.ui.dialogs.key_sheet import KeySheet
from lather.ui.scripted import settle
from tests.support import painted_state
from tests.ui.test_window import WindowCase

K = Qt.Key
UP = QEvent.Type.KeyRelease


class PlaneTest(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.open(painted_state(n_layers=1))

    def names(self) -> list[str]:
        return [layer.name for layer in self.bench.state.layers[1:]]

    def test_a_held_key_opens_a_plane(self) -> None:
        self.key(K.Key_X)
        self.key(K.Key_D)  # not Mend spot
        self.key(K.Key_D, UP)
        self.key(K.Key_D)  # and once more without letting go
        self.key(K.Key_D, UP)
        self.key(K.Key_X, UP)
        self.assertEqual(len(self.names()), 3)
        self.bench.hands.take_tool("erase")
        self.key(K.Key_D)
        self.assertEqual(self.bench.hand.tool, "mend_spot")
        self.assertEqual(len(self.names()), 3)

    def test_a_plane_s_own_command_waits_for_the_key_to_go_up(self) -> None:
        from tests.support import surveyed

        self.bench.change("Survey", edits.set_findings, surveyed(4))
        self.key(K.Key_Space)
        self.assertIsNone(self.bench.walk.finding_id)
        self.key(K.Key_Space, UP)
        first = self.bench.walk.finding_id
        self.assertIsNotNone(first)
        self.chord(K.Key_Space, K.Key_S)  # skipped, and so the next is looked at
        self.assertNotEqual(self.bench.walk.finding_id, first)
        second = self.bench.walk.finding_id
        self.chord(K.Key_Space, K.Key_M)  # nothing there: not a tap either
        self.assertEqual(self.bench.walk.finding_id, second)

    def test_a_momentary_key_is_down_at_once_and_opens_its_plane_too(self) -> None:
        self.bench.hands.take_tool("copy_from_source")
        self.key(K.Key_C)
        self.assertTrue(self.bench.hands.picking)
        self.key(K.Key_T)
        self.key(K.Key_T, UP)
        self.assertTrue(self.bench.hand.turn.mirrored)
        self.assertTrue(self.bench.hands.picking)
        self.key(K.Key_C, UP)
        self.assertFalse(self.bench.hands.picking)

    def test_the_left_hand_s_planes_lie_mirrored(self) -> None:
        self.bench.settings.set("pen_hand", "left")
        self.chord(K.Key_Period, K.Key_K)
        self.assertEqual(len(self.names()), 2)
        self.chord(K.Key_X, K.Key_D)
        self.assertEqual(len(self.names()), 2)

    def test_keys_that_are_down_as_the_window_goes_are_let_go(self) -> None:
        """Nobody tells when they come up."""
        self.key(K.Key_A)
        self.key(K.Key_X)
        self.assertTrue(self.bench.looks.before_held)
        QApplication.sendEvent(self.window, QEvent(QEvent.Type.WindowDeactivate))
        self.assertFalse(self.bench.looks.before_held)
        self.key(K.Key_D)
        self.assertEqual((self.bench.hand.tool, len(self.names())), ("mend_spot", 1))

    def test_full_screen_and_back(self) -> None:
        asker = WindowAsker()
        asker.window, self.bench.ask = self.window, asker
        asker.show_picture_alone = self.window.show_picture_alone
        for expected in (True, False):
            self.chord(K.Key_F11)
            self.assertEqual(self.window.isFullScreen(), expected)

    def test_typing_is_no_command(self) -> None:
        search = CommandSearch(self.bench, self.window.actions_by_id, self.window)
        search.field.setText("")
        QTest.keyClicks(search.field, "xd")
        self.assertEqual(search.field.text(), "xd")
        self.assertEqual(len(self.names()), 1)
        search.close()

    def test_every_command_is_reached_without_the_mouse(self) -> None:
        """By its key, or by typing its title."""
        search = CommandSearch(self.bench, self.window.actions_by_id, self.window)
        for action in self.window.actions_by_id.values():
            search.field.setText(action.title)
            found = [search.list.item(n).data(Qt.ItemDataRole.UserRole).id
                     for n in range(search.list.count())]  # fmt: skip
            self.assertIn(action.id, found)
        search.close()


class SheetTest(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.open()
        self.sheet = KeySheet(self.bench, self.window.actions_by_id, self.window)
        self.sheet.show()
        self.addCleanup(self.sheet.close)

    def press(self, name: str, *keys: Qt.Key) -> None:
        button = self.sheet.buttons[name]
        button.click()
        self.assertEqual(button.text(), "press a key …")
        for kind in (QEvent.Type.KeyPress, UP):
            for key in keys if kind is QEvent.Type.KeyPress else reversed(keys):
                QApplication.sendEvent(button, QKeyEvent(kind, key, Qt.KeyboardModifier.NoModifier))

    def test_every_command_is_on_it(self) -> None:
        self.assertEqual(set(self.sheet.buttons), set(self.window.actions_by_id))
        self.assertEqual(self.sheet.buttons["layer.new"].text(), "X+D")
        self.assertEqual(self.sheet.buttons["brush.build_up"].text(), "–")

    def test_a_key_is_changed_by_pressing_it_and_works_at_once(self) -> None:
        self.press("layer.new", K.Key_N)
        self.assertEqual(self.sheet.buttons["layer.new"].text(), "N")
        self.key(K.Key_N)
        self.assertEqual(len(self.bench.state.layers), 2)
        self.press("brush.build_up", K.Key_B, K.Key_Q)
        self.assertEqual(self.sheet.buttons["brush.build_up"].text(), "B+Q")
        self.press("layer.new", K.Key_Backspace)
        self.assertEqual(self.sheet.buttons["layer.new"].text(), "–")
        self.sheet.reset_all.click()
        self.assertEqual(self.sheet.buttons["layer.new"].text(), "X+D")
        self.assertEqual(self.sheet.buttons["brush.build_up"].text(), "–")

    def test_a_key_in_use_is_refused_in_words(self) -> None:
        self.press("layer.new", K.Key_D)
        self.assertIn("it is the key of 'Mend spot'", self.sheet.told.text())
        self.assertEqual(self.sheet.buttons["layer.new"].text(), "X+D")
        self.press("layer.new", K.Key_X)  # alone: let go without another
        self.assertIn("opens the plane of layers", self.sheet.told.text())
        self.press("layer.new", K.Key_Escape)
        self.assertEqual(self.sheet.buttons["layer.new"].text(), "X+D")

    def test_what_is_told_elsewhere_follows(self) -> None:
        self.press("edit.redo", K.Key_N)
        settle(self.app)
        hints = [button.toolTip() for button in self.window.checks._buttons]
        self.assertTrue(any("(N)" in hint for hint in hints), hints)


class SignsOfLifeTest(WindowCase):
    """Whatever the person does is time that was worked, and each step knows how much of it."""

    def setUp(self) -> None:
        super().setUp()
        self.open(painted_state(n_layers=1))
        self.now_s = 100.0
        clock = mock.patch("time.monotonic", lambda: self.now_s)
        clock.start()
        self.addCleanup(clock.stop)

    def later(self, by_s: float = 10.0) -> float:
        """So much time goes by; how much was worked until then."""
        self.now_s += by_s
        return self.bench.open_job.ledger.worked_s

    def test_keys_presses_drags_and_the_wheel(self) -> None:
        canvas = self.window.canvas
        self.key(K.Key_D)
        self.later()
        self.key(K.Key_D, UP)  # letting go is none: whoever holds a key may be elsewhere
        self.assertEqual(self.later(), 0.0)
        QTest.mousePress(self.window.layers, Qt.MouseButton.LeftButton)
        self.assertEqual(self.later(), 20.0)
        QTest.mouseRelease(self.window.layers, Qt.MouseButton.LeftButton)
        self.assertEqual(self.later(), 30.0)
        wheel = QWheelEvent(
            QPointF(40, 40), canvas.mapToGlobal(QPointF(40, 40)), QPoint(), QPoint(0, 120),
            Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(canvas, wheel)
        self.assertEqual(self.later(), 40.0)
        QTest.mouseMove(canvas, QPoint(300, 300))  # a mouse that only moves
        self.assertEqual(self.later(), 40.0)

    def test_pauses_do_not_count_and_steps_know_their_time(self) -> None:
        self.key(K.Key_D)
        self.later(20)
        self.key(K.Key_E)
        self.bench.change("Layer", edits.add_pixel_layer, "One")
        self.later(500)
        self.key(K.Key_D)
        self.later(7)
        self.key(K.Key_E)
        self.bench.change("Layer", edits.add_pixel_layer, "Two")
        one, two = (step.spent for step in self.bench.state.operations)
        self.assertEqual((one.wall_s, one.worked_s), (20.0, 20.0))
        self.assertEqual((two.wall_s, two.worked_s), (507.0, 7.0))
        self.assertEqual(two.at_s > 1.7e9, True)
        first = self.bench.state.operations.last
        self.assertEqual((first.stage, first.tool), (self.bench.stage.value, self.bench.hand.tool))
