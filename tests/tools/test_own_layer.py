"""Strokes find a layer that takes them, and come to nothing where they change nothing."""

import unittest
from dataclasses import replace

import numpy as np

from lather.core.area.combine import Combine
from lather.core.blend.modes import BlendMode
from lather.core.rect import Rect
from lather.document import areas, edits
from lather.document.job import Job
from lather.document.layers.area_colour import AreaColourLayer
from lather.document.layers.blood_pigment import BloodPigmentLayer
from lather.document.layers.curves import CurvesLayer
from lather.document.layers.layer import Stage, new_id
from lather.document.layers.pixels import PixelLayer
from lather.document.reshapes import add_reshape
from lather.document.state import new_state
from lather.document.tree import walk
from lather.render.flatten import merged_layer
from lather.tools.source import PickedSource, SourceGoes
from tests.support import Case, Later, draw, random_tile, session_for, skin_photo

LINE = [(110.0 + 6 * n, 120.0) for n in range(8)]
TOOLS = {"mend_spot": "Mended spots", "mend_from_source": "Mended spots",
         "copy_from_source": "Copied", "paint_colour": "Paint"}  # fmt: skip


def after_even():
    """A job with a mended spot, then what Even's assistants leave, the last of it active."""
    state = edits.add_pixel_layer(new_state(skin_photo()), "Mended spots", Stage.CLEAN)
    state = edits.set_pixels(state, state.active_id, state.active.tiles.with_tiles(
        {(1, 0): random_tile(1)}))  # fmt: skip
    shine = PixelLayer(id=new_id(), name="Tamed shine: nose", stage=Stage.EVEN,
                       mode=BlendMode.LINEAR_LIGHT)  # fmt: skip
    state = edits.add_layer(state, shine)
    colour = BloodPigmentLayer(id=new_id(), name="Evened colour", stage=Stage.EVEN)
    return edits.add_layer(state, colour)


class StrokeCase(Case):
    def begin(self, state, tool_id: str = "mend_spot") -> None:
        self.job = Job(state)
        self.session = session_for(self.job)
        self.said: list[str] = []
        self.session.failed.connect(lambda error: self.said.append(error.sentence()))
        self.session.hand = replace(
            self.session.hand, source=PickedSource(260.0, 220.0), source_goes=SourceGoes.FIXED,
            tool=tool_id,
        )

    def names(self) -> list[str]:
        return [layer.name for layer in walk(self.job.state.layers)][1:]


class FoundTest(StrokeCase):
    def test_after_even_and_shape_every_tool_of_clean_works_on_a_layer_of_its_own(self) -> None:
        even = after_even()
        shape, _ = add_reshape(even)
        for begun in (even, replace(even, active_id=even.layers[2].id), shape,
                      edits.add_computed(even, CurvesLayer),
                      edits.add_computed(even, AreaColourLayer),
                      edits.group(even, even.layers[2].id)):  # fmt: skip
            for tool_id, name in TOOLS.items():
                with self.subTest(active=begun.active.kind, tool=tool_id):
                    self.begin(begun, tool_id)
                    draw(self.session, tool_id, LINE, size_px=30, hardness=0.8)
                    self.assertEqual(self.said, [])
                    self.assertEqual(self.job.history.n_done, 1)
                    self.assertEqual(self.job.state.active.name, name)
                    self.assertEqual(len(self.job.state.active.strokes), 1)

    def test_the_stages_own_layer_is_found_before_one_is_made(self) -> None:
        self.begin(after_even())
        mended_id = self.job.state.layers[1].id
        for n in range(2):
            draw(self.session, "mend_spot", [(x, y + 60 * n) for x, y in LINE], size_px=24)
        self.assertEqual(self.job.state.active_id, mended_id)
        self.assertEqual(len(self.job.state.layer(mended_id).strokes), 2)
        self.assertEqual(len(self.job.state.layers), 4)

    def test_a_new_layer_of_clean_lies_below_even_and_shape(self) -> None:
        state, _ = add_reshape(after_even())
        state = edits.delete(state, state.layers[1].id)
        state = replace(state, active_id=state.layers[-1].id)
        self.begin(state)
        draw(self.session, "mend_spot", LINE, size_px=24)
        self.assertEqual(self.names(), ["Mended spots", "Tamed shine: nose", "Evened colour",
                                        "Reshape"])  # fmt: skip
        self.session.take_back()
        self.job.undo()
        self.assertEqual(self.names()[0], "Tamed shine: nose")

    def test_erase_works_on_the_topmost_layer_of_the_stage_that_was_painted(self) -> None:
        self.begin(after_even())
        mended = self.job.state.layers[1]
        draw(self.session, "erase", [(40, 300), (90, 300)], size_px=40, hardness=1.0)
        self.assertEqual(self.said, [])
        self.assertIsNot(self.job.state.layer(mended.id).tiles, mended.tiles)

    def test_what_the_person_chose_is_refused_in_words(self) -> None:
        state = edits.add_pixel_layer(new_state(skin_photo()), "Mine")
        for changed, said in (
            (edits.set_visible(state, state.active_id, False), "it is hidden"),
            (edits.set_locked(state, state.active_id, True), "it is locked"),
            (edits.set_mode(state, state.active_id, BlendMode.MULTIPLY), "its mode is multiply"),
        ):
            self.begin(changed)
            draw(self.session, "mend_spot", LINE, size_px=24)
            self.assertIn(said, self.said[-1])
            self.assertEqual(self.job.history.n_done, 0)

    def test_who_chose_another_layer_meanwhile_stays_there(self) -> None:
        self.begin(after_even())
        later = self.session._executor = Later()
        draw(self.session, "mend_spot", LINE, size_px=24)
        self.job.select(self.job.state.layers[0].id)
        while later.posted:
            later.run()
        self.assertEqual(self.job.state.active_id, self.job.state.layers[0].id)
        self.assertEqual(self.job.history.n_done, 1)


class NothingTest(StrokeCase):
    def area(self, state, x0: int):
        return areas.outline(state, Rect(x0, 20, x0 + 60, 80), np.ones((60, 60), "f4"),
                             Combine.NEW)  # fmt: skip

    def test_a_stroke_outside_of_the_area_is_no_step_and_says_so(self) -> None:
        for tool_id in TOOLS:
            with self.subTest(tool=tool_id):
                self.begin(self.area(new_state(skin_photo()), 300), tool_id)
                draw(self.session, tool_id, LINE, size_px=20, hardness=1.0)
                self.assertEqual(self.job.history.n_done, 0)
                self.assertEqual(self.names(), [])
                self.assertIn("the area ends there", self.said[-1])
                draw(self.session, tool_id, [(310 + 4 * n, 50.0) for n in range(5)], size_px=20)
                self.assertEqual((self.job.history.n_done, len(self.said)), (1, 1))

    def test_paint_that_changes_nothing_is_none(self) -> None:
        state = edits.add_pixel_layer(new_state(skin_photo()), "Empty")
        self.begin(state)
        draw(self.session, "erase", LINE, size_px=20)
        self.assertIn("already as it would be", self.said[-1])
        draw(self.session, "paint_back", LINE, size_px=20)  # the photo over the photo
        self.assertIn("nothing of it shows", self.said[-1])
        self.assertEqual(self.job.history.n_done, 0)

    def test_under_a_layer_that_covers_all_nothing_is_called_done(self) -> None:
        state = new_state(skin_photo())
        covered = edits.insert_on_top(state, merged_layer(state, "Merged copy"))
        self.begin(replace(covered, active_id=covered.layers[0].id))
        draw(self.session, "mend_spot", LINE, size_px=20)
        self.assertIn("above covers it", self.said[-1])
        self.assertEqual(self.job.history.n_done, 0)

    def test_a_graft_leaves_no_area_behind(self) -> None:
        state = self.area(new_state(skin_photo()), 100)
        self.begin(state, "graft")
        self.session.hand = replace(self.session.hand, tool="graft")
        draw(self.session, "graft", [(130, 50), (180, 90), (230, 140)])
        self.assertEqual(self.said, [])
        self.assertEqual(self.job.state.active.name, "Grafts")
        self.assertIsNone(self.job.state.area)
        self.job.undo()
        self.assertIs(self.job.state.area, state.area)


if __name__ == "__main__":
    unittest.main()
