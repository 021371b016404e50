"""Walking the worklist without a window."""

import time
from dataclasses import replace
from unittest import mock

from lather.actions.findings import finding as commands
from lather.actions.findings import surveying
from lather.actions.job.opening import open_file
from lather.actions.job.saving import save_as
from lather.actions.start import start_workbench
from lather.actions.table import all_actions
from lather.actions.work.ahead import Ahead
from lather.document import edits
from lather.document.findings import FindingState
from lather.document.job import Job
from lather.document.layers.layer import Stage
from lather.document.state import new_state
from lather.files.jobs.jobfile import load_job
from lather.files.photos.reading import read_photo
from lather.settings.store import Settings
from tests.assist.test_clean import spotted
from tests.support import DEMO, Answers, Case, Later, photo_in, skin_photo

ACTIONS = {action.id: action for action in all_actions()}


class NewPhotoTest(Case):
    """What is surveyed by itself as it is opened."""

    def setUp(self) -> None:
        super().setUp()
        self.tasks = Later()
        self.bench = start_workbench(Settings(), Answers(), task_executor=self.tasks)
        self.said: list[str] = []
        self.bench.said.connect(lambda text, error: self.said.append(text))
        self.ahead = Ahead(self.bench)
        self.addCleanup(lambda: self.bench.take_job(None))

    def portrait(self) -> Job:
        return Job(new_state(read_photo(DEMO / "portrait2.jpg")))

    def rest(self) -> None:
        """The hand rests for long enough."""
        self.ahead._touched_s -= 60
        self.bench.tick(time.monotonic())

    def test_a_photo_is_and_a_surveyed_one_is_not(self) -> None:
        self.bench.take_job(self.portrait())
        self.assertEqual(self.bench.task.title, "Surveying")
        self.tasks.run()
        self.assertTrue(self.bench.state.surveyed)
        self.assertFalse(self.bench.open_job.modified)  # nobody is asked about it on closing
        surveyed = self.bench.state
        for job in (Job(surveyed), None):
            self.bench.take_job(job)
            self.assertIsNone(self.bench.task)
        self.bench.take_job(Job(new_state(skin_photo()), self.folder / "a.lather"))
        self.assertEqual(self.bench.task.title, "Surveying")  # a job that was saved before it was
        self.tasks.run()
        self.bench.take_job(None)
        self.bench.settings.set("survey_when_opened", False)
        self.bench.take_job(self.portrait())
        self.assertIsNone(self.bench.task)

    def test_it_gives_way_to_whatever_somebody_wants(self) -> None:
        self.bench.take_job(self.portrait())
        first = self.bench.task
        done = []
        self.bench.run_task("Saving", lambda progress, cancel: 7, done.append)
        self.assertTrue(first.cancel.cancelled)
        self.assertEqual(self.bench.task.title, "Saving")
        self.tasks.run()  # both: the survey is given up, and what it ends with ends nothing else
        self.assertEqual(done, [7])
        self.assertIsNone(self.bench.task)
        self.assertFalse(self.bench.state.surveyed)
        self.assertFalse([text for text in self.said if "Survey" in text or "cancel" in text])
        self.rest()  # and is begun again
        self.assertEqual(self.bench.task.title, "Surveying")
        self.tasks.run()
        self.assertTrue(self.bench.state.surveyed)

    def test_cancelled_by_hand_it_is_not_begun_again(self) -> None:
        self.bench.take_job(self.portrait())
        self.bench.task.cancel.cancel()
        self.tasks.run()
        self.rest()
        self.assertIsNone(self.bench.task)

    def test_it_is_no_step_and_no_undo_takes_it_back(self) -> None:
        self.bench.take_job(self.portrait())
        self.bench.change("Layer", edits.add_pixel_layer)
        self.bench.change("Layer", edits.add_pixel_layer)
        self.bench.undo()
        self.tasks.run()
        job = self.bench.open_job
        self.assertEqual([step.name for step in job.history.done], ["Layer"])
        self.bench.undo()
        self.assertTrue(self.bench.state.surveyed)
        self.assertEqual(len(self.bench.state.layers), 1)
        self.bench.redo()
        self.bench.redo()
        self.assertTrue(self.bench.state.surveyed)
        self.assertEqual(len(self.bench.state.layers), 3)

    def test_the_picture_is_worked_on_meanwhile(self) -> None:
        self.bench.take_job(self.portrait())
        self.bench.change("Layer", edits.add_pixel_layer)
        self.tasks.run()
        self.assertTrue(self.bench.state.surveyed)
        self.assertEqual(len(self.bench.state.layers), 2)
        self.assertTrue(self.bench.open_job.modified)

    def test_no_face_is_no_error(self) -> None:
        told = []
        self.bench.said.connect(lambda text, error: told.append(error))
        self.bench.take_job(Job(new_state(skin_photo())))
        self.tasks.run()
        self.assertIn("The portrait was not surveyed", self.said[-1])
        self.assertFalse(any(told))
        self.assertIsNone(self.bench.offer)


class WalkTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.answers = Answers()
        self.bench = start_workbench(Settings(), self.answers)
        self.said: list[str] = []
        self.bench.said.connect(lambda text, error: self.said.append(text))
        self.bench.take_job(Job(spotted()))
        self.addCleanup(lambda: self.bench.take_job(None))

    def run_action(self, action_id: str) -> None:
        action = ACTIONS[action_id]
        self.assertTrue(action.enabled(self.bench), action_id)
        action.run(self.bench)

    def states(self) -> list[str]:
        findings = self.bench.state.findings
        return [findings.state(item).value for item in findings.items]

    def test_a_finding_of_another_stage_leaves_the_hand_as_it_is(self) -> None:
        self.bench.go_to_stage(Stage.EVEN)
        self.bench.hands.take_tool("paint_colour")
        self.bench.hands.set_brush(size_px=91)
        self.run_action("finding.next")
        self.assertIs(self.bench.stage, Stage.CLEAN)
        hand = self.bench.hand
        self.assertEqual((hand.tool, hand.brush.size_px), ("paint_colour", 91))
        self.bench.hands.take_tool("mend_spot")
        self.bench.hands.take_tool("paint_colour")  # Clean's own brush of it again
        self.assertNotEqual(self.bench.hand.brush.size_px, 91)
        self.bench.go_to_stage(Stage.EVEN)
        self.assertEqual(self.bench.hand.brush.size_px, 91)

    def test_stepping_centres_and_puts_the_advised_brush_in_the_hand(self) -> None:
        self.bench.hands.take_tool("paint_colour")
        self.run_action("finding.next")
        self.assertEqual(self.bench.walk.finding_id, 1)
        self.assertIs(self.bench.stage, Stage.CLEAN)
        hand = self.bench.hand
        self.assertEqual((hand.tool, hand.brush.size_px), ("mend_spot", 24.0))
        geometry = self.bench.geometry
        self.assertGreaterEqual(geometry.zoom, 1.0)
        self.assertAlmostEqual(geometry.centre_x, 120, delta=1)

    def test_steps_go_round_and_pass_what_is_decided(self) -> None:
        for expected in (1, 2, 1):
            self.run_action("finding.next")
            self.assertEqual(self.bench.walk.finding_id, expected)
        self.run_action("finding.previous")
        self.assertEqual(self.bench.walk.finding_id, 2)

    def test_all_leaves_what_is_doubtful_and_a_finger_on_it_does_not(self) -> None:
        findings = self.bench.state.findings
        items = (replace(findings.items[0], certainty=0.2), *findings.items[1:])
        self.bench.change("Doubt", edits.set_findings, replace(findings, items=items))
        self.run_action("finding.mend_all")
        self.assertEqual(self.states(), ["open", "done", "kept"])
        self.run_action("finding.next")
        self.assertEqual(self.bench.walk.finding_id, 1)
        self.run_action("finding.mend")
        self.assertEqual(self.states(), ["done", "done", "kept"])

    def test_mend_keep_and_skip_decide_and_go_on(self) -> None:
        self.run_action("finding.next")
        self.run_action("finding.mend")
        self.assertEqual(self.states(), ["done", "open", "kept"])
        self.assertEqual(self.bench.walk.finding_id, 2)
        self.run_action("finding.skip")
        self.assertEqual(self.states(), ["done", "skipped", "kept"])
        self.assertIsNone(self.bench.walk.finding_id)
        self.assertIn("Every finding is decided.", self.said)
        self.assertFalse(ACTIONS["finding.keep"].enabled(self.bench))
        self.assertEqual([s.name for s in self.bench.job.history.done], ["Mend finding", "Skip"])
        self.bench.undo()
        self.bench.undo()
        self.assertEqual(self.states(), ["open", "open", "kept"])

    def test_the_mend_accepted_last_can_have_another_source(self) -> None:
        self.assertFalse(ACTIONS["finding.other_source"].enabled(self.bench))
        self.run_action("finding.next")
        self.run_action("finding.mend")
        sources = [self.bench.state.layers[1].strokes[-1].source]
        for _ in range(2):
            self.run_action("finding.other_source")
            self.assertEqual(len(self.bench.state.layers[1].strokes), 1)
            sources.append(self.bench.state.layers[1].strokes[-1].source)
        self.assertEqual(len(set(sources)), 3)
        self.assertEqual(self.bench.walk.finding_id, 1)
        self.assertEqual(len(self.bench.job.history.done), 1)
        self.run_action("finding.next")
        self.run_action("finding.skip")
        self.assertFalse(ACTIONS["finding.other_source"].enabled(self.bench))

    def test_all_open_ones_at_once_are_one_step(self) -> None:
        self.run_action("finding.mend_all")
        self.assertEqual(self.states(), ["done", "done", "kept"])
        self.assertEqual([s.name for s in self.bench.job.history.done], ["Mend 2 findings"])
        self.run_action("finding.mend_all")
        self.assertIn("None of these findings is open.", self.said)

    def test_a_kept_mark_can_be_opened_again(self) -> None:
        self.bench.walk.go_to(3)
        self.run_action("finding.reopen")
        self.assertEqual(self.states()[2], "open")
        self.assertEqual(self.bench.walk.finding_id, 3)

    def test_decisions_are_saved_with_the_job(self) -> None:
        photo = photo_in(self.folder, width=400, height=360)
        self.bench.take_job(Job(edits.set_findings(new_state(photo), spotted().findings)))
        self.run_action("finding.mend_all")
        path = self.folder / "a.lather"
        self.answers.answers["path_to_save"] = path
        save_as(self.bench)
        findings = load_job(path).state.findings
        self.assertEqual(findings, self.bench.state.findings)

    def test_another_job_starts_without_a_finding_in_hand(self) -> None:
        self.run_action("finding.next")
        self.bench.take_job(Job(new_state(skin_photo())))
        self.assertIsNone(self.bench.walk.finding_id)
        self.assertFalse(ACTIONS["finding.next"].enabled(self.bench))


class SurveyTest(Case):
    def test_a_portrait_is_surveyed_and_cleaned(self) -> None:
        bench, said = start_workbench(Settings(), Answers()), []
        bench.said.connect(lambda text, error: said.append(text))
        self.addCleanup(lambda: bench.take_job(None))
        open_file(bench, DEMO / "portrait2.jpg")
        surveying.survey(bench)
        findings = bench.state.findings
        n_open = len(list(findings.in_state(FindingState.OPEN)))
        self.assertGreater(n_open, 15)
        n_kept = len(findings.items) - n_open
        self.assertGreaterEqual(n_kept, 3)  # two moles and a scar
        n_doubtful = sum(f.doubtful for f in findings.in_state(FindingState.OPEN))
        doubt = f"{n_doubtful} doubtful, " if n_doubtful else ""
        told = f"{n_open - n_doubtful} findings to decide on, {doubt}{n_kept} proposed to be kept."
        self.assertIn(told, said)
        commands.mend(bench, findings.of_stage("clean"))
        n_done = len(list(bench.state.findings.in_state(FindingState.DONE)))
        still = [f for f in findings.in_state(FindingState.OPEN) if not f.kind.is_patch]
        n_open, n_free = len(still), sum(f.stands_free for f in still)
        self.assertEqual(n_done, n_free)
        self.assertGreater(n_done, 0.8 * n_open)

    def test_it_says_when_it_works_with_less(self) -> None:
        from lather.core.survey.faces import networks

        bench = start_workbench(Settings(), Answers())
        self.addCleanup(lambda: bench.take_job(None))
        said: list[str] = []
        bench.said.connect(lambda text, error: said.append(text))
        nowhere = networks.Runner(self.folder)  # none of the files is there
        bench.settings.set("survey_when_opened", False)
        open_file(bench, DEMO / "portrait2.jpg")
        with mock.patch.object(networks.SHIPPED, "_folder", nowhere._folder), \
                mock.patch.object(networks.SHIPPED, "_loaded", {}):
            surveying.survey(bench)
        self.assertTrue(bench.state.surveyed)
        self.assertIn("face_detection_short_range.tflite was not used, since the file is missing",
                      said[-1])

    def test_a_picture_without_a_face_says_so(self) -> None:
        bench, said = start_workbench(Settings(), Answers()), []
        bench.said.connect(lambda text, error: said.append(text))
        self.addCleanup(lambda: bench.take_job(None))
        bench.take_job(Job(new_state(skin_photo())))
        surveying.survey(bench)
        self.assertIn("no face was found", said[-1])
        self.assertFalse(bench.state.surveyed)
        self.assertEqual(bench.offer.title, "Set the scale")
        bench.offer.run()
        self.assertTrue(bench.looks.measuring)
