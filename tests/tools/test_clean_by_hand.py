"""Weak removal, keep marks, region corrections, spots cut free: what the hand does in Clean."""

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from lather.assist.survey import with_mark
from lather.core.area.combine import Combine
from lather.core.bounds import N_DIRECTIONS
from lather.core.rect import Rect
from lather.core.survey.faces.geometry import FaceGeometry
from lather.core.survey.findings.finding import Kind
from lather.core.survey.regions.region import Region
from lather.document import areas, edits
from lather.document.agreed.style import Style, Weak
from lather.document.findings import Findings, FindingState
from lather.document.job import Job
from lather.document.photo import Photo
from lather.document.planes import Regions, read_plane, with_plane
from lather.document.state import new_state
from lather.document.tiles import BLACK_MASK
from lather.errors import EditError
from lather.render.compositor import render
from lather.render.ground import photo_ground
from lather.render.lenses.table import render_region
from lather.render.regions import region_coverage
from lather.render.screen.request import Shown
from lather.tools.free import cut_free_at, place_of_area, place_of_finding
from lather.tools.table import tool
from tests.support import Case, draw, finding, mended, session_for, skin_photo, surveyed

ROW = 180.5


def creased():
    """Skin with a dark line, and the finding that says so; pupils above it."""
    samples = skin_photo(500, 360).samples.astype(float)
    ys = np.mgrid[:360, :500][0] + 0.5
    xs = np.mgrid[:360, :500][1]
    line = np.exp(-((ys - ROW) ** 2) / (2 * 2.0**2)) * ((xs > 100) & (xs < 400))
    samples *= 1 - 0.3 * line[..., None]
    path = tuple((float(x), ROW) for x in range(100, 401, 10))
    crease = finding(
        1, 250.0, ROW, kind=Kind.CREASE, path_px=path, length_mm=60.0, contrast_l=-12.0,
        radius_px=4.0, extent_px=(9.0,) * N_DIRECTIONS,
    )  # fmt: skip
    state = new_state(Photo(samples.astype(np.uint16), name="crease.png"))
    face = FaceGeometry.from_pupils((150.0, 60.0), (350.0, 60.0))
    return edits.set_findings(state, Findings.of_survey(0.2, [crease], [face]))


def depth(state) -> float:
    """How much darker the line is than beside it."""
    part = render(state, Rect(150, 150, 350, 210))[..., :3].mean((1, 2))
    return float(part[:15].mean() - part[28:33].mean())


class WeakTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.state = creased()
        self.crease = self.state.findings.items[0]

    def stroke(self, state, points, tool_id="mend_spot", **changes) -> Job:
        job = Job(state)
        session = session_for(job)
        session.hand = replace(session.hand, **changes)
        draw(session, tool_id, points, size_px=20.0, hardness=0.8)
        return job

    def test_a_crease_is_softened_by_the_brief(self) -> None:
        for style in (Style.NATURAL, Style.GROOMED, Style.FLAWLESS, Style.INFANT):
            state = edits.set_style(self.state, style)
            after = mended(state, [self.crease])
            layer = next(x for x in after.layers if getattr(x, "weak", None))
            strength = style.strength(Weak.CREASES)
            with self.subTest(style):
                self.assertEqual((layer.weak, layer.strength), (Weak.CREASES, strength))
                self.assertTrue(0.3 <= strength <= 0.6)
                self.assertAlmostEqual(depth(after) / depth(state), 1 - strength, delta=0.08)
                full = edits.set_strength(after, layer.id, 1.0)
                self.assertLess(abs(depth(full)), 0.12 * depth(state))

    def test_a_stroke_along_a_crease_goes_there_too(self) -> None:
        path = [(100.0 + 10 * n, ROW) for n in range(31)]
        job = self.stroke(self.state, path)
        layer = job.state.layers[-1]
        self.assertEqual((layer.weak, layer.name), (Weak.CREASES, "Softened creases"))
        self.assertEqual(job.history.done[0].name, "Soften creases")
        self.assertIs(job.state.findings.state(self.crease), FindingState.DONE)
        self.assertEqual(job.state.active_id, job.state.layers[0].id)
        again = self.stroke(job.state, path)  # the same layer, not another
        self.assertEqual(len(again.state.layers), 2)
        job.undo()
        self.assertEqual(len(job.state.layers), 1)

    def test_switched_off_it_is_an_ordinary_mend(self) -> None:
        path = [(100.0 + 10 * n, ROW) for n in range(31)]
        job = self.stroke(self.state, path, weak=False)
        self.assertEqual((job.state.active.name, job.state.active.weak), ("Mended spots", None))

    def test_under_the_eye_is_an_eye_bag_and_a_spot_is_none(self) -> None:
        face = self.state.findings.faces[0]
        x, y = face.at(-0.5, 0.28)
        bag = self.stroke(self.state, [(x - 30 + 6 * n, y) for n in range(11)])
        layer = bag.state.layers[-1]
        self.assertEqual((layer.weak, layer.strength), (Weak.EYE_BAGS, 0.55))
        spot = self.stroke(self.state, [(450.0, 300.0)])
        self.assertIsNone(spot.state.layers[-1].weak)

    def test_spots_and_creases_go_on_layers_of_their_own(self) -> None:
        spot = finding(2, 250.0, 300.0, extent_px=(14.0,) * N_DIRECTIONS)
        findings = replace(self.state.findings, items=(self.crease, spot))
        state = edits.set_findings(self.state, findings)
        after = mended(state, list(findings.items))
        kinds = {getattr(x, "weak", None) for x in after.layers[1:]}
        self.assertEqual(kinds, {None, Weak.CREASES})

    def test_what_is_kept_stays_even_where_a_crease_crosses_it(self) -> None:
        mole = finding(2, 250.0, ROW, kind=Kind.MOLE, extent_px=(16.0,) * N_DIRECTIONS)
        findings = Findings.of_survey(0.2, [self.crease, mole], self.state.findings.faces)
        state = edits.set_findings(self.state, findings)
        after = mended(state, [self.crease])
        rect = Rect(240, 170, 261, 191)
        same = render(after, rect) == render(state, rect)
        self.assertTrue(same.all())
        self.assertLess(depth(after), 0.8 * depth(state))

    def test_hair_is_lifted_and_nothing_is_darkened(self) -> None:
        hair = replace(self.crease, kind=Kind.SKIN_HAIR)
        state = edits.set_findings(self.state, replace(self.state.findings, items=(hair,)))
        after = mended(state, [hair])
        rise = render(after, state.photo.rect)[..., :3] - render(state, state.photo.rect)[..., :3]
        luma = rise @ np.array([0.2126, 0.7152, 0.0722])
        self.assertGreater(float(luma.min()), -0.001)
        self.assertLess(abs(depth(after)), 0.15 * depth(state))


class GrainTest(Case):
    def test_what_is_mended_carries_the_grain_around_it(self) -> None:
        """Same sigma and same size, at two sizes of grain, by brush and by picked source."""
        from scipy.ndimage import gaussian_filter

        for grain_px in (0.0, 0.9):
            random = np.random.default_rng(4).normal(0, 1, (360, 400))
            grain = gaussian_filter(random, grain_px) if grain_px else random
            grain *= 0.015 / grain.std()
            plain = np.full((360, 400, 3), (0.7, 0.55, 0.45)) + grain[..., None]
            samples = (np.clip(plain, 0, 1) * 65535).astype(np.uint16)
            samples[170:190, 190:210] //= 2
            job = Job(new_state(Photo(samples, name="grain.png")))
            draw(session_for(job), "mend_spot", [(200, 180)], size_px=44.0, hardness=0.7)
            out = render(job.state, Rect(186, 166, 214, 194))[..., 1]
            truth = plain[60:160, 60:340, 1]
            with self.subTest(grain_px):
                self.assertTrue(0.88 < self.sigma(out) / self.sigma(truth) < 1.12)
                self.assertAlmostEqual(self.size(out), self.size(truth), delta=0.12)

    @staticmethod
    def sigma(plane) -> float:
        rows = plane - plane.mean(0) - plane.mean(1)[:, None] + plane.mean()
        return float(rows.std())

    @staticmethod
    def size(plane) -> float:
        """Correlation of neighbours: 0 for grain of one pixel, towards 1 for coarse grain."""
        centred = plane - plane.mean()
        return float((centred[:, 1:] * centred[:, :-1]).mean() / np.square(centred).mean())


class CutFreeToolTest(Case):
    def setUp(self) -> None:
        super().setUp()
        samples = skin_photo(400, 360).samples.copy()
        samples[:, 200:] = (samples[:, 200:] * np.array([0.6, 0.4, 0.45])).astype(np.uint16)
        self.clean = samples.copy()
        ys, xs = np.mgrid[:360, :400]
        spot = np.exp(-((xs - 196) ** 2 + (ys - 180) ** 2) / (2 * 5.0**2))[..., None]
        samples = (samples * (1 - 0.5 * spot)).astype(np.uint16)
        self.state = new_state(Photo(samples, name="beside.png"))

    def error(self, state) -> float:
        rect = Rect(184, 168, 212, 192)
        out = render(state, rect)[..., :3]
        return float(np.abs(out - self.clean[rect.slices] / 65535).mean())

    def test_a_mend_across_an_edge_is_told_with_its_share(self) -> None:
        job = Job(self.state)
        session = session_for(job)
        broken = []
        session.broke.connect(broken.append)
        draw(session, "mend_spot", [(196, 180)], size_px=30.0)
        self.assertEqual(len(broken), 1)
        self.assertGreater(broken[0].broken_share, 0.2)
        draw(session, "mend_spot", [(60, 180)], size_px=30.0)
        self.assertEqual(len(broken), 1)

    def test_cut_free_it_is_better_than_smeared(self) -> None:
        job = Job(self.state)
        session = session_for(job)
        broken = []
        session.broke.connect(broken.append)
        draw(session, "mend_spot", [(196, 180)], size_px=30.0)
        free, _ = cut_free_at(self.state, broken[0].broken)
        self.assertLess(self.error(free), 0.6 * self.error(job.state))
        record = free.active.strokes[-1]
        self.assertGreater(record.extras["cut_free"], 0.2)

    def test_areas_and_findings_can_be_cut_free(self) -> None:
        mark = finding(1, 196.0, 180.0, extent_px=(15.0,) * N_DIRECTIONS, rim_broken=0.4)
        ones = np.ones((30, 30), "f4")
        with_area = areas.outline(self.state, Rect(181, 165, 211, 195), ones, Combine.NEW)
        before = self.error(self.state)
        for place in (place_of_finding(self.state, mark), place_of_area(with_area)):
            self.assertLess(self.error(cut_free_at(self.state, place)[0]), 0.7 * before)


class MarkTest(Case):
    def test_a_click_marks_and_protects(self) -> None:
        job = Job(new_state(skin_photo()))
        draw(session_for(job), "mark", [(100, 120)], size_px=30.0)
        mark = job.state.findings.items[0]
        self.assertEqual((mark.kind, mark.x, mark.y, mark.reach_px), (Kind.MARK, 100, 120, 15))
        self.assertIs(job.state.findings.state(mark), FindingState.KEPT)
        self.assertFalse(job.state.surveyed)
        with self.assertRaises(EditError):
            mended(job.state, [])

    def test_another_survey_keeps_it_and_what_it_holds(self) -> None:
        from lather.assist.survey import _taken_over

        state = with_mark(new_state(skin_photo()), 20.0, 30.0, 6.0)
        fresh = _taken_over(surveyed(3), state.findings)
        kept = [f.kind for f in fresh.in_state(FindingState.KEPT)]
        self.assertEqual(kept.count(Kind.MARK), 1)
        self.assertIn(Kind.RED, kept)  # the finding at (20, 30.5) lies inside
        self.assertEqual(len({f.id for f in fresh.items}), 4)

    def test_decisions_outlast_another_survey(self) -> None:
        from lather.assist.survey import _taken_over

        before = surveyed(3).decided([1], FindingState.SKIPPED)
        self.assertIs(_taken_over(surveyed(3), before).states[1], FindingState.SKIPPED)


class RegionToolTest(Case):
    def setUp(self) -> None:
        super().setUp()
        photo = skin_photo(400, 360)
        plane = np.zeros((180, 200), "f4")
        plane[:, :100] = 1
        rect = Rect(0, 0, 200, 180)
        masks = {Region.SKIN: with_plane(BLACK_MASK, rect, plane),
                 Region.HAIR: with_plane(BLACK_MASK, rect, 1 - plane)}  # fmt: skip
        self.state = replace(new_state(photo), regions=Regions(0.5, masks))

    def paint(self, combine, region=Region.SKIN, at=(300.0, 180.0)) -> Job:
        job = Job(self.state)
        session = session_for(job)
        self.frames = []
        session.frame.connect(self.frames.append)
        session.hand = replace(session.hand, combine=combine, region=region)
        draw(session, "correct_region", [at], size_px=60.0, hardness=1.0)
        return job

    def planes(self, job: Job) -> tuple[np.ndarray, np.ndarray]:
        rect = Rect(0, 0, 200, 180)
        masks = job.state.regions.masks
        return read_plane(masks[Region.SKIN], rect), read_plane(masks[Region.HAIR], rect)

    def test_adding_to_one_takes_from_the_others(self) -> None:
        skin, hair = self.planes(job := self.paint(Combine.ADD))
        self.assertEqual((skin[90, 150], hair[90, 150]), (1, 0))
        self.assertAlmostEqual(float(skin.sum()) - 18000, np.pi * 15**2, delta=60)
        self.assertEqual(job.state.regions.corrected, {Region.SKIN})
        self.assertIs(self.frames[-1].shown, Shown.LENS)
        self.assertEqual(job.history.done[0].name, "Add to region: skin")

    def test_an_area_limits_it_too(self) -> None:
        ones = np.ones((60, 30), "f4")
        limited = areas.outline(self.state, Rect(270, 150, 300, 210), ones, Combine.NEW)
        self.state = limited
        skin, hair = self.planes(self.paint(Combine.ADD))
        self.assertEqual((skin[90, 145], hair[90, 145]), (1, 0))
        self.assertEqual((skin[90, 155], hair[90, 155]), (0, 1))

    def test_taking_leaves_the_others(self) -> None:
        skin, hair = self.planes(self.paint(Combine.TAKE, at=(100.0, 180.0)))
        self.assertEqual((skin[90, 50], hair[90, 50]), (0, 0))

    def test_without_regions_it_says_what_to_do(self) -> None:
        self.state = replace(self.state, regions=Regions())
        failures = []
        session = session_for(Job(self.state))
        session.failed.connect(lambda error: failures.append(error.sentence()))
        draw(session, "correct_region", [(100.0, 100.0)], size_px=40.0)
        self.assertIn("survey it first", failures[0])

    def test_the_pen_goes_down_without_waiting_for_an_area(self) -> None:
        """The area of a large picture is reduced on the worker, with the first dab."""
        ones = np.ones((180, 200), np.float32)
        state = areas.outline(self.state, Rect(0, 0, 200, 180), ones, Combine.NEW)
        hand = replace(session_for(Job(state)).hand, region=Region.SKIN)
        reduced = []
        with mock.patch("lather.tools.region._reduced_area", lambda *_: reduced.append(1)):
            work = tool("correct_region").begin(state, hand)
            self.assertEqual(reduced, [])
            self.assertIsNone(work.finish(()))
        self.assertEqual(reduced, [1])

    def test_the_lens_dims_what_is_outside(self) -> None:
        rect = Rect(100, 100, 300, 200)
        covered = region_coverage(photo_ground(self.state), Region.SKIN, rect)
        self.assertEqual((covered[50, 50], covered[50, 150]), (1, 0))
        shown, plain = render_region(self.state, Region.SKIN, rect), render(self.state, rect)
        self.assert_close(shown[:, :90], plain[:, :90], 1e-6)
        self.assertLess(float(shown[:, 110:, :3].mean()), 0.6 * float(plain[:, 110:, :3].mean()))
        half = region_coverage(photo_ground(self.state), Region.SKIN, rect.at_level(1), 1)
        self.assertEqual((half[25, 25], half[25, 75]), (1, 0))


if __name__ == "__main__":
    unittest.main()
