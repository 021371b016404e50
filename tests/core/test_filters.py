"""Soften, sharpen, grain, sweep: each against a picture whose answer is known."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import gaussian_filter

from lather.core.filter import grain
from lather.core.filter.blur import blurred
from lather.core.filter.grain import add_grain, grain_sigma_l
from lather.core.filter.reach import median_reach_px
from lather.core.filter.sharpen import lighten, sharpened
from lather.core.filter.smooth import smoothed
from lather.core.filter.soften import softened
from lather.core.filter.sweep import BOTH, DARK, LIGHT, go_to_middle, swept
from lather.core.kernels import prepare_kernels
from lather.core.rect import Rect
from lather.core.tone.split import split
from tests.support import Case

SIDE = 240
WHOLE = Rect(0, 0, SIDE, SIDE)
MIDDLE = slice(80, 160)


def grey(plane) -> np.ndarray:
    image = np.ones((SIDE, SIDE, 4), np.float32)
    image[..., :3] = np.broadcast_to(plane, (SIDE, SIDE))[..., None]
    return image


def wave(period_px: float, height: float = 0.05) -> np.ndarray:
    return 0.5 + height * np.sin(2 * np.pi * (np.arange(SIDE) + 0.5) / period_px)[None, :]


def kept_of(out: np.ndarray, image: np.ndarray) -> float:
    """The share of a wave's height that is left."""
    return float((out[MIDDLE, MIDDLE, 0] - 0.5).std() / (image[MIDDLE, MIDDLE, 0] - 0.5).std())


def noisy(sigma_l: float, seed: int = 1) -> np.ndarray:
    noise = np.random.default_rng(seed).normal(0, sigma_l / 100, (SIDE, SIDE))
    return grey(0.5 + noise)


class SoftenTest(Case):
    def test_pores_and_modelling_stay_and_what_is_between_goes(self) -> None:
        """Of a wave, a Gaussian leaves exp(-2 (pi sigma / period)^2)."""
        for period in (4.0, 30.0, 400.0):
            image = grey(wave(period))
            out = softened(image, WHOLE, 12.0, 2.0, WHOLE)
            fine, coarse = (np.exp(-2 * (np.pi * s / period) ** 2) for s in (2.0, 12.0))
            if period < 100:
                self.assertAlmostEqual(kept_of(out, image), 1 - fine + coarse, delta=0.03)
            else:
                self.assert_close(out[MIDDLE, MIDDLE], image[MIDDLE, MIDDLE], 0.005)

    def test_pores_as_large_as_the_radius_leave_all(self) -> None:
        image = noisy(3)
        self.assert_equal_arrays(softened(image, WHOLE, 4.0, 4.0, WHOLE), image)

    def test_blur_leaves_what_a_gaussian_leaves(self) -> None:
        image = grey(wave(30))
        self.assertAlmostEqual(kept_of(blurred(image, WHOLE, 6.0, WHOLE), image),
                               np.exp(-2 * (np.pi * 6 / 30) ** 2), delta=0.02)  # fmt: skip


class SharpenTest(Case):
    def test_an_edge_gets_the_contrast_that_is_asked_for(self) -> None:
        edge = grey(np.where(np.arange(SIDE) < SIDE // 2, 0.4, 0.6)[None, :])
        out = sharpened(edge, WHOLE, 2.0, 150.0, 0.2, WHOLE)
        detail = blurred(edge, WHOLE, 2.0, WHOLE)
        raised = (out - detail)[120, 110:130, 0]
        self.assert_close(raised, 1.5 * (edge - detail)[120, 110:130, 0], 0.01)

    def test_grain_below_its_sigma_is_left_alone(self) -> None:
        image = noisy(1.0)
        out = sharpened(image, WHOLE, 1.2, 200.0, 1.0, WHOLE)
        self.assertLess(float(out[..., 0].std() / image[..., 0].std()), 1.06)
        without = sharpened(image, WHOLE, 1.2, 200.0, 0.0, WHOLE)
        self.assertGreater(float(without[..., 0].std() / image[..., 0].std()), 1.6)

    def test_hue_stays(self) -> None:
        image = noisy(2)
        image[..., 0] += 0.2
        out = sharpened(image, WHOLE, 1.2, 200.0, 0.1, WHOLE)
        self.assert_close(out[..., 0] - out[..., 1], image[..., 0] - image[..., 1], 1e-4)

    def test_a_hundred_percent_is_neutral(self) -> None:
        self.assert_equal_arrays(sharpened(noisy(4), WHOLE, 2, 100, 0.5, WHOLE), noisy(4))

    def test_the_compiled_form_is_the_numpy_form(self) -> None:
        prepare_kernels()
        lift = np.random.default_rng(2).normal(0, 0.2, (SIDE, SIDE)).astype(np.float32)
        one, other = noisy(9), noisy(9)
        lighten(one, lift)
        lighten.reference(other, lift)
        self.assert_close(one, other, 1e-5)


class GrainTest(Case):
    def grained(self, rect=WHOLE, level=0, sigma=2.0, size=1.0, colour=0.0, seed=1) -> np.ndarray:
        image = np.full((rect.height, rect.width, 4), 0.5, np.float32)
        add_grain(image, rect, level, sigma, size, colour, seed)
        return image

    def test_sigma_and_colour_are_what_is_asked_for(self) -> None:
        plain = self.grained()[..., :3]
        self.assertAlmostEqual(100 * float(plain.std()), 2.0, delta=0.1)
        self.assert_close(plain[..., 0], plain[..., 2], 0)
        coloured = self.grained(colour=0.6)[..., :3]
        share = np.corrcoef(coloured[..., 0].ravel(), coloured[..., 1].ravel())[0, 1]
        self.assertAlmostEqual(float(share), 1 - 0.36, delta=0.05)

    @settings(max_examples=12, deadline=None)
    @given(st.integers(-500, 3000), st.integers(-500, 3000))
    def test_it_is_the_same_in_every_part_and_rendering(self, x, y) -> None:
        wide = Rect(x, y, x + 60, y + 50)
        part = Rect(x + 20, y + 10, x + 31, y + 13)
        self.assert_equal_arrays(self.grained(part), self.grained(wide)[10:13, 20:31])

    def test_at_a_reduced_level_it_is_the_mean_of_what_it_is_at_full_size(self) -> None:
        full = self.grained(Rect(64, 32, 192, 160)).reshape(64, 2, 64, 2, 4).mean((1, 3))
        self.assert_close(self.grained(Rect(32, 16, 96, 80), 1), full, 1e-5)

    def test_it_does_not_repeat_within_a_face(self) -> None:
        row = self.grained(Rect(0, 0, 3000, 3))[1, :, 0] - 0.5
        for shift in (768, 1024, 1536):
            alike = float(np.corrcoef(row[:-shift], row[shift:])[0, 1])
            self.assertLess(alike, 0.62)

    def test_a_grain_of_any_size_is_white_noise_blurred_and_of_sigma_one(self) -> None:
        prepare_kernels()
        self.assertTrue(grain.standardise_kernel.compiled)
        for sigma_px in (0.6, 2.0, 7.5):
            white = np.random.default_rng(3).standard_normal((96, 96, 4), np.float32)
            noise = grain._softened(white, sigma_px)
            expected = [gaussian_filter(white[..., n], sigma_px, mode="wrap") for n in range(4)]
            self.assert_close(noise, np.stack(expected, -1), 1e-6)
            other = noise.copy()
            grain.standardise_kernel(noise)
            grain.standardise_kernel.reference(other)
            self.assert_equal_arrays(noise, other)
            self.assert_close(noise.mean((0, 1)), 0, 1e-4)
            self.assert_close(noise.std((0, 1)), 1, 1e-4)

    def test_black_and_white_stay_clean(self) -> None:
        image = np.zeros((5, 5, 4), np.float32)
        image[2:, :, :3] = 1
        before = image.copy()
        add_grain(image, Rect(0, 0, 5, 5), 0, 5, 1, 0.5, 1)
        self.assert_equal_arrays(image, before)

    def test_one_pixel(self) -> None:
        self.assertEqual(self.grained(Rect(0, 0, 1, 1)).shape, (1, 1, 4))

    def test_its_sigma_is_measured_past_edges(self) -> None:
        for sigma in (0.4, 1.0, 3.0):
            image = noisy(sigma)[..., 0] + 0.2 * (np.arange(SIDE) % 60 > 30)
            self.assertAlmostEqual(grain_sigma_l(image), sigma, delta=0.12 * sigma)


class TransparencyTest(Case):
    """Colour is averaged by its alpha: what is transparent has none."""

    FILTERS = (
        ("blur", lambda p, r, i: blurred(p, r, 3.0, i)),
        ("wide blur", lambda p, r, i: blurred(p, r, 30.0, i)),
        ("soften", lambda p, r, i: softened(p, r, 8.0, 2.0, i)),
        ("sharpen", lambda p, r, i: sharpened(p, r, 2.0, 300.0, 0.0, i)),
        ("sweep", lambda p, r, i: swept(p, r, 6.0, 1.0, BOTH, i)),
        ("smooth", lambda p, r, i: smoothed(p, r, 4.0, 6.0)),
        ("wide smooth", lambda p, r, i: smoothed(p, r, 40.0, 6.0)),
        ("tone", lambda p, r, i: split(p, r, 6.0, i)[0]),
    )

    @settings(max_examples=25, deadline=None)
    @given(st.integers(0, 2**32 - 1), st.floats(0, 0.9))
    def test_one_colour_stays_that_colour(self, seed: int, empty: float) -> None:
        random = np.random.default_rng(seed)
        pixels = np.zeros((90, 110, 4), np.float32)
        alpha = random.random((90, 110)).astype(np.float32)
        alpha[random.random((90, 110)) < empty] = 0
        alpha[:, 60:] = 0  # a rim, half of it covered
        alpha[:, 55:60] = 0.5
        pixels[..., 3] = alpha
        pixels[..., :3] = np.where(alpha[..., None] > 0, (0.5, 0.3, 0.7), 0)
        rect = Rect(5, 7, 115, 97)
        for name, apply in self.FILTERS:
            out = apply(pixels, rect, rect)
            self.assert_equal_arrays(out[..., 3], alpha)
            shown = alpha > 0
            off = np.abs(out[..., :3][shown] - np.float32((0.5, 0.3, 0.7)))
            self.assertLess(float(off.max()), 2e-3, name)

    def test_opaque_it_is_what_it_was(self) -> None:
        """Both ways to filter agree where nothing is transparent."""
        pixels = noisy(6.0)
        rect = Rect(0, 0, pixels.shape[1], pixels.shape[0])
        nearly = np.pad(pixels, ((0, 0), (0, 1), (0, 0)), mode="edge")
        nearly[-1, -1, 3] = 0.999
        wide = Rect(0, 0, rect.width + 1, rect.height)
        middle = Rect(20, 20, rect.width - 40, rect.height - 40)
        for name, apply in self.FILTERS:
            one = apply(np.pad(pixels, ((0, 0), (0, 1), (0, 0)), mode="edge"), wide, wide)
            other = apply(nearly, wide, wide)
            off = float(np.abs(one - other)[middle.slices].max())
            self.assertLess(off, 2e-3, name)


class SweepTest(Case):
    def with_line(self, width: int, step: float) -> np.ndarray:
        image = noisy(0.3)
        image[:, 120 : 120 + width, :3] += step
        return image

    def left(self, image, which=BOTH, width_px=4.0) -> float:
        """The step of the line that is left within it, as a share."""
        out = swept(image, WHOLE, width_px, 2.0, which, WHOLE)
        line = np.abs(image[120, :, 0] - 0.5) > 0.1
        line = line & np.roll(line, 2) & np.roll(line, -2) if line.sum() > 8 else line
        return float((out[:, line, 0].mean() - 0.5) / (image[:, line, 0].mean() - 0.5))

    def test_a_thin_line_goes_and_a_wide_one_stays(self) -> None:
        self.assertLess(abs(self.left(self.with_line(2, -0.2))), 0.1)
        self.assertLess(abs(self.left(self.with_line(4, -0.2))), 0.15)
        self.assertGreater(self.left(self.with_line(24, -0.2)), 0.9)

    def test_only_the_side_that_is_asked_for(self) -> None:
        self.assertGreater(self.left(self.with_line(2, -0.2), LIGHT), 0.95)
        self.assertLess(abs(self.left(self.with_line(2, 0.2), LIGHT)), 0.1)
        self.assertGreater(self.left(self.with_line(2, 0.2), DARK), 0.95)

    def test_both_forms_of_its_kernel_agree(self) -> None:
        prepare_kernels()
        random = np.random.default_rng(6)
        image, middle = 0.5 + 0.05 * random.standard_normal((2, 40, 50, 4)).astype(np.float32)
        for sign in (-1.0, 0.0, 1.0):
            one, other = image.copy(), image.copy()
            go_to_middle(one, middle, sign, np.float32(2.0))
            go_to_middle.reference(other, middle, sign, np.float32(2.0))
            self.assert_close(one, other, 1e-6)
            self.assertGreater(np.abs(one - image).max(), 0.05)

    def test_grain_beside_it_stays(self) -> None:
        image = self.with_line(2, -0.2)
        out = swept(image, WHOLE, 4.0, 2.0, BOTH, WHOLE)
        self.assert_close(out[:, :100], image[:, :100], 1e-3)

    @settings(max_examples=15, deadline=None)
    @given(st.floats(1, 30), st.integers(0, 200), st.integers(0, 200))
    def test_a_part_is_that_part_of_the_whole(self, width, x, y) -> None:
        image = noisy(8)
        whole = swept(image, WHOLE, width, 1.0, BOTH, WHOLE)
        part = Rect(x, y, x + 30, y + 20).intersect(WHOLE)
        wide = part.grown(median_reach_px(width)).intersect(WHOLE)
        out = swept(image[wide.slices], wide, width, 1.0, BOTH, part)
        self.assert_equal_arrays(out, whole[part.slices])


if __name__ == "__main__":
    unittest.main()
