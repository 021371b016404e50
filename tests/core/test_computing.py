"""The arithmetic of computed layers: curves, blurs, smoothing, split, light, the split's radius."""

from __future__ import annotations

import math
import unittest

import cv2
import numpy as np
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from lather.core.adjust.curves import N_STEPS, apply_curves, curve_through, curves_kernel, table_of
from lather.core.blend.composite import composite
from lather.core.blend.modes import BlendMode
from lather.core.filter.gaussian import gaussian
from lather.core.filter.reach import gaussian_reach_px
from lather.core.filter.smooth import apply_lines, block_moments, fit_lines, smoothed
from lather.core.kernels import prepare_kernels
from lather.core.rect import Rect
from lather.core.tone.light import SOFT_LIGHT, TWO_CURVES, light_kernel, lit, signed
from lather.core.tone.radius import proposed_radius
from lather.core.tone.split import MIDDLE, split
from tests.support import Case

LEVEL = table_of(((0, 0), (1, 1)))


def points(rising: bool = True):
    """Hypothesis: 2 to 8 points from 0 to 1 whose heights never fall."""
    inner = st.lists(st.tuples(st.integers(1, 98), st.integers(0, 100)), max_size=6,
                     unique_by=lambda point: point[0])  # fmt: skip

    def curve(found, ends):
        xs = [0.0, *sorted(x / 100 for x, _ in found), 1.0]
        ys = [ends[0] / 100, *(y / 100 for _, y in found), ends[1] / 100]
        return tuple(zip(xs, sorted(ys) if rising else ys, strict=True))

    return st.builds(curve, inner, st.tuples(st.integers(0, 100), st.integers(0, 100)))


def picture(width: int = 120, height: int = 90, seed: int = 1) -> np.ndarray:
    rgba = np.random.default_rng(seed).random((height, width, 4), dtype=np.float32)
    rgba[..., 3] = 1
    return rgba


class CurvesTest(Case):
    @given(points())
    def test_it_goes_through_its_points_and_never_falls(self, through) -> None:
        table = curve_through(through, np.linspace(0, 1, N_STEPS + 1)).astype(np.float64)
        self.assertGreaterEqual(float(np.diff(table).min()), -1e-7)
        for x, y in through:
            at = float(curve_through(through, np.array([x]))[0])
            self.assertAlmostEqual(at, y, places=6)

    @given(points(rising=False))
    def test_it_stays_within_its_points(self, through) -> None:
        heights = curve_through(through, np.linspace(0, 1, 500))
        self.assertGreaterEqual(float(heights.min()), min(y for _, y in through) - 1e-6)
        self.assertLessEqual(float(heights.max()), max(y for _, y in through) + 1e-6)

    def test_a_straight_curve_is_that_line(self) -> None:
        table = table_of(((0, 0.2), (0.5, 0.5), (1, 0.8)))
        self.assert_close(table, np.linspace(0.2, 0.8, N_STEPS + 1), 1e-6)

    def test_neutral_curves_leave_every_bit(self) -> None:
        image = picture() * 3 - 1
        before = image.copy()
        apply_curves(image, LEVEL, (LEVEL, LEVEL, LEVEL), LEVEL)
        self.assert_equal_arrays(image, before)

    @settings(max_examples=20)
    @given(points())
    def test_lightness_keeps_the_hue(self, through) -> None:
        """All colours move by the same, as far as 0-1 lets them: their order stays."""
        image = picture(40, 30)
        before = image.copy()
        apply_curves(image, LEVEL, (LEVEL, LEVEL, LEVEL), table_of(through))
        lum = before[..., :3] @ np.array([0.3, 0.59, 0.11])
        expected = np.interp(lum, np.linspace(0, 1, N_STEPS + 1), table_of(through)) if len(
            table_of(through)) > 1 else lum  # fmt: skip
        self.assert_close(image[..., :3] @ np.array([0.3, 0.59, 0.11]), expected, 2e-3)
        was, now = (colours[..., 0] - colours[..., 1] for colours in (before, image))
        self.assertGreaterEqual(float((np.sign(was) * now).min()), -1e-5)


class GaussianTest(Case):
    def test_an_edge_becomes_the_error_function(self) -> None:
        for sigma in (0.8, 3.0, 7.9, 8.1, 20.0, 55.0):
            width = 2 * gaussian_reach_px(sigma) + 40
            image = np.zeros((30, width, 1), np.float32)
            image[:, width // 2 :] = 1
            row = gaussian(image, Rect(0, 0, width, 30), sigma).reshape(30, -1)[15]
            xs = np.arange(width) + 0.5 - width // 2
            exact = [0.5 * (1 + math.erf(x / (sigma * math.sqrt(2)))) for x in xs]
            self.assert_close(row, exact, 0.02 if sigma < 1 else 0.004)

    @settings(max_examples=30, deadline=None)
    @given(st.floats(0.3, 40), st.integers(-70, 70), st.integers(-70, 70), st.integers(1, 40))
    def test_a_part_is_that_part_of_the_whole(self, sigma, x, y, side) -> None:
        whole_rect = Rect(-64, -64, 157, 131)
        image = picture(whole_rect.width, whole_rect.height)
        whole = gaussian(image, whole_rect, sigma)
        rect = Rect(x, y, x + side, y + side).intersect(whole_rect)
        assume(not rect.empty)
        wide = rect.grown(gaussian_reach_px(sigma)).intersect(whole_rect)
        inside = wide.shifted(64, 64).slices
        part = gaussian(np.ascontiguousarray(image[inside]), wide, sigma)
        self.assert_equal_arrays(part[rect.shifted(-wide.x0, -wide.y0).slices],
                                 whole[rect.shifted(64, 64).slices])  # fmt: skip


class SmoothTest(Case):
    def step(self, height: float) -> np.ndarray:
        image = np.full((80, 160, 4), 0.4, np.float32)
        image[:, 80:, :3] += height
        image[..., 3] = 1
        return image

    def test_a_step_of_that_height_keeps_half_and_a_higher_one_more(self) -> None:
        kept = {}
        for height in (0.02, 0.06, 0.3):
            out = smoothed(self.step(height), Rect(0, 0, 160, 80), 6.0, 6.0)[40, :, 0]
            kept[height] = float(out[81] - out[78]) / height
        self.assertLess(kept[0.02], 0.3)
        self.assertTrue(0.35 < kept[0.06] < 0.75, kept)
        self.assertGreater(kept[0.3], 0.9)

    def test_what_is_smaller_than_the_scale_is_evened(self) -> None:
        image = self.step(0.0)
        image[..., :3] += np.random.default_rng(1).normal(0, 0.01, (80, 160, 3)).astype("f4")
        out = smoothed(image, Rect(0, 0, 160, 80), 6.0, 6.0)
        self.assertLess(float(out[..., :3].std()), 0.25 * float(image[..., :3].std()))
        self.assert_close(out[..., :3].mean(), image[..., :3].mean(), 1e-3)


class KernelsTest(Case):
    """The compiled forms against the NumPy forms, which are their definitions."""

    def setUp(self) -> None:
        prepare_kernels()

    @settings(max_examples=20, deadline=None)
    @given(points(), points(), st.booleans())
    def test_curves(self, one, other, with_lightness) -> None:
        image = 1.4 * picture(33, 21) - 0.2
        image[..., 3] = picture(33, 21, 2)[..., 0] > 0.2
        tables = (table_of(one), LEVEL, table_of(other), LEVEL,
                  table_of(other) if with_lightness else LEVEL)  # fmt: skip
        self.assertTrue(curves_kernel.compiled)
        forms = [image.copy(), image.copy()]
        curves_kernel(forms[0], *tables)
        curves_kernel.reference(forms[1], *tables)
        self.assert_close(forms[0], forms[1], 3e-6)

    @settings(max_examples=20, deadline=None)
    @given(st.sampled_from([1, 2, 4, 16]), st.integers(0, 15), st.integers(0, 15))
    def test_moments_and_lines(self, side: int, left: int, top: int) -> None:
        left, top, image = left % side, top % side, picture(45, 37)
        size = -(-(top + 37) // side), -(-(left + 45) // side)
        self.assertTrue(block_moments.compiled and apply_lines.compiled)
        moments = [np.empty((2, *size, 4), np.float32) for _ in range(2)]
        for form, out in zip((block_moments, block_moments.reference), moments, strict=True):
            form(image, left, top, side, out)
        self.assert_close(*moments, 2e-6)
        fitted = [np.empty_like(moments[0]) for _ in range(2)]
        for form, out in zip((fit_lines, fit_lines.reference), fitted, strict=True):
            form(moments[0], np.float32(1e-3), out)
        self.assert_close(*fitted, 1e-4)
        lines = np.stack([picture(*size[::-1]), picture(*size[::-1])[..., [1, 2, 0, 3]]])
        results = [np.empty_like(image) for _ in range(2)]
        for form, out in zip((apply_lines, apply_lines.reference), results, strict=True):
            form(image, lines, left, top, side, out)
        self.assert_close(*results, 2e-6)

    @settings(max_examples=20, deadline=None)
    @given(st.integers(0, 1), st.integers(0, 9))
    def test_light(self, by_curves: int, seed: int) -> None:
        light = (2 * picture(33, 21, seed)[..., 0] - 1).astype(np.float32)
        light[:3] = 0
        forms = [1.2 * picture(33, 21) - 0.1 for _ in range(2)]
        forms[0][5:7, :, 3] = forms[1][5:7, :, 3] = 0
        self.assertTrue(light_kernel.compiled)
        for form, out in zip((light_kernel, light_kernel.reference), forms, strict=True):
            form(out, light, by_curves)
        self.assert_close(*forms, 2e-6)


class SplitTest(Case):
    @settings(max_examples=20, deadline=None)
    @given(st.floats(0.3, 500), st.integers(0, 5))
    def test_tone_and_texture_are_the_picture(self, sigma, seed) -> None:
        """By less than half a step of 16 bit, whatever the radius: larger than the picture too."""
        image = picture(64, 48, seed)
        tone, texture = split(image, Rect(0, 0, 64, 48), sigma)
        whole = tone[..., :3] + (texture[..., :3] - MIDDLE)
        self.assert_close(whole, image[..., :3], 0.5 / 65535)

    def test_a_picture_of_one_pixel(self) -> None:
        image = picture(1, 1)
        for sigma in (0.3, 500.0):
            tone, _ = split(image, Rect(0, 0, 1, 1), sigma)
            self.assert_close(tone, image, 1e-5)


class LightTest(Case):
    @given(st.integers(0, 65535), st.integers(0, 65535))
    def test_more_light_is_never_darker(self, one: int, other: int) -> None:
        image = picture(16, 8)
        less, more = sorted((one, other))
        for shown_as in (SOFT_LIGHT, TWO_CURVES):
            dark, bright = (
                lit(image, signed(np.full((8, 16), value, np.uint16)), shown_as)
                for value in (less, more)
            )
            self.assertGreaterEqual(float((bright - dark).min()), -1e-6)
            self.assertTrue(float(dark[..., :3].min()) >= 0 and float(bright[..., :3].max()) <= 1)

    def test_soft_light_is_the_mode_of_that_name(self) -> None:
        image = picture(16, 8)
        for value in (0, 9000, 40000, 65535):
            samples = np.full((8, 16), value, np.uint16)
            expected, grey = image.copy(), np.ones_like(image)
            grey[..., :3] = 0.5 + 0.5 * signed(samples)[..., None]
            composite(expected, grey, mode=BlendMode.SOFT_LIGHT)
            self.assert_close(lit(image, signed(samples), SOFT_LIGHT), expected, 2e-6)

    def test_the_middle_changes_no_bit_and_black_and_white_stay(self) -> None:
        image = picture(16, 8)
        image[0, 0, :3], image[0, 1, :3] = 0, 1
        for shown_as in (SOFT_LIGHT, TWO_CURVES):
            middle = lit(image, signed(np.full((8, 16), 32768, np.uint16)), shown_as)
            self.assert_equal_arrays(middle, image)
            bright = lit(image, signed(np.full((8, 16), 65535, np.uint16)), shown_as)
            self.assert_close(bright[0, :2, :3], image[0, :2, :3], 1e-6)


class RadiusTest(Case):
    def textured(self, period_px: float) -> np.ndarray:
        """Skin with dimples about so far apart, and a cheek's modelling."""
        rng = np.random.default_rng(3)
        grain = rng.standard_normal((600, 600)).astype(np.float32)
        s = period_px / 6
        fine = cv2.GaussianBlur(grain, (0, 0), s) - cv2.GaussianBlur(grain, (0, 0), 1.6 * s)
        ys, _ = np.mgrid[:600, :600]
        light = 0.6 + 0.1 * np.sin(ys / 150) + 0.02 * fine / fine.std()
        return np.repeat(light[..., None], 3, -1).astype(np.float32)

    def test_it_follows_the_texture_and_nothing_else(self) -> None:
        skin = np.ones((600, 600), np.float32)
        fine, coarse = (proposed_radius(self.textured(p), skin, 0.2) for p in (4.0, 8.0))
        self.assertTrue(1.3 < coarse.sigma_px / fine.sigma_px < 3.0, (fine, coarse))
        dimmer = proposed_radius(0.5 * self.textured(4.0), skin, 0.2)
        self.assertAlmostEqual(dimmer.sigma_px, fine.sigma_px, delta=0.2)
        self.assertLess(fine.left[-1], 0.01)
        self.assertTrue(all(b <= a * 1.02 for a, b in zip(fine.left, fine.left[1:], strict=False)))

    def test_too_little_skin_gives_none(self) -> None:
        skin = np.zeros((600, 600), np.float32)
        self.assertIsNone(proposed_radius(self.textured(4.0), skin, 0.2))
        skin[:10, :10] = 1
        self.assertIsNone(proposed_radius(self.textured(4.0), skin, 0.2))


if __name__ == "__main__":
    unittest.main()
