"""What is decided while work runs aside, or while a proposal is looked at, counts when it is taken:
kept marks, deleted layers, locks."""

from dataclasses import replace
from unittest import mock

import numpy as np

from lather.actions.findings import finding
from lather.actions.layers import layer
from lather.actions.stages import evening, shape
from lather.actions.start import start_workbench
from lather.actions.work import proposing
from lather.assist.meanwhile import merged_with
from lather.assist.survey import with_mark
from lather.core.area.combine import Combine
from lather.core.brush.stroke import PenSample
from lather.core.rect import Rect
from lather.document import areas, edits
from lather.document.findings import FindingState
from lather.document.job import Job
from lather.document.layers.blur import BlurLayer
from lather.document.layers.layer import Stage
from lather.document.layers.reshape import ReshapeLayer
from lather.document.layers.split import Part, SplitLayer
from lather.document.layers.table import COMPUTED
from lather.document.merge import merge
from lather.document.tree import walk
from lather.errors import EditError
from lather.render.compositor import render
from lather.render.marks import marks_in
from lather.render.space import layer_space
from lather.settings.store import Settings
from tests.assist.test_clean import spotted
from tests.even_skin import BROWN, field, skin_rgb, skin_state
from tests.support import Answers, Case, Later
from tests.support import finding as spot

MARK = (120.0, 140.0, 14.0)
KINDS = {kind.KIND: kind for kind in COMPUTED}


class DecidedCase(Case):
    def setUp(self) -> None:
        super().setUp()
        self.tasks, self.strokes = Later(), Later()
        self.bench = start_workbench(Settings(self.folder / "settings.json"), Answers(),
                               task_executor=self.tasks, stroke_executor=self.strokes)  # fmt: skip
        self.said: list[str] = []
        self.bench.said.connect(lambda text, error: self.said.append(text))
        self.addCleanup(lambda: self.bench.take_job(None))

    def open(self, state) -> None:
        self.bench.take_job(Job(state))

    def lock(self, name: str) -> int:
        """Lock the layer of that name; its id."""
        layer_id = next(x.id for x in walk(self.bench.state.layers) if x.name == name)
        self.bench.change("Lock", edits.set_locked, layer_id, True)
        return layer_id

    def stroke(self, tool_id: str, x: float = 300.0, y: float = 60.0) -> None:
        hands = self.bench.hands
        hands.take_tool(tool_id)
        hands.set_brush(size_px=60.0, opacity=1.0, flow=1.0, hardness=0.5)
        self.bench.session.down(PenSample(0, x, y))
        self.bench.session.move(PenSample(0.5, x + 12, y))
        self.bench.session.up(PenSample(0.6, x + 12, y, 0.0))


class MarkTest(DecidedCase):
    """A mark that is set while a proposal is looked at keeps its place."""

    def setUp(self) -> None:
        super().setUp()
        self.bench.go_to_stage(Stage.EVEN)
        self.open(skin_state(skin_rgb(0.45 * field(6.0, 5) + 0.3 * field(20.0, 9))))

    def assert_kept(self, ask) -> None:
        ask(self.bench)
        self.tasks.run()
        self.assertIsNotNone(self.bench.pending, self.said)
        x, y, radius = MARK
        self.bench.change("Mark to keep", with_mark, *MARK)
        before = self.bench.state
        proposing.accept(self.bench)
        self.tasks.run()
        self.assertIsNone(self.bench.pending, self.said)
        inside = Rect(int(x - radius / 2), int(y - radius / 2), int(x + radius / 2),
                      int(y + radius / 2))  # fmt: skip
        self.assert_equal_arrays(render(self.bench.state, inside), render(before, inside))
        self.assertTrue((render(self.bench.state, before.photo.rect)
                         != render(before, before.photo.rect)).any())  # fmt: skip
        self.assertIn("the mark that you keep since, cut out of it", self.said[-1])

    def test_by_even_out(self) -> None:
        self.assert_kept(evening.even_out)

    def test_by_all_of_even(self) -> None:
        self.assert_kept(evening.propose_all)

    def test_of_all_that_assistants_add(self) -> None:
        """Whatever kind of layer it is, and whichever way round its mask."""
        state = skin_state(skin_rgb(colour=BROWN))
        now = with_mark(state, *MARK)
        for mask in (None, "white", "inverted"):
            after = edits.add_computed(state, KINDS["blur"], radius_px=9.0)
            if mask is not None:
                after = edits.add_mask(after, after.active_id, hide_all=mask == "inverted")
            if mask == "inverted":
                after = edits.invert_mask(after, after.active_id)
            merged = merged_with(state, after, now)
            x, y, _ = MARK
            inside = Rect(int(x) - 5, int(y) - 5, int(x) + 5, int(y) + 5)
            self.assert_equal_arrays(render(merged.state, inside), render(now, inside))
            beside = Rect(200, 200, 220, 220)
            self.assert_equal_arrays(render(merged.state, beside), render(after, beside))

    def test_under_a_reshape_it_is_cut_where_it_lies(self) -> None:
        state = edits.add_computed(skin_state(skin_rgb()), ReshapeLayer)
        moved = state.active
        nodes = moved.samples_rect(Rect(60, 80, 200, 220))
        shift = np.zeros((nodes.height, nodes.width, 2), np.float32)
        shift[..., 0] = 20.0
        layers = (*state.layers[:-1], moved.with_nodes(nodes, shift))
        state = replace(state, layers=layers)
        after = edits.add_computed(state, BlurLayer, radius_px=9.0)  # above the reshape
        now = with_mark(state, *MARK)
        merged = merged_with(state, after, now)
        there = marks_in(now.findings.items[-1:], layer_space(after, after.active_id))[0]
        self.assertGreater(abs(there.x - MARK[0]), 10)
        inside = Rect(int(there.x) - 4, int(there.y) - 4, int(there.x) + 4, int(there.y) + 4)
        self.assert_equal_arrays(render(merged.state, inside), render(now, inside))

    def test_a_layer_whose_findings_were_all_decided_is_left_out(self) -> None:
        state = skin_state(skin_rgb(0.5 * field(6.0, 5)))
        state = edits.set_findings(state, replace(state.findings, items=()))
        served = _with_served_layer(state)
        number = served.findings.items[0].id
        before = replace(served, layers=state.layers, findings=replace(
            served.findings, states={}, done_by={}))  # fmt: skip
        now = edits.decide(before, [number], FindingState.SKIPPED)
        merged = merge(before, served, now)
        self.assertEqual(merged.state.layers, now.layers)
        self.assertIs(merged.state.findings.state(now.findings.items[0]), FindingState.SKIPPED)
        self.assertIn("decided on otherwise meanwhile", merged.left_out[0])


class GoneTest(DecidedCase):
    """Findings follow the stroke or layer that did them."""

    def setUp(self) -> None:
        super().setUp()
        self.open(spotted())
        self.bench.change("New layer", edits.add_pixel_layer)

    def mend_all(self) -> None:
        finding.mend(self.bench, list(self.bench.state.findings.in_state(FindingState.OPEN)))

    def assert_nothing_done(self) -> None:
        now = self.bench.state
        done = [f.id for f in now.findings.in_state(FindingState.DONE)]
        self.assertEqual(done, [])
        picture = now.photo.rect
        self.assert_equal_arrays(render(now, picture), render(now.as_photographed, picture))

    def test_the_layer_was_deleted(self) -> None:
        self.mend_all()
        self.bench.change("Delete", edits.delete, self.bench.state.active_id)
        self.tasks.run()
        self.assert_nothing_done()
        self.assertIn("deleted meanwhile", self.said[-1])

    def test_the_layer_was_undone(self) -> None:
        self.mend_all()
        self.bench.undo()
        self.tasks.run()
        self.assert_nothing_done()
        self.assertIn("deleted meanwhile", self.said[-1])

    def test_the_layer_was_locked(self) -> None:
        self.mend_all()
        self.lock("Layer 1")
        self.tasks.run()
        self.assert_nothing_done()
        self.assertIn("locked meanwhile", self.said[-1])

    def test_its_group_was_locked(self) -> None:
        self.bench.change("Group", edits.group, self.bench.state.active_id)
        self.bench.select_layer(self.bench.state.layers[-1].children[0].id)
        self.mend_all()
        self.lock("Group 1")
        self.tasks.run()
        self.assert_nothing_done()


class LockedTest(DecidedCase):
    """Locks are asked when an outcome is taken, whatever it is an outcome of."""

    def setUp(self) -> None:
        super().setUp()
        state = areas.outline(spotted(), Rect(200, 20, 380, 100), np.ones((80, 180), "f4"),
                              Combine.NEW)  # fmt: skip
        self.open(state)

    def assert_untouched(self, layer_id: int, *, said: str = "locked") -> None:
        before = self.bench.state
        self.strokes.run()
        self.tasks.run()
        self.strokes.run()
        self.assertIs(self.bench.state.layer(layer_id), before.layer(layer_id))
        self.assertIn(said, self.said[-1])

    def test_strokes_that_reshape(self) -> None:
        for tool_id in ("push", "gather", "swell", "hold", "let_go"):
            with self.subTest(tool_id):
                self.open(spotted())
                self.bench.change("Reshape", edits.add_computed, ReshapeLayer)
                if tool_id == "let_go":
                    self.stroke("hold")
                    self.strokes.run()
                self.stroke(tool_id)
                self.assert_untouched(self.lock("Reshape"))

    def test_holding_the_area(self) -> None:
        self.bench.change("Reshape", edits.add_computed, ReshapeLayer)
        next(a for a in shape.ACTIONS if a.id == "shape.hold_area").run(self.bench)
        self.assert_untouched(self.lock("Reshape"))

    def test_softening_a_mask(self) -> None:
        self.bench.change("New layer", edits.add_pixel_layer)
        self.bench.change("Mask", areas.to_mask, self.bench.state.active_id)
        next(a for a in layer.ACTIONS if a.id == "mask.softer").run(self.bench)
        self.assert_untouched(self.lock("Layer 1"))

    def test_strokes_on_a_mask(self) -> None:
        self.bench.change("New layer", edits.add_pixel_layer)
        self.bench.change("Mask", edits.add_mask, self.bench.state.active_id)
        self.bench.set_on_mask(True)
        self.stroke("erase")
        self.assert_untouched(self.lock("Layer 1"))

    def test_whatever_reaches_the_job_is_asked_there(self) -> None:
        """Every parameter, mask, mode and strength of a layer of every kind."""
        for kind in KINDS.values():
            state = edits.add_computed(spotted(), kind)
            number = state.active_id
            job = Job(edits.set_locked(state, number, True))
            locked = job.state
            other = edits.update_layer(locked, number, strength=0.3)
            gone = replace(locked, layers=locked.layers[:-1], active_id=locked.layers[0].id)
            for after in (other, gone):
                with self.assertRaisesRegex(EditError, "is locked"):
                    job.change("By some way", after)
                self.assertIs(job.state, locked)
            self.assertTrue(job.change("Hide", edits.set_visible(locked, number, False)))
            self.assertTrue(job.change("Name", edits.rename(job.state, number, "Mine")))
            self.assertTrue(job.change("Unlock", edits.set_locked(job.state, number, False)))

    def test_a_group_that_holds_a_locked_layer_stays(self) -> None:
        state = edits.add_pixel_layer(spotted())
        inside = state.active_id
        state = edits.group(edits.set_locked(state, inside, True), inside)
        with self.assertRaisesRegex(EditError, "'Layer 1' was left alone: it is locked"):
            edits.delete(state, state.active_id)


class SplitTest(DecidedCase):
    """What is in a split's stacks is a part of the picture, no place for a mend of all of it."""

    def in_stack(self, part: Part):
        state = edits.add_computed(spotted(), SplitLayer)
        state = replace(state, active_id=state.active.stack(part).id)
        return edits.add_pixel_layer(state, "Inside")

    def test_mend_all_goes_on_a_layer_outside(self) -> None:
        for part in Part:
            self.open(self.in_stack(part))
            inside = self.bench.state.active_id
            finding.mend(self.bench, list(self.bench.state.findings.in_state(FindingState.OPEN)))
            self.tasks.run()
            now = self.bench.state
            self.assertFalse(now.layer(inside).tiles)
            self.assertEqual([x.name for x in now.layers[1:]], ["Mended spots", "Split"])
            self.assertTrue(list(now.findings.in_state(FindingState.DONE)))

    def test_painting_back_brings_the_part_back(self) -> None:
        """As it was in an earlier state, and as it was photographed."""
        place = Rect(305, 50, 315, 70)
        for part in Part:
            for earlier in (True, False):
                self.open(self.in_stack(part))
                good = self.bench.state
                grey = np.zeros((256, 256, 4), np.uint16)
                grey[40:90, 20:140] = (32768, 32768, 32768, 65535)
                tiles = good.active.tiles.with_tiles({(0, 1): grey})
                self.bench.change("Spoil", edits.set_pixels, good.active_id, tiles)
                spoilt = render(self.bench.state, place)
                self.bench.hands.paint_back_from(good if earlier else None)
                self.stroke("paint_back")
                self.strokes.run()
                now = render(self.bench.state, place)
                was = render(good, place)
                self.assertGreater(float(np.abs(spoilt - was).max()), 0.01, part)
                self.assertLess(float(np.abs(now - was).max()), 2e-3, (part, earlier, self.said))


class HistoryTest(DecidedCase):
    def test_going_to_a_step_takes_back_the_stroke_in_the_hand(self) -> None:
        self.open(spotted())
        for number in range(3):
            self.bench.change("New layer", edits.add_pixel_layer, f"Layer {number}")
        self.stroke("paint_colour")
        self.bench.go_to_step(1)
        self.strokes.run()
        self.assertEqual(len(self.bench.job.history.done), 1)
        self.assertEqual(len(self.bench.job.history.undone), 2)
        self.bench.go_to_step(3)
        self.assertEqual(self.bench.state.layers[-1].name, "Layer 2")


def _with_served_layer(state):
    """A blotch, and a layer that did it."""
    found = replace(state.findings, items=(spot(1, 90.0, 90.0),))
    after = edits.add_computed(edits.set_findings(state, found), KINDS["blur"])
    return edits.decide(after, [1], FindingState.DONE, by=after.active_id)


class NowhereToGoTest(DecidedCase):
    def test_without_a_folder_for_old_states_undo_says_that_it_reaches_less_far(self) -> None:
        self.open(spotted())
        job = self.bench.job
        job.history.budget_bytes = 2**20
        self.bench.change("Layer", edits.add_pixel_layer)
        refused = OSError(13, "not allowed")
        nowhere = mock.patch("lather.actions.job.parking.Spill", side_effect=refused)
        with nowhere:
            for number in range(9):
                tiles = job.state.active.tiles
                pixels = np.full((256, 256, 4), 7000 * number + 1, np.uint16)
                self.bench.change("Paint", edits.set_pixels, job.state.active_id,
                                  tiles.with_tiles({(0, 0): pixels}))  # fmt: skip
        self.assertLess(len(job.history.done), 9)
        told = [text for text in self.said if "Undo reaches back less far" in text]
        self.assertEqual(len(told), 1, self.said)
        self.assertIn("no folder to go to (not allowed)", told[0])
