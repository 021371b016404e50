"""Presets, sources and areas as commands; the live rim test; the offer to cut free."""

import unittest
from dataclasses import replace

import numpy as np

from lather.actions.findings import face, geometry, surveying
from lather.actions.hand import broken, source
from lather.actions.hand.hands import LARGEST_SCALE, SMALLEST_SCALE
from lather.actions.hand.rim_watch import RimWatch
from lather.actions.layers import area
from lather.actions.start import start_workbench
from lather.actions.table import all_actions
from lather.core.area.combine import Combine
from lather.core.brush.stroke import PenSample
from lather.core.mend.mode import MendMode
from lather.core.mend.placement import Turn
from lather.core.rect import Rect
from lather.core.survey.regions.region import Region
from lather.document import areas, edits
from lather.document.agreed.style import Style
from lather.document.findings import FindingState
from lather.document.job import Job
from lather.document.photo import Photo
from lather.document.scale import move_handle
from lather.document.state import new_state
from lather.errors import EditError
from lather.render.worker import SameThread
from lather.settings.store import Settings
from lather.tools.presets import BUILT_IN, presets_from
from lather.tools.source import PickedSource, Reads, SourceGoes
from lather.tools.table import TOOLS
from tests.support import Answers, Case, skin_photo, surveyed


class BenchCase(Case):
    def setUp(self) -> None:
        super().setUp()
        self.answers = Answers()
        self.bench = start_workbench(Settings(self.folder / "settings.json"), self.answers)
        self.said: list[str] = []
        self.bench.said.connect(lambda text, error: self.said.append(text))
        self.addCleanup(lambda: self.bench.take_job(None))

    def open(self, state=None) -> None:
        self.bench.take_job(Job(state or new_state(skin_photo())))

    def run_action(self, action_id: str) -> None:
        action = next(a for a in all_actions() if a.id == action_id)
        self.assertTrue(action.enabled(self.bench), action_id)
        action.run(self.bench)


class PresetTest(BenchCase):
    def test_one_key_goes_round_and_comes_back_to_the_own_brush(self) -> None:
        hands = self.bench.hands
        hands.take_tool("copy_from_source")
        hands.set_brush(size_px=33.0, opacity=0.4)
        own, seen = hands.hand, []
        for _ in range(4):
            self.run_action("brush.next_preset")
            seen.append(hands.preset_name)
        self.assertEqual(seen, ["Along an edge", "Under the eye", "Sweep", None])
        self.assertEqual(hands.hand.brush, own.brush)
        self.assertEqual(hands.hand.source_goes, own.source_goes)

    def test_the_sweep_is_fresh_and_weak_and_under_the_eye_lifts(self) -> None:
        hands = self.bench.hands
        hands.take_tool("copy_from_source")
        hands.take_preset("Sweep")
        self.assertIs(hands.hand.source_goes, SourceGoes.FRESH)
        self.assertEqual(hands.hand.brush.opacity, 0.2)
        hands.take_preset("Under the eye")
        self.assertIs(hands.hand.mode, MendMode.LIFT_DARKS)
        self.assertTrue(0.1 <= hands.hand.brush.opacity <= 0.3)

    def test_every_brush_has_one_and_own_ones_last(self) -> None:
        tools = {preset.tool for preset in BUILT_IN}
        for entry in TOOLS:
            if entry.is_brush and not entry.only_size and entry.id != "correct_region":
                self.assertIn(entry.id, tools)
        hands = self.bench.hands
        hands.set_brush(size_px=77.0)
        self.answers.answers["text"] = "  My   brush "
        self.run_action("brush.save_preset")
        self.assertEqual(hands.preset_name, "My brush")
        again = start_workbench(Settings(self.folder / "settings.json"), self.answers).hands
        self.assertIn("My brush", [preset.name for preset in again.presets])
        again.take_preset("My brush")
        self.assertEqual(again.hand.brush.size_px, 77.0)
        self.run_action("brush.delete_preset")
        self.assertNotIn("My brush", [preset.name for preset in hands.presets])

    def test_softening_can_be_switched_off_for_all_tools(self) -> None:
        self.run_action("brush.weak")
        for entry in TOOLS:
            self.bench.hands.take_tool(entry.id)
            self.assertFalse(self.bench.hand.weak)
        self.run_action("brush.weak")
        self.assertTrue(self.bench.hand.weak)

    def test_changing_the_brush_leaves_the_preset(self) -> None:
        self.bench.hands.take_preset("Pin-point")
        self.bench.hands.set_brush(size_px=9.0)
        self.assertIsNone(self.bench.hands.preset_name)

    def test_names_that_will_not_do(self) -> None:
        for name, why in (("", "no name"), ("Pin-point", "comes with Lather")):
            with self.assertRaisesRegex(EditError, why):
                self.bench.hands.save_preset(name)

    def test_damaged_preferences_lose_only_what_is_damaged(self) -> None:
        good = BUILT_IN[0].as_entry()
        broken_ones = [{}, 3, None, {**good, "mode": "?"}, {**good, "brush": {}}]
        self.assertEqual([p.name for p in presets_from([*broken_ones, good])], ["Pin-point"])


class SourceCommandTest(BenchCase):
    def test_turns_go_round_and_stay_in_bounds(self) -> None:
        self.open()
        self.bench.hands.take_tool("mend_from_source")
        for _ in range(80):
            self.run_action("source.turn_left")
        self.assertEqual(self.bench.hand.turn.angle_deg, (-80 * source.ANGLE_STEP_DEG) % 360)
        for _ in range(40):
            self.run_action("source.larger")
        self.assertEqual(self.bench.hand.turn.scale, LARGEST_SCALE)
        for _ in range(80):
            self.run_action("source.smaller")
        self.assertEqual(self.bench.hand.turn.scale, SMALLEST_SCALE)
        self.run_action("source.mirror")
        self.assertTrue(self.bench.hand.turn.mirrored)
        self.run_action("source.straight")
        self.assertEqual(self.bench.hand.turn, Turn())
        self.run_action("source.larger")
        self.run_action("source.smaller")
        self.assertEqual(self.bench.hand.turn.scale, 1.0)

    def test_what_lies_below_is_the_default(self) -> None:
        self.open()
        self.assertIs(self.bench.hand.reads, Reads.BELOW)
        self.bench.hands.take_tool("mend_from_source")
        seen = []
        for _ in Reads:
            self.run_action("source.reads")
            seen.append(self.bench.hand.reads)
        self.assertEqual(set(seen), set(Reads))


class AreaCommandTest(BenchCase):
    def test_the_commands_change_the_area(self) -> None:
        ones = np.ones((60, 60), "f4")
        self.open(areas.outline(new_state(skin_photo()), Rect(60, 60, 120, 120), ones, Combine.NEW))

        def size_px() -> float:
            return float(areas.read_plane(self.bench.state.area, self.bench.state.photo.rect).sum())

        self.assertEqual(size_px(), 3600)
        self.run_action("area.grow")
        self.assertGreater(size_px(), 3600)
        self.run_action("area.shrink")
        self.assertAlmostEqual(size_px(), 3600, delta=8)
        self.run_action("area.feather")
        self.assertAlmostEqual(size_px(), 3600, delta=60)
        self.run_action("area.invert")
        self.assertAlmostEqual(size_px(), 400 * 360 - 3600, delta=60)
        self.run_action("area.clear")
        self.assertIsNone(self.bench.state.area)
        self.assertFalse(area.has_area(self.bench))
        names = [step.name for step in self.bench.job.history.done]
        self.assertEqual(names, ["Grow area", "Shrink area", "Feather area", "Invert area",
                                 "No area"])  # fmt: skip


def beside_an_edge() -> Photo:
    samples = skin_photo(400, 360).samples.copy()
    samples[:, 200:] = (samples[:, 200:] * np.array([0.6, 0.4, 0.45])).astype(np.uint16)
    return Photo(samples, name="edge.png")


class RimWatchTest(BenchCase):
    def setUp(self) -> None:
        super().setUp()
        self.open(new_state(beside_an_edge()))
        self.watch = RimWatch(self.bench, SameThread())
        self.addCleanup(self.watch.close)
        self.bench.hands.set_brush(size_px=40.0)

    def test_plain_skin_is_clean_an_edge_and_the_border_are_not(self) -> None:
        shares = []
        for x, y in ((80, 180), (200, 180), (5, 180)):
            self.watch.hover(x, y)
            shares.append(self.watch.cursor.share)
        self.assertEqual(shares[0], 0)
        self.assertGreater(shares[1], 0.1)
        self.assertGreater(shares[2], 0.2)

    def test_outside_of_the_picture_all_is_broken(self) -> None:
        self.watch.hover(-900, 50)
        self.assertEqual(self.watch.cursor.share, 1)

    def test_other_tools_are_not_tested_and_leaving_clears(self) -> None:
        self.watch.hover(200, 180)
        self.watch.leave()
        self.assertIsNone(self.watch.cursor)
        self.bench.hands.take_tool("paint_colour")
        self.watch.hover(200, 180)
        self.assertIsNone(self.watch.cursor)

    def test_the_outlines_of_the_area_are_tested(self) -> None:
        for x0, crosses in ((40, False), (160, True)):
            ones = np.ones((80, 80), "f4")
            edit = areas.outline(self.bench.state, Rect(x0, 100, x0 + 80, 180), ones, Combine.NEW)
            self.bench.job.change("Outline", edit)
            self.assertEqual(len(self.watch.area), 1)
            self.assertEqual(bool(self.watch.area[0].broken.any()), crosses)
        self.bench.change("No area", areas.set_area, None)
        self.assertEqual(self.watch.area, ())

    def test_a_broken_mend_offers_to_be_cut_free(self) -> None:
        session = self.bench.session
        session.down(PenSample(0.0, 200, 180))
        session.up(PenSample(0.1, 200, 180, 0.0))
        self.assertIn("crosses an edge", self.said[-1])
        self.assertEqual(self.bench.offer.title, "Cut it free")
        self.bench.offer.run()
        names = [step.name for step in self.bench.job.history.done]
        self.assertEqual(names, [broken.NAME])

    def test_the_offer_is_void_once_something_else_was_done(self) -> None:
        session = self.bench.session
        session.down(PenSample(0.0, 200, 180))
        session.up(PenSample(0.1, 200, 180, 0.0))
        offer = self.bench.offer
        self.bench.change("New layer", edits.add_pixel_layer)
        offer.run()
        self.assertIn("changed meanwhile", self.said[-1])
        self.assertEqual(self.bench.job.history.done[-1].name, "New layer")


class GeometryTest(BenchCase):
    def setUp(self) -> None:
        super().setUp()
        self.open(edits.set_findings(new_state(skin_photo()), surveyed(4)))

    def test_a_moved_pupil_changes_the_scale_of_all(self) -> None:
        before = self.bench.state.findings
        face.move_handle(self.bench, 0, "nose_tip", 90.0, 110.0)
        self.assertEqual(self.bench.state.findings.mm_per_px, before.faces[0].mm_per_px())
        self.assertEqual(self.bench.state.findings.faces[0].handles["nose_tip"], (90.0, 110.0))
        first = self.bench.state.findings
        edited = move_handle(self.bench.state, 0, "pupil_left", 180.0, 74.0)
        ratio = edited.findings.mm_per_px / first.mm_per_px
        self.assertAlmostEqual(ratio, 60.03 / 120.07, delta=0.002)
        sizes = [f.diameter_mm for f in first.items], [f.diameter_mm for f in edited.findings.items]
        self.assert_close(np.array(sizes[1]) / sizes[0], np.full(4, ratio), 1e-9)

    def test_pupils_in_one_place_are_refused(self) -> None:
        with self.assertRaisesRegex(EditError, "in one place"):
            move_handle(self.bench.state, 0, "pupil_left", 60.0, 70.0)

    def test_a_known_length_sets_the_scale(self) -> None:
        face.start_measuring(self.bench)
        self.assertTrue(self.bench.looks.measuring)
        self.answers.answers["text"] = "11,7 mm"
        face.measured(self.bench, (10.0, 10.0), (127.0, 10.0))
        self.assertFalse(self.bench.looks.measuring)
        self.assertAlmostEqual(self.bench.state.findings.mm_per_px, 0.1)
        self.bench.undo()
        self.assertEqual(self.bench.state.findings.mm_per_px, 0.25)

    def test_lengths_that_will_not_do(self) -> None:
        for text in ("", "long", "-3", "0", "99999", "nan"):
            self.answers.answers["text"] = text
            with self.assertRaisesRegex(EditError, "no length in mm"):
                face.measured(self.bench, (0.0, 0.0), (100.0, 0.0))
        face.measured(self.bench, (0.0, 0.0), (2.0, 0.0))
        self.assertIn("too short", self.said[-1])

    def test_the_style_decides_what_is_kept_but_not_what_was_decided(self) -> None:
        from lather.core.survey.findings.finding import Kind
        from tests.support import finding as made

        items = (made(1, kind=Kind.FRECKLES), made(2, 90.0, kind=Kind.VEIN),
                 made(3, 120.0, kind=Kind.MOLE), made(4, 150.0, kind=Kind.FRECKLES))  # fmt: skip
        findings = replace(surveyed(1), items=items, states={}).decided(
            [1, 3], FindingState.KEPT).decided([4], FindingState.SKIPPED)  # fmt: skip
        self.open(edits.set_findings(new_state(skin_photo()), findings))

        def kept() -> set[int]:
            return {f.id for f in self.bench.state.findings.in_state(FindingState.KEPT)}

        self.run_action("brief.natural")
        self.assertEqual(kept(), {1, 2, 3})
        self.run_action("brief.flawless")
        self.assertEqual(kept(), {3})
        self.assertIs(self.bench.state.findings.states[4], FindingState.SKIPPED)
        self.run_action("brief.groomed")
        self.assertEqual(kept(), {1, 3})
        self.assertIs(self.bench.state.brief.style, Style.GROOMED)

    def test_the_lens_comes_and_goes_with_the_tool(self) -> None:
        self.bench.hands.take_tool("correct_region")
        self.assertEqual(self.bench.looks.lens, "regions")
        self.bench.hands.take_tool("mend_spot")
        self.assertEqual(self.bench.looks.lens, "")
        self.assertFalse(geometry.has_regions(self.bench))
        self.bench.hands.set_region(Region.LIPS)
        self.assertIs(self.bench.hand.region, Region.LIPS)

    def test_survey_again_goes_by_handles_and_scale(self) -> None:
        """The handles are where somebody put them, and no face is looked for."""
        surveying.survey(self.bench)
        self.assertEqual(self.bench.state.findings.faces, surveyed(4).faces)
        self.assertEqual(self.bench.state.findings.mm_per_px, 0.25)
        self.assertTrue(self.bench.state.regions.masks)


class PickedTest(BenchCase):
    def test_a_new_job_forgets_the_source(self) -> None:
        self.open()
        self.bench.hands.set_source(PickedSource(10.0, 20.0))
        self.open()
        self.assertIsNone(self.bench.hand.source)


if __name__ == "__main__":
    unittest.main()
