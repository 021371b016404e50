"""Can this show, may this change? One question for all tools, inherited through groups."""

from dataclasses import replace

import numpy as np

from lather.actions.hand.rim_watch import examine_brush
from lather.core.area.combine import Combine
from lather.core.blend.modes import BlendMode
from lather.core.brush.stroke import Brush, PenSample
from lather.core.mend.rim import examine_rim
from lather.core.rect import Rect
from lather.document import areas, edits, ungrouping
from lather.document.findings import FindingState
from lather.document.job import Job
from lather.document.layers.group import GroupLayer
from lather.document.layers.split import Part, SplitLayer
from lather.document.photo import Photo
from lather.document.state import new_state
from lather.document.tree import find, path_to
from lather.errors import EditError, LatherError
from lather.render.compositor import render, render_up_to
from lather.render.flatten import merged_layer
from lather.tools.base import Hand
from lather.tools.source import PickedSource, SourceGoes
from lather.tools.table import tool
from tests.assist.test_clean import spotted
from tests.support import Case, draw, mended, painted_state, session_for, skin_photo

PAINTING = ("paint_colour", "erase", "paint_back", "mend_spot", "mend_from_source",
            "copy_from_source", "graft")  # fmt: skip
OF_PICTURE = PAINTING[2:]
AREA = Rect(90, 90, 130, 130)


def with_layer() -> tuple:
    """Skin, an empty layer in a group, an area for the graft; state, layer id, group id."""
    state = edits.add_pixel_layer(new_state(skin_photo()))
    layer_id = state.active_id
    state = edits.group(state, layer_id)
    group_id = state.active_id
    square = np.ones((40, 40), np.float32)
    state = areas.outline(state, AREA, square, Combine.NEW)
    return replace(state, active_id=layer_id), layer_id, group_id


def outcome(tool_id: str, state):
    """A stroke with a tool; the state after it, or the sentence why not."""
    hand = Hand(tool_id, Brush(size_px=24, hardness=0.8), source=PickedSource(200, 200),
                source_goes=SourceGoes.FIXED)  # fmt: skip
    dab = np.array([[110, 110, 12, 0.8, 1, 1], [114, 112, 12, 0.8, 1, 1]], np.float32)
    try:
        work = tool(tool_id).begin(state, hand)
        work.add(dab)
        result = work.finish((PenSample(0, 110, 110), PenSample(0.1, 114, 112)))
        return result.apply(state) if result is not None else state
    except LatherError as error:
        return error.sentence()


class QuestionTest(Case):
    def assert_all_refuse(self, state, *words: str, tools=PAINTING) -> None:
        for tool_id in tools:
            with self.subTest(tool=tool_id):
                said = outcome(tool_id, state)
                self.assertIsInstance(said, str, "it was accepted")
                for word in words:
                    self.assertIn(word, said)
                self.assertEqual(said.count("\n"), 0)

    def test_all_tools_work_where_nothing_is_in_the_way(self) -> None:
        state, layer_id, _ = with_layer()
        for tool_id in PAINTING:
            after = outcome(tool_id, state)
            self.assertNotIsInstance(after, str, (tool_id, after))
            if tool_id != "erase":
                self.assertTrue(after.layer(layer_id).tiles, tool_id)

    def test_hidden_weakest_and_masked_away_also_through_the_group(self) -> None:
        state, layer_id, group_id = with_layer()
        for number, name in ((layer_id, "it"), (group_id, "its group 'Group 1'")):
            self.assert_all_refuse(edits.set_visible(state, number, False), f"{name} is hidden")
            self.assert_all_refuse(edits.set_strength(state, number, 0.0), f"{name} has a strength")
            masked = edits.add_mask(state, number, hide_all=True)
            self.assert_all_refuse(masked, f"{name} has a mask that hides all")
            self.assertIsInstance(outcome("paint_colour", edits.switch_mask(masked, number)),
                                  type(state))  # fmt: skip

    def test_a_mask_that_hides_the_place_alone(self) -> None:
        """Elsewhere on the same layer all tools work."""
        state, layer_id, group_id = with_layer()
        for number in (layer_id, group_id):
            masked = edits.add_mask(state, number)
            pixels = masked.layer(number).mask.tiles.pixels((0, 0)).copy()
            pixels[80:150, 80:150] = 0
            tiles = masked.layer(number).mask.tiles.with_tiles({(0, 0): pixels})
            masked = edits.set_mask_pixels(masked, number, tiles)
            self.assert_all_refuse(masked, f"the mask of '{masked.layer(number).name}' hides it")
            pixels = pixels.copy()
            pixels[80:150, 110:150] = 40000
            tiles = tiles.with_tiles({(0, 0): pixels})
            self.assertNotIsInstance(
                outcome("paint_colour", edits.set_mask_pixels(masked, number, tiles)), str
            )

    def test_under_an_opaque_layer_nothing_would_show(self) -> None:
        state, layer_id, _ = with_layer()
        covered = edits.insert_on_top(state, merged_layer(state, "Merged copy"))
        covered = replace(covered, active_id=layer_id)
        self.assert_all_refuse(covered, "'Merged copy' above covers it")
        top = covered.layers[-1].id
        for change in (
            edits.set_strength(covered, top, 0.5), edits.set_visible(covered, top, False),
            edits.set_mode(covered, top, BlendMode.SOFT_LIGHT),
        ):  # fmt: skip
            self.assertNotIsInstance(outcome("paint_colour", change), str)
        grouped = replace(edits.group(covered, top), active_id=layer_id)
        self.assert_all_refuse(grouped, "above covers it", tools=("mend_spot", "paint_colour"))

    def test_pixels_of_the_picture_need_mode_normal(self) -> None:
        """Multiplied onto itself a mended spot gets darker."""
        state, layer_id, group_id = with_layer()
        for number, name in ((layer_id, "its mode"), (group_id, "the mode of its group")):
            multiplied = edits.set_mode(state, number, BlendMode.MULTIPLY)
            self.assert_all_refuse(multiplied, f"{name}", "multiply", tools=OF_PICTURE)
            for tool_id in ("paint_colour", "erase"):
                self.assertNotIsInstance(outcome(tool_id, multiplied), str)

    def test_a_locked_group_locks_what_is_in_it(self) -> None:
        state, layer_id, group_id = with_layer()
        outside = edits.add_pixel_layer(replace(state, active_id=group_id))
        locked = replace(edits.set_locked(outside, group_id, True), active_id=layer_id)
        self.assert_all_refuse(locked, "its group 'Group 1' is locked", "unlock the group first")
        masked = edits.set_locked(edits.add_mask(outside, layer_id), group_id, True)
        other = outside.active_id
        for edit in (
            lambda: edits.delete(locked, layer_id), lambda: edits.delete(locked, group_id),
            lambda: ungrouping.ungroup(locked, group_id), lambda: edits.group(locked, layer_id),
            lambda: edits.move(locked, layer_id, above_id=other),
            lambda: edits.move(locked, other, above_id=layer_id),
            lambda: edits.move_into(locked, other, group_id=group_id),
            lambda: edits.raise_layer(locked, layer_id),
            lambda: edits.mask_paintable(masked, layer_id),
            lambda: edits.add_mask(locked, layer_id), lambda: edits.remove_mask(masked, layer_id),
            lambda: edits.invert_mask(masked, layer_id),
            lambda: edits.switch_mask(masked, layer_id),
            lambda: edits.set_mode(locked, layer_id, BlendMode.SCREEN),
            lambda: edits.set_strength(locked, layer_id, 0.5),
            lambda: areas.to_mask(locked, layer_id),
        ):  # fmt: skip
            with self.assertRaisesRegex(EditError, "is locked"):
                edit()
        for added in (edits.add_pixel_layer(locked), edits.duplicate(locked, layer_id)):
            self.assertEqual(len(path_to(added.layers, added.active_id)), 1)
            group = find(added.layers, group_id)
            self.assertIsInstance(group, GroupLayer)
            self.assertEqual(len(group.children), 1)

    def test_nothing_is_put_into_a_locked_stack(self) -> None:
        state = edits.add_computed(new_state(skin_photo()), SplitLayer)
        split = state.active
        stack = split.stack(Part.TEXTURE)
        job = Job(edits.set_locked(replace(state, active_id=stack.id), stack.id, True))
        job.change("New layer", edits.add_pixel_layer(job.state))
        self.assertEqual([x.name for x in job.state.layers[1:]], ["Split", "Layer 1"])

    def test_masks_are_asked_too_but_for_themselves(self) -> None:
        """A mask that hides all can be painted on: that is how it is opened."""
        state, layer_id, group_id = with_layer()
        masked = edits.add_mask(state, layer_id, hide_all=True)
        hand = Hand("paint_colour", Brush(), on_mask=True)
        tool("paint_colour").begin(masked, hand)
        with self.assertRaisesRegex(EditError, "its group 'Group 1' is hidden"):
            tool("paint_colour").begin(edits.set_visible(masked, group_id, False), hand)

    def test_mending_findings_takes_a_layer_where_it_shows(self) -> None:
        before = spotted()
        wanted = list(before.findings.in_state(FindingState.OPEN))
        for spoil in (
            lambda s: edits.set_mode(s, s.active_id, BlendMode.MULTIPLY),
            lambda s: edits.set_visible(s, s.active_id, False),
            lambda s: edits.add_mask(s, s.active_id, hide_all=True),
            lambda s: edits.set_visible(*(lambda g: (g, g.active_id))(edits.group(s, s.active_id)),
                                        False),
        ):  # fmt: skip
            state = spoil(edits.add_pixel_layer(before, "Mended spots"))
            after = mended(state, wanted)
            for item in wanted:
                rect = item.rect
                self.assertTrue((render(after, rect) != render(state, rect)).any())
                self.assertIs(after.findings.state(item), FindingState.DONE)
        covered = edits.insert_on_top(before, merged_layer(before, "Merged copy"))
        with self.assertRaisesRegex(EditError, "'Merged copy' above covers it"):
            mended(replace(covered, active_id=covered.layers[0].id), wanted)

    def test_outcomes_ask_again_what_changed_meanwhile(self) -> None:
        state, layer_id, group_id = with_layer()
        work = tool("paint_colour").begin(state, Hand("paint_colour", Brush(size_px=20)))
        work.add(np.array([[110, 110, 10, 1, 1, 1]], np.float32))
        result = work.finish((PenSample(0, 110, 110),))
        with self.assertRaisesRegex(EditError, "is locked"):
            result.apply(edits.set_locked(state, group_id, True))


class PaintBackTest(Case):
    """Painting back an earlier state brings back that picture, layers above included once."""

    def setUp(self) -> None:
        super().setUp()
        state = edits.add_pixel_layer(new_state(skin_photo()), "Low")
        self.low = state.active_id
        state = edits.add_pixel_layer(state, "High")
        high = np.full((256, 256, 4), 40000, np.uint16)
        state = edits.set_pixels(
            state, state.active_id, state.active.tiles.with_tiles({(0, 0): high})
        )
        self.high = state.active_id
        self.state = edits.set_mode(state, state.active_id, BlendMode.MULTIPLY)

    def painted_back(self, job: Job, earlier) -> None:
        session = session_for(job)
        session.hand = replace(session.hand, back_to=earlier)
        draw(session, "paint_back", [(90, 90), (150, 110)], size_px=40, hardness=1.0)

    def assert_as_it_was(self, job: Job, earlier) -> None:
        inside = Rect(95, 88, 140, 108)
        now = render(job.state, inside)
        self.assert_close(now, render(earlier, inside), 1.5 / 65535)

    def test_on_the_layer_that_was_changed(self) -> None:
        job = Job(replace(self.state, active_id=self.low))
        earlier = job.state
        draw(session_for(job), "paint_colour", [(60, 95), (200, 100)], size_px=80)
        self.assertFalse(np.allclose(render(job.state, Rect(95, 88, 140, 108)),
                                     render(earlier, Rect(95, 88, 140, 108))))  # fmt: skip
        self.painted_back(job, earlier)
        self.assert_as_it_was(job, earlier)

    def test_on_a_layer_that_is_newer_than_the_state(self) -> None:
        job = Job(replace(self.state, active_id=self.low))
        earlier = job.state
        draw(session_for(job), "paint_colour", [(60, 95), (200, 100)], size_px=80)
        job.change("New layer", edits.add_pixel_layer(job.state))
        self.painted_back(job, earlier)
        self.assert_as_it_was(job, earlier)

    def test_with_the_photo_active_it_goes_over_all(self) -> None:
        job = Job(replace(self.state, active_id=self.low))
        earlier = job.state
        draw(session_for(job), "paint_colour", [(60, 95), (200, 100)], size_px=80)
        job.select(job.state.layers[0].id)
        self.painted_back(job, earlier)
        self.assertEqual(job.state.layers[-1].name, "Earlier")
        self.assertEqual(job.state.active_id, job.state.layers[-1].id)
        self.assert_as_it_was(job, earlier)

    def test_layers_of_groups_and_layers_deleted_since(self) -> None:
        state = edits.group(self.state, self.high)
        job = Job(replace(state, active_id=self.low))
        earlier = job.state
        draw(session_for(job), "paint_colour", [(60, 95), (200, 100)], size_px=80)
        self.painted_back(job, earlier)
        self.assert_as_it_was(job, earlier)
        job.change("Delete", edits.delete(job.state, job.state.layers[-1].id))
        job.select(self.low)
        self.painted_back(job, earlier)  # what is gone is part of the picture as it was
        self.assert_as_it_was(job, earlier)


class RimTest(Case):
    def test_the_rim_is_tested_on_what_the_mend_works_on(self) -> None:
        """A layer above draws an edge through the brush: the mend below never sees it."""
        samples = skin_photo(400, 360).samples.copy()
        state = edits.add_pixel_layer(new_state(Photo(samples, name="skin.png")), "Mends")
        mends = state.active_id
        state = edits.add_pixel_layer(state, "Look")
        edge = np.zeros((256, 256, 4), np.uint16)
        edge[:, 110:, 3] = 65535
        state = edits.set_pixels(
            state, state.active_id, state.active.tiles.with_tiles({(0, 0): edge})
        )
        look = state.active_id
        self.assertGreater(examine_brush(state, 110, 110, 20).share, 0.05)
        state = replace(state, active_id=mends)
        seen = examine_brush(state, 110, 110, 20)
        self.assertEqual(seen.share, 0.0)
        around = Rect.around(110, 110, 34)
        rgb = np.ascontiguousarray(render_up_to(state, mends, around)[..., :3])
        points = (seen.points - (around.x0, around.y0)).astype(np.float32)
        self.assert_equal_arrays(seen.broken, examine_rim(rgb, points).broken)
        self.assertIsNotNone(find(state.layers, look))

    def test_a_mend_and_its_rim_agree_under_an_adjustment(self) -> None:
        state = painted_state(skin_photo(), 1)
        self.assertEqual(examine_brush(replace(state, active_id=state.layers[0].id),
                                       300, 300, 15).share, 0.0)  # fmt: skip
