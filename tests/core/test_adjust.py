"""The adjustments against what they promise: light, hues in Lab, inks, colour by area, ellipses."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.adjust.area_colour import apply_area_colour, area_colour_kernel
from lather.core.adjust.bracket import (
    N_STEPS,
    bracket_weight,
    ring_degrees,
    ring_place,
    span_weight,
)
from lather.core.adjust.curves import NO_TABLE, apply_curves
from lather.core.adjust.ellipse import (
    INSIDE,
    OUTSIDE,
    Ellipse,
    ellipse_share,
    light_ellipse,
    light_kernel,
)
from lather.core.adjust.hues import (
    Bracket,
    apply_black_and_white,
    apply_hues,
    hues_kernel,
    mono_kernel,
    ring_table,
)
from lather.core.adjust.inks import InkRange, apply_inks, inks_kernel
from lather.core.adjust.tone import brightness_table, exposure_tables, grey_from, light_gains
from lather.core.colour.lab import lab_to_srgb, srgb_to_lab, to_linear
from lather.core.colour.labs import lab_of, to_lab
from lather.core.kernels import prepare_kernels
from lather.core.rect import Rect
from lather.core.tone.deviation import show_signed
from tests.support import Case

SKIN = (0.80, 0.62, 0.54)
BLUE = (0.20, 0.30, 0.75)


def painted(*colours) -> np.ndarray:
    image = np.ones((1, len(colours), 4), dtype=np.float32)
    image[0, :, :3] = colours
    return image


def picture(width=37, height=23, seed=1) -> np.ndarray:
    rgba = np.random.default_rng(seed).random((height, width, 4), dtype=np.float32)
    rgba[..., 3] = rgba[..., 3] > 0.2
    return rgba


def hue_of(rgb) -> float:
    _, a, b = srgb_to_lab(np.array(rgb))
    return float(np.degrees(np.arctan2(b, a)) % 360)


class LabTest(Case):
    @given(st.tuples(*[st.floats(0, 1)] * 3))
    def test_back_from_lab(self, rgb) -> None:
        self.assert_close(lab_to_srgb(srgb_to_lab(np.array(rgb))), rgb, 1e-6)

    def test_the_compiled_form_is_near_the_exact_one(self) -> None:
        prepare_kernels()
        image = np.random.default_rng(1).random((60, 80, 4), dtype=np.float32)
        self.assert_close(lab_of(image), srgb_to_lab(image[..., :3]), 0.02)


class LightTest(Case):
    @given(st.floats(-1, 1), st.floats(-1, 1), st.floats(0.05, 0.95))
    def test_brighter_stays_brighter_and_the_ends_stay(self, brightness, contrast, pivot) -> None:
        table = brightness_table(brightness, contrast, pivot)
        if len(table) > 1:
            self.assertGreaterEqual(float(np.diff(table.astype(np.float64)).min()), -1e-6)
            self.assert_close(table[[0, -1]], [0, 1], 1e-6)

    def test_contrast_is_the_slope_at_the_pivot(self) -> None:
        table = brightness_table(0.0, 0.5, 0.5)
        middle = len(table) // 2
        slope = (table[middle + 8] - table[middle - 8]) * (len(table) - 1) / 16
        self.assertAlmostEqual(float(slope), 4**0.5, delta=0.02)
        self.assertIs(brightness_table(0.0, 0.0, 0.5), NO_TABLE)

    @given(st.floats(-3, 3), st.floats(0.02, 0.98))
    def test_an_ev_is_a_doubling_of_light(self, ev, value) -> None:
        image = painted((value, value, value))
        apply_curves(image, NO_TABLE, exposure_tables(*light_gains(ev, 0, 0)), NO_TABLE)
        expected = min(float(to_linear(np.array(value))) * 2**ev, 1)
        self.assertAlmostEqual(float(to_linear(image[0, 0, 0])), expected, delta=4e-3)

    @given(st.floats(-100, 100), st.floats(-100, 100))
    def test_warmth_and_tint_keep_the_light_of_a_grey(self, warmth, tint) -> None:
        gains = light_gains(0, warmth, tint)
        self.assertAlmostEqual(float(gains @ [0.2126, 0.7152, 0.0722]), 1, places=5)
        if warmth > 1 and abs(tint) < 1:
            self.assertGreater(gains[0], gains[2])

    @given(st.floats(-60, 60), st.floats(-40, 40), st.floats(0.3, 0.6))
    def test_what_was_picked_as_grey_becomes_grey(self, warmth, tint, value) -> None:
        cast = painted((value, value, value))
        apply_curves(cast, NO_TABLE, exposure_tables(*light_gains(0, warmth, tint)), NO_TABLE)
        found = grey_from(cast[0, 0, :3])
        apply_curves(cast, NO_TABLE, exposure_tables(*light_gains(0, *found)), NO_TABLE)
        _, a, b = srgb_to_lab(cast[0, 0, :3])
        self.assertLess(float(np.hypot(a, b)), 1.0)


class BracketTest(Case):
    def test_the_ring_goes_round_like_the_angle(self) -> None:
        angles = np.linspace(0, 359.9, 721)
        a, b = np.cos(np.radians(angles)), np.sin(np.radians(angles))
        found = ring_degrees()[(ring_place(a, b) * (N_STEPS / 4)).astype(int)]
        away = np.abs((found - angles + 180) % 360 - 180)
        self.assertLess(float(away.max()), 0.05)

    @given(st.floats(0, 360), st.floats(2, 300))
    def test_it_weighs_half_at_its_ends(self, middle, width) -> None:
        at = bracket_weight(np.array([middle, middle + width / 2, middle + width]), middle, width)
        self.assert_close(at[:2], [1, 0.5], 1e-6)
        if width < 180:
            self.assertEqual(at[2], 0)

    def test_a_span_is_half_at_its_ends_and_open_at_black_and_white(self) -> None:
        light = np.array([0.0, 30.0, 50.0, 70.0, 100.0])
        self.assert_close(span_weight(light, 30, 70), [0, 0.5, 1, 0.5, 0], 1e-6)
        self.assert_close(span_weight(light, 0, 100), [1] * 5, 0)


class HuesTest(Case):
    def test_the_bracketed_hue_is_lightened_by_2_and_nothing_else(self) -> None:
        image = painted(SKIN, BLUE, (0.5, 0.5, 0.5))
        before = image.copy()
        apply_hues(image, [Bracket(hue_of(SKIN), 40, light_l=2)])
        was, now = srgb_to_lab(before[0, 0, :3]), srgb_to_lab(image[0, 0, :3])
        self.assertAlmostEqual(float(now[0] - was[0]), 2, delta=0.03)
        self.assert_close(now[1:], was[1:], 0.1)
        self.assert_equal_arrays(image[0, 1:], before[0, 1:])

    @given(st.floats(-60, 60))
    def test_a_hue_is_turned_by_as_much(self, turn) -> None:
        image = painted((0.6, 0.5, 0.45))
        was = hue_of(image[0, 0, :3])
        apply_hues(image, [Bracket(was, 60, turn_deg=turn)])
        turned = (hue_of(image[0, 0, :3]) - was + 180) % 360 - 180
        self.assertAlmostEqual(turned, turn, delta=1.0)

    def test_a_grey_picture_has_no_hue(self) -> None:
        image = np.ones((9, 9, 4), np.float32)
        image[..., :3] = np.random.default_rng(3).random((9, 9, 1))
        before = image.copy()
        apply_hues(image, [Bracket(10, 300, 40, 80, 20)])
        self.assert_equal_arrays(image, before)

    def test_black_and_white_keeps_lightness_but_what_is_bracketed(self) -> None:
        image = painted(SKIN, BLUE)
        was = srgb_to_lab(image[0, :, :3])[:, 0]
        apply_black_and_white(image, [Bracket(hue_of(BLUE), 60, light_l=-10)])
        self.assert_close(image[..., 0], image[..., 1], 0)
        now = srgb_to_lab(image[0, :, :3])[:, 0]
        self.assert_close(now - was, [0, -10], 0.05)


class InksTest(Case):
    def test_five_points_of_black_are_a_twentieth_of_it(self) -> None:
        image = painted(SKIN, BLUE)
        before = image.copy()
        apply_inks(image, [InkRange(hue_of(SKIN), 50, black=-5)])
        self.assertAlmostEqual(1 - float(image[0, 0].max(where=[True] * 3 + [False], initial=0)),
                               0.95 * (1 - SKIN[0]), places=4)  # fmt: skip
        # The other inks' shares stay.
        self.assert_close(image[0, 0, :3] / image[0, 0, 0], before[0, 0, :3] / SKIN[0], 1e-4)
        self.assert_equal_arrays(image[0, 1], before[0, 1])

    def test_a_span_of_lightness_limits_it(self) -> None:
        dark = tuple(0.4 * v for v in SKIN)
        image = painted(SKIN, dark)
        apply_inks(image, [InkRange(hue_of(SKIN), 60, low_l=55, magenta=-50)])
        self.assertGreater(image[0, 0, 1], SKIN[1])
        self.assertEqual(image[0, 1, 1], np.float32(dark[1]))

    @settings(max_examples=30)
    @given(st.lists(st.tuples(*[st.floats(-100, 100)] * 4), min_size=1, max_size=4))
    def test_it_never_leaves_the_paper(self, points) -> None:
        image = picture()
        apply_inks(image, [InkRange(40.0 * n, 120, 0, 100, *p) for n, p in enumerate(points)])
        self.assertTrue(image.min() >= 0 and image.max() <= 1)


class AreaColourTest(Case):
    def test_mean_and_spread_go_to_the_target(self) -> None:
        lab = np.random.default_rng(5).normal((60, 15, 15), (4, 2, 2), (40, 40, 3))
        image = np.ones((40, 40, 4), np.float32)
        image[..., :3] = lab_to_srgb(lab)
        apply_area_colour(image, (60, 15, 15), (2, -3, 1), (100, 50, 100))
        out = srgb_to_lab(image[..., :3]).reshape(-1, 3)
        self.assert_close(out.mean(0), lab.reshape(-1, 3).mean(0) + [2, -3, 1], 0.1)
        self.assertAlmostEqual(float(out[:, 1].std()), 1.0, delta=0.1)

    def test_neutral_changes_no_bit(self) -> None:
        image = picture()
        before = image.copy()
        apply_area_colour(image, (50, 3, 4), (0, 0, 0), (100, 100, 100))
        self.assert_equal_arrays(image, before)


class EllipseTest(Case):
    def share(self, softness=0.0, side=INSIDE, centre=(50.0, 40.0), step=1):
        rect = Rect(0, 0, 100 // step, 80 // step)
        ellipse = Ellipse(centre, (30.0, 20.0), 0.0, softness, side)
        share = ellipse_share((80 // step, 100 // step), ellipse.placed(rect, step),
                              side == OUTSIDE)  # fmt: skip
        lit = np.zeros((*share.shape, 4), np.float32)
        lit[..., 3] = 1
        white = np.ones_like(brightness_table(0.1, 0, 0.5))
        light_ellipse(lit, rect, step, ellipse, (white, white, white))  # white where it is
        self.assert_close(lit[..., 1], share, 1e-6)
        return share

    def test_inside_and_outside(self) -> None:
        share = self.share()
        self.assertEqual((share[40, 50], share[40, 78], share[40, 82], share[5, 5]), (1, 1, 0, 0))
        self.assert_close(self.share(side=OUTSIDE), 1 - share, 1e-6)
        self.assertAlmostEqual(float(share.sum()), np.pi * 600, delta=30)

    def test_the_rim_is_half_and_fades(self) -> None:
        row = self.share(softness=0.5)[40]
        self.assertAlmostEqual(float(row[80]), 0.5, delta=0.05)
        self.assertTrue((np.diff(row[50:]) <= 0).all())

    def test_beyond_the_picture_nothing_is_lit(self) -> None:
        self.assertFalse(self.share(centre=(-500.0, 40.0), softness=0.5).any())
        self.assertTrue(self.share(centre=(-500.0, 40.0), side=OUTSIDE).all())

    def test_a_reduced_level_is_the_same_place(self) -> None:
        full = self.share(softness=0.5).reshape(40, 2, 50, 2).mean((1, 3))
        self.assert_close(self.share(softness=0.5, step=2), full, 0.01)


class KernelsTest(Case):
    """The compiled forms against the NumPy forms, which are their definitions."""

    def setUp(self) -> None:
        prepare_kernels()

    def compare(self, kernel, *args, within=2e-3) -> None:
        one, other = picture(), picture()
        kernel(one, *args)
        kernel.reference(other, *args)
        self.assert_close(one, other, within)

    def test_hues_and_black_and_white(self) -> None:
        table = ring_table((Bracket(40, 50, 12, 30, 4), Bracket(200, 80, -20, -50, -6)))
        self.compare(hues_kernel, table)
        self.compare(mono_kernel, table)

    def test_light_in_an_ellipse(self) -> None:
        ellipse = Ellipse((20.0, 14.0), (15.0, 8.0), 30.0, 0.6, INSIDE)
        for side, softness in ((INSIDE, 0.6), (OUTSIDE, 0.6), (INSIDE, 0.0), (OUTSIDE, 1.0)):
            one = replace(ellipse, side=side, softness=softness)
            placed = one.placed(Rect(0, 0, 37, 23), 1)
            self.compare(light_kernel, *exposure_tables(1.4, 1.0, 0.8), *placed, side == OUTSIDE,
                         within=1e-6)  # fmt: skip

    def test_inks(self) -> None:
        hues = ring_degrees()
        table = np.stack([bracket_weight(hues, 40, 60), np.ones_like(hues)], -1).astype(np.float32)
        spans = np.array([[20, 80, 0], [0, 100, 1]], np.float32)
        points = np.array([[0.1, -0.2, 0.3, -0.1], [-0.3, 0.1, 0, 0.05]], np.float32)
        self.compare(inks_kernel, np.ascontiguousarray(table), spans, points)

    def test_area_colour(self) -> None:
        args = (np.array(v, np.float32) for v in ((60, 4, 5), (2, -1, 1), (1, 0.5, 1.2)))
        self.compare(area_colour_kernel, *args)

    def test_what_shows_a_deviation(self) -> None:
        random = np.random.default_rng(4)
        share, mask = random.normal(0, 1, (2, 23, 37)).astype(np.float32)
        colours = random.random((3, 3), dtype=np.float32)
        self.compare(show_signed, share, np.clip(mask, 0, 1), colours, np.float32(0.4))

    def test_lab(self) -> None:
        image = np.ascontiguousarray(picture()[..., :3])
        one, other = np.empty_like(image), np.empty_like(image)
        to_lab(image, one)
        to_lab.reference(image, other)
        self.assert_close(one, other, 0.02)


if __name__ == "__main__":
    unittest.main()
