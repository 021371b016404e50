"""Layers as values: edits, undo and redo, what changed, and refusals with reasons."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings

from lather.core.rect import Rect
from lather.document import edits, ungrouping
from lather.document.diff import changed_cells
from lather.document.history import History, Step
from lather.document.job import Job
from lather.document.layers.group import GroupLayer
from lather.document.layers.photo import PhotoLayer
from lather.document.layers.pixels import PixelLayer
from lather.document.ledger import Ledger
from lather.document.state import new_state
from lather.document.tiles import NO_PIXELS, TILE_PX, WHITE_MASK, Tiles
from lather.document.tree import find, walk
from lather.errors import EditError
from lather.render.compositor import render
from tests.support import (
    Case,
    apply_edit,
    edit_sequences,
    noise_photo,
    painted_state,
    random_tile,
)


class EditsTest(Case):
    def test_new_layer_goes_above_the_active_one(self) -> None:
        state = painted_state()
        below = state.layers[1].id
        state = edits.add_pixel_layer(replace(state, active_id=below))
        self.assertEqual([layer.id for layer in state.layers][2], state.active_id)

    def test_duplicates_have_ids_and_names_of_their_own(self) -> None:
        state = painted_state()
        state = edits.group(state, state.active_id)
        state = edits.duplicate(state, state.active_id)
        ids = [layer.id for layer in walk(state.layers)]
        self.assertEqual(len(ids), len(set(ids)))
        self.assertEqual(state.active.name, "Group 1 copy")

    def test_group_and_ungroup_leave_the_picture(self) -> None:
        state = painted_state()
        rect = state.photo.rect
        before = render(state, rect)
        grouped = edits.group(state, state.active_id)
        self.assertIsInstance(grouped.active, GroupLayer)
        self.assert_close(render(grouped, rect), before, 1e-6)
        back = ungrouping.ungroup(grouped, grouped.active_id)
        self.assertEqual([x.id for x in back.layers], [x.id for x in state.layers])

    def test_move_into_and_out_of_groups(self) -> None:
        state = painted_state(n_layers=3)
        first, second, third = (layer.id for layer in state.layers[1:])
        state = edits.group(state, third)
        group_id = state.active_id
        state = edits.move_into(state, first, group_id=group_id)
        group = state.layer(group_id)
        self.assertEqual([child.id for child in group.children], [third, first])
        with self.assertRaisesRegex(EditError, "into itself"):
            edits.move(state, group_id, above_id=first)
        state = edits.move(state, first, above_id=second)
        self.assertEqual([x.id for x in state.layers[1:]], [second, first, group_id])

    def test_raise_and_lower_stop_at_the_photo_and_the_top(self) -> None:
        state = painted_state()
        low, high = state.layers[1].id, state.layers[2].id
        self.assertIs(edits.lower_layer(state, low), state)
        self.assertIs(edits.raise_layer(state, high), state)
        self.assertEqual(edits.raise_layer(state, low).layers[2].id, low)

    def test_refusals_say_why(self) -> None:
        state = painted_state()
        photo_id, layer_id = state.layers[0].id, state.active_id
        locked = edits.set_locked(state, layer_id, True)
        hidden = edits.set_visible(state, layer_id, False)
        group = edits.group(state, layer_id)
        refused = (
            (lambda: edits.delete(state, photo_id), "never changed"),
            (lambda: edits.duplicate(state, photo_id), "photo cannot"),
            (lambda: edits.set_strength(state, photo_id, 0.5), "photo cannot"),
            (lambda: edits.add_mask(state, photo_id), "photo cannot"),
            (lambda: edits.delete(locked, layer_id), "locked"),
            (lambda: edits.paintable(locked, layer_id), "locked"),
            (lambda: edits.paintable(hidden, layer_id), "hidden"),
            (lambda: edits.paintable(state, photo_id), "never changes"),
            (lambda: edits.paintable(group, group.active_id), "a group"),
            (lambda: edits.rename(state, layer_id, "  "), "empty"),
            (lambda: edits.invert_mask(state, layer_id), "no mask"),
            (lambda: ungrouping.ungroup(state, layer_id), "not a group"),
        )
        for work, reason in refused:
            with self.subTest(reason), self.assertRaisesRegex(EditError, reason):
                work()

    def test_strength_is_kept_within_bounds(self) -> None:
        state = painted_state()
        for asked, got in ((-1, 0), (0.4, 0.4), (7, 1)):
            self.assertEqual(edits.set_strength(state, state.active_id, asked).active.strength, got)


class JobTest(Case):
    def test_undo_and_redo_restore_the_very_states(self) -> None:
        job = Job(painted_state())
        first = job.state
        job.change("Strength", edits.set_strength(first, first.active_id, 0.5))
        second = job.state
        self.assertEqual(job.undo(), "Strength")
        self.assertIs(job.state, first)
        self.assertEqual(job.redo(), "Strength")
        self.assertIs(job.state, second)
        self.assertIsNone(job.redo())

    def test_the_same_state_is_no_step(self) -> None:
        job = Job(painted_state())
        job.change("Nothing", edits.set_visible(job.state, job.state.active_id, True))
        self.assertEqual(job.history.done, ())

    def test_a_gesture_is_one_step(self) -> None:
        job = Job(painted_state())
        first = job.state
        for strength in (0.9, 0.8, 0.7):
            job.change(
                "Strength", edits.set_strength(job.state, job.state.active_id, strength), "drag"
            )
        self.assertEqual(len(job.history.done), 1)
        job.undo()
        self.assertIs(job.state, first)

    def test_subscribers_hear_before_and_after(self) -> None:
        job, heard = Job(painted_state()), []
        job.changed.connect(lambda before, after: heard.append((before, after)))
        before = job.state
        job.change("Rename", edits.rename(before, before.active_id, "Cheeks"))
        self.assertEqual(len(heard), 1)
        self.assertIs(heard[0][0], before)
        self.assertEqual(heard[0][1].active.name, "Cheeks")

    def test_modified_follows_the_saved_state(self) -> None:
        job = Job(painted_state())
        self.assertFalse(job.modified)
        job.change("Rename", edits.rename(job.state, job.state.active_id, "A"))
        self.assertTrue(job.modified)
        job.mark_saved(self.folder / "a.lather", job.state)
        self.assertFalse(job.modified)
        job.undo()
        self.assertTrue(job.modified)
        job.redo()
        self.assertFalse(job.modified)

    def test_going_far_back_is_one_change_for_everybody(self) -> None:
        job, told, written = Job(painted_state()), [], []
        states = [job.state]
        for number in range(30):
            job.change(f"{number}", edits.rename(job.state, job.state.active_id, f"{number}"))
            states.append(job.state)
        job.changed.connect(lambda before, after: told.append((before, after)))
        job.recorder = lambda step, after: written.append(after)
        for n_done in (3, 3, 30, 0, 12, 99, -1):
            told.clear()
            written.clear()
            before, wanted = job.state, states[min(max(n_done, 0), 30)]
            job.go_to(n_done)
            self.assertIs(job.state, wanted)
            self.assertEqual(len(job.history.done), min(max(n_done, 0), 30))
            self.assertEqual(len(job.history.done) + len(job.history.undone), 30)
            expected = [] if before is wanted else [(before, wanted)]
            self.assertEqual((told, written), (expected, [after for _, after in expected]))

    def test_memory_budget_forgets_the_oldest_only(self) -> None:
        job = Job(painted_state(n_layers=1))
        one_tile = random_tile(0).nbytes
        job.history.budget_bytes = 5 * one_tile
        for seed in range(12):
            tiles = job.state.active.tiles.with_tiles({(0, 0): random_tile(seed)})
            job.change(f"{seed}", edits.set_pixels(job.state, job.state.active_id, tiles))
        names = [step.name for step in job.history.done]
        self.assertEqual(names, [str(n) for n in range(12 - len(names), 12)])
        self.assertTrue(3 <= len(names) <= 6)

    def test_a_step_costs_only_what_it_replaced(self) -> None:
        state = painted_state(n_layers=4)
        tiles = state.active.tiles.with_tiles({(0, 0): random_tile(77)})
        after = edits.set_pixels(state, state.active_id, tiles)
        replaced = Step("x", state, after).replaced_tiles
        self.assertEqual([tile.nbytes for tile in replaced], [random_tile(0).nbytes])
        self.assertIsNone(History().undo())

    @settings(max_examples=40, deadline=None)
    @given(edit_sequences(25))
    def test_any_sequence_of_edits_keeps_the_job_sound(
        self, operations: list[tuple[str, int]]
    ) -> None:
        """The photo stays lowest, ids stay unique, the active layer exists, undo leads home."""
        job = Job(painted_state(noise_photo(40, 30), 2))
        start = job.state
        for name, pick in operations:
            if not apply_edit(job, name, pick):
                continue
            ids = [entry.id for entry in walk(job.state.layers)]
            self.assertEqual(len(ids), len(set(ids)))
            self.assertIsInstance(job.state.layers[0], PhotoLayer)
            self.assertEqual(sum(isinstance(x, PhotoLayer) for x in walk(job.state.layers)), 1)
            self.assertIsNotNone(find(job.state.layers, job.state.active_id))
        while job.undo() is not None:
            pass
        self.assertEqual(job.state.layers, start.layers)


class DiffTest(Case):
    def assert_shows(self, before, after) -> set:
        """The tiles said to differ, all of the difference lying in them."""
        cells = changed_cells(before, after)
        rect = after.photo.rect
        same = (render(before, rect) == render(after, rect)).all(-1)
        for key in cells:
            same[Rect.cell(key, TILE_PX).intersect(rect).slices] = True
        self.assertTrue(same.all())
        return cells

    def test_outside_the_tiles_nothing_changes(self) -> None:
        state = painted_state(noise_photo(600, 300))
        layer_id = state.active_id
        one_tile = edits.set_pixels(
            state, layer_id, state.active.tiles.with_tiles({(0, 1): random_tile(9)})
        )
        for after in (
            one_tile,
            edits.set_strength(state, layer_id, 0.3),
            edits.set_visible(state, layer_id, False),
            edits.delete(state, layer_id),
            edits.lower_layer(state, layer_id),
            edits.group(state, layer_id),
            edits.duplicate(state, layer_id),
        ):
            self.assertLess(len(self.assert_shows(state, after)), 6)
            self.assert_shows(after, state)
        self.assertEqual(changed_cells(state, one_tile), {(0, 1)})

    @settings(max_examples=60, deadline=None)
    @given(edit_sequences(8))
    def test_no_edit_changes_more_than_its_tiles(
        self, operations: list[tuple[str, int]]
    ) -> None:
        job = Job(painted_state(noise_photo(600, 300), 3))
        start = job.state
        for name, pick in operations:
            before = job.state
            if apply_edit(job, name, pick):
                self.assert_shows(before, job.state)
        self.assert_shows(start, job.state)

    def test_a_layer_that_comes_concerns_its_own_tiles_only(self) -> None:
        state = painted_state(noise_photo(600, 300))
        lowest = state.layers[0].id
        above_photo = edits.add_pixel_layer(replace(state, active_id=lowest))
        self.assertEqual(above_photo.layers[1].id, above_photo.active_id)
        self.assertEqual(changed_cells(state, above_photo), set())
        self.assertEqual(changed_cells(above_photo, state), set())
        empty_group = edits.group(above_photo, above_photo.active_id)
        self.assertEqual(changed_cells(state, empty_group), set())

    def test_a_stroke_on_a_mask_concerns_its_tiles_only(self) -> None:
        state = painted_state(noise_photo(600, 300))
        layer_id = state.active_id
        masked = edits.add_mask(state, layer_id)
        tiles = masked.active.mask.tiles.with_tiles({(0, 1): random_tile(3, 1)})
        painted = edits.set_mask_pixels(masked, layer_id, tiles)
        self.assertEqual(self.assert_shows(masked, painted), {(0, 1)})
        inverted = edits.invert_mask(painted, layer_id)
        self.assertEqual(self.assert_shows(painted, inverted), {(0, 0), (0, 1)})

    def test_a_layer_that_moves_concerns_no_other(self) -> None:
        state = new_state(noise_photo(1100, 300))
        for column in range(4):
            state = edits.add_pixel_layer(state)
            tiles = state.active.tiles.with_tiles({(0, column): random_tile(column)})
            state = edits.set_pixels(state, state.active_id, tiles)
        lowest = state.layers[1].id
        moved = state
        for _ in range(3):
            moved = edits.raise_layer(moved, lowest)
        self.assertEqual(self.assert_shows(state, moved), {(0, 0)})

    def test_names_and_locks_change_no_pixel(self) -> None:
        state = painted_state()
        self.assertEqual(changed_cells(state, edits.rename(state, state.active_id, "A")), set())
        locked = edits.set_locked(state, state.active_id, True)
        self.assertEqual(changed_cells(state, locked), set())

    def test_what_is_hidden_concerns_nothing(self) -> None:
        state = painted_state()
        hidden = edits.set_visible(state, state.active_id, False)
        other = edits.set_strength(hidden, hidden.active_id, 0.2)
        self.assertEqual(changed_cells(hidden, other), set())

    def test_hiding_the_photo_changes_everything(self) -> None:
        state = painted_state()
        after = edits.set_visible(state, state.layers[0].id, False)
        self.assertEqual(changed_cells(state, after), set(state.photo.rect.cells(TILE_PX)))


class TilesTest(Case):
    def test_reading_across_tiles_and_beyond(self) -> None:
        tiles = NO_PIXELS.with_tiles({(0, 0): random_tile(1), (1, 1): random_tile(2)})
        block = tiles.read(Rect(200, 200, 300, 300))
        self.assert_equal_arrays(block[:56, :56], tiles.pixels((0, 0))[200:, 200:])
        self.assert_equal_arrays(block[56:, 56:], tiles.pixels((1, 1))[:44, :44])
        self.assertFalse(block[:56, 56:].any())

    def test_blank_tiles_are_dropped_and_old_values_stay(self) -> None:
        tiles = NO_PIXELS.with_tiles({(0, 0): random_tile(1)})
        empty = np.zeros((TILE_PX, TILE_PX, 4), np.uint16)
        self.assertFalse(tiles.with_tiles({(0, 0): empty}))
        self.assertTrue(tiles)
        white = np.full((TILE_PX, TILE_PX), 65535, np.uint16)
        self.assertFalse(WHITE_MASK.with_tiles({(3, 4): white}))

    def test_tiles_cannot_be_written(self) -> None:
        tiles = NO_PIXELS.with_tiles({(0, 0): random_tile(1)})
        with self.assertRaises(ValueError):
            tiles.pixels((0, 0))[0, 0, 0] = 1

    def test_mips_are_means(self) -> None:
        mask = Tiles(channels=1).with_tiles({(0, 0): random_tile(5, channels=1)})
        tile = mask.get((0, 0))
        self.assertEqual(tile.level(8).shape, (1, 1))
        self.assertAlmostEqual(
            float(tile.level(8)[0, 0]), float(tile.pixels.mean()), delta=4
        )


class LedgerTest(unittest.TestCase):
    def test_pauses_do_not_count(self) -> None:
        ledger = Ledger()
        for now_s in (0, 10, 30, 500, 520):
            ledger.sign_of_life(now_s)
        self.assertEqual(ledger.worked_s, 50)


class PhotoTest(Case):
    def test_levels_are_means_of_the_photo(self) -> None:
        photo = noise_photo(256, 128)
        for level in (1, 2, 3):
            step = 2**level
            blocks = photo.samples.reshape(128 // step, step, 256 // step, step, 3)
            self.assert_close(photo.level(level), blocks.mean((1, 3)), level + 0.51)

    def test_odd_sizes_round_up(self) -> None:
        photo = noise_photo(101, 51)
        self.assertEqual(photo.level(1).shape, (26, 51, 3))
        self.assertEqual(photo.rect.at_level(1), Rect(0, 0, 51, 26))

    def test_outside_is_transparent(self) -> None:
        pixels = noise_photo(50, 40).read_float(Rect(-10, -10, 60, 50))
        self.assertEqual(float(pixels[..., 3].sum()), 50 * 40)
        self.assertFalse(pixels[:10].any())

    def test_new_job_has_only_the_photo(self) -> None:
        state = new_state(noise_photo())
        self.assertEqual(len(state.layers), 1)
        self.assertIsInstance(state.active, PhotoLayer)
        self.assertNotIsInstance(state.active, PixelLayer)


if __name__ == "__main__":
    unittest.main()
