"""Whatever was done is done again from its operations, and gives the same."""

from __future__ import annotations

import unittest
from dataclasses import replace
from pathlib import Path

from hypothesis import HealthCheck, given, settings

from lather.assist import adding
from lather.assist.retouch import RetouchOptions, retouch
from lather.assist.survey import call_of_survey, measured_anew, with_survey
from lather.core.rect import Rect
from lather.core.work import CancelToken
from lather.document import edits
from lather.document.digest import digest
from lather.document.findings import FindingState
from lather.document.layers.curves import CurvesLayer
from lather.document.layers.layer import Stage
from lather.document.operations.operation import Again, Operation
from lather.document.operations.recording import recorded
from lather.document.state import JobState, new_state
from lather.errors import Cancelled
from lather.files.jobs.jobfile import load_job
from lather.files.photos.reading import read_photo
from lather.operations.commands import COMMANDS
from lather.operations.redo import first_state, redo
from lather.paths import demo_job
from tests.actions.test_walking_on import ACTIONS
from tests.operations.doing import DRAGGED, DRAWN, RUN, DoingCase, portrait, work
from tests.support import Case, small_portrait

AT_A_TIME = 10


class SequencesTest(DoingCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.begun = portrait()

    @settings(max_examples=16, deadline=None, suppress_health_check=list(HealthCheck))
    @given(work(14))
    def test_it_is_the_same_bit_for_bit(self, what: list[tuple[str, int]]) -> None:
        self.open(self.begun)
        for name, pick in what:
            self.do(name, pick)
        self.work()
        state = self.bench.state
        redone = redo(self.begun, state.operations)
        self.assertEqual([one.why for one in redone.not_done], [])
        self.assertEqual(digest(redone.state), digest(state))
        told = [one for one in state.operations if one.again is Again.NOT]
        self.assertEqual(redone.n_carried, len(told))
        self.assertNotIn("unknown", {one.id for one in state.operations})

    def test_each_thing_by_itself(self) -> None:
        """Every command, tool and drag, some at a time, on a portrait with something of all there
        is: nothing that changes the job says nothing of itself."""
        names = (*RUN, *DRAWN, *DRAGGED)
        for n in range(0, len(names), AT_A_TIME):
            some = names[n : n + AT_A_TIME]
            with self.subTest(some):
                self.open(self.begun)
                for before, pick in (("paint_colour", 5), ("push", 7), ("outline", 4)):
                    self.do(before, pick)
                for name in some:
                    before = self.bench.state.operations
                    self.do(name, 13)
                    self.work()
                    after = self.bench.state.operations
                    led_to = {one.id for one in after.from_number(after.n_common(before))}
                    said = COMMANDS[name].leads_to if name in COMMANDS else led_to
                    self.assertLessEqual(led_to, {*said}, name)
                state = self.bench.state
                self.assertNotIn("unknown", {one.id for one in state.operations})
                redone = redo(self.begun, state.operations)
                self.assertEqual(redone.not_done, ())
                self.assertEqual(digest(redone.state), digest(state))


class WholeJobsTest(Case):
    def test_the_demo_job(self) -> None:
        state = load_job(demo_job()).state
        redone = redo(first_state(state.photo, state.layers[0].id), state.operations)
        self.assertGreater(len(state.operations), 50)
        self.assertEqual((redone.not_done, redone.n_carried), ((), 0))
        self.assertEqual(digest(redone.state), digest(state))

    def test_what_was_asked_is_asked_again(self) -> None:
        """Survey and assistants: equal in kind and place."""
        state = retouched(self.folder)
        self.assertTrue(all(one.again is Again.MEANING for one in state.operations))
        redone = redo(first_state(state.photo, state.layers[0].id), state.operations)
        self.assertEqual(redone.not_done, ())
        self.assertEqual(kinds_and_places(redone.state), kinds_and_places(state))

    def test_on_another_rendition_it_is_told_what_does_not_go(self) -> None:
        """The photo turned black has neither a face nor anything to be mended."""
        state = retouched(self.folder)
        photo = state.photo
        dark = replace(photo, samples=photo.samples // 250)
        redone = redo(first_state(dark, state.layers[0].id), state.operations)
        self.assertGreater(len(redone.not_done), 0)
        for one in redone.not_done:
            self.assertTrue(one.why.endswith("."), one.why)


def retouched(folder: Path) -> JobState:
    """A small portrait, surveyed, mended and evened."""
    state = new_state(read_photo(small_portrait(folder, 0.4)))
    new = measured_anew(state)
    state = recorded(state, with_survey(state, new), "Survey", call_of_survey(None))
    return retouch(state, RetouchOptions((Stage.CLEAN, Stage.EVEN)))[0]


def kinds_and_places(state: JobState) -> object:
    layers = [(layer.kind, layer.name, layer.stage, len(layer.strokes),
               None if layer.bounds is None else layer.bounds.intersect(Rect(0, 0, 9999, 9999)))
              for layer in state.layers]  # fmt: skip
    done = [(f.kind, round(f.x), round(f.y))
            for f in state.findings.in_state(FindingState.DONE)]  # fmt: skip
    return layers, done


class RefusalsTest(DoingCase):
    def setUp(self) -> None:
        super().setUp()
        self.begun = portrait()
        self.open(self.begun)

    def test_what_a_newer_lather_did_is_told_and_the_rest_is_done(self) -> None:
        self.bench.change("Layer", edits.add_pixel_layer, "One")
        newer = Operation(id="tool.of_tomorrow", name="Tomorrow")
        first = list(self.bench.state.operations)
        self.bench.change("Layer", edits.add_pixel_layer, "Two")
        done = [*first, newer, self.bench.state.operations.last]
        redone = redo(self.begun, done)
        (left,) = redone.not_done
        self.assertEqual((left.number, left.operation), (1, newer))
        self.assertIn("does not know", left.why)
        self.assertEqual(digest(redone.state), digest(self.bench.state))

    def test_what_goes_on_something_that_is_not_there(self) -> None:
        self.bench.change("Layer", edits.add_pixel_layer, "One")
        self.bench.change("Strength", edits.set_strength, self.bench.state.active_id, 0.4)
        _, strength = self.bench.state.operations
        redone = redo(self.begun, [strength])
        self.assertEqual(len(redone.not_done), 1)
        self.assertEqual(digest(redone.state), digest(self.begun))

    def test_bringing_back_what_was_taken_back_carries_its_pixels(self) -> None:
        self.do("paint_colour", 5)
        there = self.bench.state
        self.bench.undo()
        self.do("lighten", 3)
        self.draw_with("paint_back", 5, back_to=there)
        last = self.bench.state.operations.last
        self.assertEqual((last.id, last.again), ("tool.paint_back", Again.NOT))
        redone = redo(self.begun, self.bench.state.operations)
        self.assertEqual((redone.n_carried, redone.not_done), (1, ()))
        self.assertEqual(digest(redone.state), digest(self.bench.state))

    def test_bringing_a_step_back_that_is_there_is_done_again(self) -> None:
        self.do("paint_colour", 5)
        there = self.bench.state
        self.do("darken", 5)
        self.draw_with("paint_back", 5, back_to=there)
        last = self.bench.state.operations.last
        self.assertEqual((last.id, last.again), ("tool.paint_back", Again.SAME))
        self.assertEqual(last.arguments["back_to"], 1)
        redone = redo(self.begun, self.bench.state.operations)
        self.assertEqual(digest(redone.state), digest(self.bench.state))

    def test_work_aside_is_worked_out_on_what_there_was(self) -> None:
        """What was painted while a mask was made is not in the mask, when it is done again too."""
        self.do("paint_colour", 5)
        commands_begin = self.bench.state.active_id
        self.bench.change("Curves", adding.started, CurvesLayer)
        ACTIONS["mask.from_change"].run(self.bench)
        self.bench.select_layer(commands_begin)
        self.draw("paint_colour", 9)
        self.work()
        mask = self.bench.state.operations.last
        self.assertEqual((mask.id, mask.begun), ("mask.from_change", 2))

    def test_it_can_be_given_up(self) -> None:
        for pick in (5, 7, 9):
            self.do("paint_colour", pick)
        token = CancelToken()
        token.cancel()
        with self.assertRaises(Cancelled):
            redo(self.begun, self.bench.state.operations, cancel=token)


if __name__ == "__main__":
    unittest.main()
