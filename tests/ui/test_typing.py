"""Keys where they are typed: fields have them to themselves, every command answers, any layout."""

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialog,
    QLineEdit,
    QPlainTextEdit,
    QWidget,
)

from lather.document.layers.layer import Stage
from lather.ui.dialogs.asker import PreferencesDialog
from lather.ui.dialogs.deliver_dialog import DeliverDialog
from lather.ui.keys import Keys
from lather.ui.parts.fields import DateField
from lather.ui.parts.key_names import BY_PLACE
from lather.ui.parts.typing_fields import takes_text
from lather.ui.scripted import settle
from tests.support import painted_state
from tests.ui.test_window import WindowCase

K = Qt.Key
NONE = Qt.KeyboardModifier.NoModifier
WORDS, NUMBER, DAY = "lighter skin, please", "12", "2026-12-24"


def fields_of(widget: QWidget) -> list[QWidget]:
    """All that can be typed into; the line inside of a spin box is the box's own."""
    return [field for field in widget.findChildren(QWidget)
            if takes_text(field) and not isinstance(field.parentWidget(),
                                                    (QAbstractSpinBox, QComboBox))]  # fmt: skip


def text_of(field: QWidget) -> str:
    return field.toPlainText() if isinstance(field, QPlainTextEdit) else field.text()


class FieldTest(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.open(painted_state(n_layers=1))

    def type_into(self, field: QWidget) -> None:
        """Words, or what the field is for, and a look at what it has done elsewhere."""
        before = (self.bench.hand.tool, self.bench.stage, len(self.bench.state.layers))
        field.setFocus()
        if isinstance(field, QAbstractSpinBox):
            text = NUMBER
        else:
            text = DAY if isinstance(field, DateField) else WORDS
        if isinstance(field, (QLineEdit, QAbstractSpinBox)):
            field.selectAll()
            most = field.maxLength() if isinstance(field, QLineEdit) else len(text)
            text = text[:most]
        QTest.keyClicks(field, text)
        with self.subTest(field=field.accessibleName() or type(field).__name__):
            self.assertIn(text, text_of(field))
            after = (self.bench.hand.tool, self.bench.stage, len(self.bench.state.layers))
            self.assertEqual(after, before)

    def test_every_field_of_every_stage_takes_what_is_typed(self) -> None:
        n_typed = 0
        for stage in Stage:
            self.bench.go_to_stage(stage)
            settle(self.app)
            for field in fields_of(self.window):
                if field.isVisible():
                    self.type_into(field)
                    n_typed += 1
        self.assertGreaterEqual(n_typed, 11)
        brief = self.bench.state.brief
        self.assertEqual((brief.words, brief.fee, brief.agreed_hours), (WORDS, 12, 12))
        self.assertEqual((brief.deadline, brief.consent_on), (DAY, DAY))

    def test_every_field_of_the_dialogs_too(self) -> None:
        dialogs: list[QDialog] = [
            DeliverDialog(self.bench.open_job, self.bench.settings, self.window),
            PreferencesDialog(self.bench.settings, self.window),
        ]
        for dialog in dialogs:
            dialog.show()
            self.addCleanup(dialog.close)
            for field in fields_of(dialog):
                if field.isVisible() and field.isEnabled():
                    self.type_into(field)

    def test_chords_that_a_field_does_not_know_are_commands_still(self) -> None:
        self.bench.go_to_stage(Stage.BRIEF)
        words = self.window.pages.page.words
        words.setFocus()
        QTest.keyClicks(words, "abc")
        QTest.keyClick(words, K.Key_A, Qt.KeyboardModifier.ControlModifier)
        QTest.keyClick(words, K.Key_X, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(words.toPlainText(), "")
        QTest.keyClick(words, K.Key_S, Qt.KeyboardModifier.ControlModifier)
        self.assertIn("path_to_save", self.answers.asked)

    def test_escape_gives_the_keyboard_back_to_the_commands(self) -> None:
        self.bench.go_to_stage(Stage.BRIEF)
        words = self.window.pages.page.words
        words.setFocus()
        QTest.keyClick(words, K.Key_Escape)
        self.assertFalse(words.hasFocus())
        self.key(K.Key_G)
        self.assertEqual(self.bench.hand.tool, "erase")

    def test_what_is_no_day_is_told_and_not_taken(self) -> None:
        self.bench.go_to_stage(Stage.BRIEF)
        field = self.window.pages.page.deadline
        field.setFocus()
        QTest.keyClicks(field, "2026-02-31")
        QTest.keyClick(field, K.Key_Return)
        self.assertIn("'2026-02-31' is none", self.said[-1][0])
        self.assertEqual((field.text(), self.bench.state.brief.deadline), ("", ""))


class AnswerTest(WindowCase):
    def test_every_command_that_does_not_apply_says_why(self) -> None:
        """Without a photo, with one alone, and with layers: by its own key, or else by its name."""
        from lather.ui.parts.widgets import run_action

        n_said = 0
        for state in (None, painted_state(n_layers=0), painted_state(n_layers=2)):
            if state is not None:
                self.open(state)
            for action in self.window.actions_by_id.values():
                if action.enabled(self.bench):
                    continue
                self.said.clear()
                run_action(action, self.bench)
                with self.subTest(action=action.id):
                    self.assertEqual(len(self.said), 1)
                    text = self.said[0][0]
                    self.assertTrue(text.startswith(action.title.rstrip("…")), text)
                    self.assertNotIn("{", text)
                n_said += 1
        self.assertGreater(n_said, 100)

    def test_the_sentence_names_keys_as_the_person_has_them(self) -> None:
        self.open(painted_state())
        self.bench.settings.set("pen_hand", "left")
        self.window.actions_by_id["area.grow"]
        self.chord(K.Key_U, K.Key_O)  # the area plane, mirrored: grow a step
        self.assertIn("outline one (U+K)", self.said[-1][0])

    def test_a_key_that_stays_down_deletes_and_toggles_once(self) -> None:
        self.open(painted_state(n_layers=3))
        for action in self.window.actions_by_id.values():
            if action.repeats:  # only what goes a step may repeat
                self.assertIsNone(action.checked, action.id)
                self.assertNotIn("delete", action.id)
        self.key(K.Key_X)
        for again in (False, True, True):
            event = QKeyEvent(QEvent.Type.KeyPress, K.Key_G, NONE, "g", again)
            QApplication.sendEvent(self.window.canvas, event)
        self.key(K.Key_X, QEvent.Type.KeyRelease)
        self.assertEqual(len(self.bench.state.layers), 3)
        size_px = self.bench.hand.brush.size_px
        for again in (False, True, True):
            event = QKeyEvent(QEvent.Type.KeyPress, K.Key_E, NONE, "e", again)
            QApplication.sendEvent(self.window.canvas, event)
        self.assertGreater(self.bench.hand.brush.size_px, size_px * 1.15**2)


class LayoutTest(WindowCase):
    """Letters of other scripts count by their place on the keyboard."""

    def press(self, key: int, scan_code: int) -> None:
        for kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
            event = QKeyEvent(kind, key, NONE, scan_code, 0, 0, chr(key))
            QApplication.sendEvent(self.window.canvas, event)

    def test_cyrillic_and_greek_letters_are_the_keys_that_they_lie_on(self) -> None:
        self.open(painted_state())
        place = {key: code for code, key in BY_PLACE.items()}
        for letter, scan_code, tool_id in (
            ("Ф", place["A"], None), ("В", place["D"], "mend_spot"), ("А", place["F"],
                                                                   "paint_colour"),
            ("П", place["G"], "erase"), ("Δ", place["D"], "mend_spot"),
            ("Γ", place["G"], "erase"), ("В", 0, "mend_spot"), ("Φ", 0, "paint_colour"),
        ):  # fmt: skip
            with self.subTest(letter=letter, scan_code=scan_code):
                self.bench.hands.take_tool("copy_from_source")
                self.press(ord(letter), scan_code)
                expected = tool_id or "copy_from_source"
                self.assertEqual(self.bench.hand.tool, expected)

    def test_letters_of_latin_layouts_are_what_is_written_on_them(self) -> None:
        """A French A lies where others have their Q."""
        self.open(painted_state())
        self.bench.hands.take_tool("copy_from_source")
        place = {key: code for code, key in BY_PLACE.items()}
        self.press(K.Key_D, place["Q"])
        self.assertEqual(self.bench.hand.tool, "mend_spot")

    def test_planes_open_by_place_too(self) -> None:
        self.open(painted_state(n_layers=1))
        place = {key: code for code, key in BY_PLACE.items()}
        down = QKeyEvent(QEvent.Type.KeyPress, ord("Ч"), NONE, place["X"], 0, 0, "ч")
        QApplication.sendEvent(self.window.canvas, down)
        self.press(ord("В"), place["D"])
        up = QKeyEvent(QEvent.Type.KeyRelease, ord("Ч"), NONE, place["X"], 0, 0, "ч")
        QApplication.sendEvent(self.window.canvas, up)
        self.assertEqual(len(self.bench.state.layers), 3)
        self.assertIsInstance(self.window.keys, Keys)
