"""Long work and strokes that end after the person did something else."""

from dataclasses import replace
from unittest import mock

import numpy as np

from lather.actions.findings import finding, surveying
from lather.actions.layers import area, layer
from lather.actions.start import start_workbench
from lather.assist.survey import with_mark
from lather.core.area.combine import Combine
from lather.core.brush.stroke import PenSample
from lather.core.rect import Rect
from lather.core.survey.findings.finding import Kind
from lather.core.survey.regions.region import Region
from lather.core.survey.survey import Survey
from lather.document import areas, edits
from lather.document.findings import FindingState
from lather.document.job import Job
from lather.document.merge import same_work
from lather.document.planes import with_plane
from lather.document.scale import set_scale
from lather.document.state import new_state
from lather.document.tiles import BLACK_MASK
from lather.render.compositor import render
from lather.settings.store import Settings
from lather.tools.table import tool
from tests.assist.test_clean import spotted
from tests.support import Answers, Case, Later, skin_photo


class MeanwhileTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.tasks, self.strokes = Later(), Later()
        self.bench = start_workbench(Settings(self.folder / "settings.json"), Answers(),
                               task_executor=self.tasks, stroke_executor=self.strokes)  # fmt: skip
        self.said: list[str] = []
        self.bench.said.connect(lambda text, error: self.said.append(text))
        self.bench.take_job(Job(spotted()))
        self.addCleanup(lambda: self.bench.take_job(None))

    def mend_all(self) -> None:
        state = self.bench.state
        finding.mend(self.bench, list(state.findings.in_state(FindingState.OPEN)))

    def stroke(self, tool_id: str, x: float, y: float, size_px: float = 20.0) -> None:
        hands = self.bench.hands
        hands.take_tool(tool_id)
        hands.set_brush(size_px=size_px, opacity=1.0, flow=1.0, hardness=1.0)
        self.bench.session.down(PenSample(0, x, y))
        self.bench.session.up(PenSample(0.1, x, y, 0.0))

    def states(self) -> list[str]:
        findings = self.bench.state.findings
        return [findings.state(item).value for item in findings.items]

    def test_a_mark_set_during_a_survey_stays(self) -> None:
        surveying.survey(self.bench)
        self.bench.change("Mark to keep", with_mark, 120.0, 100.0, 20.0)
        self.tasks.run()
        marks = [f for f in self.bench.state.findings.items if f.kind is Kind.MARK]
        self.assertEqual(len(marks), 1)
        self.assertIs(self.bench.state.findings.state(marks[0]), FindingState.KEPT)
        inside = [f for f in self.bench.state.findings.items if marks[0].holds(f.x, f.y)]
        self.assertTrue(all(self.bench.state.findings.state(f) is FindingState.KEPT
                            for f in inside))  # fmt: skip
        self.assertEqual([s.name for s in self.bench.job.history.done], ["Mark to keep", "Survey"])

    def test_what_was_decided_and_corrected_during_a_survey_stays(self) -> None:
        """The survey finds what was found before, in whatever order."""
        first = self.bench.state.findings.items[0]
        plane = np.full((36, 40), 0.5, np.float32)
        measured = Survey(400, 360, (), 0.2, {Region.SKIN: plane, Region.HAIR: plane}, 0.1, tuple(
            replace(item, id=9 - n) for n, item in enumerate(self.bench.state.findings.items)
        ))  # fmt: skip
        with mock.patch("lather.assist.survey.survey_photo", lambda *_, **__: measured):
            surveying.survey(self.bench)
            self.tasks.run()
            surveying.survey(self.bench)
            self.decide_and_correct(first)
            self.tasks.run()
        after = self.bench.state
        near = [f for f in after.findings.items if (f.x, f.y) == (first.x, first.y)]
        self.assertEqual([after.findings.state(f) for f in near], [FindingState.SKIPPED])
        self.assertEqual(after.findings.mm_per_px, 0.5)
        self.assertFalse(after.regions.masks[Region.SKIN].equals(after.regions.masks[Region.HAIR]))
        self.assertEqual(after.regions.corrected, {Region.SKIN})
        self.assertIn("survey again by yours", self.said[-1])

    def decide_and_correct(self, first) -> None:
        first = next(f for f in self.bench.state.findings.items if f.x == first.x)
        self.bench.change("Skip", edits.decide, [first.id], FindingState.SKIPPED)
        self.bench.change("Scale", set_scale, 0.5)
        regions = self.bench.state.regions
        black = with_plane(BLACK_MASK, Rect(0, 0, 9, 9), np.ones((9, 9), "f4"))
        masks = {**regions.masks, Region.SKIN: black}
        corrected = replace(regions, masks=masks, corrected=frozenset({Region.SKIN}))
        self.bench.change("Region", lambda state: replace(state, regions=corrected))

    def test_selecting_a_layer_during_mend_all_costs_nothing(self) -> None:
        self.bench.change("New layer", edits.add_pixel_layer)
        self.mend_all()
        self.bench.select_layer(self.bench.state.layers[0].id)
        self.tasks.run()
        self.assertEqual(self.states(), ["done", "done", "kept"])
        self.assertEqual(self.bench.state.active_id, self.bench.state.layers[0].id)

    def test_painting_and_keeping_during_mend_all(self) -> None:
        """What was painted stays, what was kept is not mended, the rest is."""
        self.mend_all()
        first, second = (f for f in self.bench.state.findings.items[:2])
        self.bench.change("Keep", edits.decide, [first.id], FindingState.KEPT)
        self.stroke("paint_colour", 300, 60)
        self.strokes.run()
        painted = self.bench.state
        self.tasks.run()
        after = self.bench.state
        self.assertEqual(self.states(), ["kept", "done", "kept"])
        spot = Rect(290, 50, 310, 70)
        self.assert_equal_arrays(render(after, spot), render(painted, spot))
        kept = first.rect
        self.assert_equal_arrays(render(after, kept), render(painted, kept))
        self.assertTrue((render(after, second.rect) != render(painted, second.rect)).any())
        self.assertIn("Left out of 'Mend 1 findings': 1 change", self.said[-1])

    def test_a_stroke_that_ends_after_a_mend_on_its_layer_is_laid_on_top(self) -> None:
        self.bench.change("New layer", edits.add_pixel_layer)
        self.stroke("paint_colour", 300, 60)
        self.mend_all()
        self.tasks.run()
        mended = self.bench.state.active.tiles
        self.assertEqual(self.states(), ["done", "done", "kept"])
        self.strokes.run()
        tiles = self.bench.state.active.tiles
        self.assertTrue((tiles.read(Rect(295, 55, 305, 65))[..., 3] == 65535).all())
        for item in self.bench.state.findings.items[:2]:
            self.assert_equal_arrays(tiles.read(item.rect), mended.read(item.rect))

    def test_region_and_mask_strokes_are_laid_on_what_is_there_then(self) -> None:
        self.bench.change("New layer", edits.add_pixel_layer)
        self.bench.change("Mask", edits.add_mask, self.bench.state.active_id)
        work = tool("erase").begin(self.bench.state, replace(self.bench.hand, on_mask=True))
        other = tool("erase").begin(self.bench.state, replace(self.bench.hand, on_mask=True))
        outcomes = []
        for each, x in ((work, 60.0), (other, 200.0)):
            each.add(_dab(x, 60.0))
            outcomes.append(each.finish((PenSample(0, x, 60.0),)))
        state = outcomes[1].apply(outcomes[0].apply(self.bench.state))
        mask = state.active.mask.tiles
        for x in (60, 200):
            self.assertEqual(int(mask.read(Rect(x, 60, x + 1, 61))[0, 0]), 0)

    def test_an_area_that_was_drawn_anew_is_not_overwritten(self) -> None:
        def outlined(state, x: int):
            return areas.outline(state, Rect(x, 9, x + 30, 40), np.ones((31, 30), "f4"),
                                 Combine.NEW)  # fmt: skip

        self.bench.change("Outline", outlined, 10)
        next(a for a in area.ACTIONS if a.id == "area.grow").run(self.bench)
        self.bench.change("Outline", outlined, 200)
        drawn = self.bench.state.area
        self.tasks.run()
        self.assertIs(self.bench.state.area, drawn)
        self.assertIn("Left out of 'Grow area': the area, changed meanwhile.", self.said)
        self.assertEqual(len(self.bench.job.history.done), 2)

    def test_a_merged_copy_says_what_it_shows(self) -> None:
        self.bench.change("New layer", edits.add_pixel_layer)
        next(a for a in layer.ACTIONS if a.id == "layer.merge_copy").run(self.bench)
        self.stroke("paint_colour", 300, 60)
        self.strokes.run()
        self.bench.change("New layer", edits.add_pixel_layer)
        self.tasks.run()
        names = [x.name for x in self.bench.state.layers[1:]]
        self.assertEqual(names, ["Layer 1", "Merged copy", "Layer 2"])
        self.assertIn("as it was when it was begun", self.said[-1])

    def test_another_job_takes_no_outcome_and_that_is_said(self) -> None:
        self.mend_all()
        self.bench.take_job(Job(new_state(skin_photo())))
        before = self.bench.state
        self.tasks.run()
        self.assertIs(self.bench.state, before)
        self.assertEqual(self.said[-1],
                         "Mending: dropped, since another job was opened meanwhile.")  # fmt: skip

    def test_another_source_after_more_work_is_a_step_of_its_own(self) -> None:
        finding.look_at(self.bench, self.bench.state.findings.items[0])
        finding.mend(self.bench, [self.bench.state.findings.items[0]])
        self.tasks.run()
        self.bench.select_layer(self.bench.state.layers[0].id)  # no change
        self.assertTrue(finding.has_other_source(self.bench))
        finding.other_source(self.bench)
        self.bench.change("Rename", edits.rename, self.bench.state.layers[1].id, "Mine")
        self.tasks.run()
        names = [s.name for s in self.bench.job.history.done]
        self.assertEqual(names, ["Mend finding", "Rename", "Other source"])
        self.assertEqual(self.bench.state.layers[1].name, "Mine")
        self.assertEqual(len(self.bench.state.layers[1].strokes), 1)
        self.assertFalse(finding.has_other_source(self.bench))
        self.bench.undo()
        self.assertTrue(same_work(self.bench.state, self.bench.state))


def _dab(x: float, y: float):
    return np.array([[x, y, 8, 1, 1, 1]], np.float32)
