"""Whatever lies on whatever: view, tile, export and journal show the same, bit for bit."""

from __future__ import annotations

import unittest
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from unittest import mock

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from lather.core.blend.composite import on_white
from lather.core.kernels import prepare_kernels
from lather.core.rect import Rect
from lather.document.layers.reshape import ReshapeLayer
from lather.document.state import JobState, new_state
from lather.document.tree import path_to, replaced, walk
from lather.files.jobs.journal import Journal
from lather.files.jobs.journalreader import read_journal
from lather.render import compositor
from lather.render.around import AroundCache
from lather.render.cache import Caches
from lather.render.compositor import render
from lather.render.flatten import flatten
from lather.render.lenses.lens import LensLook
from lather.render.screen.request import Shown, ViewRequest, screen_bytes
from lather.render.shown import render_mask
from lather.render.space import layer_space, photo_space
from tests.stacks import bell, stack_of, stacks
from tests.support import Case, noise_photo

PARTS = (Rect(0, 0, 256, 256), Rect(31, 17, 190, 141), Rect(140, 90, 300, 210))


def setUpModule() -> None:  # noqa: N802 - as unittest calls it
    prepare_kernels()


class StacksTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.photo = noise_photo(300, 210)

    def fresh(self, state: JobState, rect: Rect, level: int = 0) -> np.ndarray:
        with mock.patch.object(compositor, "kept", Caches()):
            return render(state, rect, level)

    @settings(max_examples=60, deadline=None)
    @given(stacks())
    @example([("masked reshape", 7), ("split", 3), ("group", 0)])  # reaches rounded up in a group
    def test_view_tile_and_export_are_one_picture(self, what) -> None:
        state = stack_of(self.photo, what)
        whole = self.fresh(state, self.photo.rect)
        for rect in PARTS:
            part = rect.intersect(self.photo.rect)
            self.assert_equal_arrays(self.fresh(state, part), whole[part.slices])
        half = self.fresh(state, self.photo.rect.at_level(1), 1)
        part = PARTS[1].at_level(1)
        self.assert_equal_arrays(self.fresh(state, part, 1), half[part.slices])
        expected = np.empty((*whole.shape[:2], 3), dtype=np.uint16)
        on_white(whole, expected)
        self.assert_equal_arrays(flatten(state, 16), expected)
        cell = Rect(0, 0, 256, 256)
        request = ViewRequest(0, state, Shown.AFTER, 0, Rect(0, 0, 256, 256), 0.2, LensLook())
        shown = screen_bytes(state, self.fresh(state, cell), 0.2)
        self.assert_equal_arrays(request.render(), shown)

    @settings(max_examples=40, deadline=None)
    @given(stacks(), st.integers(0, 9))
    def test_where_each_layer_shows_is_the_same_in_every_part(self, what, pick) -> None:
        state = stack_of(self.photo, what)
        layers = list(walk(state.layers))
        layer = layers[pick % len(layers)]
        whole = render_mask(state, layer, self.photo.rect)
        for rect in PARTS:
            part = rect.intersect(self.photo.rect)
            self.assert_equal_arrays(render_mask(state, layer, part), whole[part.slices])

    @settings(max_examples=40, deadline=None)
    @given(stacks(5), stacks(4), st.integers(0, 9))
    def test_after_a_push_anywhere_what_is_kept_is_as_if_rendered_afresh(
        self, below, above, pick
    ) -> None:
        state = stack_of(self.photo, [*below, ("reshape", pick), *above])
        moving = [layer for layer in walk(state.layers) if isinstance(layer, ReshapeLayer)]
        layer = moving[pick % len(moving)]
        for rect in PARTS:
            render(state, rect)
        more = bell(self.photo, (5.0, -7.0), (150.0 - 5 * pick, 100.0))
        pushed = replace(layer, across=more.across, down=more.down)
        after = replace(state, layers=replaced(state.layers, layer.id, (pushed,)))
        for rect in PARTS:
            self.assert_equal_arrays(render(after, rect), self.fresh(after, rect))

    @settings(max_examples=40, deadline=None)
    @given(stacks())
    def test_a_journal_replays_to_the_same_picture(self, what) -> None:
        base = new_state(self.photo)
        path = self.folder / "journal"
        state = stack_of(self.photo, what)
        state = replace(state, layers=(*base.layers, *state.layers[1:]))
        journal = Journal(path, base, "r", {})
        self.addCleanup(journal.close, delete=True)
        journal.record("all of it", state)
        journal.sync()
        (*_, last) = read_journal(path).steps("r", base)
        self.assert_equal_arrays(self.fresh(last.state, self.photo.rect),
                                 self.fresh(state, self.photo.rect))  # fmt: skip

    @settings(max_examples=10, deadline=None)
    @given(stacks(), stacks())
    def test_two_jobs_at_once_in_one_process(self, one, other) -> None:
        """Rendered by turns and on two threads: each is what it is by itself."""
        states = [stack_of(photo, what) for photo, what in (
            (self.photo, one), (noise_photo(300, 210, seed=2), other))]  # fmt: skip
        expected = [self.fresh(state, self.photo.rect) for state in states]
        wanted = [(number, rect) for rect in PARTS for number in (0, 1)] * 2
        with ThreadPoolExecutor(2) as pool:
            found = list(pool.map(lambda part: render(states[part[0]], part[1]), wanted))
        for (number, rect), pixels in zip(wanted, found, strict=True):
            inside = rect.intersect(self.photo.rect)
            here = pixels[: inside.height, : inside.width]
            self.assert_equal_arrays(here, expected[number][inside.slices])

    @settings(max_examples=40, deadline=None)
    @given(stacks(), st.integers(0, 9), st.integers(0, 99))
    def test_places_go_there_and_back(self, what, pick, seed) -> None:
        state = stack_of(self.photo, what)
        layers = list(walk(state.layers))
        points = np.random.default_rng(seed).uniform((5, 5), (295, 205), (40, 2))
        for space in (photo_space(state), layer_space(state, layers[pick % len(layers)].id)):
            self.assert_close(space.from_seen(space.to_seen(points)), points, 0.1)
            self.assert_close(space.to_photo(space.from_photo(points)), points, 0.1)

    @settings(max_examples=40, deadline=None)
    @given(stacks(), st.integers(0, 9))
    def test_a_stroke_s_frames_are_the_picture(self, what, pick) -> None:
        """Where no filter looks around itself: those are exact again once the pen is up."""
        state = stack_of(self.photo, [one for one in what if one[0] not in ("smooth", "split")])
        layers = list(walk(state.layers))
        state = replace(state, active_id=layers[pick % len(layers)].id)
        if any(layer.MOVES for top in state.layers for layer in walk(top.children)):
            return  # in a group they are rendered afresh, too
        rect = PARTS[1]
        shown = AroundCache().render(state, state, rect, 0)
        self.assert_close(shown, self.fresh(state, rect), 1e-5)
        self.assertTrue(path_to(state.layers, state.active_id))


if __name__ == "__main__":
    unittest.main()
