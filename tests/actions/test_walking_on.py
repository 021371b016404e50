"""Keys typed ahead, each for the finding that was meant; Even one by one; stages and their own."""

from __future__ import annotations

import time
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from lather.actions.job.saving import suggested
from lather.actions.looking import under
from lather.actions.stages import evening
from lather.actions.start import start_workbench
from lather.actions.table import all_actions
from lather.actions.work import asking, proposing
from lather.actions.work.ahead import Ahead
from lather.assist import stages
from lather.assist.even.layers import work_of
from lather.core.area.combine import Combine
from lather.core.brush.stroke import PenSample
from lather.core.last import forget_all
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Kind
from lather.document import areas, edits
from lather.document.findings import FindingState
from lather.document.job import Job
from lather.document.layers.curves import CurvesLayer
from lather.document.layers.layer import Stage
from lather.document.layers.light import LightLayer
from lather.document.layers.sweep import SweepLayer
from lather.document.state import JobState, new_state
from lather.render.flatten import merged_layer
from lather.settings.store import Settings
from tests.assist.test_clean import PLACES, spotted
from tests.assist.test_limited import even_state
from tests.support import Answers, Case, Later, painted_state, photo_in, skin_photo

ACTIONS = {action.id: action for action in all_actions()}


class BenchCase(Case):
    def setUp(self) -> None:
        super().setUp()
        self.tasks = Later()
        self.answers = Answers()
        self.bench = start_workbench(Settings(), self.answers, task_executor=self.tasks)
        self.said: list[str] = []
        self.bench.said.connect(lambda text, error: self.said.append(text))
        self.addCleanup(lambda: self.bench.take_job(None))
        self.addCleanup(forget_all)

    def open(self, state: JobState) -> None:
        self.bench.take_job(Job(state))

    def press(self, *action_ids: str) -> None:
        for action_id in action_ids:
            action = ACTIONS[action_id]
            self.assertEqual(action.enabled.why_not(self.bench), "", action_id)
            try:
                action.run(self.bench)
            except Exception as error:  # noqa: BLE001 - as the window does
                self.bench.report(error, action_id)

    def work(self) -> None:
        """Let everything that runs or waits come to its end."""
        while self.tasks.posted:
            self.tasks.run()

    def states(self) -> list[str]:
        findings = self.bench.state.findings
        return [findings.state(item).value for item in findings.items]


class TypedAheadTest(BenchCase):
    def test_mend_then_keep_mends_this_one_and_keeps_the_next(self) -> None:
        self.open(spotted())
        self.press("finding.next", "finding.mend", "finding.keep")
        self.assertEqual(self.states(), ["open", "kept", "kept"])
        self.work()
        self.assertEqual(self.states(), ["done", "kept", "kept"])

    def test_fast_keys_queue_and_none_is_lost(self) -> None:
        self.open(spotted())
        self.press("finding.next", "finding.mend", "finding.mend")
        self.assertEqual(self.bench.tasks.n_waiting, 1)
        self.assertIsNone(self.bench.walk.finding_id)
        self.work()
        self.assertEqual(self.states(), ["done", "done", "kept"])
        names = [step.name for step in self.bench.open_job.history.done]
        self.assertEqual(names, ["Mend finding", "Mend finding"])
        self.assertEqual(len(self.bench.state.layers), 2)  # the second waited for the first's layer
        self.assertFalse(any("still running" in text for text in self.said))

    def test_what_is_decided_before_its_turn_is_passed_over(self) -> None:
        self.open(spotted())
        self.press("finding.next", "finding.mend", "finding.mend")
        self.bench.change("Skip", edits.decide, [2], FindingState.SKIPPED)
        self.work()
        self.assertEqual(self.states(), ["done", "skipped", "kept"])

    def test_cancelled_what_waits_is_not_wanted_either(self) -> None:
        self.open(spotted())
        self.press("finding.next", "finding.mend", "finding.mend")
        self.bench.task.cancel.cancel()
        self.work()
        self.assertEqual(self.states(), ["open", "open", "kept"])
        self.press("finding.next")
        self.assertEqual(self.bench.walk.finding_id, 1)

    def test_an_edge_is_told_at_once_with_the_key_that_cuts_free_and_mends(self) -> None:
        state = spotted()
        items = (replace(state.findings.items[0], rim_broken=0.6), *state.findings.items[1:])
        self.open(edits.set_findings(state, replace(state.findings, items=items)))
        self.press("finding.next", "finding.mend")
        self.assertIn("60% of its rim crosses an edge", self.said[-1])
        self.assertIn("(Space+G)", self.said[-1])
        self.assertEqual(self.bench.walk.finding_id, 1)  # still there, to be cut free
        self.press("mend.cut_free")
        self.work()
        self.assertEqual(self.states()[0], "done")

    def test_decided_findings_can_be_reached_and_opened_again(self) -> None:
        self.open(spotted())
        self.press("finding.next", "finding.mend")
        self.work()
        self.press("finding.next_decided")
        self.assertEqual(self.bench.walk.finding_id, 3)
        self.press("finding.next_decided")
        self.assertEqual(self.bench.walk.finding_id, 1)
        self.press("finding.previous_decided", "finding.next_decided", "finding.reopen")
        self.assertEqual(self.states(), ["open", "open", "kept"])

    def test_nothing_decided_is_said(self) -> None:
        state = spotted()
        self.open(edits.decide(state, [3], FindingState.OPEN))
        self.press("finding.next_decided")
        self.assertEqual(self.said[-1], "No finding is decided yet.")

    def test_mend_all_is_each_stages_own_or_a_sentence(self) -> None:
        self.open(spotted())
        for stage in (Stage.SHAPE, Stage.DELIVER, Stage.FINISH, Stage.BRIEF):
            self.bench.go_to_stage(stage)
            self.press("finding.mend_all")
            self.work()
            title = stages.title(stage)
            self.assertIn(f"nothing to mend in {title}: go to Clean (Alt+2) or Even (Alt+3)",
                          self.said[-1])  # fmt: skip
        self.assertEqual(self.states(), ["open", "open", "kept"])
        self.bench.go_to_stage(Stage.CLEAN)
        self.bench.look(before=True)
        self.press("finding.mend_all")
        self.work()
        self.assertEqual(self.states(), ["done", "done", "kept"])
        self.assertFalse(self.bench.looks.before)  # what is done is seen

    def test_in_an_area_elsewhere_nothing_is_done_and_that_is_said(self) -> None:
        whole = np.ones((40, 40), np.float32)
        self.open(areas.outline(spotted(), Rect(320, 10, 360, 50), whole, Combine.NEW))
        self.press("finding.mend_all")
        self.work()
        self.assertEqual(self.states(), ["open", "open", "kept"])
        self.assertEqual(self.bench.open_job.history.n_done, 0)
        self.assertIn("outside of the area; clear the area (R+G)", self.said[-1])


class InTurnTest(BenchCase):
    def test_whatever_is_pressed_meanwhile_comes_next(self) -> None:
        from lather.ui.parts.widgets import run_action

        self.open(spotted())
        self.answers.answers["path_to_save"] = self.folder / "work.lather"
        for action_id in ("finding.mend_all", "layer.merge_copy", "job.save"):
            run_action(ACTIONS[action_id], self.bench)
        self.assertEqual(self.bench.tasks.n_waiting, 2)
        self.work()
        names = [layer.name for layer in self.bench.state.layers[1:]]
        self.assertEqual(names, ["Mended spots", "Merged copy"])
        self.assertFalse(self.bench.open_job.modified)
        self.assertTrue((self.folder / "work.lather").exists())

    def test_what_is_not_taken_is_said_after_a_delivery_and_a_check_too(self) -> None:
        from lather.files.exchange.delivery import Delivery

        self.open(even_state())
        self.bench.go_to_stage(Stage.EVEN)
        evening.tame_shine(self.bench)
        self.work()
        self.answers.answers["orders"] = [(self.folder / "o.png", Delivery())]
        self.press("job.deliver")
        self.work()
        self.assertIn("Delivered to", self.said[-1])
        self.assertIn("'Tame shine' in Even is proposed, and not taken.", self.said[-1])
        with mock.patch("lather.actions.stages.checking._checked"), \
                mock.patch.object(self.bench.gauge, "take_full"):
            self.press("check.all")
            self.work()
        self.assertIn("Checked as it is: 'Tame shine' in Even", self.said[-1])


class EvenOneByOneTest(BenchCase):
    def setUp(self) -> None:
        super().setUp()
        self.open(even_state())
        self.bench.go_to_stage(Stage.EVEN)

    def test_one_key_a_finding_and_one_layer_a_kind_of_work(self) -> None:
        n_open = len(self.bench.state.findings.items)
        self.assertGreaterEqual(n_open, 3)
        self.press("finding.next", "finding.mend")
        self.work()
        n_keys = 2
        while self.bench.pending is not None:
            self.press("finding.mend")
            self.work()
            n_keys += 1
        self.assertEqual(set(self.states()), {"done"})
        self.assertLessEqual(n_keys, n_open + 2)
        works = [work_of(layer) for layer in self.bench.state.layers[1:]]
        self.assertEqual(len(works), len(set(works)), works)

    def test_skipped_the_walk_goes_on_with_what_is_proposed_for_the_next(self) -> None:
        self.press("finding.next", "finding.mend")
        self.work()
        first = self.bench.walk.finding_id
        self.assertEqual(self.bench.pending.ids, {first})
        self.press("finding.skip")
        self.work()
        self.assertNotEqual(self.bench.walk.finding_id, first)
        self.assertEqual(self.bench.pending.ids, {self.bench.walk.finding_id})
        self.assertEqual(self.bench.state.layers[1:], ())

    def test_typed_ahead_it_is_proposed_and_taken_in_turn(self) -> None:
        self.press("finding.next", "finding.mend", "finding.mend")
        first = self.bench.walk.finding_id
        self.work()
        findings = self.bench.state.findings
        self.assertIs(findings.state(findings.get(first)), FindingState.DONE)

    def test_going_on_without_taking_puts_it_by(self) -> None:
        self.press("finding.next", "finding.mend")
        self.work()
        self.press("finding.next")
        self.assertIsNone(self.bench.pending)
        self.assertEqual(set(self.states()), {"open"})

    def test_without_its_layer_what_it_evened_is_open_again(self) -> None:
        shine = next(f for f in self.bench.state.findings.items if f.kind is Kind.SHINE)
        asking.propose_for(self.bench, [shine])
        self.work()
        proposing.accept(self.bench)
        self.work()
        self.assertIs(self.bench.state.findings.state(shine), FindingState.DONE)
        self.press("layer.delete")
        self.assertIs(self.bench.state.findings.state(shine), FindingState.OPEN)

    def test_covered_meanwhile_it_is_refused_and_still_there(self) -> None:
        evening.tame_shine(self.bench)
        self.work()
        pending = self.bench.pending
        copy = merged_layer(self.bench.state, "Merged copy")
        self.bench.change("Merged copy", edits.insert_on_top, copy)
        n_done = self.bench.open_job.history.n_done
        proposing.accept(self.bench)
        self.work()
        self.assertIn("was not taken: nothing of it would show", self.said[-1])
        self.assertIs(self.bench.pending, pending)
        self.assertEqual(self.bench.open_job.history.n_done, n_done)
        self.assertEqual(set(self.states()), {"open"})


class StageTest(BenchCase):
    def test_a_proposal_stays_in_its_stage_and_waits_there(self) -> None:
        self.open(even_state())
        self.bench.go_to_stage(Stage.EVEN)
        evening.tame_shine(self.bench)
        self.work()
        pending = self.bench.pending
        self.assertIs(pending.stage, Stage.EVEN)
        self.bench.go_to_stage(Stage.CLEAN)
        self.assertIsNone(self.bench.pending)
        self.assertNotEqual(ACTIONS["finding.mend"].enabled.why_not(self.bench), "")
        self.assertEqual(self.bench.open_job.history.n_done, 0)
        self.bench.go_to_stage(Stage.EVEN)
        self.assertIs(self.bench.pending, pending)

    def test_saving_says_what_is_proposed_and_not_taken(self) -> None:
        self.open(even_state())
        self.bench.go_to_stage(Stage.EVEN)
        evening.tame_shine(self.bench)
        self.work()
        self.answers.answers["path_to_save"] = self.folder / "work.lather"
        self.press("job.save")
        self.work()
        self.assertEqual(self.said[-1], "Saved: work.lather. 'Tame shine' in Even is proposed, and "
                                        "not taken.")  # fmt: skip
        self.assertIn("Tame shine", proposing.not_taken(self.bench))
        self.press("proposal.leave")
        self.assertEqual(proposing.not_taken(self.bench), "")

    def test_what_comes_after_the_stage_was_left_is_told_where_it_waits(self) -> None:
        self.open(even_state())
        self.bench.go_to_stage(Stage.EVEN)
        evening.tame_shine(self.bench)
        self.bench.go_to_stage(Stage.CLEAN)
        self.work()
        self.assertIn("'Tame shine' is proposed: it waits in Even (Alt+3)", self.said[-1])
        self.assertIsNone(self.bench.pending)

    def test_the_brush_of_a_stage_does_not_go_along(self) -> None:
        self.open(painted_state())
        self.bench.hands.take_tool("copy_from_source")
        self.bench.hands.set_brush(size_px=17, opacity=0.11)
        self.bench.go_to_stage(Stage.EVEN)
        self.assertEqual(self.bench.hand.tool, "paint_colour")
        self.bench.hands.take_tool("copy_from_source")
        self.assertNotEqual(self.bench.hand.brush.size_px, 17)
        self.bench.hands.set_brush(size_px=99)
        self.bench.go_to_stage(Stage.SHAPE)
        self.assertEqual(self.bench.hand.tool, "push")
        self.bench.go_to_stage(Stage.CLEAN)
        hand = self.bench.hand
        self.assertEqual((hand.tool, hand.brush.size_px, hand.brush.opacity),
                         ("copy_from_source", 17, 0.11))  # fmt: skip
        self.bench.go_to_stage(Stage.EVEN)
        self.assertEqual(self.bench.hand.brush.size_px, 99)
        self.assertIs(self.bench.hand.stage, Stage.EVEN)

    def test_a_new_adjustment_takes_the_area_as_its_mask(self) -> None:
        whole = np.ones((40, 40), np.float32)
        state = areas.outline(painted_state(), Rect(20, 20, 60, 60), whole, Combine.NEW)
        for kind, masked in ((CurvesLayer, True), (SweepLayer, True), (LightLayer, False)):
            self.open(state)
            self.press(f"layer.add_{kind.KIND}")
            mask = self.bench.state.active.mask
            self.assertEqual(mask is not None, masked, kind.KIND)
            if masked:
                self.assertTrue(mask.tiles.equals(state.area))
                self.assertIn("shows in the area", self.said[-1])

    def test_a_group_whose_look_would_go_is_asked_about(self) -> None:
        state = painted_state(n_layers=2)
        state = edits.group(state, state.active_id)
        state = edits.move_into(state, state.layers[1].id, group_id=state.active_id)
        self.open(edits.set_strength(state, state.active_id, 0.5))
        before = self.bench.state
        self.press("layer.ungroup")
        self.assertEqual((self.answers.asked[-1], self.bench.state), ("ungroup", before))
        self.answers.answers["ungroup"] = True
        self.press("layer.ungroup")
        self.assertIn("without its strength of 50%", self.said[-1])


class UnderTest(BenchCase):
    def test_a_right_click_offers_what_lies_there(self) -> None:
        whole = np.ones((80, 80), np.float32)
        (x, y), *_ = PLACES
        state = areas.outline(spotted(), Rect(x - 40, y - 40, x + 40, y + 40), whole, Combine.NEW)
        self.open(state)
        self.press("area.clear")
        self.press("finding.mend_all")
        self.work()
        self.bench.change("Area", areas.set_area, state.area)
        found = under.at_place(self.bench, x + 0.5, y + 0.5)
        self.assertEqual([thing.title for thing in found][1:],
                         ["The area", "Layer 'Mended spots'", "The picture"])  # fmt: skip
        self.assertEqual(self.bench.walk.finding_id, 1)
        self.assertEqual(self.bench.state.active.name, "Mended spots")
        for thing in found:
            for command in thing.commands:
                self.assertIn(command, ACTIONS)
        away = under.at_place(self.bench, 390, 350)
        self.assertEqual([thing.title for thing in away], ["The picture"])


class AheadTest(BenchCase):
    def setUp(self) -> None:
        super().setUp()
        self.ahead = Ahead(self.bench)
        state = even_state()
        state = edits.add_pixel_layer(state, "Mended spots")
        self.open(state)
        self.work()

    def rest(self) -> None:
        self.ahead._touched_s -= 60
        self.bench.tick(time.monotonic())

    def test_what_even_proposes_is_there_when_it_is_asked_for(self) -> None:
        self.rest()
        self.assertEqual(self.bench.tasks.ahead.title, "Evening the skin")
        self.assertIsNone(self.bench.task)  # nobody waits, and nothing is shown
        self.work()
        self.assertIsNone(self.bench.pending)
        self.bench.go_to_stage(Stage.EVEN)
        self.press("finding.mend_all")
        self.assertIsNotNone(self.bench.pending)
        self.assertEqual(self.tasks.posted, [])

    def test_asked_for_meanwhile_it_is_waited_for_and_not_begun_anew(self) -> None:
        self.rest()
        self.bench.go_to_stage(Stage.EVEN)
        self.press("finding.mend_all")
        self.assertEqual(self.bench.task.title, "Evening the skin")
        self.assertEqual(len(self.tasks.posted), 1)
        self.work()
        self.assertIsNotNone(self.bench.pending)
        self.assertIsNone(self.bench.task)

    def test_it_gives_way_to_the_pen_and_to_what_is_asked_for(self) -> None:
        self.rest()
        first = self.bench.tasks.ahead
        self.bench.session.began.emit(PenSample(0.0, 10.0, 10.0, 1.0))
        self.assertTrue(first.cancel.cancelled)
        self.rest()
        second = self.bench.tasks.ahead
        self.assertIsNot(second, first)
        self.bench.run_task("Other", lambda progress, cancel: 1, lambda outcome: None)
        self.assertTrue(second.cancel.cancelled)
        self.assertEqual(self.bench.task.title, "Other")
        self.work()
        self.assertFalse(any("cancelled" in text for text in self.said))

    def test_once_the_picture_has_changed_it_is_of_no_use(self) -> None:
        self.rest()
        self.work()
        self.bench.change("Layer", edits.add_pixel_layer, "Another")
        self.bench.go_to_stage(Stage.EVEN)
        self.press("finding.mend_all")
        self.assertEqual(self.bench.task.title, "Evening the skin")

    def test_the_check_follows_and_is_done_when_it_is_asked_for(self) -> None:
        self.rest()
        self.work()
        with mock.patch("lather.actions.stages.checking._checked") as checked, \
                mock.patch.object(self.bench.gauge, "take_full") as taken:
            self.rest()
            self.assertEqual(self.bench.tasks.ahead.title, "Checking")
            self.work()
            self.assertEqual(checked.call_count, 1)
            taken.assert_called_once()

    def test_a_preference_switches_it_off(self) -> None:
        self.bench.settings.set("work_ahead", False)
        self.addCleanup(lambda: self.bench.settings.set("work_ahead", True))
        self.rest()
        self.assertIsNone(self.bench.tasks.ahead)


class PlaceTest(BenchCase):
    def test_save_suggests_the_photos_folder_and_a_copy_keeps_its_name(self) -> None:
        job = Job(new_state(photo_in(self.folder, "anna.png")))
        self.assertEqual(suggested(job, ".lather"), self.folder / "anna.lather")
        job.copy_of = self.folder / "jobs" / "anna v2.lather"
        self.assertEqual(job.title, "anna v2")
        self.assertEqual(suggested(job, ".lather"), self.folder / "jobs" / "anna v2 copy.lather")
        self.assertEqual(suggested(Job(new_state(skin_photo())), ".ora").name, "skin.ora")


if __name__ == "__main__":
    unittest.main()
