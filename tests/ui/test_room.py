"""Each stage has its room: whatever the window says is whole, at either size, in either text size
and theme, with the longest there is to say; and so many layers, tools and pixels are in sight."""

from __future__ import annotations

import itertools
import unittest
from collections.abc import Iterator
from dataclasses import replace

from PyQt6.QtCore import QPoint, QRectF, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from lather.actions.stages import evening
from lather.actions.table import all_actions
from lather.assist.check.check import Check, Checked
from lather.assist.check.lever import Causes, Lever
from lather.assist.check.reading import Reading
from lather.assist.check.table import BY_ID
from lather.assist.even.scores import where
from lather.assist.stages import in_order
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.survey.regions.region import Part
from lather.document import edits
from lather.document.agreed.brief import Brief
from lather.document.agreed.briefing import set_brief
from lather.document.agreed.style import Style
from lather.document.findings import FindingState
from lather.document.job import Job
from lather.document.layers.layer import Stage
from lather.document.layers.limits import Limits, Span
from lather.document.layers.table import COMPUTED
from lather.document.state import JobState, new_state
from lather.document.tree import walk
from lather.files.exchange.delivery import PRESETS, delivery_to_json
from lather.render.lenses.table import LENSES
from lather.tools.stages import COMMON, MOST_OWN, STAGES, has_brush, offered, row
from lather.tools.table import TOOLS, tool
from lather.ui.layers.layer_row import LayerRow, row_height_px
from lather.ui.parts.texts import draw
from lather.ui.parts.widgets import run_action
from lather.ui.scripted import settle, wait_until
from lather.ui.stages.even.score_panel import ScorePanel
from tests.support import skin_photo
from tests.ui.shown_texts import Shown, faults, shown_texts, whole_rows
from tests.ui.test_even_stage import portrait
from tests.ui.test_window import WindowCase

SIZES = ((1280, 800), (1024, 700))
ROWS = {800: 5, 700: 4}
PICTURE = {1280: 0.54, 1024: 0.42}
LOOKS = tuple(itertools.product(("dark", "light"), (False, True)))  # theme, larger text
N_MOST = 999
NAMES = ("Under the eyes, softened", "Highlights on the cheeks", "Dodge & burn WM forehead",
         "Neckline and hair warmer")  # fmt: skip
TITLE = "Portrait of the made-up person number nine, final version, corrected twice"
LONGEST_PART = max(Part, key=lambda part: len(where(part)))


def many(state: JobState) -> JobState:
    """As many findings of Clean and Even as there may be, of every kind, strong and at edges; all
    but some are decided."""
    kinds = {stage: [kind for kind in Kind if kind.stage == stage] for stage in ("clean", "even")}
    first = state.findings.items[0]
    items: list[Finding] = []
    for of_stage in kinds.values():
        for number in range(N_MOST):
            items.append(replace(
                first, id=len(items) + 1, kind=of_stage[number % len(of_stage)], certainty=0.9,
                radius_px=99.0, severity=100.0, contrast_l=-88.8, contrast_a=-88.8, clipped=1.0,
                rim_broken=1.0))  # fmt: skip
    findings = replace(state.findings, items=tuple(items), states={})
    state = edits.set_findings(state, findings)
    open_ones = {first_id + n for first_id in (1, N_MOST + 1) for n in range(20)}
    decided = [finding.id for finding in items if finding.id not in open_ones]
    return edits.decide(state, decided, FindingState.SKIPPED)


def layered(state: JobState) -> JobState:
    """Layers of several stages, masked, limited, in an open group; the names are long."""
    for name, stage in zip(NAMES, in_order()[1:], strict=False):
        state = edits.add_pixel_layer(state, name, stage)
        state = edits.add_mask(state, state.active_id)
        state = edits.set_limits(state, state.active_id, Limits(Span(low_l=30.0)))
        state = edits.set_strength(state, state.active_id, 1.0)
    return edits.group(state, state.active_id)


def overdone(state: JobState) -> Check:
    """Everything that can be measured, beyond its limit, on the part with the longest name."""
    rows = []
    for name, its in BY_ID.items():
        bound = state.brief.limits.bounds[name]
        value = 99.9 if bound.high is not None else 0.0
        by_part = dict.fromkeys(Part, value)
        rows.append(Checked(its, Reading(value, (800.0, 900.0), where(LONGEST_PART), by_part),
                            bound))  # fmt: skip
    return Check(tuple(rows), state.brief)


class RoomCase(WindowCase):
    maxDiff = None

    def setUp(self) -> None:
        super().setUp()
        self.bench.settings.set("hint_seen", True)
        self.addCleanup(self.bench.settings.set, "larger_text", False)
        self.addCleanup(self.bench.settings.set, "appearance", "dark")
        self.open(layered(many(replace(portrait(), photo=replace(portrait().photo, name=TITLE)))))
        self.window.messages.hide()

    def dressed(self) -> Iterator[tuple[int, int]]:
        """Every look at every size."""
        for (theme, larger), size in itertools.product(LOOKS, SIZES):
            self.bench.settings.set("appearance", theme)
            self.bench.settings.set("larger_text", larger)
            self.window.resize(*size)
            self.laid_out()
            with self.subTest(theme=theme, larger=larger, size=size):
                self.assertEqual((self.window.width(), self.window.height()), size)
                yield size

    def laid_out(self) -> None:
        for _ in range(3):  # what is in a layout of a layout comes last
            QApplication.processEvents()

    def texts(self) -> list[Shown]:
        self.window.messages.hide()
        return shown_texts(self.window)

    def check_texts(self) -> None:
        self.assertEqual(faults(self.window, self.texts()), [])

    def layers_in_sight(self) -> int:
        rows = list(self.window.layers.rows.values())
        viewport = self.window.layers._area.viewport()
        return whole_rows(rows, viewport)

    def check_layers(self, size: tuple[int, int]) -> None:
        self.assertGreaterEqual(self.layers_in_sight(), ROWS[size[1]])
        self.assertGreaterEqual(row_height_px(), 32)

    def measured(self) -> None:
        panel = self.window.worklist.part(ScorePanel)
        wait_until(lambda: panel.measured, 60)


class EveryStageTest(RoomCase):
    def test_all_is_whole_and_layers_tools_and_picture_have_their_room(self) -> None:
        self.bench.go_to_stage(Stage.EVEN)
        self.measured()
        check = overdone(self.bench.state)
        lever = Lever("texture_kept", self.bench.state.active_id, NAMES[0], 1.0, 0.1, 1.0)
        causes = Causes(dict.fromkeys(BY_ID, NAMES[1]), dict.fromkeys(BY_ID, lever))
        for size in self.dressed():
            for stage in in_order():
                self.bench.go_to_stage(stage)
                self.bench.gauge.take_full(check, self.bench.state)
                self.bench.gauge.take_causes(causes)
                self.laid_out()
                with self.subTest(stage=stage.value):
                    self.check_texts()
                    self.check_layers(size)
                    self.check_tools(stage)
                    share = self.window.pages.width() / size[0]
                    self.assertGreaterEqual(share, PICTURE[size[0]])

    def check_tools(self, stage: Stage) -> None:
        tools, body = self.window.hand.tools, self.window.tool_card
        self.assertEqual(tools.isVisible(), has_brush(stage))
        self.assertEqual(body.isVisible(), has_brush(stage))
        if not has_brush(stage):
            return
        self.assertLessEqual(len(tools.buttons), MOST_OWN)
        self.assertEqual([button.text() for button in tools.buttons],
                         [tool(name).title for name in row(stage).tools])  # fmt: skip
        for button in (*tools.buttons, *tools.common):
            self.assertTrue(button.isVisible() and not button.visibleRegion().isEmpty())
        entry = tool(self.bench.hand.tool)
        viewport = self.window.hand.area.viewport()
        shown = [ruler for name, ruler in body.rulers.items() if entry.uses(name)]
        self.assertEqual(whole_rows([*shown, body.advice_line], viewport), len(shown) + 1)

    def test_what_is_done_with_findings_needs_no_scrolling(self) -> None:
        work = self.window.worklist
        viewport = self.window.panels.widget(0).viewport()
        for stage in (Stage.CLEAN, Stage.EVEN):
            self.bench.go_to_stage(stage)
            self.measured()
            for _ in self.dressed():
                shown = [work.findings.list, *work.findings.buttons, work.findings.mend_all]
                with self.subTest(stage=stage.value):
                    self.assertEqual(whole_rows(shown, viewport), len(shown))

    def test_names_of_24_letters_are_whole(self) -> None:
        self.bench.go_to_stage(Stage.CLEAN)
        named = {layer.name: layer.id for layer in walk(self.bench.state.layers)}
        for _ in self.dressed():
            for name in NAMES:
                self.assertEqual(len(name), 24)
                self.bench.select_layer(named[name])
                QApplication.processEvents()
                told = [shown.told.text for shown in self.texts()
                        if isinstance(shown.widget, LayerRow) and shown.told.is_written]
                self.assertIn(name, told)


class LongestTextsTest(RoomCase):
    def small_and_large(self) -> Iterator[tuple[int, int]]:
        """The smallest size with larger texts, where there is least room, and the usual one."""
        for size in SIZES:
            self.bench.settings.set("larger_text", size is SIZES[1])
            self.window.resize(*size)
            with self.subTest(size=size):
                yield size

    def test_every_tool_in_a_hand_that_is_unfolded_and_in_a_stage_that_has_others(self) -> None:
        self.bench.settings.set("more_of_hand", True)
        for size in self.small_and_large():
            for stage, entry in itertools.product((Stage.CLEAN, Stage.SHAPE), TOOLS):
                self.bench.go_to_stage(stage)
                self.bench.hands.take_tool(entry.id)
                self.laid_out()
                with self.subTest(entry.id, stage=stage.value):
                    self.check_texts()
                    self.check_layers(size)
                    shown = self.window.hand.tools.other
                    self.assertEqual(shown is None, entry.id in offered(stage))
                    if shown is not None:
                        self.assertTrue(shown.isVisible() and shown.isChecked())
                        self.assertEqual(shown.text(), entry.title)

    def test_every_card(self) -> None:
        for size in self.small_and_large():
            for kind in COMPUTED:
                self.bench.change("Add", edits.start_computed, kind)
                self.bench.look(card=True, limits=True)
                self.laid_out()
                with self.subTest(kind.TITLE):
                    self.assertTrue(self.window.layer_card.isVisible())
                    self.check_texts()
                    self.check_layers(size)

    def test_every_lens_with_its_legend(self) -> None:
        for _ in self.small_and_large():
            for lens_id in LENSES:
                self.bench.look(lens=lens_id)
                self.laid_out()
                with self.subTest(lens_id):
                    self.assertTrue(self.window.legend.isVisible())
                    self.check_texts()

    def test_the_longest_reason_of_every_limit(self) -> None:
        self.bench.go_to_stage(Stage.FINISH)
        for _ in self.small_and_large():
            for style in (Style.GROOMED, Style.INFANT):
                self.bench.change("Brief", set_brief, Brief(style=style))
                whole = overdone(self.bench.state)
                for checked in whole.rows:
                    self.bench.gauge.take_full(replace(whole, rows=(checked,)), self.bench.state)
                    self.laid_out()
                    with self.subTest(checked.row.id, style=style.value):
                        self.check_texts()
                        self.assertTrue(self.window.checks.gauge.reasons[0])

    def test_briefs_of_every_style_and_all_that_is_asked(self) -> None:
        self.bench.go_to_stage(Stage.BRIEF)
        for _ in self.small_and_large():
            for style in Style:
                brief = Brief(style=style, delivery_long_side_px=12000, n_pictures=120, fee=99999.0,
                              agreed_hours=99.0)  # fmt: skip
                self.bench.change("Brief", set_brief, brief)
                self.laid_out()
                with self.subTest(style.value):
                    self.check_texts()

    def test_what_a_person_wrote_is_cut_with_dots_and_whole_in_the_hint(self) -> None:
        long = "W" * 60
        self.bench.change("Add", edits.start_computed, COMPUTED[0])
        self.bench.change("Rename", edits.rename, self.bench.state.active_id, long)
        self.answers.answers["text"] = long
        run_action(self.window.actions_by_id["brush.save_preset"], self.bench)
        self.bench.settings.set("more_of_hand", True)
        delivery = delivery_to_json(replace(PRESETS[0], name=long))
        self.bench.settings.set("deliveries", [{**delivery, "ticked": True}])
        self.addCleanup(self.bench.settings.set, "deliveries", [])
        for size in self.small_and_large():
            for stage, card in ((Stage.CLEAN, False), (Stage.CLEAN, True), (Stage.DELIVER, False)):
                self.bench.go_to_stage(stage)
                self.bench.look(card=card)
                self.laid_out()
                self.assertGreaterEqual(self.window.pages.width() / size[0], PICTURE[size[0]])
                self.check_layers(size)
                named = self.window.layers.rows[self.bench.state.active_id]
                told = [shown.told for shown in self.texts() if shown.widget is named]
                self.assertTrue(told[0].is_written and told[0].text.endswith("…"))
                self.assertIn(long, named.toolTip())

    def test_labels_of_the_face_map_keep_apart_and_the_map_is_high(self) -> None:
        self.bench.go_to_stage(Stage.FINISH)
        self.bench.gauge.take_full(overdone(self.bench.state), self.bench.state)
        settle(self.app)
        for _ in self.dressed():
            maps = [shown for shown in self.texts() if type(shown.widget).__name__ == "FaceMap"]
            self.assertGreater(len(maps), 1)
            self.assertGreaterEqual(maps[0].widget.height(), 170)


class BeforeAndBetweenTest(RoomCase):
    def test_without_a_photo_and_without_a_survey(self) -> None:
        for state in (None, new_state(skin_photo())):
            self.bench.take_job(Job(state) if state is not None else None)
            for _ in self.dressed():
                for stage in in_order():
                    self.bench.go_to_stage(stage)
                    self.laid_out()
                    with self.subTest(stage=stage.value, has_photo=state is not None):
                        self.check_texts()

    def test_while_something_is_proposed(self) -> None:
        self.open(portrait())
        self.bench.go_to_stage(Stage.EVEN)
        self.measured()
        evening.tame_shine(self.bench)
        wait_until(lambda: self.bench.task is None and self.bench.pending is not None, 60)
        for _ in self.dressed():
            self.check_texts()
        self.assertTrue(self.window.worklist.proposal.isVisible())


class FaultsAreFoundTest(RoomCase):
    """What these tests go by sees what a person would."""

    def faults(self) -> list[str]:
        return faults(self.window, self.texts())

    def test_a_label_that_is_too_narrow(self) -> None:
        self.assertEqual(self.faults(), [])
        self.window.worklist.title.setText("a text that is far too long for its corner")
        self.window.worklist.title.setFixedWidth(60)
        self.laid_out()
        self.assertTrue(any("needs" in fault for fault in self.faults()))

    def test_painted_texts_that_lie_on_each_other_or_leave_their_widget(self) -> None:
        class Painted(QWidget):
            def paintEvent(self, event: object) -> None:
                painter = QPainter(self)
                draw(painter, QRectF(0, 0, 100, 20), "one text")
                draw(painter, QRectF(20, 4, 100, 20), "another one")
                draw(painter, QRectF(150, 0, 100, 20), "out of it")

        painted = Painted(self.window.worklist)
        painted.setGeometry(10, 10, 180, 30)
        painted.show()
        found = self.faults()
        self.assertTrue(any("lies on 'another one'" in fault for fault in found), found)
        self.assertTrue(any("'out of it' of Painted leaves it" in fault for fault in found), found)


class HandOfStageTest(RoomCase):
    def test_a_stage_takes_up_its_tool_and_what_leads_elsewhere_leaves_the_hand(self) -> None:
        actions = {action.id: action for action in all_actions()}
        for stage in in_order():
            before = self.bench.hand.tool
            actions[f"stage.{stage.value}"].run(self.bench)
            wanted = STAGES[stage.value].first if has_brush(stage) else before
            self.assertEqual(self.bench.hand.tool, wanted)
        actions["stage.even"].run(self.bench)
        actions["tool.graft"].run(self.bench)
        for led in ("check.show", "finding.next"):
            actions[led].run(self.bench)
            self.assertIsNot(self.bench.stage, Stage.EVEN)
            self.assertEqual(self.bench.hand.tool, "graft")
        actions["stage.even"].run(self.bench)
        self.assertEqual(self.bench.hand.tool, "graft")  # last used there
        actions["stage.clean"].run(self.bench)
        self.assertEqual(self.bench.hand.tool, "mend_spot")

    def test_in_a_stage_without_a_brush_the_pen_moves_the_picture(self) -> None:
        self.bench.go_to_stage(Stage.EVEN)
        self.bench.go_to_stage(Stage.DELIVER)
        self.bench.zoom_to(1.0)
        settle(self.app)
        n_done, at = self.bench.open_job.history.n_done, self.bench.geometry.centre_x
        canvas = self.window.canvas
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=QPoint(200, 200))
        QTest.mouseMove(canvas, QPoint(150, 200))
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=QPoint(150, 200))
        self.assertAlmostEqual(self.bench.geometry.centre_x, at + 50, delta=1)
        self.assertEqual(self.bench.open_job.history.n_done, n_done)
        self.bench.look(split=True)  # its line is dragged all the same
        line = round(canvas.width() * self.bench.looks.line_at)
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=QPoint(line, 300))
        QTest.mouseMove(canvas, QPoint(line - 80, 300))
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=QPoint(line - 80, 300))
        self.assertAlmostEqual(canvas.width() * self.bench.looks.line_at, line - 80, delta=2)
        self.key(Qt.Key.Key_D)  # a tool on purpose: back to where it was worked
        self.assertEqual((self.bench.stage, self.bench.hand.tool), (Stage.EVEN, "mend_spot"))

    def test_own_tools_are_few_and_none_is_a_common_one(self) -> None:
        ids = {entry.id for entry in TOOLS}
        for stage, its in STAGES.items():
            with self.subTest(stage):
                self.assertLessEqual(len(its.tools), MOST_OWN)
                self.assertFalse(set(its.tools) & set(COMMON))
                self.assertLessEqual({*its.tools, *COMMON}, ids)
                self.assertIn(its.first, (*its.tools, *COMMON) if its.tools else ("",))


class ColumnTest(RoomCase):
    def test_the_line_above_the_layers_is_dragged_and_remembered(self) -> None:
        right = self.window.right
        height = right.sizes()[1]
        right.moveSplitter(right.sizes()[0] - 60, 1)
        settle(self.app)
        self.assertAlmostEqual(right.sizes()[1], height + 60, delta=2)
        self.window.resize(1280, 760)
        self.window.resize(1280, 800)
        settle(self.app)
        self.assertAlmostEqual(right.sizes()[1], height + 60, delta=2)
        self.assertEqual(self.bench.settings["layers_px"], right.sizes()[1])
        right.moveSplitter(right.height(), 1)  # not below the rows that are always in sight
        self.assertGreaterEqual(self.layers_in_sight(), 5)

    def test_the_key_of_the_full_screen_leaves_the_picture_and_gives_all_back(self) -> None:
        self.bench.settings.set("left_folded", True)
        settle(self.app)
        before, size = self.window.panels.sizes(), self.window.size()
        self.window.show_picture_alone(True)
        settle(self.app)
        self.assertEqual(self.window.panels.sizes()[::2], [0, 0])
        self.assertFalse(self.window.lenses.isVisible() or self.window.checks.isVisible())
        self.window.show_picture_alone(False)
        self.window.resize(size)
        settle(self.app)
        self.assertEqual(self.window.panels.sizes(), before)
        self.assertTrue(self.window.lenses.isVisible() and self.window.checks.isVisible())


if __name__ == "__main__":
    unittest.main()
