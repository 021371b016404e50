"""Even's measuring on skin whose blood, shade and mirrored light are known."""

from __future__ import annotations

import math
import unittest

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.check import skin as check
from lather.core.colour.lab import to_encoded, to_linear
from lather.core.colour.labs import lab_of
from lather.core.survey.regions.region import Part
from lather.core.tone.chromophores import (
    BLOOD,
    PIGMENT,
    REDNESS_OF_BLOOD,
    pigment,
    redness,
    take_out,
)
from lather.core.tone.evening import even_maps, roundness
from lather.core.tone.match import area_colour, difference, move_to, moved
from lather.core.tone.redness import red_patches, redness_map
from lather.core.tone.robust_fit import unexplained
from lather.core.tone.shine import find_shine
from lather.errors import EditError
from tests.even_skin import BROWN, MM, PALE, SIDE, field, highlight, picture_of, skin_rgb
from tests.support import Case


def rough_of(rgb: np.ndarray) -> np.ndarray:
    fine = check.fine_lightness(np.ascontiguousarray(lab_of(rgb)[..., 0]), 0.5 / MM)
    return np.log(cv2.GaussianBlur(fine**2, (0, 0), 1.0 / MM) + 1e-3) / 2


def correlation(one, other) -> float:
    return float(np.corrcoef(np.ravel(one), np.ravel(other))[0, 1])


class ChromophoreTest(Case):
    @given(st.floats(-0.8, 0.8), st.floats(-0.8, 0.8), st.integers(0, 99))
    @settings(deadline=None, max_examples=30)
    def test_taking_out_is_a_factor_of_linear_light(self, blood, brown, seed) -> None:
        rgb = np.random.default_rng(seed).uniform(0.1, 0.9, (6, 7, 3)).astype(np.float32)
        image = np.concatenate([rgb, np.ones((6, 7, 1), np.float32)], -1)
        plane = np.ones((6, 7), np.float32)
        take_out(image, plane * np.float32(blood), plane * np.float32(brown))
        wanted = to_linear(rgb) * np.exp(blood * BLOOD + brown * PIGMENT)
        inside = (image[..., :3] > 0.05).all(-1)
        self.assert_close(image[..., :3][inside], to_encoded(wanted)[inside], 2e-3)
        self.assertTrue((image[..., 3] == 1).all())

    def test_nothing_taken_out_changes_no_bit(self) -> None:
        image = np.random.default_rng(3).random((5, 5, 4)).astype(np.float32)
        before = image.copy()
        take_out(image, np.zeros((5, 5), np.float32), np.zeros((5, 5), np.float32))
        self.assert_equal_arrays(image, before)

    def test_redness_and_pigment_are_blind_to_light(self) -> None:
        light = np.log(np.array([[PALE, BROWN]], np.float32))
        for plane in (redness, pigment):
            self.assert_close(plane(light), plane(light - 0.7), 1e-4)
        self.assert_close(redness(light - 0.5 * BLOOD) - redness(light), 0.5 * REDNESS_OF_BLOOD,
                          1e-5)  # fmt: skip
        self.assert_close(pigment(light - 0.5 * PIGMENT) - pigment(light), 0.5, 1e-4)
        self.assert_close(pigment(light - 0.5 * BLOOD) - pigment(light), 0.0, 1e-4)


class FitTest(Case):
    def test_what_causes_say_is_taken_off_and_outliers_do_not_bend_it(self) -> None:
        cause = field(4.0, 1)
        rest = 0.01 * field(2.0, 2)
        plane = 3 + 0.7 * cause + rest
        plane[:20, :20] += 5  # a mark
        left, spread = unexplained(plane.astype(np.float32), [cause], np.ones_like(plane, bool))
        self.assert_close(left[40:, 40:], rest[40:, 40:], 0.004)
        self.assertAlmostEqual(spread, 0.01, delta=0.002)


class EvenMapsTest(Case):
    def test_planted_blood_is_found_and_shade_is_not_taken_for_it(self) -> None:
        for colour in (PALE, BROWN):
            with self.subTest(colour):
                blood = 0.1 * field(4.0, 7)
                maps = even_maps(picture_of(skin_rgb(blood, colour=colour)))
                wide = cv2.GaussianBlur(blood, (0, 0), 1.0 / MM)
                self.assertGreater(correlation(maps.blood, wide), 0.9)
                clear = even_maps(picture_of(skin_rgb(0.0, colour=colour)))
                self.assertLess(clear.blood.std(), 0.25 * maps.blood.std())

    def test_half_of_it_is_taken_out(self) -> None:
        blood = 0.1 * field(4.0, 7)
        maps = even_maps(picture_of(skin_rgb(blood)))
        share = float((maps.blood * blood).sum() / (blood * blood).sum())
        self.assertTrue(0.3 < share < 0.7, share)

    def test_each_person_is_evened_to_themselves(self) -> None:
        people = np.zeros((SIDE, SIDE), np.int8)
        people[:, SIDE // 2 :] = 1
        both = np.where(people[..., None] == 0, skin_rgb(), skin_rgb(0.1, colour=BROWN))
        maps = even_maps(picture_of(both.astype(np.float32), people))
        inside = np.abs(maps.blood[:, 30 : SIDE // 2 - 30])
        self.assertLess(inside.max(), 0.03)  # not moved towards the other
        self.assertLess(np.abs(maps.blood[:, SIDE // 2 + 30 : -30]).max(), 0.03)

    def test_pictures_with_nothing_to_even_are_left_alone(self) -> None:
        grey = np.repeat(skin_rgb()[..., :1], 3, -1)
        for rgb in (grey, np.zeros((SIDE, SIDE, 3), np.float32), np.ones((SIDE, SIDE, 3), "f4")):
            maps = even_maps(picture_of(rgb))
            self.assertLess(np.abs(maps.blood).max(), 0.02)
            self.assertLess(np.abs(maps.pigment).max(), 0.02)

    def test_too_little_skin_is_no_ground_for_anything(self) -> None:
        picture = picture_of(skin_rgb(0.2 * field(4.0, 7)))
        picture.skin[:, 20:] = 0
        picture.skin[20:] = 0
        self.assertEqual(np.abs(even_maps(picture).blood).max(), 0)

    def test_round_spots_are_told_from_lines(self) -> None:
        ys, xs = np.mgrid[:SIDE, :SIDE].astype(np.float32)
        spot = np.exp(-((xs - 160) ** 2 + (ys - 160) ** 2) / (2 * 6.0**2))
        line = np.exp(-((ys - 160) ** 2) / (2 * 6.0**2))
        self.assertGreater(roundness(spot, picture_of(skin_rgb()))[160, 160], 0.9)
        self.assertLess(roundness(line, picture_of(skin_rgb()))[160, 160], 0.05)


class ShineTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.mirrored = highlight(160, 160, 9.0, 0.5)
        self.rgb = skin_rgb(mirrored=self.mirrored, colour=BROWN)

    def test_mirrored_light_is_found_where_it_is(self) -> None:
        shine = find_shine(picture_of(self.rgb), rough_of(self.rgb))
        self.assertEqual(len(shine.patches), 1)
        patch = shine.patches[0]
        self.assertLess(math.dist((patch.x, patch.y), (160, 160)), 12)
        self.assertGreater(shine.weight[self.mirrored > 0.25].mean(), 0.9)
        self.assertLess(shine.weight[self.mirrored < 0.005].mean(), 0.01)
        self.assertGreater(patch.above_l, 5)
        self.assertGreater(patch.certainty, 0.5)

    def test_each_persons_shine_goes_by_their_own_skin(self) -> None:
        people = np.zeros((SIDE, SIDE), np.int8)
        people[:, SIDE // 2 :] = 1
        mirrored = highlight(75, 160, 8.0, 0.5) + highlight(245, 160, 8.0, 0.5)
        both = np.where(people[..., None] == 0, skin_rgb(mirrored=mirrored, colour=BROWN),
                        skin_rgb(mirrored=mirrored)).astype(np.float32)  # fmt: skip
        picture = picture_of(both, people)
        shine = find_shine(picture, rough_of(both))
        self.assertEqual(len(shine.patches), 2)
        self.assertEqual(len({patch.label for patch in shine.patches}), 2)
        for patch in shine.patches:
            label = shine.labels[int(patch.y), int(patch.x)]
            self.assertEqual(int(label), patch.label)
        left = shine.own[150:170, 60:90].mean((0, 1))
        right = shine.own[150:170, 230:260].mean((0, 1))
        self.assertGreater(float((right - left).min()), 0.4)  # pale beside brown

    def test_the_skins_own_colour_is_told(self) -> None:
        shine = find_shine(picture_of(self.rgb), rough_of(self.rgb))
        inside = self.mirrored > 0.2
        true = np.log(to_linear(skin_rgb(colour=BROWN)) + 0.004)
        before = np.abs(np.log(to_linear(self.rgb) + 0.004) - true)[inside].mean()
        self.assertLess(np.abs(shine.own - true)[inside].mean(), 0.25 * before)

    def test_lit_form_and_even_skin_are_no_shine(self) -> None:
        ys, xs = np.mgrid[:SIDE, :SIDE]
        bump = 0.5 * np.exp(-((xs - 160) ** 2 + (ys - 160) ** 2) / (2 * 20.0**2))
        lit = to_linear(skin_rgb(colour=BROWN)) * np.exp(bump)[..., None]
        for rgb in (to_encoded(lit).astype(np.float32), skin_rgb(), np.zeros_like(self.rgb)):
            shine = find_shine(picture_of(rgb), rough_of(rgb))
            self.assertEqual(shine.patches, ())
            self.assertEqual(float(shine.weight.max()), 0)

    def test_smooth_white_is_paint_and_no_shine(self) -> None:
        """Make-up, a sticking plaster: white without glints."""
        ys, xs = np.mgrid[:SIDE, :SIDE]
        near = np.exp(-((np.hypot(xs - 160, ys - 160) * MM / 9.0) ** 2)).astype(np.float32)
        smooth = skin_rgb(mirrored=0.5 * near, colour=BROWN)
        self.assertEqual(find_shine(picture_of(smooth), rough_of(smooth) * 0).patches, ())

    def test_what_runs_out_of_the_skin_is_not_sure_enough(self) -> None:
        picture = picture_of(self.rgb)
        picture.skin[:, 160:] = 0
        self.assertEqual(find_shine(picture, rough_of(self.rgb)).patches, ())


class RednessTest(Case):
    def patches(self, blood: float):
        ys, xs = np.mgrid[:SIDE, :SIDE]
        away = np.hypot(xs - 200, ys - 140) * MM
        plane = blood * np.clip((14 - away) / 3, 0, 1).astype(np.float32)
        picture = picture_of(skin_rgb(plane + 0.03 * field(4.0, 7)))
        body = {Part.BODY: np.ones((SIDE, SIDE), np.float32)}
        return red_patches(picture, body, redness_map(picture))

    def test_a_rash_is_found_with_its_place_and_size(self) -> None:
        (patch,) = self.patches(0.55)
        self.assertLess(math.dist((patch.x, patch.y), (200, 140)), 8)
        self.assertTrue(200 < patch.area_mm2 < 900, patch.area_mm2)
        self.assertTrue(0.25 < patch.density < 0.6, patch.density)

    def test_what_is_natural_is_left(self) -> None:
        self.assertEqual(self.patches(0.12), [])


class MatchTest(Case):
    def areas(self, **of_target):
        rgb = skin_rgb()
        rgb[:, :160] = skin_rgb(**of_target)[:, :160]
        share = np.zeros((SIDE, SIDE), np.float32)
        target, reference = share.copy(), share.copy()
        target[100:160, 110:155] = 1
        reference[100:160, 165:210] = 1
        return area_colour(rgb, target, "target"), area_colour(rgb, reference, "reference")

    def test_the_move_brings_the_target_to_the_reference(self) -> None:
        target, reference = self.areas(blood=0.4)
        self.assertGreater(difference(target, reference), 5)
        outcome = moved(target, move_to(target, reference))
        self.assertLess(difference(outcome, reference), 2)
        all_of_it = moved(target, move_to(target, reference, with_light=True))
        self.assertLess(difference(all_of_it, reference), 0.01)

    def test_light_is_never_moved_against_the_difference(self) -> None:
        for blood in (0.3, -0.3):
            target, reference = self.areas(blood=blood)
            light = move_to(target, reference)[0]
            wanted = reference.mean[0] - target.mean[0]
            self.assertGreaterEqual(light * wanted, 0)
            self.assertLessEqual(abs(light), abs(wanted) + 1e-9)

    def test_what_cannot_be_measured_is_refused_with_the_reason(self) -> None:
        rgb = skin_rgb()
        few = np.zeros((SIDE, SIDE), np.float32)
        few[5, 5:10] = 1
        with self.assertRaisesRegex(EditError, "the reference has 5 pixels, too few"):
            area_colour(rgb, few, "reference")
        rgb[:, :160] = 0.05
        across = np.zeros((SIDE, SIDE), np.float32)
        across[100:140, 140:180] = 1
        with self.assertRaisesRegex(EditError, "more than one thing"):
            area_colour(rgb, across, "reference")
        target, _ = self.areas()
        with self.assertRaisesRegex(EditError, "same colour already"):
            move_to(target, target)


class CheckTest(Case):
    def test_grain_put_back_raises_no_texture(self) -> None:
        random = np.random.default_rng(2)
        texture = random.normal(0, 1.0, (SIDE, SIDE)).astype(np.float32)
        grain = random.normal(0, 1.0, (SIDE, SIDE)).astype(np.float32)
        start = check.fine_lightness(texture, 2.0)
        now = check.fine_lightness(0.3 * texture + grain, 2.0)
        variance = check.grain_variance(1.0, 2.0)
        energy = check.texture_energy(float(np.square(now).mean()), variance)
        self.assertAlmostEqual(energy, 0.3 * float(start.std()), delta=0.05)

    def test_the_variance_of_grain_is_what_noise_has(self) -> None:
        noise = np.random.default_rng(4).normal(0, 1.5, (600, 600)).astype(np.float32)
        for sigma_px in (0.8, 1.5, 4.0):
            fine = check.fine_lightness(noise, sigma_px)
            self.assertAlmostEqual(check.grain_variance(1.5, sigma_px), float(fine.var()),
                                   delta=0.06)  # fmt: skip

    def test_modelling_halved_is_half_kept(self) -> None:
        light, weight = 60 + 5 * field(20.0, 3), np.ones((SIDE, SIDE), np.float32)
        flat = 60 + 0.5 * (light - 60)
        self.assertAlmostEqual(check.modelling_kept(light, flat, weight), 0.5, delta=1e-3)
        self.assertAlmostEqual(check.modelling(light, weight), 5.0, delta=0.01)


if __name__ == "__main__":
    unittest.main()
