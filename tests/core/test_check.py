"""Measures of the check on constructed cases: known blurs, shifts, seams, rims, copies, lines."""

from __future__ import annotations

import math
import unittest

import cv2
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from lather.core.check import edges, skin
from lather.core.check.limits import STYLES, TABLE, Bound, Limits, beyond
from lather.core.check.lines import bent
from lather.core.check.repeats import repeated
from lather.core.check.whole import whole_change
from lather.core.colour.lab import to_encoded, to_linear
from lather.core.shape.lines import find_lines
from tests.even_skin import SIDE, field

MM = 0.2


def noise(seed: int, sigma: float = 1.0, side: int = 400) -> np.ndarray:
    return np.random.default_rng(seed).normal(0, sigma, (side, side)).astype(np.float32)


def lab(light: np.ndarray) -> np.ndarray:
    return np.stack([light, np.full_like(light, 12), np.full_like(light, 14)], -1)


def disc_mask(radius_px: float, side: int = 400) -> np.ndarray:
    ys, xs = np.mgrid[:side, :side]
    return np.hypot(xs - side / 2, ys - side / 2) < radius_px


class LimitsTest(unittest.TestCase):
    def test_every_limit_is_a_number_a_style_with_what_it_was_set_by(self) -> None:
        for limit in TABLE:
            with self.subTest(limit.id):
                self.assertTrue(limit.set_by)
                self.assertTrue(limit.low or limit.high)
                for steps in (limit.low, limit.high):
                    self.assertTrue(steps is None or len(steps) == len(STYLES))

    def test_each_style_allows_at_least_as_much_as_the_stricter_one(self) -> None:
        for limit in TABLE:
            bounds = [limit.bound(style) for style in ("natural", "groomed", "flawless")]
            for one, other in zip(bounds, bounds[1:], strict=False):
                with self.subTest(limit.id):
                    if one.low is not None:
                        self.assertGreaterEqual(one.low, other.low)
                    if one.high is not None:
                        self.assertLessEqual(one.high, other.high)

    @given(st.sampled_from(TABLE), st.sampled_from(STYLES), st.floats(-3, 3), st.floats(0, 2))
    def test_a_share_is_0_at_the_start_1_at_the_limit_and_grows(self, limit, style, way, more):
        bound = limit.bound(style)
        self.assertEqual(bound.share(bound.start), 0)
        for end in (bound.low, bound.high):
            if end is not None and end != bound.start:
                self.assertAlmostEqual(bound.share(end), 1, places=6)
        value = bound.start + way
        further = value + math.copysign(more, way)
        self.assertGreaterEqual(bound.share(further), bound.share(value) - 1e-9)

    def test_a_limit_of_nothing_is_broken_by_anything(self) -> None:
        bound = Bound(0.0, high=0.0)
        self.assertEqual(bound.share(0.0), 0)
        self.assertGreater(bound.share(0.001), 1)

    def test_a_brief_moves_single_numbers(self) -> None:
        limits = Limits.of_style("groomed", {"texture_kept.least": 0.5})
        self.assertEqual(limits.texture_kept, 0.5)
        plain = Limits.of_style("groomed")
        self.assertEqual(limits.modelling_kept, plain.modelling_kept)
        self.assertEqual(set(plain.numbers), set(limits.numbers))
        self.assertEqual(Limits.of_style("of a newer Lather").bounds, plain.bounds)

    def test_what_goes_too_far_is_said_in_words(self) -> None:
        limits = Limits.of_style("groomed")
        low = limits.texture_kept
        self.assertEqual(beyond(limits, "left cheek", low - 0.1, 1.0, 1.0),
                         (f"texture on the left cheek {low - 0.1:.0%} of the start: plastic",))
        self.assertEqual(len(beyond(limits, "nose", 0.1, 0.1, 99.0)), 3)
        self.assertEqual(beyond(limits, "nose", low, limits.modelling_kept, 3.0), ())


class TextureTest(unittest.TestCase):
    def kept(
        self, start: np.ndarray, now: np.ndarray, grain: float = 0.0, left: float = 0.0,
        kept: bool = True,
    ) -> float:  # fmt: skip
        means = [cv2.GaussianBlur(p, (0, 0), 10) for p in (start * now, start * start, now * now)]
        weight = np.zeros_like(start)
        weight[40:-40, 40:-40] = 1
        shares = skin.shares_left(means[0] if kept else means[2], means[1], grain, left)
        return skin.usual_share(shares if kept else np.sqrt(shares), weight)

    def test_a_blur_keeps_the_texture_that_it_should(self) -> None:
        """Of a wave of period p a Gaussian of s leaves exp(-2 (pi s / p)^2)."""
        xs = np.arange(SIDE, dtype=np.float32)[None, :]
        wave = np.broadcast_to(2 * np.sin(2 * np.pi * xs / 4), (SIDE, SIDE)).astype(np.float32)
        for sigma_px in (0.8, 1.1):
            blurred = cv2.GaussianBlur(wave, (0, 0), sigma_px)
            start, now = (skin.fine_lightness(p, 3.0) for p in (60 + wave, 60 + blurred))
            true = math.exp(-2 * (math.pi * sigma_px / 4) ** 2)
            self.assertAlmostEqual(self.kept(start, now), true, delta=0.03)

    def test_texture_from_elsewhere_is_energy_and_is_not_kept(self) -> None:
        start, other = noise(1), noise(2)
        self.assertAlmostEqual(self.kept(start, other), 0.0, delta=0.05)
        self.assertAlmostEqual(self.kept(start, other, kept=False), 1.0, delta=0.05)
        self.assertAlmostEqual(self.kept(start, 2 * start, kept=False), 2.0, delta=0.05)

    def test_a_crease_that_goes_is_a_crease_and_not_the_skin(self) -> None:
        start, crease = noise(3), np.zeros((400, 400), np.float32)
        crease[195:205] = 30.0
        self.assertAlmostEqual(self.kept(start + crease, start), 1.0, delta=0.08)

    def test_what_weakens_texture_and_grain_alike_is_told_by_the_texture(self) -> None:
        texture, grain = noise(5), noise(6, 0.7)
        now = 0.4 * (texture + grain)
        kept = self.kept(texture + grain, now, grain=0.49, left=0.2)
        self.assertAlmostEqual(kept, 0.4, delta=0.08)


class SeamTest(unittest.TestCase):
    def setUp(self) -> None:
        self.start = lab(60 + noise(1) + np.linspace(0, 12, 400, dtype=np.float32)[None, :])
        self.where = np.ones((400, 400), bool)
        self.patch = disc_mask(60)

    def worst(self, now: np.ndarray, touched: np.ndarray | None = None) -> edges.Worst:
        mask = self.patch if touched is None else touched
        return edges.seam(self.start, now, mask, self.where, MM)

    def test_a_step_is_as_high_as_it_was_made(self) -> None:
        for step in (3.0, 6.0):
            now = self.start.copy()
            now[self.patch, 0] += step
            found = self.worst(now)
            self.assertAlmostEqual(found.value, step, delta=0.8)
            self.assertAlmostEqual(math.hypot(found.x - 200, found.y - 200), 60, delta=8)

    def test_new_texture_and_a_soft_change_are_none(self) -> None:
        now = self.start.copy()
        now[self.patch, 0] += noise(9)[self.patch] - noise(1)[self.patch]
        self.assertLess(self.worst(now).value, 1.0)
        ys, xs = np.mgrid[:400, :400]
        bell = 8 * np.exp(-(((xs - 200) / 90) ** 2) - ((ys - 200) / 90) ** 2).astype("f4")
        soft = self.start.copy()
        soft[..., 0] += bell
        self.assertLess(self.worst(soft, bell > 0.5).value, 1.6)

    def test_an_edge_that_was_there_is_no_seam(self) -> None:
        self.start[self.patch, 0] += 9
        self.assertLess(self.worst(self.start.copy()).value, 0.01)


class RimTest(unittest.TestCase):
    def setUp(self) -> None:
        self.region = np.zeros((400, 400), bool)
        self.region[:, :200] = True
        light = np.where(self.region, 65, 30).astype(np.float32) + noise(2, 0.5)
        self.start, self.where = lab(light), np.ones((400, 400), bool)

    def worst(self, change: np.ndarray) -> float:
        now = self.start.copy()
        now[..., 0] += change
        return edges.rim(self.start, now, self.region, self.where, MM).value

    def test_what_spills_over_an_edge_is_found(self) -> None:
        change = np.zeros((400, 400), np.float32)
        change[:, :212] = 5
        self.assertGreater(self.worst(change), 2.5)

    def test_what_ends_at_the_edge_is_none(self) -> None:
        self.assertLess(self.worst(5 * self.region.astype(np.float32)), 0.3)

    def test_a_halo_goes_up_here_and_down_there(self) -> None:
        xs = np.arange(400)[None, :] - 199.5
        halo = np.where(np.abs(xs) < 6, -5 * np.sign(xs), 0) * np.ones((400, 1))
        self.assertGreater(self.worst(halo.astype(np.float32)), 3.0)
        one_side = np.where(xs < 0, halo, 0).astype(np.float32)
        self.assertLess(self.worst(one_side), 0.5)

    def test_where_nothing_counts_nothing_is_found(self) -> None:
        found = edges.rim(self.start, self.start + 5, self.region, ~self.where, MM)
        self.assertEqual(found.value, 0)


class RepeatsTest(unittest.TestCase):
    def setUp(self) -> None:
        self.start = skin.fine_lightness(3 * noise(4, 1.0, 500), 2.5)
        self.where = np.zeros((500, 500), bool)

    def laid(self, places: list[tuple[int, int]], r: int = 20) -> float:
        now = self.start.copy()
        source = self.start[240 - r : 240 + r, 240 - r : 240 + r]
        for y, x in places:
            now[y - r : y + r, x - r : x + r] = source
            self.where[y - r : y + r, x - r : x + r] = True
        return repeated(self.start, now, self.where, MM).value

    def test_one_patch_five_times_is_a_pattern(self) -> None:
        self.assertGreater(self.laid([(240, 300), (240, 180), (180, 240), (300, 240), (300, 300)]),
                           150)  # fmt: skip

    def test_one_copy_hardly_counts(self) -> None:
        self.assertLess(self.laid([(240, 300)]), 20)

    def test_new_texture_that_is_no_copy_counts_for_nothing(self) -> None:
        now = skin.fine_lightness(3 * noise(8, 1.0, 500), 2.5)
        self.where[100:400, 100:400] = True
        self.assertEqual(repeated(self.start, now, self.where, MM).value, 0)

    def test_a_blur_is_no_copy(self) -> None:
        now = cv2.GaussianBlur(self.start, (0, 0), 4)
        self.where[100:400, 100:400] = True
        self.assertEqual(repeated(self.start, now, self.where, MM).value, 0)


class LinesTest(unittest.TestCase):
    def setUp(self) -> None:
        self.rgb = np.full((400, 500, 3), 0.7, np.float32)
        for x in (100, 250, 400):
            self.rgb[:, x : x + 4] = 0.3
        self.lines = find_lines(self.rgb, np.ones((400, 500), np.float32))
        self.light = self.rgb[..., 0] * 100

    def moved(self, dx: np.ndarray) -> float:
        y, x = np.mgrid[:400, :500].astype(np.float32)
        now = cv2.remap(self.light, x - dx.astype(np.float32), y, cv2.INTER_CUBIC)
        return bent(self.lines, self.light, now).value

    def test_a_bend_is_as_deep_as_it_was_made(self) -> None:
        y = np.mgrid[:400, :500][0]
        for depth_px in (3.0, 8.0):
            bell = depth_px * np.exp(-(((y - 200) / 40) ** 2))
            found = self.moved(bell)
            self.assertGreater(found, 0.6 * depth_px)
            self.assertLess(found, depth_px + 0.5)

    def test_lines_that_move_or_lean_as_a_whole_are_straight(self) -> None:
        y = np.mgrid[:400, :500][0]
        for dx in (np.full_like(y, 5.0, dtype=float), 0.02 * (y - 200)):
            self.assertLess(self.moved(dx), 0.5)
        self.assertEqual(self.moved(np.zeros_like(y, dtype=float)), 0)

    def test_a_line_that_was_painted_over_is_not_bent(self) -> None:
        gone = np.full_like(self.light, 70)
        self.assertEqual(bent(self.lines, self.light, gone).value, 0)


class FormTest(unittest.TestCase):
    def test_contrast_doubled_is_doubled_modelling(self) -> None:
        light, weight = 60 + 5 * field(20.0, 3), np.ones((SIDE, SIDE), np.float32)
        for factor in (0.5, 2.0):
            now = 60 + factor * (light - 60)
            self.assertAlmostEqual(skin.modelling_kept(light, now, weight), factor, delta=1e-3)


if __name__ == "__main__":
    unittest.main()


class OnePlaceTest(unittest.TestCase):
    def test_the_least_window_is_where_texture_went_and_gains_do_not_make_up_for_it(self) -> None:
        shares = np.full((200, 200), 1.6, np.float32)
        shares[100:140, 60:100] = 0.2
        least = skin.least_share(shares, np.ones_like(shares), 24)
        self.assertAlmostEqual(least[0], 0.2, places=5)
        self.assertTrue(60 <= least[1] < 100 and 100 <= least[2] < 140)
        self.assertIsNone(skin.least_share(shares, np.zeros_like(shares), 24))

    def test_grain_that_went_is_no_texture_and_glints_may_go(self) -> None:
        texture, grain, glint = np.float32(4.0), np.float32(3.0), np.float32(32.0)
        start = np.full((4, 4), texture + grain)
        for now, left, most, kept in (
            (start, 3.0, np.inf, 1.0),  # nothing was done
            (np.full((4, 4), texture), 0.0, np.inf, 1.0),  # denoised to the last bit
            (np.full((4, 4), texture / 2), 0.0, np.inf, 0.5),  # and half of the texture gone
        ):
            shares = skin.shares_left(now, start, 3.0, left, most)
            self.assertAlmostEqual(float(shares.mean()), kept, places=5)
        shining = np.full((4, 4), texture + glint)
        shares = skin.shares_left(np.full((4, 4), texture), shining, 0.0, 0.0, most=4.0)
        self.assertAlmostEqual(float(shares.mean()), 1.0, places=5)
        self.assertTrue(np.isnan(skin.shares_left(start, start, 3.9, 3.9)).all())


class WholeChangeTest(unittest.TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(2)
        self.rgb = rng.uniform(0.25, 0.6, (60, 60, 3)).astype(np.float32)
        self.skin = np.zeros((60, 60), bool)
        self.skin[15:45, 15:45] = True

    def lit(self, ev: float, where: np.ndarray | float = 1.0) -> np.ndarray:
        gain = 2 ** (ev * np.broadcast_to(where, (60, 60)))[..., None]
        return to_encoded(np.clip(to_linear(self.rgb) * gain, 0, 1)).astype(np.float32)

    def test_light_on_all_of_it_is_told_to_a_hundredth(self) -> None:
        for ev in (-0.7, -0.05, 0.0, 0.3, 0.5):
            self.assertAlmostEqual(whole_change(self.rgb, self.lit(ev), self.skin).exposure_ev, ev,
                                   delta=0.011)  # fmt: skip

    def test_light_on_a_part_is_none(self) -> None:
        for where in (self.skin, ~self.skin):
            found = whole_change(self.rgb, self.lit(0.5, where.astype(float)), self.skin)
            self.assertEqual(found.exposure_ev, 0)

    def test_grey_is_told_where_there_was_colour(self) -> None:
        grey = np.repeat(self.rgb.mean(-1, keepdims=True), 3, -1)
        self.assertTrue(whole_change(self.rgb, grey, self.skin).is_grey)
        self.assertFalse(whole_change(grey, grey, self.skin).is_grey)
        half = np.where(self.skin[..., None], grey, self.rgb)
        self.assertFalse(whole_change(self.rgb, half, self.skin).is_grey)
