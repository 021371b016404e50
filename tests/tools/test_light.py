"""Lighten and Darken on a map; tools inside of a split."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from lather.core.blend.modes import BlendMode
from lather.core.rect import Rect
from lather.document import edits
from lather.document.job import Job
from lather.document.layers.light import UNCHANGED, LightLayer
from lather.document.layers.split import Part, SplitLayer
from lather.document.state import new_state
from lather.errors import EditError
from lather.render.compositor import render, render_up_to
from tests.support import Case, draw, session_for, skin_photo


class LightToolTest(Case):
    def setUp(self) -> None:
        self.job = Job(new_state(skin_photo()))
        self.session = session_for(self.job)
        self.before = render(self.job.state, self.job.state.photo.rect)

    def change(self) -> np.ndarray:
        return render(self.job.state, self.job.state.photo.rect) - self.before

    def test_lighten_makes_a_layer_and_darken_goes_the_other_way(self) -> None:
        draw(self.session, "lighten", [(100, 100), (140, 100)], size_px=60, opacity=0.5, flow=1.0)
        layer = self.job.state.active
        assert isinstance(layer, LightLayer)
        self.assertEqual([stroke.tool for stroke in layer.strokes], ["lighten"])
        lighter = self.change()
        self.assertGreater(float(lighter[100, 120, :3].min()), 0.02)
        self.assertEqual(float(np.abs(lighter[200:]).max()), 0)
        draw(self.session, "darken", [(100, 100), (140, 100)], size_px=60, opacity=1.0, flow=1.0)
        self.assertIs(self.job.state.layer(layer.id), self.job.state.active)
        self.assertLess(float(self.change()[100, 120, :3].max()), -0.02)

    def test_erase_brings_the_middle_back(self) -> None:
        for tool in ("lighten", "erase"):
            draw(self.session, tool, [(100, 100), (140, 100)], size_px=60, opacity=1.0, flow=1.0,
                 hardness=1.0)  # fmt: skip
        tiles = self.job.state.active.planes["map"]
        self.assertEqual(int(tiles.read(Rect(120, 100, 121, 101))[0, 0]), UNCHANGED)
        self.assertEqual(float(np.abs(self.change()[100, 120]).max()), 0)


class SplitToolTest(Case):
    def setUp(self) -> None:
        state = edits.add_computed(new_state(skin_photo()), SplitLayer, sigma_px=6.0)
        self.job = Job(state)
        self.split = state.active

    def take(self, part: Part) -> None:
        stack = self.job.state.layer(self.split.id).stack(part)
        self.job.select(stack.id)

    def test_a_copy_in_the_texture_leaves_the_tone_alone(self) -> None:
        rect = self.job.state.photo.rect
        before = render(self.job.state, rect)
        self.take(Part.TEXTURE)
        texture = render_up_to(self.job.state, self.job.state.active_id, rect)
        self.assertLess(abs(float(texture[..., :3].mean()) - 0.5), 0.01)
        session = session_for(self.job)
        session.hand = replace(session.hand, colour=(0.5, 0.5, 0.5))
        draw(session, "paint_colour", [(150, 150), (170, 150)], size_px=60, opacity=1.0, flow=1.0,
             hardness=1.0)  # fmt: skip
        layer = self.job.state.active
        self.assertIn(layer, self.job.state.layer(self.split.id).stack(Part.TEXTURE).children)
        after = render(self.job.state, rect)
        place = (slice(140, 160), slice(150, 170))
        self.assertLess(float(after[place].std((0, 1)).max()),
                        0.5 * float(before[place].std((0, 1)).max()))  # no texture there now
        self.assert_close(after[place].mean((0, 1)), before[place].mean((0, 1)), 0.005)
        self.assert_equal_arrays(after[250:], before[250:])

    def test_stacks_stay_where_they_are(self) -> None:
        state = self.job.state
        tone = self.split.stack(Part.TONE)
        for edit in (edits.delete, edits.duplicate, edits.group, edits.raise_layer):
            with self.assertRaisesRegex(EditError, "it is a part of a split"):
                edit(state, tone.id)
        with self.assertRaisesRegex(EditError, "cannot take a blend mode"):
            edits.set_mode(state, tone.id, BlendMode.SCREEN)
        state = edits.add_pixel_layer(state)  # above the split, which is active
        moved = edits.move(state, state.active_id, above_id=tone.id)
        self.assertEqual(moved.layer(tone.id).children[-1].id, state.active_id)
        gone = edits.delete(state, self.split.id)
        self.assertNotIn(tone.id, [layer.id for layer in gone.layers])


if __name__ == "__main__":
    unittest.main()
