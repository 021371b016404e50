"""Limits of layers: a span of lightness and regions, in every sort of layer, and in files."""

from __future__ import annotations

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.arrays import FULL
from lather.core.rect import Rect
from lather.core.survey.regions.region import Part, Region
from lather.document import edits
from lather.document.diff import changed_cells
from lather.document.digest import digest
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Mask, new_id
from lather.document.layers.limits import OPEN, Limits, Span
from lather.document.layers.table import KINDS
from lather.document.photo import Photo
from lather.document.planes import Regions
from lather.document.state import JobState, new_state
from lather.document.tiles import BLACK_MASK, TILE_PX, WHITE_MASK
from lather.errors import EditError
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.render import compositor
from lather.render.around import AroundCache
from lather.render.cache import Caches
from lather.render.compositor import render
from lather.render.shown import render_mask, shown_shares
from lather.tools.reading import source_of
from lather.tools.source import Reads
from tests.support import Case, noise_photo, painted_state, photo_in, random_tile

SPAN = Limits(Span(30.0, 70.0, 5.0, 10.0))
SKIN = Limits(regions=(Region.SKIN,))


def ramp_photo(width: int = 400, height: int = 40) -> Photo:
    row = np.linspace(0, 65535, width).astype(np.uint16)
    return Photo(np.broadcast_to(row[None, :, None], (height, width, 3)).copy(), name="r.png")


def with_left_half(state: JobState) -> JobState:
    """The left half of the picture is skin."""
    tile = np.zeros((TILE_PX, TILE_PX), dtype=np.uint16)
    tile[:, : state.photo.width // 2] = FULL
    masks = {Region.SKIN: BLACK_MASK.with_tiles({(0, 0): tile})}
    return replace(state, regions=Regions(1.0, masks))


def limited(state: JobState, limits: Limits, *layers) -> JobState:
    """The layers, each limited, on the state."""
    for layer in layers:
        state = edits.add_layer(state, layer)
        state = edits.set_limits(state, state.active_id, limits)
    return state


def one_of_each(state: JobState) -> JobState:
    """A pixel layer, an adjustment in another mode, a filter and an isolated group, limited."""
    paint = replace(painted_state(n_layers=1).layers[1], id=new_id())
    for limits in (SPAN, SKIN):
        state = limited(state, limits, replace(paint, id=new_id()))
        state = edits.add_computed(state, KINDS["exposure"], exposure_ev=0.7)
        state = edits.set_limits(state, state.active_id, limits)
        state = edits.add_computed(state, KINDS["blur"], radius_px=2.0)
        state = edits.set_limits(state, state.active_id, limits)
        group = GroupLayer(id=new_id(), name="G", children=(replace(paint, id=new_id()),))
        state = limited(state, limits, group)
    return state


class LimitsTest(Case):
    def test_a_layer_shows_within_its_span_and_fades_at_its_ends(self) -> None:
        state = edits.add_computed(new_state(ramp_photo()), KINDS["exposure"], exposure_ev=1.0)
        plain = render(state, state.photo.rect)
        without = render(new_state(state.photo), state.photo.rect)
        state = edits.set_limits(state, state.active_id, SPAN)
        share = shown_shares(state, state.active, state.photo.rect)
        got = render(state, state.photo.rect)
        self.assert_close(got, without + share[..., None] * (plain - without), 1e-4)
        self.assertEqual((share[0, 0], share[0, -1]), (0, 0))
        self.assertEqual(float(share.max()), 1)

    def test_regions_add_up_and_the_mask_multiplies(self) -> None:
        state = with_left_half(painted_state(noise_photo(200, 180), 1))
        state = edits.add_mask(state, state.active_id)
        mask = Mask(tiles=WHITE_MASK.with_tiles({(0, 0): random_tile(4, 1)}))
        state = edits.set_mask(state, state.active_id, mask)
        state = edits.set_limits(state, state.active_id, SKIN)
        shown = render_mask(state, state.active, Rect(-3, 0, 200, 180))
        samples = mask.tiles.read(Rect(0, 0, 200, 180)) / FULL
        self.assert_close(shown[:, 3:103, 0], samples[:, :100], 1e-4)
        self.assertFalse(shown[:, 104:, 0].any())
        self.assertFalse(shown[:, :3].any())
        both = edits.set_limits(state, state.active_id, Limits(regions=(Region.SKIN, Region.HAIR)))
        self.assert_equal_arrays(render(both, both.photo.rect), render(state, state.photo.rect))

    def test_a_part_is_that_part_of_the_whole(self) -> None:
        state = with_left_half(one_of_each(painted_state(noise_photo(300, 280), 1)))
        whole = render(state, state.photo.rect)
        for rect in (Rect(3, 5, 140, 90), Rect(200, 100, 201, 101), Rect(90, 90, 300, 280)):
            self.assert_equal_arrays(render(state, rect), whole[rect.slices])

    def test_open_limits_change_no_bit(self) -> None:
        state = painted_state(noise_photo(120, 90), 2)
        for layer in state.layers[1:]:
            state = edits.set_limits(state, layer.id, Limits(Span(0, 100, 9, 9)))
        expected = render(painted_state(state.photo, 2), state.photo.rect)
        self.assert_equal_arrays(render(state, state.photo.rect), expected)

    def test_what_changes_is_found(self) -> None:
        state = one_of_each(painted_state(noise_photo(300, 280), 1))
        after = with_left_half(state)
        self.assertEqual(changed_cells(state, after), set(state.photo.rect.cells(TILE_PX)))
        rect = state.photo.rect
        before, now = render(state, rect), render(after, rect)  # the second from what was kept
        with mock.patch.object(compositor, "kept", Caches()):
            self.assert_equal_arrays(now, render(after, rect))
        self.assertGreater(float(np.abs(now - before).max()), 0.01)
        opened = edits.set_limits(after, after.active_id, OPEN)
        self.assertTrue(changed_cells(after, opened))

    def test_a_stroke_below_and_on_them_shows_as_it_will_be(self) -> None:
        state = with_left_half(one_of_each(painted_state(noise_photo(300, 280), 1)))
        state = replace(state, layers=tuple(one for one in state.layers if one.kind != "blur"))
        cache, rect = AroundCache(), Rect(5, 5, 250, 200)
        for layer in state.layers[1:]:
            active = replace(state, active_id=layer.id)
            self.assert_close(cache.render(active, active, rect, 0), render(state, rect), 1e-6)
        moved = replace(state, regions=Regions(1.0, {}))
        active = replace(moved, active_id=moved.layers[1].id)
        self.assert_close(cache.render(active, active, rect, 0), render(moved, rect), 1e-6)

    def test_as_a_source_of_its_own_a_layer_has_no_limits(self) -> None:
        state = painted_state(noise_photo(90, 80), 1)
        limited_to_skin = edits.set_limits(state, state.active_id, SKIN)
        sources = (source_of(s, s.active_id, Reads.LAYER) for s in (state, limited_to_skin))
        plain, alone = (read(Rect(0, 0, 90, 80), 0) for read in sources)
        self.assert_equal_arrays(alone, plain)

    def test_the_photo_and_a_span_turned_round_are_refused(self) -> None:
        state = painted_state(n_layers=1)
        with self.assertRaisesRegex(EditError, "photo cannot be limited"):
            edits.set_limits(state, state.layers[0].id, SPAN)
        with self.assertRaisesRegex(EditError, "ends before it begins"):
            edits.set_limits(state, state.active_id, Limits(Span(60, 40)))


class FileTest(Case):
    @settings(max_examples=10, deadline=None)
    @given(st.floats(0, 100), st.floats(0, 50), st.lists(st.sampled_from([*Region, *Part])))
    def test_they_are_saved_and_read(self, light, soft, regions) -> None:
        limits = Limits(Span(light / 2, light, soft, soft / 2), tuple(dict.fromkeys(regions)))
        self.assertEqual(Limits.read(limits.entry), limits)

    def test_in_a_job(self) -> None:
        state = one_of_each(painted_state(photo_in(self.folder), 1))
        save_job(state, self.folder / "a.lather")
        again = load_job(self.folder / "a.lather").state
        self.assertEqual(digest(again), digest(state))
        self.assertEqual(again.layers[3].limits, SPAN)
        self.assertNotEqual(digest(edits.set_limits(state, state.active_id, OPEN)), digest(state))

    def test_what_a_newer_lather_says_of_them_is_kept(self) -> None:
        entry = {**SPAN.entry, "regions": ["skin", "beard"], "mood": 3}
        again = Limits.read(entry)
        self.assertEqual(again.entry, entry)
        state = with_left_half(painted_state(noise_photo(20, 20), 1))
        nowhere = edits.set_limits(state, state.active_id, Limits.read({"regions": ["beard"]}))
        self.assertFalse(shown_shares(nowhere, nowhere.active, Rect(0, 0, 4, 4)).any())


if __name__ == "__main__":
    unittest.main()
