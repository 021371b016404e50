"""Whose it is, and how long: proposals, the reference, masks looked at, caches, steps gone to."""

from __future__ import annotations

import gc
import unittest
import weakref
from dataclasses import replace
from unittest import mock

from lather.actions.findings import finding as commands
from lather.actions.job.saving import _save_to
from lather.actions.job.settling import settle
from lather.actions.job.stepping import Stepping
from lather.actions.stages import evening
from lather.actions.work import proposing
from lather.assist.check.check import check
from lather.core.rect import Rect
from lather.document import areas, edits
from lather.document.digest import digest
from lather.document.findings import FindingState
from lather.document.job import Job
from lather.document.layers.hues import HuesLayer
from lather.document.layers.limits import Limits, Span
from lather.document.layers.table import KINDS
from lather.document.state import JobState, new_state
from lather.document.tiles import NO_PIXELS
from lather.errors import EditError
from lather.files.jobs.journal import Journal
from lather.render.cache import MOST_BOUNDARIES
from lather.render.compositor import kept, render
from lather.render.lenses.reference import _measured, skin_lab
from tests.actions.test_keeping import KeepingCase
from tests.actions.test_walking_on import BenchCase
from tests.assist.test_clean import spotted
from tests.assist.test_limited import even_state
from tests.support import Later, noise_photo, painted_state, random_tile
from tests.ui.test_even_stage import with_area


class ProposalTest(BenchCase):
    def proposed(self, state: JobState, ask) -> None:
        self.open(state)
        ask(self.bench)
        self.work()
        self.assertIsNotNone(self.bench.pending)

    def test_painted_in_the_brush_is_on_its_mask_whatever_was_chosen_meanwhile(self) -> None:
        self.bench.stage = evening.Stage.EVEN
        self.proposed(even_state(), evening.tame_shine)
        self.bench.change("Layer", edits.add_pixel_layer, "Mine")
        proposing.paint_in(self.bench)
        self.work()
        active = self.bench.state.active
        self.assertNotEqual(active.name, "Mine")
        self.assertTrue(active.mask.hides_all)
        self.assertTrue(self.bench.hand.on_mask)

    def test_one_that_is_refused_at_the_taking_waits(self) -> None:
        self.proposed(spotted(), commands.propose_mends)
        waits = self.bench.pending
        refused = mock.patch.object(Job, "change", side_effect=EditError("No", "it is so", ""))
        for take in (proposing.accept, proposing.paint_in):
            with refused:
                try:
                    take(self.bench)
                    self.work()
                except EditError:
                    pass
            self.assertIs(self.bench.pending, waits)
        proposing.accept(self.bench)
        self.work()
        self.assertIsNone(self.bench.pending)
        self.assertEqual(self.bench.open_job.history.n_done, 1)

    def test_one_of_which_nothing_is_left_is_no_step(self) -> None:
        self.proposed(spotted(), commands.propose_mends)
        ids = [f.id for f in self.bench.state.findings.items]
        self.bench.change("Skip", edits.decide, ids, FindingState.SKIPPED)
        n_done = self.bench.open_job.history.n_done
        proposing.accept(self.bench)
        self.work()
        self.assertEqual(self.bench.open_job.history.n_done, n_done)
        self.assertEqual(len(self.bench.state.layers), 1)
        self.assertFalse(any("taken." in text for text in self.said))
        self.assertIn("Left out", self.said[-1])


class ReferenceTest(KeepingCase):
    def test_it_is_part_of_the_job(self) -> None:
        job = self.open()
        self.bench.change("Outline", with_area, 80)
        evening.take_reference(self.bench)
        self.assertIsNotNone(self.bench.state.reference)
        self.assertIsNone(self.bench.state.area)
        self.bench.undo()
        self.assertIsNone(self.bench.state.reference)
        self.assertIsNotNone(self.bench.state.area)
        self.bench.redo()
        at = digest(job.state)
        self.end_process()
        self.answers.answers["recovery"] = "recovered"
        again = self.open()
        self.assertEqual(digest(again.state), at)
        self.assertIsNotNone(again.state.reference)
        evening.forget_reference(self.bench)
        self.assertIsNone(self.bench.state.reference)


class MaskAloneTest(BenchCase):
    def test_it_is_left_whatever_makes_a_layer_without_one_active(self) -> None:
        state = painted_state(n_layers=2)
        _, lower, upper = (layer.id for layer in state.layers)
        masked = edits.add_mask(state, upper)

        def deleted(job: Job) -> None:
            after = replace(job.state, active_id=lower, layers=job.state.layers[:2])
            job.change("Delete", after)

        for elsewhere in (
            lambda job: job.select(lower), deleted,
            lambda job: job.change("Off", edits.remove_mask(job.state, upper)),
        ):  # fmt: skip
            self.open(masked)
            self.bench.look(mask_alone=True)
            elsewhere(self.bench.open_job)
            self.assertFalse(self.bench.looks.mask_alone)


class KeptTest(BenchCase):
    def test_nothing_is_kept_of_a_job_that_is_closed(self) -> None:
        state = edits.add_computed(painted_state(noise_photo(600, 500)), KINDS["smooth"])
        self.open(state)
        render(self.bench.state, self.bench.state.photo.rect)
        self.assertGreater(kept.of(state.photo).n_bytes, 0)
        photo = weakref.ref(state.photo)
        del state
        self.bench.take_job(None)
        gc.collect()
        self.assertIsNone(photo())

    def test_layers_that_were_undone_are_let_go(self) -> None:
        state = painted_state(noise_photo(600, 500))
        self.open(state)
        for kind in ("smooth", "soften"):
            self.bench.change(kind, edits.add_computed, KINDS[kind])
        render(self.bench.state, self.bench.state.photo.rect)
        cache = kept.of(state.photo)
        gone = self.bench.state.active_id
        self.bench.undo()
        held = {layer.id for b in cache._boundaries.values() for layer in b.layers}
        self.assertNotIn(gone, held)

    def test_boundaries_are_bounded_and_empty_ones_go(self) -> None:
        state = painted_state(noise_photo(300, 260))
        cache = kept.of(state.photo)
        for _ in range(120):
            state = edits.add_computed(state, KINDS["smooth"])
            render(state, Rect(0, 0, 64, 64))
            state = edits.delete(state, state.active_id)
        self.assertLessEqual(len(cache._boundaries), MOST_BOUNDARIES)
        held = sum(t.nbytes for b in cache._boundaries.values() for t in b.tiles.values())
        self.assertEqual(cache.n_bytes, held)

    def test_two_jobs_do_not_push_each_other_out(self) -> None:
        states = [edits.add_computed(painted_state(noise_photo(300, 260, seed=seed)),
                                     KINDS["smooth"]) for seed in (1, 2)]  # fmt: skip
        pictures = [render(state, state.photo.rect) for state in states]
        sizes = [kept.of(state.photo).n_bytes for state in states]
        self.assertTrue(all(sizes))
        for _ in range(2):
            for state, picture in zip(states, pictures, strict=True):
                self.assert_equal_arrays(render(state, state.photo.rect), picture)
        self.assertEqual([kept.of(state.photo).n_bytes for state in states], sizes)

    def test_answers_about_two_jobs_are_both_remembered(self) -> None:
        states = [new_state(noise_photo(80, 70, seed=seed)) for seed in (3, 4)]
        with mock.patch("lather.render.lenses.reference._measured", side_effect=_measured) as asked:
            for state in states * 3:
                skin_lab(state)
        self.assertEqual(asked.call_count, 2)


class SteppingTest(KeepingCase):
    def large_step(self) -> tuple[Job, str, str]:
        job = self.open()
        before = digest(job.state)
        tiles = NO_PIXELS.with_tiles({(r, c): random_tile(9 * r + c)
                                      for r in range(4) for c in range(4)})  # fmt: skip
        state = edits.add_pixel_layer(job.state)
        job.change("Large", edits.set_pixels(state, state.active_id, tiles))
        after = digest(job.state)
        _save_to(self.bench, self.path, None)
        return job, before, after

    def undone_and_saved(self) -> tuple[Job, str, str]:
        """Its redo has all of its pixels to write again."""
        job, before, after = self.large_step()
        self.bench.undo()
        _save_to(self.bench, self.path, None)
        return job, before, after

    def test_the_pixels_of_an_undo_after_a_save_are_written_before_it(self) -> None:
        """By a worker: the step itself has next to nothing left to write."""
        job, before, after = self.large_step()
        self.bench.undo()  # nothing to write: those tiles only go
        self.assertEqual(digest(job.state), before)
        _save_to(self.bench, self.path, None)
        order = []
        ahead, record = Journal.ahead, Journal.record
        with (
            mock.patch.object(Journal, "ahead", autospec=True, side_effect=lambda *a: (
                order.append("ahead"), ahead(*a))),
            mock.patch.object(Journal, "record", autospec=True, side_effect=lambda *a: (
                order.append("record"), record(*a))),
        ):  # fmt: skip
            self.bench.redo()
        self.assertEqual(order, ["ahead", "record"])
        self.assertEqual(digest(job.state), after)

    def test_what_is_pressed_meanwhile_follows_in_order(self) -> None:
        job, before, after = self.undone_and_saved()
        later, said = Later(), []
        stepping = Stepping(job, self.bench.keeper, later, said.append)
        stepping.redo()
        stepping.undo()
        stepping.redo()
        self.assertEqual(digest(job.state), before)  # it is being written
        self.assertTrue(stepping.busy)
        while later.posted:
            later.run()
        self.assertEqual(said, ["Redone: Large.", "Undone: Large.", "Redone: Large."])
        self.assertEqual(digest(job.state), after)

    def test_what_is_to_be_saved_waits_for_an_undo_that_is_written(self) -> None:
        job, before, after = self.undone_and_saved()
        later, done = Later(), []
        self.bench.stepping = Stepping(job, self.bench.keeper, later, self.said.append)
        self.bench.redo()
        settle(self.bench, lambda: done.append(digest(job.state)))
        self.assertEqual(done, [])
        while later.posted:
            later.run()
        self.assertEqual(done, [after])
        self.assertNotEqual(before, after)

    def test_gestures_of_two_processes_are_two_steps(self) -> None:
        job = self.open()
        first = job.state.layers[1].id
        for strength in (0.9, 0.8):
            self.bench.change("Strength", edits.set_strength, first, strength, gesture=("s", 1))
        self.assertEqual(job.history.n_done, 1)
        self.end_process()
        self.answers.answers["recovery"] = "recovered"
        job = self.open()
        n_done = job.history.n_done
        first = job.state.layers[1].id
        for strength in (0.5, 0.4):
            self.bench.change("Strength", edits.set_strength, first, strength, gesture=("s", 1))
        self.assertEqual(job.history.n_done, n_done + 1)
        self.end_process()
        self.answers.answers["recovery"] = "recovered"
        self.assertEqual(self.open().history.n_done, n_done + 1)


class LimitsTest(KeepingCase):
    def test_open_limits_that_are_set_are_a_step_that_is_kept(self) -> None:
        job = self.open()
        layer_id = job.state.layers[1].id
        before = digest(job.state)
        limits = Limits(Span(soft_low_l=20.0))
        self.assertTrue(limits.are_open)
        self.bench.change("Limits", edits.set_limits, layer_id, limits)
        at = digest(job.state)
        self.assertNotEqual(at, before)
        self.end_process()
        self.answers.answers["recovery"] = "recovered"
        job = self.open()
        self.assertEqual(digest(job.state), at)
        self.assertEqual(job.state.layers[1].limits, limits)

    def test_rows_keep_members_that_are_not_known(self) -> None:
        rows = [{"middle_deg": 30.0, "sparkle": 0.4}]
        kind = HuesLayer.TAKES
        parameters = kind.checked({"ranges": rows, "glow": 3})
        entry = parameters.values
        self.assertEqual(entry["ranges"][0]["sparkle"], 0.4)
        self.assertEqual(entry["glow"], 3)
        again = kind.checked(entry).with_value("ranges", kind.checked(entry).ranges)
        self.assertEqual(again.values["ranges"][0]["sparkle"], 0.4)


class AsideTest(BenchCase):
    def test_what_takes_its_time_waits_for_no_hand(self) -> None:
        """The step comes with the worker's answer, not with the key."""
        state = areas.set_area(painted_state(n_layers=1), None)
        self.open(with_area(replace(state, photo=noise_photo(400, 360)), 80))
        for command in ("area.invert", "area.from_layer", "area.to_mask", "layer.add_sharpen"):
            n_done = self.bench.open_job.history.n_done
            self.press(command)
            self.assertEqual(self.bench.open_job.history.n_done, n_done, command)
            self.work()
            self.assertEqual(self.bench.open_job.history.n_done, n_done + 1, command)


class WordsTest(BenchCase):
    def test_a_check_without_regions_is_refused_in_its_own_words(self) -> None:
        state = spotted()
        self.assertTrue(state.surveyed)
        state = replace(state, regions=type(state.regions)())
        with self.assertRaisesRegex(EditError, "Nothing was checked"):
            check(state)


if __name__ == "__main__":
    unittest.main()
