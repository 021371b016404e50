"""In whose space places are: regions, readers, previews, marks, limits and what covers."""

from __future__ import annotations

import time
import tracemalloc
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.actions.findings.kept import KeptMarks
from lather.actions.hand.rim_watch import examine_area
from lather.actions.looking.sight import Sights
from lather.actions.looking.under import _layer_at
from lather.actions.start import start_workbench
from lather.assist import masks
from lather.assist.changed_outline import changed_outlines
from lather.assist.picking import picked_in_region
from lather.assist.split_layers import with_two_layers
from lather.core.blend.modes import BlendMode
from lather.core.bounds import N_DIRECTIONS
from lather.core.kernels import prepare_kernels
from lather.core.mend.mode import MendMode
from lather.core.rect import Rect
from lather.core.survey.regions.region import Region
from lather.core.tone.split import MIDDLE
from lather.document import areas, edits
from lather.document.avoid import avoided
from lather.document.findings import Findings, FindingState
from lather.document.job import Job
from lather.document.layers.layer import Mask
from lather.document.layers.limits import Limits
from lather.document.layers.split import Part
from lather.document.layers.table import KINDS
from lather.document.planes import with_plane
from lather.document.state import JobState, new_state
from lather.document.tiles import BLACK_MASK, NO_PIXELS, WHITE_MASK
from lather.document.tree import replaced
from lather.errors import UnseenError
from lather.render.area import area_on
from lather.render.around import AroundCache
from lather.render.compositor import render, render_below, render_up_to
from lather.render.ground import ground_of, photo_ground, seen_ground
from lather.render.marks import findings_in
from lather.render.regions import region_coverage
from lather.render.reshaping import shown_field
from lather.render.screen.request import screen_bytes
from lather.render.space import Space, layer_space, photo_space
from lather.render.visibility import refuse_unless_seen
from lather.settings.store import Settings
from lather.tools.reading import source_of
from lather.tools.source import PickedSource, Reads, SourceGoes
from tests.stacks import bell, lips_at
from tests.support import (
    Answers,
    Case,
    draw,
    finding,
    noise_photo,
    random_tile,
    session_for,
    surveyed,
)

LIPS = Rect(130, 110, 190, 160)
CENTRE, BY = (160.0, 135.0), (26.0, 14.0)
INSIDE = Rect(100, 80, 240, 220)


def setUpModule() -> None:  # noqa: N802 - as unittest calls it
    prepare_kernels()


def half_masked(photo, sigma: int = 40) -> Mask:
    """Hides the left half, softly."""
    shares = np.clip((np.arange(photo.width) - 100) / sigma, 0, 1).astype("f4")
    plane = np.repeat(shares[None], photo.height, 0)
    return Mask(tiles=with_plane(BLACK_MASK, photo.rect, plane))


class SpaceCase(Case):
    """A photo with lips, a reshape on it, and a pixel layer above that is worked on."""

    def setUp(self) -> None:
        super().setUp()
        self.photo = noise_photo(320, 300)
        state = replace(new_state(self.photo), regions=lips_at(self.photo, LIPS))
        self.reshape = bell(self.photo, BY, CENTRE)
        state = replace(state, layers=(*state.layers, self.reshape), active_id=self.reshape.id)
        self.state = edits.add_pixel_layer(state)

    @property
    def rect(self) -> Rect:
        return self.photo.rect

    def masked(self) -> JobState:
        masked = replace(self.reshape, mask=half_masked(self.photo))
        return replace(self.state, layers=replaced(self.state.layers, masked.id, (masked,)))


class MaskedReshapeTest(SpaceCase):
    def test_the_pen_beyond_the_picture_is_somewhere(self) -> None:
        space = photo_space(self.masked())
        far = np.array([[-900.0, -40.0], [5000.0, 150.0], [160.0, 299.9], [160.0, 1e5]])
        self.assert_close(space.from_seen(far)[[0, 1, 3]], far[[0, 1, 3]], 1e-9)
        self.assertTrue(np.isfinite(space.to_seen(far)).all())

    def test_a_stroke_over_the_border_is_a_step(self) -> None:
        state = self.masked()
        job = Job(replace(edits.add_pixel_layer(replace(state, active_id=state.layers[0].id))))
        session = session_for(job)
        draw(session, "paint_colour", [(300, 150), (330, 140), (400, 120), (310, 100)], size_px=20,
             opacity=1.0, flow=1.0)  # fmt: skip
        self.assertFalse(session.busy)
        self.assertEqual(job.history.n_done, 1)

    @settings(max_examples=30, deadline=None)
    @given(st.integers(0, 99), st.floats(0.1, 1.0), st.booleans())
    def test_single_places_go_as_the_field_does(self, seed, strength, masked) -> None:
        layer = replace(self.reshape, strength=strength)
        if masked:
            tile = random_tile(seed, channels=1)
            layer = replace(layer, mask=Mask(tiles=WHITE_MASK.with_tiles({(0, 0): tile})))
        points = np.random.default_rng(seed).uniform((-20, -20), (340, 320), (60, 2))
        field = shown_field(layer, self.rect.grown(40), self.rect)
        space = Space(self.rect, (layer,))
        self.assert_close(space.to_photo(points), field.sources(points), 1e-3)
        self.assert_close(space.to_photo(space.from_photo(points)), points, 1e-3)

    def test_a_mask_s_samples_are_the_same_at_every_level(self) -> None:
        state = self.masked()
        layer = state.layer(self.reshape.id)
        fine = shown_field(layer, self.rect, self.rect)
        coarse = shown_field(layer, self.rect, self.rect, level=3)
        y, x = ((coarse.rect.y0 + 3) * 4, (coarse.rect.x0 + 3) * 4)
        inside = fine.nodes[y - fine.rect.y0 :: 4, x - fine.rect.x0 :: 4][:20, :20]
        self.assert_equal_arrays(inside, coarse.nodes[3:23, 3:23])

    def test_a_coarse_tile_costs_as_much_as_the_picture_has(self) -> None:
        for width, height in ((600, 440), (1, 1)):
            photo = noise_photo(width, height)
            layer = bell(photo, (5.0, 3.0), (width / 2, height / 2), 40.0)
            layer = replace(layer, mask=Mask(tiles=WHITE_MASK))
            state = new_state(photo)
            state = replace(state, layers=(*state.layers, layer))
            render(state, Rect(0, 0, 256, 256), 2)
            tracemalloc.start()
            for level in (5, 8):
                render(state, Rect(0, 0, 256, 256), level)
            peak = tracemalloc.get_traced_memory()[1]
            tracemalloc.stop()
            self.assertLess(peak, 16 * 2**20)

    def test_what_a_stroke_on_the_mask_changes_is_drawn_while_the_pen_is_down(self) -> None:
        mask = Mask(tiles=BLACK_MASK)
        masked = replace(self.reshape, mask=mask)
        state = replace(self.state, layers=replaced(self.state.layers, masked.id, (masked,)))
        job = Job(replace(state, active_id=masked.id))
        session, frames = session_for(job), []
        session.frame.connect(frames.append)
        session.hand = replace(session.hand, on_mask=True)
        before = render(job.state, self.rect)
        draw(session, "paint_colour", [CENTRE, (164.0, 137.0)], size_px=24, opacity=1.0, flow=1.0)
        changed = Rect.of_mask((render(job.state, self.rect) != before).any(-1))
        drawn = Rect.union_of(frame.rect for frame in frames)
        self.assertEqual(changed.intersect(drawn), changed)


class RegionTest(SpaceCase):
    @settings(max_examples=40, deadline=None)
    @given(st.integers(0, 60), st.integers(0, 60), st.integers(1, 90), st.integers(0, 2))
    def test_a_place_belongs_as_far_whatever_rectangle_is_asked_for(
        self, x, y, size, level
    ) -> None:
        regions = lips_at(self.photo, LIPS, 0.37)
        state = replace(self.state, regions=regions)
        for ground in (photo_ground(state), seen_ground(state)):
            whole = self.rect.at_level(level)
            part = Rect(x, y, x + size, y + size).intersect(whole)
            expected = region_coverage(ground, Region.LIPS, whole, level)
            found = region_coverage(ground, Region.LIPS, part, level)
            self.assert_equal_arrays(found, expected[part.slices])

    def test_a_mask_from_a_region_lies_where_the_region_is_seen(self) -> None:
        share = masks.of_region(self.state, self.state.active_id, Region.LIPS)
        expected = region_coverage(seen_ground(self.state), Region.LIPS, self.rect)
        self.assert_equal_arrays(share(self.rect), expected)
        made = masks.with_mask(self.state, self.state.active_id, share)
        shows = made.active.mask.tiles.read(self.rect) > 60000
        ys, xs = np.nonzero(shows)
        middle = photo_space(self.state).to_seen(np.array([CENTRE]))[0]
        self.assert_close((xs.mean(), ys.mean()), middle, 6)

    def test_a_colour_picked_from_a_region_is_that_region_s(self) -> None:
        samples = self.photo.samples.copy()
        samples[LIPS.slices] = (60000, 9000, 9000)
        photo = replace(self.photo, samples=samples)
        state = replace(self.state, photo=photo)
        picked = picked_in_region(state, state.active_id, Region.LIPS)
        self.assertGreater(picked.rgb[0], 0.8)
        self.assertLess(picked.rgb[1], 0.3)

    def test_the_frames_of_a_limited_layer_show_what_comes_out(self) -> None:
        limited = edits.set_limits(self.state, self.state.active_id,
                                   Limits(regions=(Region.LIPS,)))  # fmt: skip
        tiles = NO_PIXELS.with_tiles({(0, 0): random_tile(3)})
        limited = edits.set_pixels(limited, limited.active_id, tiles)
        shown = AroundCache().render(limited, limited, INSIDE, 0)
        self.assert_close(shown, render(limited, INSIDE), 1e-6)


class ReadingTest(SpaceCase):
    def test_all_layers_as_a_source_lie_where_the_layer_does(self) -> None:
        read = source_of(self.state, self.state.active_id, Reads.ALL)
        self.assert_equal_arrays(read(INSIDE, 0), render(self.state, INSIDE))
        below = edits.add_pixel_layer(replace(self.state, active_id=self.state.layers[0].id))
        read = source_of(below, below.active_id, Reads.ALL)
        self.assert_equal_arrays(read(INSIDE, 0), render(new_state(self.photo), INSIDE))

    def test_live_frames_of_a_mend_and_a_graft_are_the_picture(self) -> None:
        for tool_id in ("mend_from_source", "graft"):
            job = Job(self.state)
            session, frames = session_for(job), []
            session.frame.connect(frames.append)
            session.hand = replace(session.hand, source=PickedSource(40.0, 40.0),
                                   source_goes=SourceGoes.FIXED, mode=MendMode.ALL)  # fmt: skip
            if tool_id == "graft":
                draw(session, "outline", [(150, 125), (170, 125), (170, 145), (150, 145)])
                frames.clear()
                draw(session, "graft", [(160, 135), (120, 90), (60, 60)])
            else:
                draw(session, tool_id, [(160, 135), (168, 139)], size_px=16, opacity=1.0)
            frame = frames[-1]
            expected = screen_bytes(self.state, render(self.state, frame.rect), 0.2).astype(int)
            differs = (np.abs(frame.image.astype(int) - expected) > 2).any(-1)
            with self.subTest(tool_id):  # what is painted on, and no more of the picture
                self.assertLess(int(differs.sum()), 1300)

    def test_what_is_read_in_a_split_is_the_picture_s_part(self) -> None:
        state = edits.add_computed(self.state, KINDS["split"], sigma_px=4.0)
        split = state.active
        tone, texture = split.stack(Part.TONE), split.stack(Part.TEXTURE)
        state = edits.add_computed(replace(state, active_id=tone.id), KINDS["curves"],
                                   rgb=((0.0, 0.2), (1.0, 0.9)))  # fmt: skip
        curves = state.active
        state = edits.set_limits(state, curves.id, Limits(regions=(Region.LIPS,)))
        both = (render_up_to(state, curves.id, INSIDE)[..., :3]  # texture's middle is a grey
                + render_below(state, texture.id, INSIDE)[..., :3] - MIDDLE)  # fmt: skip
        self.assert_close(both, render(state, INSIDE)[..., :3], 1e-5)
        made = with_two_layers(state, split.id)
        inside = np.clip(render(state, INSIDE), 0, 1)
        self.assert_close(render(made, INSIDE), inside, 3e-2)
        away = np.abs(render(made, INSIDE) - inside)
        self.assertLess(float(np.median(away)), 2 / 65535)

    def test_a_layer_in_a_group_lies_on_what_is_in_the_group(self) -> None:
        state = edits.add_computed(new_state(self.photo), KINDS["curves"],
                                   rgb=((0.0, 0.3), (1.0, 0.7)))  # fmt: skip
        curves_id = state.active_id
        state = edits.group(state, curves_id)
        group_id = state.active_id
        state = edits.add_pixel_layer(replace(state, active_id=curves_id))
        own, plain = state.active_id, render(new_state(self.photo), INSIDE)
        full = render(state, INSIDE)
        for strength in (1.0, 0.4):
            weak = edits.set_strength(state, group_id, strength)
            self.assert_equal_arrays(render_below(weak, own, INSIDE), full)
            self.assert_equal_arrays(render_below(weak, curves_id, INSIDE), plain)
        masked = edits.add_mask(state, group_id, hide_all=True)
        self.assert_equal_arrays(render_below(masked, own, INSIDE), full)
        alone = edits.set_mode(state, group_id, BlendMode.MULTIPLY)
        self.assertFalse(render_below(alone, curves_id, INSIDE).any())


class AreaTest(SpaceCase):
    """What is outlined is where it was drawn, whichever side of a reshape is worked on."""

    def outlined(self) -> Job:
        job = Job(self.state)
        square = [(140, 110), (180, 110), (180, 150), (140, 150)]
        draw(session_for(job), "outline", square)
        return job

    def assert_painted_in_the_square(self, state: JobState) -> None:
        changed = (render(state, self.rect) != render(self.state, self.rect)).any(-1)
        place = Rect.of_mask(changed)
        # Between its corners an outline is straight on the photo.
        self.assert_close((place.x0, place.y0, place.x1, place.y1), (140, 110, 180, 150), 5)

    def test_it_limits_paint_where_it_was_drawn(self) -> None:
        job = self.outlined()
        draw(session_for(job), "paint_colour", [(120, 130), (200, 130)], size_px=90, opacity=1.0,
             flow=1.0, hardness=1.0)  # fmt: skip
        self.assert_painted_in_the_square(job.state)

    def test_it_is_the_mask_of_a_layer_above_where_it_was_drawn(self) -> None:
        job = self.outlined()
        own = job.state.active_id
        state = edits.set_pixels(job.state, own, NO_PIXELS.with_tiles({(0, 0): random_tile(9)}))
        masked = areas.to_mask(state, own, area_on(state, own))
        self.assert_painted_in_the_square(masked)

    def test_its_rims_are_tested_on_what_is_painted_on_and_lie_on_the_photo(self) -> None:
        state = self.outlined().state
        (rim,) = examine_area(state)
        seen = photo_space(state).to_seen(rim.points.astype(np.float64))
        self.assert_close(seen.min(0), (140, 110), 5)
        self.assert_close(seen.max(0), (180, 150), 5)

    def test_a_graft_takes_hold_of_it_there(self) -> None:
        job = self.outlined()
        draw(session_for(job), "graft", [(150, 120), (100, 60), (60, 40)])
        self.assertEqual(job.history.n_done, 2)
        changed = (render(job.state, self.rect) != render(self.state, self.rect)).any(-1)
        place = Rect.of_mask(changed)
        self.assert_close((place.x0, place.y0, place.x1, place.y1), (140, 110, 180, 150), 12)


class SeenTest(SpaceCase):
    def covering(self, rect: Rect, under: JobState) -> JobState:
        """A pixel layer on top that covers a rectangle."""
        state = edits.add_pixel_layer(replace(under, active_id=under.layers[-1].id))
        tile = np.zeros((256, 256, 4), np.uint16)
        tile[rect.slices] = 65535
        return edits.set_pixels(state, state.active_id, NO_PIXELS.with_tiles({(0, 0): tile}))

    def test_covered_is_asked_where_the_place_is_seen(self) -> None:
        """The paint lies below the reshape, the cover above it."""
        below = edits.add_pixel_layer(replace(self.state, active_id=self.state.layers[0].id))
        own = below.active_id
        place = Rect(156, 131, 164, 139)
        x, y = photo_space(below).to_seen(np.array([CENTRE]))[0]
        seen = Rect.around(float(x), float(y), 12)
        refuse_unless_seen(self.covering(place, below), own, place)  # it is seen beside that
        with self.assertRaisesRegex(UnseenError, "above covers it"):
            refuse_unless_seen(self.covering(seen, below), own, place)

    def test_a_mask_around_is_asked_where_it_lies(self) -> None:
        """A group's mask lies above the reshape in the group."""
        state = edits.group(self.state, self.reshape.id)
        group_id = state.active_id
        state = edits.add_pixel_layer(replace(state, active_id=self.reshape.id))
        state = edits.lower_layer(state, state.active_id)
        own = state.active_id
        x, y = layer_space(state, own).to_seen(np.array([CENTRE]))[0]
        hidden = np.ones((300, 320), np.float32)
        hidden[Rect.around(float(x), float(y), 12).slices] = 0
        mask = Mask(tiles=with_plane(BLACK_MASK, self.rect, hidden))
        state = edits.set_mask(state, group_id, mask)
        with self.assertRaisesRegex(UnseenError, "the mask of"):
            refuse_unless_seen(state, own, Rect(157, 132, 163, 138))

    def test_limits_are_asked_and_named(self) -> None:
        state = edits.set_limits(self.state, self.state.active_id, Limits(regions=(Region.LIPS,)))
        refuse_unless_seen(state, state.active_id, Rect(150, 130, 170, 150))
        with self.assertRaisesRegex(UnseenError, "limited to what lies elsewhere"):
            refuse_unless_seen(state, state.active_id, Rect(10, 10, 30, 30))
        job, said = Job(state), []
        session = session_for(job)
        session.failed.connect(lambda error: said.append(error.sentence()))
        draw(session, "paint_colour", [(15, 15), (30, 20)], size_px=8, opacity=1.0, flow=1.0)
        self.assertEqual(job.history.n_done, 0)
        self.assertIn("limited", said[0])

    def test_outlines_of_a_proposal_are_moved_once(self) -> None:
        """They lie on the photo, and are drawn where that is seen."""
        own = self.state.active_id
        tile = np.zeros((256, 256, 4), np.uint16)
        tile[120:170, 150:210] = (65535, 0, 0, 65535)
        after = edits.set_pixels(self.state, own, NO_PIXELS.with_tiles({(0, 0): tile}))
        (outline,) = changed_outlines(self.state, after)
        seen = photo_space(self.state).to_seen(np.array(outline))
        self.assert_close(seen.min(0), (150, 120), 5)
        self.assert_close(seen.max(0), (210, 170), 5)


class MarkedTest(SpaceCase):
    """Findings lie on the photo; a layer above a reshape meets them where they are seen."""

    def marked(self) -> tuple[JobState, tuple[float, float]]:
        mark = finding(1, *CENTRE, extent_px=(9.0,) * N_DIRECTIONS)
        state = replace(self.state, findings=Findings(0.2, (mark,), {1: FindingState.KEPT}))
        x, y = photo_space(state).to_seen(np.array([CENTRE]))[0]
        return state, (float(x), float(y))

    def test_a_kept_mark_is_touched_where_it_is_seen(self) -> None:
        state, seen = self.marked()
        bench, said = start_workbench(Settings(), Answers()), []
        self.addCleanup(bench.take_job, None)
        bench.said.connect(lambda text, error: said.append(text))
        bench.take_job(Job(state))
        watch = KeptMarks(bench)
        bench.session.frame.connect(watch.look)
        draw(bench.session, "paint_colour", [CENTRE], size_px=8, opacity=1.0, flow=1.0)
        self.assertFalse(any("kept mark" in text for text in said))
        draw(bench.session, "paint_colour", [seen], size_px=8, opacity=1.0, flow=1.0)
        self.assertTrue(any("kept mark" in text for text in said))

    def test_no_texture_is_taken_from_where_it_is_seen(self) -> None:
        state, seen = self.marked()
        there = findings_in(state.findings, layer_space(state, state.active_id))
        self.assert_close((there.items[0].x, there.items[0].y), seen, 1e-3)
        near = avoided(there)(Rect.around(*seen, 4))
        self.assertTrue((near > 0.5).all())
        below = layer_space(state, state.layers[0].id)
        self.assertIs(findings_in(state.findings, below), state.findings)


class UnderTest(SpaceCase):
    def test_the_layer_under_the_pen_is_found_where_it_is_seen(self) -> None:
        """Whichever layer is the active one."""
        own = self.state.active_id
        tile = np.zeros((256, 256, 4), np.uint16)
        tile[130:140, 155:165] = 65535
        state = edits.set_pixels(self.state, own, NO_PIXELS.with_tiles({(0, 0): tile}))
        for active in (layer.id for layer in state.layers):
            bench = start_workbench(Settings(), Answers())
            self.addCleanup(bench.take_job, None)
            bench.take_job(Job(replace(state, active_id=active)))
            self.assertEqual(_layer_at(bench, *CENTRE).id, own)
            self.assertEqual(_layer_at(bench, 175.0, 135.0).id, self.reshape.id)
            self.assertIsNone(_layer_at(bench, 20.0, 20.0))


class SightTest(SpaceCase):
    def test_a_sight_stays_while_nothing_that_moves_changes(self) -> None:
        state = replace(self.state, findings=surveyed(3))
        sights = Sights()
        sight = sights.photo(state)
        other = edits.set_strength(state, state.active_id, 0.4)
        self.assertIs(sights.photo(other), sight)
        self.assertIsNot(sights.photo(edits.set_strength(state, self.reshape.id, 0.4)), sight)

    def test_new_findings_are_learnt_together(self) -> None:
        from unittest import mock

        sights = Sights()
        sights.photo(self.state)
        new = replace(self.state, findings=replace(surveyed(3), items=tuple(
            finding(n, 100.0 + n / 9, 90.0, path_px=((n, 5.0), (n, 9.0))) for n in range(1, 300)
        )))  # fmt: skip
        asked = mock.patch.object(Space, "to_seen", autospec=True, side_effect=Space.to_seen)
        with asked as to_seen:
            sight = sights.photo(new)
            for item in new.findings.items:
                sight.seen(item.x, item.y)
        self.assertEqual(to_seen.call_count, 1)

    def test_marks_under_a_masked_reshape_are_quick(self) -> None:
        """A ratio, not a time: hundreds of places are to take no more than one reading of the
        picture that they lie on."""
        state = self.masked()
        state = replace(state, findings=replace(surveyed(3), items=tuple(
            finding(n, 10.0 + n, 90.0) for n in range(1, 300)
        )))  # fmt: skip
        Sights().photo(state)
        begun = time.perf_counter()
        Sights().photo(state)
        learnt_s = time.perf_counter() - begun
        begun = time.perf_counter()
        for _ in range(3):
            render(new_state(self.photo), self.rect)
            screen_bytes(state, render(state, self.rect), 0.2)
        self.assertLess(learnt_s, 3 * (time.perf_counter() - begun))


class GroundTest(SpaceCase):
    def test_regions_of_a_layer_s_space_are_asked_by_that_space(self) -> None:
        below = edits.add_pixel_layer(replace(self.state, active_id=self.state.layers[0].id))
        under = ground_of(below, layer_space(below, below.active_id))
        self.assertEqual(under.moved, ())
        over = ground_of(self.state, layer_space(self.state, self.state.active_id))
        self.assertEqual(over.moved, (self.reshape,))


if __name__ == "__main__":
    unittest.main()
