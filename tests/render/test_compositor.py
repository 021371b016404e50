"""Rendering: parts equal the whole, levels equal reduced pictures, caches equal no cache."""

from dataclasses import replace
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.arrays import quantise
from lather.core.blend.modes import BlendMode, blend
from lather.core.rect import Rect
from lather.core.work import CancelToken
from lather.document import edits
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Mask
from lather.document.state import new_state
from lather.document.tiles import WHITE_MASK, Tiles
from lather.errors import Cancelled
from lather.render.around import AroundCache
from lather.render.compositor import (
    deepest_level,
    render,
    render_photo,
    render_up_to,
    scene_of,
)
from lather.render.flatten import flatten, merged_layer
from lather.render.ground import Ground
from lather.render.layers.scene import transparent
from lather.render.levels import read_level
from lather.render.screen.geometry import ViewGeometry
from lather.render.screen.request import Fresh, Shown
from lather.render.screen.view import ViewTiles
from lather.render.shown import render_mask
from lather.render.stack import lay_on
from lather.render.touched import touched_share
from lather.render.worker import SameThread, Workers
from tests.support import Case, Later, noise_photo, painted_state, random_tile


def with_mask(state, seed: int = 3):
    state = edits.add_mask(state, state.active_id)
    tiles = Tiles(1, 65535).with_tiles({(0, 0): random_tile(seed, channels=1)})
    return edits.set_mask_pixels(state, state.active_id, tiles)


def rich_state():
    """Layers of several modes, a mask, a group with strength, over a photo of two tiles."""
    state = painted_state(noise_photo(300, 280), 3)
    first, second, third = (layer.id for layer in state.layers[1:])
    state = edits.set_mode(state, first, BlendMode.SOFT_LIGHT)
    state = edits.set_strength(state, second, 0.6)
    state = with_mask(replace(state, active_id=second))
    state = edits.group(state, third)
    return edits.set_strength(state, state.active_id, 0.7)


class RenderTest(Case):
    def test_no_layers_is_the_photo_bit_for_bit(self) -> None:
        for bits in (8, 16):
            photo = noise_photo(bits=bits)
            out = flatten(new_state(photo), bits)
            self.assert_equal_arrays(out, photo.samples)

    def test_normal_layer_by_hand(self) -> None:
        state = painted_state(n_layers=1)
        state = edits.set_strength(state, state.active_id, 0.5)
        rect = Rect(10, 20, 200, 220)
        layer = state.active.tiles.read(rect).astype(np.float64) / 65535
        photo = state.photo.samples[rect.slices].astype(np.float64) / 65535
        alpha = 0.5 * layer[..., 3:]
        expected = photo + alpha * (layer[..., :3] - photo)
        self.assert_close(render(state, rect)[..., :3], expected, 1e-5)

    @settings(max_examples=25, deadline=None)
    @given(st.integers(-20, 290), st.integers(-20, 270), st.integers(1, 120), st.integers(1, 120),
           st.integers(0, 3))
    def test_any_part_equals_that_part_of_the_whole(
        self, x: int, y: int, width: int, height: int, level: int
    ) -> None:
        state = self.shared()
        bounds = state.photo.rect.at_level(level)
        rect = Rect(x >> level, y >> level, (x >> level) + width, (y >> level) + height)
        part = rect.intersect(bounds)
        if part.empty:
            return
        whole = render(state, bounds, level)
        got = render(state, rect, level)
        self.assert_close(got[part.shifted(-rect.x0, -rect.y0).slices], whole[part.slices], 1e-6)

    _shared = None

    @classmethod
    def shared(cls):
        if cls._shared is None:
            cls._shared = rich_state()
        return cls._shared

    def test_a_level_is_near_the_reduced_picture(self) -> None:
        """Exact for normal layers without alpha edges; the design composites mips."""
        state = new_state(noise_photo(256, 256))
        state = edits.add_pixel_layer(state)
        tile = random_tile(4)
        tile[..., 3] = 65535
        state = edits.set_pixels(
            state, state.active_id, state.active.tiles.with_tiles({(0, 0): tile})
        )
        full = render(state, state.photo.rect)
        reduced = full.reshape(128, 2, 128, 2, 4).mean((1, 3))
        self.assert_close(render(state, Rect(0, 0, 128, 128), 1), reduced, 2 / 65535)

    def test_hidden_weak_and_masked_layers(self) -> None:
        state = painted_state(n_layers=1)
        plain = render(new_state(state.photo), state.photo.rect)
        layer_id = state.active_id
        hiding = edits.add_mask(state, layer_id, hide_all=True)
        for nothing in (
            edits.set_visible(state, layer_id, False),
            edits.set_strength(state, layer_id, 0),
            hiding,
            edits.invert_mask(edits.add_mask(state, layer_id), layer_id),
        ):
            self.assert_equal_arrays(render(nothing, state.photo.rect), plain)
        off = edits.switch_mask(hiding, layer_id)
        self.assert_equal_arrays(render(off, state.photo.rect), render(state, state.photo.rect))

    def test_isolated_group_blends_its_own_result(self) -> None:
        state = painted_state(noise_photo(200, 200), 1)
        opaque = state.active.tiles.pixels((0, 0)).copy()
        opaque[..., 3] = 65535
        state = edits.set_pixels(
            state, state.active_id, state.active.tiles.with_tiles({(0, 0): opaque})
        )
        state = edits.group(state, state.active_id)
        state = edits.set_mode(state, state.active_id, BlendMode.MULTIPLY)
        photo = render(new_state(state.photo), state.photo.rect)[..., :3]
        layer = opaque[:200, :200, :3].astype(np.float32) / 65535
        expected = blend(photo, layer, BlendMode.MULTIPLY)
        self.assert_close(render(state, state.photo.rect)[..., :3], expected, 1e-5)

    def test_a_group_of_nothing_changes_nothing_on_any_backdrop(self) -> None:
        """Whatever its strength and mask, inside of an isolated group, where all is clear."""
        state = painted_state(n_layers=1)
        empty = GroupLayer(id=10**6 + 1, name="Empty")
        for mask in (None, Mask(tiles=WHITE_MASK), Mask(
            tiles=WHITE_MASK.with_tiles({(0, 0): random_tile(3, channels=1)})
        )):
            for strength in (0.5, 1.0):
                changed = replace(empty, strength=strength, mask=mask)
                outer = GroupLayer(id=10**6, name="Outer", mode=BlendMode.SOFT_LIGHT,
                                   children=(state.layers[1], changed))  # fmt: skip
                plain = replace(outer, children=(state.layers[1],))
                shown, expected = (
                    render(replace(state, layers=(state.layers[0], group)), state.photo.rect)
                    for group in (outer, plain)
                )
                self.assert_close(shown, expected, 2e-6)

    def test_a_groups_strength_is_that_of_the_one_layer_in_it(self) -> None:
        """On an opaque picture and on nothing alike."""
        layer = painted_state(n_layers=1).layers[1]
        photo, rect = noise_photo(), Rect(0, 0, 200, 200)
        group = GroupLayer(id=10**6, name="Group", strength=0.35, children=(layer,))
        for opaque in (True, False):
            shown, expected = transparent(rect), transparent(rect)
            for out, layers in ((shown, (group,)), (expected, (replace(layer, strength=0.35),))):
                if opaque:
                    out[...] = photo.read_float(rect)
                lay_on(layers, scene_of(Ground(photo), 0), out, rect)
            self.assert_close(shown[..., 3], expected[..., 3], 2e-6)
            visible = shown[..., 3] > 1e-3
            self.assert_close(shown[visible], expected[visible], 1e-3 if not opaque else 2e-6)

    def test_the_border_of_a_layer_is_where_the_photos_is(self) -> None:
        """A copy of the photo as a layer, on nothing: the same at every level, nowhere clear."""
        for width, height in ((300, 280), (301, 259), (257, 511), (513, 256), (5, 3)):
            photo = noise_photo(width, height)
            state = new_state(photo)
            copy = merged_layer(state, "Copy")
            hidden = replace(state.layers[0], visible=False)
            alone = replace(state, layers=(hidden, copy))
            for level in range(6):
                rect = photo.rect.at_level(level)
                shown = render(alone, rect, level)
                self.assertEqual(float(shown[..., 3].min()), 1.0, (width, height, level))
                # Each level rounds to 16 bit once more, the photo's by OpenCV.
                self.assert_close(shown, render_photo(photo, rect, level), (level + 1.5) / 65535)

    def test_the_border_of_a_mask_too(self) -> None:
        state = painted_state(noise_photo(301, 259), 1)
        state = edits.add_mask(state, state.active_id, hide_all=True)
        white = np.zeros((256, 256), np.uint16)
        tiles = {key: white.copy() for key in state.photo.rect.cells(256)}
        for key, tile in tiles.items():
            inside = Rect.cell(key, 256).intersect(state.photo.rect)
            tile[: inside.height, : inside.width] = 65535
        mask = state.active.mask.tiles.with_tiles(tiles)
        for level in range(6):
            rect = state.photo.rect.at_level(level)
            self.assertEqual(int(read_level(mask, state.photo.rect, rect, level).min()), 65535)

    def test_mask_view(self) -> None:
        state = with_mask(painted_state())
        rect = Rect(0, 0, 100, 100)
        expected = state.active.mask.tiles.read(rect).astype(np.float32) / 65535
        self.assert_close(render_mask(state, state.active, rect)[..., 0], expected, 1e-6)
        inverted = edits.invert_mask(state, state.active_id)
        self.assert_close(render_mask(inverted, inverted.active, rect)[..., 0], 1 - expected, 1e-6)

    def test_below_leaves_out_what_lies_above(self) -> None:
        state = painted_state(n_layers=3)
        middle = state.layers[2].id
        without_top = edits.delete(state, state.layers[3].id)
        rect = Rect(5, 5, 90, 80)
        self.assert_equal_arrays(render_up_to(state, middle, rect), render(without_top, rect))

    def test_what_is_kept_around_a_layer_changes_nothing(self) -> None:
        state, cache = rich_state(), AroundCache()
        for layer in state.layers[1:]:
            for level in (0, 1):
                rect = Rect(11, 7, 130, 120)
                for _ in range(2):
                    got = cache.render(replace(state, active_id=layer.id), state, rect, level)
                    self.assert_close(got, render(state, rect, level), 1e-6)
        few = AroundCache(most_tiles=2)
        for _ in range(2):
            got = few.render(
                replace(state, active_id=state.layers[1].id), state, state.photo.rect, 0
            )
            self.assert_close(got, render(state, state.photo.rect, 0), 1e-6)
        weaker = edits.set_strength(state, state.layers[1].id, 0.1)
        got = cache.render(replace(weaker, active_id=state.layers[3].id), weaker, rect, 1)
        self.assert_close(got, render(weaker, rect, 1), 1e-6)


class FlattenTest(Case):
    def test_flatten_is_render_rounded(self) -> None:
        state = rich_state()
        expected = quantise(render(state, state.photo.rect)[..., :3], np.uint16)
        self.assert_equal_arrays(flatten(state, 16), expected)

    def test_merged_copy_shows_the_same(self) -> None:
        state = rich_state()
        merged = edits.insert_on_top(state, merged_layer(state, "Merged copy"))
        rect = state.photo.rect
        self.assert_close(render(merged, rect), render(state, rect), 1 / 65535)

    def test_cancel_stops_it(self) -> None:
        token = CancelToken()
        token.cancel()
        with self.assertRaises(Cancelled):
            flatten(rich_state(), 8, cancel=token)

    def test_progress_rises_to_one(self) -> None:
        shares = []
        flatten(rich_state(), 8, progress=lambda share, what: shares.append(share))
        self.assertEqual(shares, sorted(shares))
        self.assertEqual(shares[-1], 1.0)

    def test_touched_share(self) -> None:
        state = painted_state(noise_photo(512, 256), 1)
        self.assertEqual(touched_share(new_state(state.photo)), 0)
        self.assertGreater(touched_share(state), 0.95)


class GeometryTest(Case):
    @settings(max_examples=60, deadline=None)
    @given(st.floats(0.03, 8), st.floats(0, 4000), st.floats(0, 3000), st.booleans(),
           st.floats(0, 800), st.floats(0, 600))
    def test_there_and_back(self, zoom, x, y, mirrored, view_x, view_y) -> None:
        geometry = ViewGeometry(4000, 3000, 800, 600, zoom, x, y, mirrored)
        there = geometry.to_view(*geometry.to_photo(view_x, view_y))
        self.assert_close(there, (view_x, view_y), 1e-6)

    def test_zoom_keeps_the_point_under_the_pen(self) -> None:
        for mirrored in (False, True):
            geometry = ViewGeometry(4000, 3000, 800, 600, 0.5, 2000, 1500, mirrored)
            before = geometry.to_photo(200, 100)
            self.assert_close(geometry.zoomed(2.0, 200, 100).to_photo(200, 100), before, 1e-6)

    def test_level_has_all_visible_detail(self) -> None:
        for zoom, level in ((4, 0), (1, 0), (0.99, 0), (0.5, 1), (0.49, 1), (0.25, 2), (0.13, 2)):
            geometry = ViewGeometry(4000, 3000, 800, 600, zoom, 2000, 1500)
            self.assertEqual(geometry.level, level)
            self.assertTrue(0.5 < geometry.level_zoom <= 4)

    def test_fitting_shows_all_of_it(self) -> None:
        geometry = ViewGeometry.fitting(4000, 3000, 800, 700)
        self.assertEqual(geometry.visible, Rect(0, 0, 4000, 3000).at_level(geometry.level))

    def test_dragging_moves_with_the_hand_also_mirrored(self) -> None:
        for mirrored in (False, True):
            geometry = ViewGeometry(4000, 3000, 800, 600, 0.5, 2000, 1500, mirrored)
            x, y = geometry.to_view(2000, 1500)
            self.assert_close(geometry.panned(30, -20).to_view(2000, 1500), (x + 30, y - 20), 1e-6)


CELLS = [(0, 0), (0, 1), (1, 0), (1, 1)]


class Slow:
    """A worker whose work and answers come one by one, as the test says."""

    n_threads = 1

    def __init__(self) -> None:
        self.posted: list[tuple] = []
        self.answers: list[tuple] = []
        self.n_rendered = 0

    def post(self, work, done, **options) -> None:
        self.posted.append((work, done))

    def work(self) -> None:
        if self.posted:
            work, done = self.posted.pop(0)
            outcome = work()
            self.n_rendered += outcome is not None
            self.answers.append((done, outcome))

    def answer(self, number: int) -> None:
        done, outcome = self.answers.pop(number)
        done(outcome)

    def run(self) -> None:
        while self.posted or self.answers:
            while self.posted:
                self.work()
            while self.answers:
                self.answer(0)


def key_of(fresh: Fresh) -> tuple[int, int]:
    """The tile that came in."""
    (key,) = fresh.rect.cells(256)
    return key


class ViewTilesTest(Case):
    def test_what_is_asked_arrives_and_stays_until_changed(self) -> None:
        arrived = []
        state = rich_state()
        view = ViewTiles(state, SameThread(), arrived.append)
        rect = Rect(0, 0, 300, 280)
        view.picture(Shown.AFTER, 0, rect)
        self.assertEqual(len(arrived), 4)
        view.picture(Shown.AFTER, 0, rect)
        self.assertEqual(len(arrived), 4)
        view.set_state(state, [(0, 0)])
        view.picture(Shown.AFTER, 0, rect)
        self.assertEqual(len(arrived), 5)

    def test_before_shows_the_photo(self) -> None:
        state = rich_state()
        view = ViewTiles(state, SameThread(), lambda request: None)
        view.picture(Shown.BEFORE, 0, Rect(0, 0, 64, 64))
        shown = view.picture(Shown.BEFORE, 0, Rect(0, 0, 64, 64))
        expected = quantise(state.photo.samples[:64, :64].astype(np.float32) / 65535, np.uint8)
        self.assertLessEqual(np.abs(shown[..., 2::-1].astype(int) - expected).max(), 1)

    def test_an_answer_older_than_the_change_is_dropped(self) -> None:
        state, slow = painted_state(), Slow()
        view = ViewTiles(state, slow, lambda request: None)
        view.request(Shown.AFTER, 0, (0, 0))
        slow.work()
        weaker = edits.set_strength(state, state.active_id, 0.1)
        view.set_state(weaker, CELLS)
        view.request(Shown.AFTER, 0, (0, 0))
        slow.work()
        for _ in range(2):
            slow.answer(-1)  # the newer answer comes first
        image = view.request(Shown.AFTER, 0, (0, 0)).image
        self.assert_equal_arrays(image, self.image_of(weaker))

    def test_an_evicted_tile_takes_no_answer_from_before(self) -> None:
        """Asked for, evicted, changed and asked for again: the old answer comes, and the new."""
        state, slow = painted_state(), Slow()
        view = ViewTiles(state, slow, lambda request: None)
        with mock.patch("lather.render.screen.view.MOST_TILES", 1):
            view.request(Shown.AFTER, 0, (0, 0))
            slow.work()
            view.request(Shown.AFTER, 0, (0, 1))  # evicts the first
            weaker = edits.set_strength(state, state.active_id, 0.1)
            view.set_state(weaker, CELLS)
            view.request(Shown.AFTER, 0, (0, 0))
            slow.answer(0)
            self.assertIsNone(view.request(Shown.AFTER, 0, (0, 0)).image)
            slow.run()
            image = view.request(Shown.AFTER, 0, (0, 0)).image
        self.assert_equal_arrays(image, self.image_of(weaker))

    def test_any_order_of_answers_ends_with_the_last_state(self) -> None:
        """Evicted or not, changed or not, painted or not: what shows is never older."""
        random = np.random.default_rng(5)
        for _ in range(30):
            state, slow = painted_state(), Slow()
            view = ViewTiles(state, slow, lambda request: None)
            with mock.patch("lather.render.screen.view.MOST_TILES", 2):
                for number in range(8):
                    view.request(Shown.AFTER, 0, (0, int(random.integers(0, 2))))
                    view.request(Shown.AFTER, 0, (1, 0))
                    strength = 0.1 + 0.1 * number
                    state = edits.set_strength(state, state.active_id, strength)
                    view.set_state(state, CELLS)
                    for _ in range(int(random.integers(0, 3))):
                        slow.work()
                    if random.random() < 0.5 and slow.answers:
                        slow.answer(int(random.integers(0, len(slow.answers))))
                view.request(Shown.AFTER, 0, (0, 0))
                while slow.posted:
                    slow.work()
                while slow.answers:
                    slow.answer(int(random.integers(0, len(slow.answers))))
                view.request(Shown.AFTER, 0, (0, 0))
                slow.run()
                image = view.request(Shown.AFTER, 0, (0, 0)).image
            self.assert_equal_arrays(image, self.image_of(state))

    def test_a_dragged_slider_renders_no_state_that_is_replaced(self) -> None:
        """Sixty states in a row, while a worker gets through a piece at every tenth."""
        state, slow, arrived = painted_state(noise_photo(1100, 1000), 2), Slow(), []
        view = ViewTiles(state, slow, arrived.append)
        rect = Rect(0, 0, 1024, 768)
        view.look(Shown.AFTER, 0, rect)
        slow.run()
        self.assertEqual(len(arrived), 12)
        slow.n_rendered = 0
        for number in range(60):
            state = edits.set_strength(state, state.active_id, number / 60)
            view.set_state(state, state.photo.rect.cells(256))
            view.look(Shown.AFTER, 0, rect)
            if number % 10 == 9:
                slow.work()
                slow.answer(0)
        slow.run()
        self.assertLessEqual(slow.n_rendered, 6 + 1 + 2)  # the newest one coarse, then exact
        self.assertFalse(view.busy)
        self.assert_equal_arrays(
            view.request(Shown.AFTER, 0, (0, 0)).image, self.image_of(state)
        )

    def test_what_is_looked_at_now_comes_first_and_nothing_else_is_rendered(self) -> None:
        state, slow, arrived = painted_state(noise_photo(1100, 1000), 1), Slow(), []
        view = ViewTiles(state, slow, arrived.append)
        view.prepare_overview()
        view.look(Shown.AFTER, 0, Rect(0, 0, 512, 256))
        view.look(Shown.AFTER, 0, Rect(512, 512, 1024, 768))  # panned away at once
        view.look(Shown.BEFORE, 0, Rect(512, 512, 768, 768))  # the other half of a split
        slow.run()
        fine = [key_of(fresh) for fresh in arrived if fresh.level == 0]
        self.assertEqual(fine, [(2, 2), (2, 2), (2, 3)])
        deepest = deepest_level(state.photo)  # of the overview, which comes last
        self.assertEqual({fresh.level for fresh in arrived[3:]}, {deepest})
        n_overview = len(list(state.photo.rect.at_level(deepest).cells(256)))
        self.assertEqual(len(arrived), 3 + 2 * n_overview)

    def test_a_tile_that_fails_is_wanted_again(self) -> None:
        state, arrived = painted_state(), []
        view = ViewTiles(state, SameThread(), arrived.append)
        with (
            mock.patch("lather.render.screen.request.ViewRequest.render", side_effect=MemoryError),
            self.assertLogs("lather.render.screen.view"),
        ):
            view.request(Shown.AFTER, 0, (0, 0))
        view.request(Shown.AFTER, 0, (0, 0))
        self.assertEqual(len(arrived), 1)

    def test_an_answer_from_before_the_paint_does_not_overwrite_it(self) -> None:
        """Stroke, change, request; a second stroke paints and ends; then the answer comes."""
        state, later = painted_state(), Later()
        view = ViewTiles(state, later, lambda request: None)
        view.request(Shown.AFTER, 0, (0, 0))
        later.run()
        rect = Rect(20, 20, 40, 40)
        view.invalidate(rect, (Shown.AFTER,))  # the first stroke ended
        view.request(Shown.AFTER, 0, (0, 0))
        view.live_rect = rect
        paint = np.full((20, 20, 4), 77, np.uint8)
        view.paint_over(0, rect, paint)
        view.live_rect = None  # the second one is over; its change is told next
        later.run()
        shown = view.picture(Shown.AFTER, 0, rect)
        self.assert_equal_arrays(shown, paint)
        view.invalidate(rect, (Shown.AFTER,))
        view.request(Shown.AFTER, 0, (0, 0))
        later.run()
        self.assert_equal_arrays(view.request(Shown.AFTER, 0, (0, 0)).image, self.image_of(state))

    def image_of(self, state) -> np.ndarray:
        view = ViewTiles(state, SameThread(), lambda request: None)
        view.request(Shown.AFTER, 0, (0, 0))
        return view.request(Shown.AFTER, 0, (0, 0)).image

    def test_tiles_under_the_brush_wait(self) -> None:
        arrived = []
        view = ViewTiles(painted_state(), SameThread(), arrived.append)
        view.live_rect = Rect(10, 10, 20, 20)
        view.request(Shown.AFTER, 0, (0, 0))
        view.request(Shown.AFTER, 0, (0, 1))
        self.assertEqual([key_of(fresh) for fresh in arrived], [(0, 1)])


class WorkersTest(Case):
    def test_failures_come_back_and_priorities_count(self) -> None:
        import threading

        gate, order, done = threading.Event(), [], threading.Event()
        workers = Workers(1)
        workers.post(gate.wait, lambda outcome: None)
        for name, priority in (("late", 2), ("soon", 0)):
            workers.post(lambda: None, lambda _, n=name: order.append(n), priority=priority)
        errors = []
        workers.post(lambda: 1 / 0, lambda _: None, failed=errors.append, priority=1)
        workers.post(lambda: None, lambda _: done.set(), priority=9)
        gate.set()
        self.assertTrue(done.wait(10))
        workers.close()
        self.assertEqual(order, ["soon", "late"])
        self.assertIsInstance(errors[0], ZeroDivisionError)
