"""Work aside on layers whose planes mean something only together."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.rect import Rect
from lather.core.shape.guard import Guard, least_area
from lather.core.shape.moves import Dab, Move
from lather.document import edits
from lather.document.layers.light import MAP, LightLayer
from lather.document.layers.reshape import ReshapeLayer
from lather.document.layers.table import KINDS
from lather.document.merge import merge
from lather.document.painting.live_field import LiveField, Made
from lather.document.reshapes import add_reshape
from lather.document.state import JobState, new_state
from lather.document.tree import replaced
from tests.support import Case, noise_photo, random_tile


def pushed(state: JobState, x: float, y: float, by_x: float, by_y: float = 0.0) -> JobState:
    """The reshape layer of a state after a push."""
    layer = state.active
    live = LiveField(layer, state.photo.rect)
    whole = Dab.push((x, y), (x + by_x, y + by_y), 60.0, 0.5, 1.0)
    live.add(Made(Move.PUSH, dab, Guard()) for dab in whole.steps())
    return replace(state, layers=replaced(state.layers, layer.id, (live.layer,)))


class ReshapeTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.state, _ = add_reshape(new_state(noise_photo(400, 360)))

    def layer(self, state: JobState) -> ReshapeLayer:
        layer = state.active
        assert isinstance(layer, ReshapeLayer)
        return layer

    def least(self, state: JobState) -> float:
        layer = self.layer(state)
        nodes = Rect(0, 0, 200, 180)
        return float(least_area(layer.field(nodes).nodes, layer.step_px).min())

    def apart(self, state: JobState) -> float:
        """The most by which neighbouring nodes go apart, px."""
        nodes = self.layer(state).field(Rect(0, 0, 200, 180)).nodes
        return max(float(np.abs(np.diff(nodes, axis=axis)).max()) for axis in (0, 1))

    def test_work_far_from_what_was_pushed_is_taken_whole(self) -> None:
        after, now = pushed(self.state, 100, 100, 20), pushed(self.state, 300, 250, 20)
        merged = merge(self.state, after, now)
        self.assertEqual(merged.left_out, ())
        nodes = Rect(0, 0, 200, 180)
        expected = sum(self.layer(state).field(nodes).nodes for state in (after, now))
        self.assert_close(self.layer(merged.state).field(nodes).nodes, expected, 0.02)

    @settings(max_examples=15, deadline=None)
    @given(st.lists(st.tuples(st.integers(120, 280), st.integers(120, 240),
                              st.sampled_from((-45, -30, 30, 45)), st.sampled_from((-20, 0, 20))),
                    min_size=2, max_size=4))  # fmt: skip
    def test_pushes_on_the_same_place_neither_fold_nor_tear(self, moves) -> None:
        """Node by node the least area came to -30, and neighbours were torn by 26 px."""
        (first, *others), after = moves, self.state
        now = pushed(self.state, *first)
        for move in others:
            after = pushed(after, *move)
        merged = merge(self.state, after, now)
        before = min(self.least(after), self.least(now), 0.2)
        self.assertGreaterEqual(self.least(merged.state), before - 0.01)  # a sample's rounding
        self.assertLess(self.apart(merged.state), self.apart(after) + self.apart(now) + 0.1)

    def test_what_is_held_meanwhile_does_not_move(self) -> None:
        after = pushed(self.state, 150, 150, 30)
        held = self.layer(self.state).hold.with_tiles(
            {(0, 0): np.full((256, 256), 65535, np.uint16)}
        )
        layer = replace(self.layer(self.state), hold=held)
        now = replace(self.state, layers=replaced(self.state.layers, layer.id, (layer,)))
        merged = merge(self.state, after, now)
        self.assertFalse(self.layer(merged.state).moves)
        self.assertTrue(merged.left_out)


class MapTest(Case):
    def test_a_map_that_both_painted_is_no_field_that_both_changed(self) -> None:
        state = edits.add_computed(new_state(noise_photo(400, 360)), KINDS["light"])

        def painted(rows: slice, value: int) -> JobState:
            layer = state.active
            assert isinstance(layer, LightLayer)
            tile = layer.map.pixels((0, 0)).copy()
            tile[rows] = value
            planes = {MAP: layer.map.with_tiles({(0, 0): tile})}
            with_map = layer.with_painted(planes, layer.strokes)
            return replace(state, layers=replaced(state.layers, layer.id, (with_map,)))

        merged = merge(state, painted(np.s_[:40], 40000), painted(np.s_[100:140], 20000))
        self.assertEqual(merged.left_out, ())
        plane = merged.state.active.planes[MAP].pixels((0, 0))
        self.assertTrue((plane[:40] == 40000).all() and (plane[100:140] == 20000).all())
        both = merge(state, painted(np.s_[:40], 40000), painted(np.s_[20:60], 20000))
        (said,) = both.left_out  # one sentence, and nothing of a 'map' that changed
        self.assertIn("painted on meanwhile", said)

    def test_a_new_layer_of_which_nothing_is_left_does_not_come(self) -> None:
        from lather.document.painting.strokes import StrokeRecord

        before = new_state(noise_photo(400, 360))
        state = edits.add_pixel_layer(before)
        layer = state.active
        record = StrokeRecord(tool="mend_spot", brush=None, readings=np.zeros((0, 6), "f4"),
                              rect=Rect(0, 0, 50, 50), extras={"findings": [1]})  # fmt: skip
        tiles = layer.tiles.with_tiles({(0, 0): random_tile(2)})
        painted = layer.with_painted({"pixels": tiles}, (record,))
        after = replace(state, layers=replaced(state.layers, layer.id, (painted,)))
        from lather.document.findings import FindingState
        from tests.support import surveyed

        before = replace(before, findings=surveyed(2))
        after = replace(after, findings=before.findings)
        now = edits.decide(before, [1], FindingState.SKIPPED)
        merged = merge(before, after, now)
        self.assertEqual(len(merged.state.layers), 1)
        self.assertTrue(merged.left_out)


if __name__ == "__main__":
    unittest.main()
