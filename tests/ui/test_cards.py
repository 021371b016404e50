"""Cards of computed layers in the real window: what is dragged is one step, and shows."""

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from lather.core.survey.regions.region import Region
from lather.document import edits
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.curves import CurvesLayer
from lather.document.layers.parameters import LEVEL
from lather.document.layers.split import Part, SplitLayer
from lather.document.layers.table import COMPUTED, KINDS
from lather.document.planes import Regions
from lather.document.scale import set_scale
from lather.document.state import JobState, new_state
from lather.document.tiles import WHITE_MASK
from lather.render.compositor import render
from lather.ui.layers.cards.curves import CurvesCard
from lather.ui.layers.cards.split import SplitCard
from lather.ui.layers.cards.table import CARDS
from lather.ui.parts.widgets import run_action
from lather.ui.scripted import settle, wait_until
from tests.support import skin_photo
from tests.ui.test_panels import SMALLEST, FittingTest
from tests.ui.test_window import WindowCase


def add(case: WindowCase, kind: type[ComputedLayer]) -> None:
    """As its command does; maps that are only measured have none."""
    if kind.BY_HAND:
        run_action(case.window.actions_by_id[f"layer.add_{kind.KIND}"], case.bench)
    else:
        case.assertNotIn(f"layer.add_{kind.KIND}", case.window.actions_by_id)
        case.bench.change("Add", edits.add_computed, kind)
    settle(case.app)


class CardsTest(WindowCase):
    def add(self, kind: type[ComputedLayer]):
        add(self, kind)
        return self.window.layer_card.card

    def drag(self, widget, *places: QPointF) -> None:
        points = [place.toPoint() for place in places]
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=points[0])
        for point in points[1:]:
            QTest.mouseMove(widget, point)
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=points[-1])

    def test_every_kind_has_a_card_and_a_command(self) -> None:
        self.assertEqual(set(CARDS), set(COMPUTED))
        self.open()
        for kind in COMPUTED:
            card = self.add(kind)
            self.assertIs(card.kind, kind)
            self.assertTrue(self.window.layer_card.has_card)
            self.assertEqual(self.window.hand.tabs[1].text(), kind.TITLE)
            self.window.hand.tabs[1].click()
            self.assertTrue(self.window.layer_card.isVisible())
        self.bench.select_layer(self.bench.state.layers[0].id)
        settle(self.app)
        self.assertFalse(self.window.layer_card.isVisible())

    def test_a_ruler_drags_live_and_is_one_step(self) -> None:
        self.open(new_state(skin_photo()))
        card = self.add(KINDS["smooth"])
        n_done = self.bench.job.history.n_done
        ruler = card.rulers["scale_px"]
        seen = []
        ruler.moved.connect(lambda value: seen.append(self.bench.state.active.parameters.scale_px))
        self.drag(ruler, QPointF(60, 24), QPointF(90, 24), QPointF(120, 24), QPointF(150, 24))
        self.assertGreaterEqual(len(set(seen)), 3)  # the picture followed the drag
        self.assertEqual(self.bench.job.history.n_done, n_done + 1)
        self.drag(ruler, QPointF(60, 24), QPointF(80, 24))
        self.assertEqual(self.bench.job.history.n_done, n_done + 2)
        self.bench.job.undo()
        self.bench.job.undo()
        settle(self.app)
        self.assertEqual(self.bench.state.active.parameters.scale_px, 6.0)
        self.assertEqual(ruler.value, 6.0)

    def test_a_curve_is_pressed_dragged_and_dragged_out(self) -> None:
        self.open(new_state(skin_photo()))
        card = self.add(CurvesLayer)
        assert isinstance(card, CurvesCard)
        before = render(self.bench.state, self.bench.state.photo.rect)
        ruler = card.ruler
        start = ruler._place(0.6, 0.6)
        self.drag(ruler, start, start - QPointF(0, 10), start - QPointF(0, 20))
        points = self.bench.state.active.parameters.rgb
        self.assertEqual(len(points), 3)
        self.assertGreater(points[1][1] - points[1][0], 0.05)
        after = render(self.bench.state, self.bench.state.photo.rect)
        self.assertGreater(float((after - before)[..., :3].mean()), 0.02)
        self.drag(ruler, ruler._place(*points[1]), QPointF(start.x(), -200.0))
        self.assertEqual(self.bench.state.active.parameters.rgb, LEVEL)
        card.buttons.buttons()[1].click()
        self.assertEqual(card.shown, "red")
        QTest.keyClick(ruler, Qt.Key.Key_Up)
        self.assertNotEqual(self.bench.state.active.parameters.red, LEVEL)
        self.assertEqual(self.bench.state.active.parameters.rgb, LEVEL)
        card.level.click()
        self.assertEqual(self.bench.state.active.parameters.red, LEVEL)

    def surveyed(self) -> JobState:
        state = new_state(skin_photo())
        scale = 1.0
        regions = Regions(scale, {Region.SKIN: WHITE_MASK})
        return set_scale(edits.set_survey(state, state.findings, regions), 0.2)

    def test_a_split_says_what_the_skin_says(self) -> None:
        self.open(self.surveyed())
        card = self.add(SplitLayer)
        assert isinstance(card, SplitCard)
        wait_until(lambda: card.radius is not None, 20)
        self.assertTrue(card.use.isVisible() and card.spectrum.isVisible())
        card.use.click()
        self.assertEqual(self.bench.state.active.parameters.sigma_px, card.radius.sigma_px)
        self.assertTrue(card.rulers["sigma_px"].advised)
        self.assertIn(" mm", card.rulers["sigma_px"].figure)

    def test_without_a_survey_it_says_what_to_do(self) -> None:
        self.open(new_state(skin_photo()))
        card = self.add(SplitLayer)
        wait_until(lambda: "survey" in card.said.text(), 20)
        self.assertFalse(card.use.isVisible())

    def test_a_new_layer_goes_into_the_stack_that_is_picked(self) -> None:
        self.open(new_state(skin_photo()))
        self.add(SplitLayer)
        split = self.bench.state.active
        self.bench.select_layer(split.stack(Part.TONE).id)
        run_action(self.window.actions_by_id["layer.new"], self.bench)
        stack = self.bench.state.layer(split.id).stack(Part.TONE)
        self.assertEqual([child.id for child in stack.children], [self.bench.state.active_id])
        self.assertIn(self.bench.state.active_id, self.window.layers.rows)


class CardFittingTest(FittingTest):
    """As for tools: nothing is cut off, at either size."""

    def test_nothing_is_cut_off_with_any_card(self) -> None:
        self.open(new_state(skin_photo()))
        for size in ((1280, 800), SMALLEST):
            self.window.resize(*size)
            for kind in COMPUTED:
                add(self, kind)
                with self.subTest(kind.KIND, size=size):
                    self.assertEqual(self.cut_off(), [])


del FittingTest
