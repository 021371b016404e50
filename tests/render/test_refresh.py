"""What is on the screen while something is dragged: one frame at a time, exact once it rests."""

from __future__ import annotations

import unittest
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.kernels import prepare_kernels
from lather.core.rect import Rect
from lather.document import edits
from lather.document.diff import changed_cells
from lather.document.layers.table import KINDS
from lather.document.state import JobState, new_state
from lather.render.compositor import render, render_on_kept
from lather.render.screen.dragged import render_dragged
from lather.render.screen.pace import FRAME_MS, Grade, Pace
from lather.render.screen.refresh import FOCUS_PX
from lather.render.screen.request import Fresh, Shown, ViewRequest, screen_bytes
from lather.render.screen.tile import TileEntry
from lather.render.screen.view import ViewTiles
from lather.render.worker import SameThread
from tests.stacks import stack_of, stacks
from tests.support import Case, noise_photo, painted_state, skin_photo

CELL = Rect(0, 0, 256, 256)
boxes = st.builds(
    lambda x, y, w, h: Rect(x, y, x + w, y + h),
    st.integers(0, 250), st.integers(0, 250), st.integers(1, 120), st.integers(1, 120),
)  # fmt: skip


def setUpModule() -> None:  # noqa: N802 - as unittest calls it
    prepare_kernels()


class PartsTest(Case):
    @given(boxes, boxes)
    def test_what_is_left_of_a_rectangle_and_what_is_taken_are_all_of_it(self, one, other) -> None:
        counts = np.zeros((400, 400), dtype=int)
        for piece in (*one.minus(other), one.intersect(other)):
            if not piece.empty:
                counts[piece.slices] += 1
        expected = np.zeros_like(counts)
        expected[one.slices] = 1
        self.assert_equal_arrays(counts, expected)

    @given(st.lists(st.tuples(st.booleans(), boxes), max_size=12))
    def test_a_tile_knows_which_of_its_pixels_are_old(self, events) -> None:
        """Marked and put in any order: what is not due is what was put last."""
        entry = TileEntry(0, (), np.zeros((256, 256, 4), np.uint8))
        newest = np.zeros((256, 256), np.uint8)
        for number, (is_put, box) in enumerate(events, start=1):
            part = box.intersect(CELL)
            if is_put:
                pixels = np.full((box.height, box.width, 4), newest.max(), np.uint8)
                pixels[: part.height, : part.width] = newest[part.slices][..., None]
                self.assertTrue(entry.put(number, CELL, box, pixels))
            else:
                newest[part.slices] = number
                entry.mark(number, part)
        due = np.zeros((256, 256), dtype=bool)
        for part in entry.due:
            due[part.slices] = True
        self.assert_equal_arrays(entry.image[..., 0][~due], newest[~due])

    def test_an_answer_from_before_the_last_mark_is_refused(self) -> None:
        entry = TileEntry(0, (CELL,))
        part = np.zeros((10, 10, 4), np.uint8)
        self.assertFalse(entry.put(0, CELL, Rect(0, 0, 10, 10), part), "not all that is missing")
        self.assertTrue(entry.put(0, CELL, CELL, np.zeros((256, 256, 4), np.uint8)))
        entry.mark(3, Rect(0, 0, 10, 10))
        self.assertFalse(entry.put(2, CELL, Rect(0, 0, 10, 10), part))
        self.assertTrue(entry.put(3, CELL, Rect(0, 0, 10, 10), part))
        self.assertEqual(entry.due, ())


class PaceTest(unittest.TestCase):
    PX = 480_000

    def after(self, pace: Pace, grade: Grade, ms: float) -> Grade:
        for _ in range(3):
            pace.note(grade, self.PX, ms / 1000)
        return pace.choose(self.PX)

    def test_the_best_grade_that_is_fast_enough(self) -> None:
        pace = Pace()
        self.assertEqual(pace.choose(self.PX), Grade.COARSE, "before anything is known")
        self.assertEqual(self.after(pace, Grade.COARSE, 0.9 * FRAME_MS), Grade.COARSE)
        self.assertEqual(self.after(pace, Grade.COARSE, 0.2 * FRAME_MS), Grade.HELD)
        self.assertEqual(self.after(pace, Grade.HELD, 0.9 * FRAME_MS), Grade.HELD)
        self.assertEqual(self.after(pace, Grade.EXACT, 0.9 * FRAME_MS), Grade.EXACT, "at rest")
        self.assertEqual(self.after(pace, Grade.EXACT, 1.5 * FRAME_MS), Grade.HELD)
        self.assertEqual(self.after(pace, Grade.HELD, 1.5 * FRAME_MS), Grade.COARSE)

    def test_near_the_bar_it_stays_as_it_is(self) -> None:
        pace = Pace()
        self.after(pace, Grade.COARSE, 0.2 * FRAME_MS)
        for ms in (1.1 * FRAME_MS, 0.97 * FRAME_MS, 1.1 * FRAME_MS):
            self.assertEqual(self.after(pace, Grade.HELD, ms), Grade.HELD)

    def test_what_is_hardly_faster_is_not_taken(self) -> None:
        pace = Pace(grades=(Grade.EXACT, Grade.COARSE))
        self.after(pace, Grade.EXACT, 1.5 * FRAME_MS)
        self.assertEqual(self.after(pace, Grade.COARSE, 0.6 * FRAME_MS), Grade.COARSE)
        self.assertEqual(self.after(pace, Grade.COARSE, 1.4 * FRAME_MS), Grade.EXACT)

    def test_a_smaller_place_can_be_better(self) -> None:
        pace = Pace()
        self.assertEqual(self.after(pace, Grade.COARSE, 0.9 * FRAME_MS), Grade.COARSE)
        self.assertEqual(pace.choose(self.PX // 20), Grade.HELD)
        self.assertEqual(Pace().choose(self.PX // 20), Grade.EXACT, "after a few quick strokes")


class OnKeptTest(Case):
    @settings(max_examples=40, deadline=None)
    @given(stacks(), st.integers(0, 12), st.integers(0, 1))
    def test_it_is_the_same_picture_whatever_is_kept_below(self, what, n_kept, level) -> None:
        photo = noise_photo(300, 210)
        state = stack_of(photo, what)
        whole = render(state, photo.rect.at_level(level), level)
        for rect in (Rect(31, 17, 190, 141), Rect(140, 90, 300, 210)):
            part = rect.at_level(level)
            made = render_on_kept(state, min(n_kept, len(state.layers)), part, level)
            self.assert_equal_arrays(made, whole[part.slices])


class ReducedTest(Case):
    def test_a_coarse_frame_by_what_is_kept_is_near_the_picture(self) -> None:
        """Means of blocks below and the change on top are nearly the change's means, on skin."""
        photo = skin_photo(301, 211)
        state = edits.add_computed(painted_state(photo, 2), KINDS["exposure"], exposure_ev=0.5)
        n_kept = len(state.layers) - 1
        for rect in (photo.rect.at_level(1), photo.rect.at_level(1).grown(1), Rect(20, 10, 90, 70)):
            made = render_dragged(state, n_kept, rect, 1, 1, state)
            inside = rect.intersect(photo.rect.at_level(1))
            part = made[inside.shifted(-rect.x0, -rect.y0).slices]
            away = np.abs(part - render(state, inside, 1))
            self.assertLess(float(np.percentile(away, 95)), 0.06)
            self.assertLess(float(away.mean()), 0.02)


    def test_filters_above_change_what_they_changed_when_the_drag_began(self) -> None:
        photo = skin_photo(301, 211)
        began = edits.add_computed(new_state(photo), KINDS["exposure"], exposure_ev=0.5)
        dragged = began.active_id
        for kind in ("smooth", "curves", "sharpen"):
            began = edits.add_computed(began, KINDS[kind])
        rect = Rect(10, 5, 100, 80)
        same = render_dragged(began, 1, rect, 1, 1, began)
        np.testing.assert_allclose(same, render(began, rect, 1), atol=2e-3)
        brighter = edits.set_parameter(began, dragged, "exposure_ev", 0.7)
        made = render_dragged(brighter, 1, rect, 1, 1, began)
        truth = render(brighter, rect, 1)
        self.assertLess(np.abs(made - truth).mean(), 0.1 * np.abs(same - truth).mean())


class Frames:
    """An executor of which the test says when it works, and a clock that it sets."""

    n_threads = 2

    def __init__(self) -> None:
        self.posted: list[tuple] = []
        self.later: list = []
        self.now_s = 0.0

    def post(self, work, done, **options) -> None:
        self.posted.append((work, done))

    def wait(self, _ms: int, what) -> None:
        self.later.append(what)

    def work(self, n: int | None = None) -> None:
        """So many pieces, or all that are there now."""
        for _ in range(len(self.posted) if n is None else n):
            work, done = self.posted.pop(0)
            done(work())

    def rest(self) -> None:
        waiting, self.later = self.later, []
        for what in waiting:
            what()


class DragTest(Case):
    RECT = Rect(0, 0, 1024, 700)

    def setUp(self) -> None:
        super().setUp()
        state = edits.add_computed(painted_state(noise_photo(1100, 900), 2), KINDS["exposure"])
        self.state = edits.set_parameter(state, state.active_id, "exposure_ev", 1.0)
        self.slow = Frames()
        self.arrived: list[Fresh] = []
        self.view = ViewTiles(self.state, self.slow, self.arrived.append, later=self.slow.wait)
        self.look()
        while self.slow.posted:
            self.slow.work()
        self.arrived.clear()

    def look(self, focus: tuple[float, float] | None = None) -> None:
        self.view.want(Shown.AFTER, 0, self.RECT, focus)

    def set_state(self, state: JobState) -> None:
        self.view.set_state(state, changed_cells(self.state, state))
        self.state = state

    def weaken(self, strength: float, focus: tuple[float, float] | None = None) -> None:
        self.set_state(edits.set_strength(self.state, self.state.active_id, strength))
        self.look(focus)

    def expected(self, rect: Rect) -> np.ndarray:
        return screen_bytes(self.state, render(self.state, rect), self.view.surround)

    def test_one_change_by_itself_is_exact_at_once(self) -> None:
        self.weaken(0.5)
        self.slow.work()
        self.assertFalse(self.view.busy)
        self.assertTrue(all(fresh.exact for fresh in self.arrived))
        self.assertEqual(self.view.frames, {0: 0, 1: 0})
        for fresh in self.arrived:
            self.assert_equal_arrays(fresh.image, self.expected(fresh.rect))
        self.assertEqual(Rect.union_of(fresh.rect for fresh in self.arrived), self.RECT)

    def test_while_it_goes_on_one_frame_at_a_time_of_the_newest_state(self) -> None:
        for number in range(8):
            self.weaken(0.1 + 0.1 * number)
        self.slow.work()  # what was begun of the first is given up, and the newest begun
        self.assertEqual([fresh for fresh in self.arrived if fresh.exact], [])
        self.slow.work()
        (frame,) = self.arrived
        self.assertEqual((frame.exact, frame.rect), (False, self.RECT))
        means = [image[:640, :960, :3].reshape(10, 64, 15, 64, 3).mean((1, 3))
                 for image in (frame.image, self.expected(self.RECT))]  # fmt: skip
        np.testing.assert_allclose(*means, atol=12)
        self.assertEqual(self.slow.posted, [], "nothing is rendered that nobody asked for")
        self.assertTrue(self.view.busy)

    def test_exact_once_it_rests_and_kept(self) -> None:
        for number in range(4):
            self.weaken(0.2 + 0.1 * number)
        self.slow.work()
        self.slow.work()
        self.slow.rest()
        self.slow.work()
        self.assertFalse(self.view.busy)
        self.assert_equal_arrays(self.view.picture(Shown.AFTER, 0, self.RECT),
                                 self.expected(self.RECT))  # fmt: skip
        self.assertTrue(self.view.is_current(Shown.AFTER, 0, self.RECT))

    def test_what_moved_on_since_is_not_made_exact(self) -> None:
        self.weaken(0.3)
        self.weaken(0.4)
        self.slow.work()
        self.slow.work()
        self.weaken(0.5)  # before the rest is over
        n_posted = len(self.slow.posted)
        self.slow.rest()
        self.assertEqual(len(self.slow.posted), n_posted)
        self.slow.work()
        self.assertFalse(self.arrived[-1].exact)

    def test_the_nearest_to_the_focus_comes_first(self) -> None:
        for y in (20.0, 690.0):
            self.arrived.clear()
            self.slow.now_s += 10
            self.view._refreshes.clear()
            self.weaken(y / 1000, (500.0, y))
            self.slow.work(1)
            (fresh,) = self.arrived
            self.assertTrue(fresh.rect.contains_point(500, y), fresh.rect)
            self.slow.work()

    def test_fine_kinds_are_exact_around_the_focus_from_the_first_frame(self) -> None:
        self.set_state(edits.add_computed(self.state, KINDS["sharpen"], width_px=1.0))
        self.look()
        self.slow.work()
        layer_id = self.state.active_id
        for amount in (150.0, 160.0, 170.0):
            self.set_state(edits.set_parameter(self.state, layer_id, "contrast_percent", amount))
            self.look((600.0, 300.0))
        self.arrived.clear()
        self.slow.work()
        self.slow.work()
        frame = self.arrived[-1]
        self.assertFalse(frame.exact)
        near = Rect.around(600, 300, FOCUS_PX).intersect(self.RECT)
        self.assert_equal_arrays(frame.image[near.slices], self.expected(self.RECT)[near.slices])

    def test_a_frame_that_fails_is_asked_for_with_the_next_change(self) -> None:
        view = ViewTiles(self.state, SameThread(), self.arrived.append)
        view.look(Shown.AFTER, 0, self.RECT)
        with (
            mock.patch.object(ViewRequest, "render", side_effect=MemoryError),
            self.assertLogs("lather.render.screen.refresh"),
        ):
            view.invalidate(self.RECT, (Shown.AFTER,))
            view.want(Shown.AFTER, 0, self.RECT)
        self.assertFalse(view.busy)
        self.assertFalse(view.is_current(Shown.AFTER, 0, self.RECT))
        view.invalidate(self.RECT, (Shown.AFTER,))
        view.want(Shown.AFTER, 0, self.RECT)
        self.assertTrue(view.is_current(Shown.AFTER, 0, self.RECT))


if __name__ == "__main__":
    unittest.main()
