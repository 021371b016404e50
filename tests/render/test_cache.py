"""What is kept below filters: never wrong, made anew only where a change touches, bounded."""

from __future__ import annotations

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.arrays import quantise
from lather.core.rect import Rect
from lather.document import edits
from lather.document.layers.table import KINDS
from lather.document.state import JobState
from lather.document.tiles import TILE_PX
from lather.render import compositor
from lather.render.around import AroundCache
from lather.render.cache import BoundaryCache
from lather.render.compositor import render
from lather.render.flatten import flatten
from tests.support import Case, noise_photo, painted_state, random_tile

TILE_BYTES = TILE_PX * TILE_PX * 16


def kept_in(cache: BoundaryCache):
    """Stands for the caches of all photos."""
    return mock.Mock(of=lambda photo: cache)  # noqa: ARG005


def filtered(photo=None) -> JobState:
    """A photo, two pixel layers, a smooth, curves, a split with a layer in it, another smooth."""
    state = painted_state(photo or noise_photo(600, 440), 2)
    for name, values in (("smooth", {"scale_px": 4.0}), ("curves", {}), ("split", {}),
                         ("smooth", {"scale_px": 2.0})):  # fmt: skip
        state = edits.add_computed(state, KINDS[name], **values)
        if name == "split":
            split = state.active
            state = edits.add_pixel_layer(replace(state, active_id=split.children[1].id))
            tiles = state.active.tiles.with_tiles({(0, 1): random_tile(8)})
            state = edits.set_pixels(state, state.active_id, tiles)
            state = replace(state, active_id=split.id)
    return state


class ExportTest(Case):
    def test_wide_layers_come_out_of_pieces_as_they_are_rendered(self) -> None:
        state = filtered(noise_photo(1100, 860))
        split = next(layer for layer in state.layers if layer.kind == "split")
        for sigma_px in (3.0, 200.0):  # pieces of either size, of which there are more than one
            state = edits.set_parameter(state, split.id, "sigma_px", sigma_px)
            expected = quantise(render(state, state.photo.rect)[..., :3], np.uint16)
            self.assert_equal_arrays(flatten(state, 16), expected)


class CacheTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.cache = BoundaryCache()
        patched = mock.patch.object(compositor, "kept", kept_in(self.cache))
        patched.start()
        self.addCleanup(patched.stop)

    def fresh(self, state: JobState, rect: Rect, level: int = 0) -> np.ndarray:
        with mock.patch.object(compositor, "kept", kept_in(BoundaryCache())):
            return render(state, rect, level)

    @settings(max_examples=5, deadline=None)
    @given(st.lists(st.tuples(st.integers(0, 5), st.integers(0, 9)), max_size=4))
    def test_after_any_edits_it_is_as_if_rendered_afresh(self, steps) -> None:
        self.cache.clear()
        state = filtered()
        rects = [Rect(0, 0, 256, 256), Rect(300, 100, 560, 420)]
        for what, pick in [(9, 0), *steps]:
            painted = [layer for layer in state.layers if layer.planes]
            filters = [layer for layer in state.layers if layer.kind in ("smooth", "split")]
            pixels, computed = painted[pick % len(painted)], filters[pick % len(filters)]
            if what == 0:
                tiles = pixels.tiles.with_tiles({(pick % 3, pick % 2): random_tile(pick)})
                state = edits.update_layer(state, pixels.id, tiles=tiles)
            elif what == 1:
                state = edits.set_strength(state, computed.id, pick / 9)
            elif what == 2:
                state = edits.set_visible(state, pixels.id, not pixels.visible)
            elif what == 3:
                state = edits.move(state, state.layers[1].id, above_id=computed.id)
            elif what == 4 and computed.kind == "smooth":
                state = edits.set_parameter(state, computed.id, "scale_px", 1.0 + pick)
            elif what == 5:
                state = edits.duplicate(state, computed.id)
            for level in (0, 1):
                for rect in rects:
                    part = rect.at_level(level)
                    self.assert_equal_arrays(render(state, part, level),
                                             self.fresh(state, part, level))  # fmt: skip

    def test_only_what_a_change_touches_is_made_anew(self) -> None:
        state = filtered(noise_photo(1500, 1300))
        self.cache._most_bytes *= 2  # all of it
        whole = state.photo.rect
        render(state, whole)
        made = []
        read = BoundaryCache.read_whole

        def counting(cache, photo, layers, level, rect, make):
            def noted(cell: Rect) -> np.ndarray:
                if len(layers) < len(state.layers):  # not the whole picture itself
                    made.append(cell)
                return make(cell)

            return read(cache, photo, layers, level, rect, noted)

        tiles = state.layers[2].tiles.with_tiles({(0, 0): random_tile(3)})
        changed = edits.set_pixels(state, state.layers[2].id, tiles)
        with mock.patch.object(BoundaryCache, "read_whole", counting):
            render(changed, whole)
        self.assertTrue(made)
        near = 2 * TILE_PX  # two layers below look into the next tile each
        self.assertTrue(all(cell.y0 <= near and cell.x0 <= near for cell in made))
        dragged = edits.set_parameter(changed, changed.layers[-1].id, "edge_l", 2.0)
        render(dragged, whole)  # margins that touch what was changed
        made.clear()
        dragged = edits.set_parameter(dragged, dragged.layers[-1].id, "edge_l", 3.0)
        with mock.patch.object(BoundaryCache, "read_whole", counting):
            render(dragged, whole)
        self.assertEqual(made, [])  # what lies below the layer that is set stays

    def test_a_stroke_below_filters_shows_at_once_and_settles_exactly(self) -> None:
        """While the pen is down filters change what they changed before; afterwards nothing of
        that is left."""
        before = filtered()
        pixels = before.layers[1]
        before = replace(before, active_id=pixels.id)
        tile = pixels.tiles.pixels((0, 0)).copy()
        tile[100:140, 100:140] = (60000, 20000, 20000, 65535)
        during = edits.update_layer(
            before, pixels.id, tiles=pixels.tiles.with_tiles({(0, 0): tile})
        )
        around, rect = AroundCache(), Rect(80, 80, 200, 200)
        self.assert_close(around.render(before, before, rect, 0), render(before, rect), 1e-5)
        shown, exact = around.render(during, before, rect, 0), self.fresh(during, rect)
        was = render(before, rect)
        middle = np.s_[35:45, 35:45, :3]  # what is painted shows, about as it will be
        self.assertLess(float(np.abs(shown - exact)[middle].mean()),
                        0.8 * float(np.abs(was - exact)[middle].mean()))  # fmt: skip
        outside = np.s_[80:, 80:]
        self.assert_close(shown[outside], was[outside], 1e-5)
        self.assert_equal_arrays(render(during, rect), exact)

    def test_it_is_bounded(self) -> None:
        self.cache._most_bytes = 5 * TILE_BYTES
        state = filtered()
        self.assert_equal_arrays(render(state, state.photo.rect),
                                 self.fresh(state, state.photo.rect))  # fmt: skip
        self.assertLessEqual(self.cache.n_bytes, 5 * TILE_BYTES)
        held = sum(t.nbytes for b in self.cache._boundaries.values() for t in b.tiles.values())
        self.assertEqual(self.cache.n_bytes, held)


if __name__ == "__main__":
    unittest.main()
