"""Even's assistants on jobs: what they propose, what they leave, and why."""

from __future__ import annotations

import unittest
from dataclasses import replace

import cv2
import numpy as np

from lather.assist.changed_outline import changed_outlines
from lather.assist.even.even_out import propose_even_out
from lather.assist.even.findings import even_findings
from lather.assist.even.layers import TAMED
from lather.assist.even.match import MatchOptions, _apart, propose_match, propose_redness
from lather.assist.even.scores import skin_scores
from lather.assist.even.shine import STRENGTH, propose_shine
from lather.assist.even.shining import photo_shine
from lather.assist.proposal import Meant, new_layers, weakened
from lather.assist.retouch import RetouchOptions, as_one, retouch
from lather.assist.skin_view import skin_view
from lather.assist.stages import stages_built
from lather.core.blend.modes import BlendMode
from lather.core.bounds import N_DIRECTIONS
from lather.core.check.skin import fine_lightness
from lather.core.colour.display import lattice_colours, lattice_from
from lather.core.colour.lab import ciede2000, lab_to_srgb, to_encoded, to_linear
from lather.core.colour.labs import lab_of
from lather.core.rect import Rect
from lather.core.survey.faces.geometry import FaceGeometry
from lather.core.survey.findings.finding import Kind
from lather.core.survey.regions.region import Part, Region
from lather.core.work import CancelToken
from lather.document import edits
from lather.document.agreed.style import Style
from lather.document.findings import FindingState
from lather.document.job import Job
from lather.document.layers.area_colour import AreaColourLayer
from lather.document.layers.blood_pigment import BloodPigmentLayer
from lather.document.layers.blur import BlurLayer
from lather.document.layers.layer import Stage
from lather.document.layers.pixels import PixelLayer
from lather.document.photo import Metadata, Photo
from lather.document.planes import with_plane
from lather.document.state import JobState, new_state
from lather.document.tiles import BLACK_MASK
from lather.errors import Cancelled
from lather.render.compositor import render
from lather.render.flatten import flatten
from lather.render.measured import measured_rgb
from tests.even_skin import BROWN, MM, SIDE, field, highlight, skin_rgb, skin_state
from tests.support import Case, finding

RASH = (200, 140)
# Linear sRGB to a space with the same red, blue and white, and a greener green.
TO_WIDE = np.array([[0.715, 0.285, 0.0], [0.0, 1.0, 0.0], [0.0, 0.041, 0.959]])


def seen(state: JobState) -> np.ndarray:
    return render(state, state.photo.rect)[..., :3]


def rash(density: float = 0.55) -> np.ndarray:
    ys, xs = np.mgrid[:SIDE, :SIDE]
    away = np.hypot(xs - RASH[0], ys - RASH[1]) * MM
    return density * np.clip((14 - away) / 3, 0, 1).astype(np.float32)


def with_findings(state: JobState) -> JobState:
    found = even_findings(skin_view(state))
    return edits.set_findings(state, replace(state.findings, items=tuple(found)))


class ShineTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.mirrored = highlight(160, 160, 9.0, 0.5)
        self.state = skin_state(skin_rgb(mirrored=self.mirrored, colour=BROWN))
        self.true = skin_rgb(colour=BROWN)

    def test_it_is_taken_towards_the_skins_own_colour_on_a_layer(self) -> None:
        proposal = propose_shine(self.state)
        self.assertIsNone(proposal.refusal)
        (layer,) = new_layers(proposal)
        self.assertIsInstance(layer, PixelLayer)
        self.assertEqual((layer.mode, layer.strength, layer.stage),
                         (BlendMode.LINEAR_LIGHT, STRENGTH, Stage.EVEN))  # fmt: skip
        inside = self.mirrored > 0.15
        for strength in (0.6, 1.0):
            state = edits.set_strength(proposal.after, layer.id, strength)
            before = seen(self.state)
            goal = before + strength * (self.true - before)
            errors = [ciede2000(lab_of(picture)[inside], lab_of(goal)[inside]).mean()
                      for picture in (seen(state), before)]  # fmt: skip
            self.assertLess(errors[0], 0.45 * errors[1])
        elsewhere = self.mirrored < 0.005
        self.assert_close(seen(proposal.after)[elsewhere], seen(self.state)[elsewhere], 0.004)

    def test_light_is_only_taken_away(self) -> None:
        proposal = propose_shine(self.state)
        self.assertLess(float((seen(proposal.after) - seen(self.state)).max()), 1e-3)

    def test_texture_stays_as_strong_as_beside_it(self) -> None:
        state = edits.set_strength(*self._after(), 1.0)
        fine = fine_lightness(np.ascontiguousarray(lab_of(seen(state))[..., 0]), 0.5 / MM)
        inside, beside = (self.mirrored > 0.3), (self.mirrored < 0.002)
        ratio = fine[inside].std() / fine[beside].std()
        glints = fine_lightness(np.ascontiguousarray(lab_of(seen(self.state))[..., 0]), 0.5 / MM)
        self.assertTrue(0.6 < ratio < 1.8, ratio)
        self.assertGreater(glints[inside].std() / fine[beside].std(), 2.5)

    def _after(self):
        proposal = propose_shine(self.state)
        return proposal.after, new_layers(proposal)[0].id

    def test_clipped_skin_gets_texture_from_beside_it(self) -> None:
        hot = highlight(160, 160, 9.0, 1.6)
        proposal = propose_shine(skin_state(skin_rgb(mirrored=hot, colour=BROWN)))
        self.assertIsNone(proposal.refusal)
        self.assertTrue(any("borrowed" in reason for reason in proposal.reasons))
        state = edits.set_strength(proposal.after, proposal.after.active_id, 1.0)
        clipped = skin_rgb(mirrored=hot, colour=BROWN).min(-1) > 0.999
        fine = fine_lightness(np.ascontiguousarray(lab_of(seen(state))[..., 0]), 0.5 / MM)
        self.assertGreater(fine[clipped].std(), 0.3 * fine[hot < 0.002].std())

    def test_a_skipped_finding_stays_and_one_can_be_meant_alone(self) -> None:
        two = self.mirrored + highlight(60, 250, 7.0, 0.5)
        state = with_findings(skin_state(skin_rgb(mirrored=two, colour=BROWN)))
        first, second = [f for f in state.findings.items if f.kind is Kind.SHINE]
        alone = propose_shine(state, Meant(frozenset({first.id})))
        skipped = propose_shine(edits.decide(state, [second.id], FindingState.SKIPPED))
        for proposal in (alone, skipped):
            change = np.abs(seen(proposal.after) - seen(state)).max(-1)
            at = [change[int(f.y) - 8 : int(f.y) + 8, int(f.x) - 8 : int(f.x) + 8].max()
                  for f in (first, second)]  # fmt: skip
            self.assertGreater(at[0], 0.05)
            self.assertEqual(at[1], 0)
            self.assertIs(proposal.after.findings.state(first), FindingState.DONE)
            self.assertIsNot(proposal.after.findings.state(second), FindingState.DONE)

    def test_nothing_sure_is_nothing_proposed(self) -> None:
        for rgb in (self.true, np.zeros_like(self.true), np.ones_like(self.true)):
            proposal = propose_shine(skin_state(rgb))
            self.assertIs(proposal.after, proposal.before)
            self.assertIn("by hand", proposal.refusal.sentence())

    def test_it_can_be_cancelled(self) -> None:
        cancel = CancelToken()
        cancel.cancel()
        for assistant in (propose_shine, propose_redness, propose_even_out, propose_match):
            with self.assertRaises(Cancelled):
                assistant(self.state, cancel=cancel)


class ShineStaysNaturalTest(Case):
    """What is left of a highlight is skin and lamp, mixed as light mixes."""

    def setUp(self) -> None:
        super().setUp()
        self.mirrored = highlight(160, 160, 9.0, 1.6)  # clipped in its middle
        self.rgb = skin_rgb(mirrored=self.mirrored, colour=BROWN)
        self.true = skin_rgb(colour=BROWN)

    def test_hue_and_chroma_are_those_of_the_mixture(self) -> None:
        proposal = propose_shine(skin_state(self.rgb))
        goal = to_encoded((1 - STRENGTH) * to_linear(self.rgb) + STRENGTH * to_linear(self.true))
        inside = self.mirrored > 0.1
        made, wanted, before = (lab_of(np.ascontiguousarray(p, np.float32))[inside]
                                for p in (seen(proposal.after), goal, self.rgb))  # fmt: skip
        hues = [np.degrees(np.arctan2(lab[:, 2], lab[:, 1])) for lab in (made, wanted)]
        chroma = [np.hypot(lab[:, 1], lab[:, 2]).mean() for lab in (made, wanted)]
        self.assertLess(np.abs((hues[0] - hues[1] + 180) % 360 - 180).mean(), 4)
        self.assertAlmostEqual(chroma[0] / chroma[1], 1, delta=0.1)
        self.assertLess(ciede2000(made, wanted).mean(), 0.45 * ciede2000(before, wanted).mean())

    def test_no_ring_shows_at_the_rim(self) -> None:
        after = seen(propose_shine(skin_state(self.rgb)).after)
        goal = to_encoded((1 - STRENGTH) * to_linear(self.rgb) + STRENGTH * to_linear(self.true))
        away = [cv2.GaussianBlur(np.ascontiguousarray(lab_of(np.ascontiguousarray(p, np.float32))[
            ..., 0]), (0, 0), 1.0 / MM) for p in (after, goal)]  # fmt: skip
        error = away[0] - away[1]
        rim = (self.mirrored > 0.004) & (self.mirrored < 0.03)
        self.assertLess(np.abs(np.gradient(error)[0][rim]).mean(), 0.5)

    def test_an_island_inside_of_a_patch_belongs_to_it(self) -> None:
        ys, xs = np.mgrid[:SIDE, :SIDE]
        hole = np.hypot(xs - 160, ys - 160) < 4
        rgb = self.rgb.copy()
        rgb[hole] = self.rgb[hole] * np.float32(0.9) + np.float32(0.1)  # whiter, and smoother
        state = skin_state(rgb)
        spot = finding(7, 160.0, 160.0, kind=Kind.BRIGHT, radius_px=4.0, contrast_l=9.0,
                       extent_px=(5.0,) * N_DIRECTIONS)  # fmt: skip
        state = edits.set_findings(state, replace(state.findings, items=(spot,)))
        after = seen(propose_shine(state).after)
        fall = (lab_of(rgb)[..., 0] - lab_of(np.ascontiguousarray(after))[..., 0])
        self.assertGreater(float(fall[hole].mean()), 0.6 * float(fall[self.mirrored > 0.8].mean()))

    def test_it_is_the_same_in_8_and_16_bit_and_in_a_wider_space(self) -> None:
        changes = []
        for photo in (self._photo(self.rgb, np.uint16), self._photo(self.rgb, np.uint8),
                      self._wide(self.rgb)):  # fmt: skip
            state = replace(skin_state(self.rgb), photo=photo)
            state = replace(state, layers=new_state(photo).layers)
            state = replace(state, active_id=state.layers[0].id)
            after = propose_shine(state)
            self.assertIsNone(after.refusal)
            rgb = [measured_rgb(photo, seen(one)) for one in (state, after.after)]
            changes.append(lab_of(rgb[0])[..., 0] - lab_of(rgb[1])[..., 0])
            weight = photo_shine(state).weight
            self.assertGreater(weight[self.mirrored > 0.3].mean(), 0.9)
            self.assertEqual([f.kind for f in even_findings(skin_view(state))
                              if f.kind is Kind.SHINE], [Kind.SHINE])  # fmt: skip
        inside = self.mirrored > 0.1
        for other in changes[1:]:
            self.assertAlmostEqual(float(other[inside].mean() / changes[0][inside].mean()), 1,
                                   delta=0.1)  # fmt: skip

    def _photo(self, rgb: np.ndarray, kind: type) -> Photo:
        most = np.iinfo(kind).max
        return Photo((np.clip(rgb, 0, 1) * most + 0.5).astype(kind), name="skin.png")

    def _wide(self, rgb: np.ndarray) -> Photo:
        """The same colours in a space with a wider green, encoded with a power of 2.2."""
        wide = np.clip(to_linear(rgb) @ TO_WIDE.T, 0, 1) ** (1 / 2.2)
        points = lattice_colours()
        lattice = lattice_from(to_encoded(np.clip(
            (points.astype(np.float64) ** 2.2) @ np.linalg.inv(TO_WIDE).T, 0, 1)))  # fmt: skip
        samples = (wide * 65535 + 0.5).astype(np.uint16)
        return Photo(samples, lattice=lattice, name="wide.tif")

    def test_what_a_file_says_was_tamed_is_tamed_no_more_unless_it_is_meant(self) -> None:
        state = skin_state(self.rgb)
        state.photo.metadata = Metadata(done=(TAMED,))
        proposal = propose_shine(state)
        self.assertRegex(proposal.refusal.why, "tamed before")
        found = with_findings(state)
        meant = Meant(frozenset(f.id for f in found.findings.items if f.kind is Kind.SHINE))
        self.assertIsNone(propose_shine(found, meant).refusal)


class SettledTest(Case):
    """What is done follows from what got a layer."""

    def test_a_patch_that_was_refused_stays_open(self) -> None:
        state = with_findings(skin_state(skin_rgb(rash())))
        (red,) = [f for f in state.findings.items if f.kind is Kind.REDNESS]
        near = replace(red, id=99, x=red.x + 90, y=red.y + 40)
        state = edits.set_findings(
            state, replace(state.findings, items=(*state.findings.items, near)))  # fmt: skip
        after = propose_redness(state).after
        self.assertIs(after.findings.state(red), FindingState.DONE)
        self.assertIs(after.findings.state(near), FindingState.OPEN)

    def test_neighbours_are_not_calmed_twice_where_they_meet(self) -> None:
        one = np.tile(np.linspace(0, 1, 8, dtype=np.float32), (4, 1))
        together = np.sum(_apart([one, one[:, ::-1].copy()]), axis=0)
        np.testing.assert_allclose(together, np.maximum(one, one[:, ::-1]), atol=1e-6)

    def test_figures_are_measured_and_reasons_apply(self) -> None:
        mirrored = highlight(160, 160, 9.0, 0.5)
        shine = propose_shine(skin_state(skin_rgb(mirrored=mirrored, colour=BROWN)))
        self.assertTrue(all(abs(m.before - m.after) > 0.5 for m in shine.measures))
        even = propose_even_out(skin_state(skin_rgb(0.1 * field(5.0, 3))))
        self.assertEqual([r for r in even.reasons if "freckles" in r or "eyes" in r], [])


class TwiceTest(Case):
    def test_evening_what_was_evened_changes_a_tenth_at_most(self) -> None:
        for spread in (0.1, 0.15, 0.2):
            state = skin_state(skin_rgb(spread * field(5.0, 3)))
            once = propose_even_out(state)
            self.assertIsNone(once.refusal)
            written = Photo((np.clip(seen(once.after), 0, 1) * 65535 + 0.5).astype(np.uint16))
            fresh = new_state(written)
            fresh = replace(fresh, regions=state.regions, findings=state.findings)
            first = np.abs(seen(once.after) - seen(state)).mean()
            for again in (once.after, fresh):
                change = np.abs(seen(propose_even_out(again).after) - seen(again)).mean()
                self.assertLess(change, 0.1 * first)

    def test_even_skin_is_left_as_it_is(self) -> None:
        self.assertIsNotNone(propose_even_out(skin_state(skin_rgb(0.01 * field(5.0, 3)))).refusal)


class RednessTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.state = skin_state(skin_rgb(rash() + 0.03 * field(4.0, 7)))

    def test_a_rash_is_calmed_and_not_erased(self) -> None:
        proposal = propose_redness(self.state)
        self.assertIsNone(proposal.refusal, proposal.refusal)
        (layer,) = new_layers(proposal)
        self.assertIsInstance(layer, AreaColourLayer)
        before, after = (lab_of(seen(s))[..., 1] for s in (self.state, proposal.after))
        core = rash() > 0.5
        beside = (rash() == 0)
        redder = [float(a[core].mean() - a[beside].mean()) for a in (before, after)]
        self.assertTrue(0.2 * redder[0] < redder[1] < 0.75 * redder[0], redder)
        self.assert_close(after[:60], before[:60], 0.3)

    def test_light_and_texture_stay(self) -> None:
        proposal = propose_redness(self.state)
        light = [np.ascontiguousarray(lab_of(seen(s))[..., 0])
                 for s in (self.state, proposal.after)]  # fmt: skip
        fine = [fine_lightness(plane, 0.5 / MM) for plane in light]
        self.assertGreater(np.corrcoef(fine[0].ravel(), fine[1].ravel())[0, 1], 0.999)

    def test_infants_stay_pink(self) -> None:
        face = FaceGeometry.from_pupils((100.0, 100.0), (200.0, 100.0))  # 40 mm apart
        state = edits.set_findings(self.state, replace(self.state.findings, faces=(face,)))
        self.assertIn("infant", propose_redness(state).refusal.sentence())


class MatchTest(Case):
    def area(self, x: int, y: int, radius: int = 24):
        plane = np.zeros((SIDE, SIDE), np.float32)
        cv2.circle(plane, (x, y), radius, 1.0, -1)
        return with_plane(BLACK_MASK, Rect(0, 0, SIDE, SIDE), plane)

    def setUp(self) -> None:
        super().setUp()
        self.state = skin_state(skin_rgb(rash(0.45) + 0.02 * field(4.0, 7)))

    def test_the_target_gets_the_references_colour(self) -> None:
        options = MatchOptions(target=self.area(*RASH, 36), reference=self.area(70, 140))
        proposal = propose_match(self.state, options)
        self.assertIsNone(proposal.refusal, proposal.refusal)
        measure, of_colour = proposal.measures
        self.assertLess(of_colour.after, 0.5)
        self.assertLess(measure.after, 2)
        self.assertGreater(measure.before, 5)
        lab = lab_of(seen(proposal.after))
        target = lab[RASH[1] - 12 : RASH[1] + 12, RASH[0] - 12 : RASH[0] + 12].mean((0, 1))
        there = lab[128:152, 58:82].mean((0, 1))
        self.assertLess(float(ciede2000(target, there)), 2.5)

    def test_colour_alone_is_moved_where_light_is_alike(self) -> None:
        lab = lab_of(skin_rgb())
        lab[..., 1] += 9 * (rash() / 0.55)
        state = skin_state(lab_to_srgb(lab).astype(np.float32))
        options = MatchOptions(target=self.area(*RASH, 36), reference=self.area(70, 140))
        proposal = propose_match(state, options)
        self.assertLess(proposal.measures[0].after, 2)
        self.assertGreater(proposal.measures[0].before, 4)
        bands = []
        for picture in (seen(state), seen(proposal.after)):
            light = np.ascontiguousarray(lab_of(picture)[..., 0])
            bands.append(cv2.GaussianBlur(light, (0, 0), 2 / MM)
                         - cv2.GaussianBlur(light, (0, 0), 8 / MM))  # fmt: skip
        core = rash() > 0
        self.assertGreater(np.corrcoef(bands[0][core], bands[1][core])[0, 1], 0.99)

    def test_lips_keep_their_colour(self) -> None:
        lips = np.zeros((SIDE, SIDE), np.float32)
        lips[100:180, 160:240] = 1
        masks = {**self.state.regions.masks,
                 Region.LIPS: with_plane(BLACK_MASK, Rect(0, 0, SIDE, SIDE), lips)}  # fmt: skip
        state = replace(self.state, regions=replace(self.state.regions, masks=masks))
        proposal = propose_match(state, MatchOptions(self.area(*RASH), self.area(80, 140)))
        self.assertIn("lips", proposal.refusal.sentence())
        beside = propose_match(state, MatchOptions(self.area(250, 140, 36), self.area(80, 140)))
        change = np.abs(seen(beside.after) - seen(state)).max(-1)
        self.assertEqual(float(change[105:175, 165:236].max()), 0)

    def test_without_areas_the_rash_is_matched_to_good_skin(self) -> None:
        proposal = propose_match(skin_state(skin_rgb(rash(0.6))))
        self.assertIsNone(proposal.refusal, proposal.refusal)
        self.assertLess(proposal.measures[0].after, proposal.measures[0].before)
        self.assertIsNotNone(proposal.outcome)

    def test_colours_far_apart_are_moved_as_far_as_a_layer_can_and_it_is_said(self) -> None:
        rgb = skin_rgb()
        rgb[100:180, 40:120], rgb[100:180, 200:280] = (0.95, 0.05, 0.1), (0.05, 0.9, 0.1)
        proposal = propose_match(
            skin_state(rgb), MatchOptions(self.area(80, 140, 30), self.area(240, 140, 30))
        )
        self.assertIsNone(proposal.refusal)
        self.assertEqual(proposal.after.active.parameters.move_a, -50)
        self.assertIn("Move a* would have to be -1", " ".join(proposal.reasons))
        job = Job(proposal.before)
        job.change("Match colour", proposal.after)

    def test_what_cannot_be_matched_is_refused_in_a_sentence(self) -> None:
        here, tiny = self.area(*RASH), self.area(80, 80, 2)
        for options, said in (
            (MatchOptions(here, here), "the same place"),
            (MatchOptions(here, tiny), "too few to measure"),
            (MatchOptions(self.area(80, 80), self.area(80, 88)), "the same place"),
        ):
            proposal = propose_match(self.state, options)
            self.assertIn(said, proposal.refusal.sentence())
            self.assertIs(proposal.after, self.state)


class EvenOutTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.blood = 0.1 * field(4.0, 7)
        self.state = skin_state(skin_rgb(self.blood))

    def test_blotches_come_nearer_to_the_truth(self) -> None:
        proposal = propose_even_out(self.state)
        self.assertIsNone(proposal.refusal, proposal.refusal)
        truth = lab_of(skin_rgb())
        errors = [np.sqrt(np.square((lab_of(seen(s)) - truth)[40:-40, 40:-40]).mean((0, 1)))
                  for s in (self.state, proposal.after)]  # fmt: skip
        self.assertLess(errors[1][1], 0.8 * errors[0][1])
        self.assertLess(errors[1][0], 0.98 * errors[0][0])
        before, after = (m for m in (proposal.measures[1].before, proposal.measures[1].after))
        self.assertLess(after, before)

    def test_it_is_live_and_can_be_weakened(self) -> None:
        proposal = propose_even_out(self.state)
        layer = new_layers(proposal)[0]
        self.assertIsInstance(layer, BloodPigmentLayer)
        half = weakened(proposal, 0.5)
        full, weak = (np.abs(seen(p.after) - seen(self.state)) for p in (proposal, half))
        self.assertAlmostEqual(float(weak.mean() / full.mean()), 0.5, delta=0.03)
        self.assertIs(weakened(proposal, 1.0), proposal)

    def test_only_what_is_meant_is_evened(self) -> None:
        spot = finding(1, 80.0, 80.0, kind=Kind.UNEVEN, extent_px=tuple([20.0] * 24))
        kept = finding(2, 230.0, 230.0, kind=Kind.FRECKLES, extent_px=tuple([20.0] * 24))
        state = edits.set_findings(self.state, replace(self.state.findings, items=(spot, kept)))
        change = np.abs(seen(propose_even_out(state, Meant(frozenset({1}))).after)
                        - seen(state)).max(-1)  # fmt: skip
        self.assertGreater(change[70:90, 70:90].max(), 0.002)
        self.assertEqual(change[:, 150:].max(), 0)
        everywhere = np.abs(seen(propose_even_out(state).after) - seen(state)).max(-1)
        self.assertEqual(everywhere[222:238, 222:238].max(), 0)  # freckles stay
        flawless = edits.set_style(state, Style.FLAWLESS)
        gone = np.abs(seen(propose_even_out(flawless).after) - seen(flawless)).max(-1)
        self.assertGreater(gone[222:238, 222:238].max(), 0)

    def test_what_is_no_skin_stays(self) -> None:
        skin = np.ones((SIDE, SIDE), np.float32)
        skin[:, 160:] = 0
        state = skin_state(skin_rgb(self.blood), skin)
        after = propose_even_out(state).after
        self.assert_close(seen(after)[:, 166:], seen(state)[:, 166:], 1e-6)

    def test_a_tattoo_stays(self) -> None:
        rgb = skin_rgb(self.blood)
        rgb[100:140, 100:140] = (0.15, 0.3, 0.25)  # green ink, hard edges
        after = seen(propose_even_out(skin_state(rgb)).after)
        away = np.abs(lab_of(after) - lab_of(rgb))
        self.assertLess(float(away[101:139, 101:139].max()), 0.05)
        self.assertGreater(float(away[200:, 200:].max()), 0.5)

    def test_where_there_is_nothing_to_go_by_it_says_so(self) -> None:
        self.assertIn("survey the portrait first",
                      propose_even_out(new_state(self.state.photo)).refusal.sentence())  # fmt: skip
        none = skin_state(skin_rgb(), np.zeros((SIDE, SIDE), np.float32))
        self.assertIn("too little plain skin", propose_even_out(none).refusal.sentence())
        grey = np.repeat(skin_rgb(self.blood)[..., :1], 3, -1)
        self.assertIn("no colour", propose_even_out(skin_state(grey)).refusal.sentence())


class RetouchTest(Case):
    def setUp(self) -> None:
        super().setUp()
        mirrored = highlight(80, 240, 9.0, 0.5)
        self.state = with_findings(skin_state(
            skin_rgb(0.08 * field(4.0, 7), mirrored, colour=BROWN)))  # fmt: skip

    def test_the_stages_that_have_assistants_are_known(self) -> None:
        self.assertEqual(stages_built(), (Stage.CLEAN, Stage.EVEN))

    def test_only_the_named_stages_run_and_say_what_they_did(self) -> None:
        after, done = retouch(self.state, RetouchOptions((Stage.EVEN,)))
        self.assertEqual({one.stage for one in done}, {Stage.EVEN})
        self.assertEqual(len(done), 3)
        taken = [one for one in done if one.proposal.refusal is None]
        self.assertGreaterEqual(len(taken), 2)
        self.assertTrue(all(layer.stage is Stage.EVEN for layer in after.layers[1:]))
        nothing, none = retouch(self.state, RetouchOptions((Stage.SCULPT,)))
        self.assertEqual((nothing, none), (self.state, []))

    def test_at_no_strength_the_picture_stays(self) -> None:
        after, _ = retouch(self.state, RetouchOptions((Stage.EVEN,), strength=0.0))
        self.assert_equal_arrays(flatten(after, 16), flatten(self.state, 16))

    def test_all_of_a_stage_is_one_proposal(self) -> None:
        proposal = as_one(self.state, Stage.EVEN)
        self.assertIsNone(proposal.refusal)
        self.assertGreater(len(new_layers(proposal)), 1)
        outlines = changed_outlines(self.state, proposal.after)
        self.assertGreater(len(outlines), 0)
        xs, ys = zip(*outlines[0], strict=True)
        self.assertTrue(min(xs) >= 0 and max(xs) <= SIDE and min(ys) >= 0 and max(ys) <= SIDE)

    def test_findings_of_the_stage_are_numbered_on_and_have_their_size(self) -> None:
        found = even_findings(skin_view(self.state), first_id=7)
        self.assertEqual([f.id for f in found], list(range(7, 7 + len(found))))
        self.assertTrue(all(f.kind.is_patch and f.area_mm2 > 0 for f in found))
        shine = next(f for f in found if f.kind is Kind.SHINE)
        self.assertLess(np.hypot(shine.x - 80, shine.y - 240), 15)


class ScoresTest(Case):
    def test_a_blur_is_told_as_plastic(self) -> None:
        state = skin_state(skin_rgb(0.08 * field(4.0, 7)))
        scores = skin_scores(state)
        (score,) = scores.parts.values()  # without a face all of it is body
        self.assertIs(score.part, Part.BODY)
        self.assertAlmostEqual(score.texture_kept, 1.0, delta=1e-3)
        self.assertAlmostEqual(score.modelling_kept, 1.0, delta=1e-3)
        self.assertEqual((score.start, scores.said), (score.now, ()))
        blurred = edits.add_computed(state, BlurLayer, radius_px=2.0)
        (plastic,) = skin_scores(blurred).parts.values()
        self.assertLess(plastic.texture_kept, 0.5)
        self.assertLess(plastic.now.texture, plastic.start.texture)
        self.assertIn("plastic", " ".join(skin_scores(blurred).said))

    def test_evening_lowers_blotches_and_keeps_texture(self) -> None:
        state = skin_state(skin_rgb(0.1 * field(4.0, 7)))
        (score,) = skin_scores(propose_even_out(state).after).parts.values()
        self.assertLess(score.now.blotch_a, 0.8 * score.start.blotch_a)
        self.assertGreater(score.texture_kept, 0.97)
        self.assertGreater(score.modelling_kept, 0.97)

    def test_more_is_allowed_the_further_a_style_goes(self) -> None:
        limits = [style.limits for style in (Style.NATURAL, Style.GROOMED, Style.FLAWLESS)]
        for one, other in zip(limits, limits[1:], strict=False):
            self.assertGreater(one.texture_kept, other.texture_kept)
            self.assertGreater(one.modelling_kept, other.modelling_kept)
            self.assertLess(one.colour_shift, other.colour_shift)


if __name__ == "__main__":
    unittest.main()
