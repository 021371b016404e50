"""Blend modes against the specification's own statements, compositing against algebra."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.blend.composite import (
    composite,
    halve_mask,
    halve_pixels,
    mix,
    mix_kernel,
    on_white,
)
from lather.core.blend.modes import LUMINOSITY_WEIGHTS, BlendMode, blend
from tests.support import Case

COLOURS = np.random.default_rng(5).random((40, 50, 3)).astype(np.float32)
OTHERS = np.random.default_rng(6).random((40, 50, 3)).astype(np.float32)


def opaque(colour: np.ndarray) -> np.ndarray:
    return np.dstack([colour, np.ones(colour.shape[:2])]).astype(np.float32)


class BlendModesTest(Case):
    def test_known_values(self) -> None:
        """Backdrop 0.25, source 0.75, computed by hand from the specification."""
        known = {
            "normal": 0.75, "multiply": 0.1875, "screen": 0.8125, "overlay": 0.375,
            "darken": 0.25, "lighten": 0.75, "color-dodge": 1.0, "color-burn": 0.0,
            "hard-light": 0.625, "soft-light": 0.375, "difference": 0.5, "exclusion": 0.625,
            "linear-light": 0.75,
        }  # fmt: skip
        cb, cs = np.full((1, 1, 3), 0.25, "f4"), np.full((1, 1, 3), 0.75, "f4")
        for name, expected in known.items():
            with self.subTest(name):
                self.assert_close(blend(cb, cs, BlendMode(name)), expected, 1e-6)

    def test_neutral_source_leaves_the_backdrop(self) -> None:
        neutral = {"multiply": 1, "screen": 0, "overlay": 0.5, "hard-light": 0.5,
                   "soft-light": 0.5, "darken": 1, "lighten": 0, "difference": 0,
                   "exclusion": 0, "linear-light": 0.5, "color-dodge": 0, "color-burn": 1}
        for name, grey in neutral.items():
            if name == "overlay":
                continue  # its neutral grey holds for the swapped roles of hard-light only
            with self.subTest(name):
                source = np.full_like(COLOURS, grey)
                self.assert_close(blend(COLOURS, source, BlendMode(name)), COLOURS, 1e-6)

    def test_non_separable_modes_keep_what_they_promise(self) -> None:
        def lum(c):
            return c @ LUMINOSITY_WEIGHTS

        for name in ("hue", "saturation", "color"):
            with self.subTest(name):
                result = blend(COLOURS, OTHERS, BlendMode(name))
                self.assert_close(lum(result), lum(COLOURS), 1e-5)
        self.assert_close(
            lum(blend(COLOURS, OTHERS, BlendMode.LUMINOSITY)), lum(OTHERS), 1e-5
        )

    def test_every_mode_stays_in_range(self) -> None:
        corners = np.array(np.meshgrid([0, 1], [0, 1], [0, 1])).T.reshape(1, -1, 3).astype("f4")
        for mode in BlendMode:
            with self.subTest(mode.value):
                for cb in (corners, COLOURS[:1, :8]):
                    result = blend(cb, corners[:, : cb.shape[1]], mode)
                    self.assertTrue(np.isfinite(result).all())
                    self.assertTrue(((result >= 0) & (result <= 1)).all())


class CompositeTest(Case):
    def test_opaque_normal_replaces_and_strength_mixes(self) -> None:
        for strength in (0.0, 0.3, 1.0):
            with self.subTest(strength=strength):
                backdrop = opaque(COLOURS)
                composite(backdrop, opaque(OTHERS), strength=strength)
                expected = COLOURS + strength * (OTHERS - COLOURS)
                self.assert_close(backdrop[..., :3], expected, 1e-6)

    def test_compiled_equals_definition(self) -> None:
        """Every mode, with and without mask and backdrop alpha, against the NumPy form."""
        from lather.core.blend.composite import composite_kernel

        random = np.random.default_rng(0)
        source = random.integers(0, 65536, (40, 50, 4)).astype(np.uint16)
        source[:5, :, 3] = 0
        mask = random.integers(0, 65536, (40, 50)).astype(np.uint16)
        for mode in BlendMode:
            for kind in (0, 1, 2):
                with self.subTest(mode=mode.value, mask=kind):
                    backdrop = random.random((40, 50, 4)).astype(np.float32)
                    backdrop[:20, :, 3] = 1
                    expected = backdrop.copy()
                    arguments = (source, np.float32(1 / 65535), mask, kind, np.float32(0.7),
                                 mode.code)
                    composite_kernel(backdrop, *arguments)
                    composite_kernel.reference(expected, *arguments)
                    self.assertTrue(composite_kernel.compiled)
                    self.assert_close(backdrop, expected, 2e-4)

    def test_views_of_any_layout_are_composited(self) -> None:
        """Cut from the middle, turned over, transposed: as their copies are."""
        random = np.random.default_rng(4)
        whole = random.integers(0, 65536, (60, 70, 4)).astype(np.uint16)
        under = random.random((60, 70, 4)).astype(np.float32)
        for view in (np.s_[5:45, 7:47], np.s_[44:4:-1, 46:6:-1], np.s_[5:45, 6:46:1]):
            for turned in (False, True):
                source, backdrop = whole[view], under.copy()[view]
                if turned:
                    source, backdrop = source.transpose(1, 0, 2), backdrop.transpose(1, 0, 2)
                expected = np.ascontiguousarray(backdrop)
                composite(expected, np.ascontiguousarray(source), mode=BlendMode.SOFT_LIGHT)
                composite(backdrop, source, mode=BlendMode.SOFT_LIGHT)
                self.assert_equal_arrays(backdrop, expected)

    def test_over_white_to_samples(self) -> None:
        """Both forms: opaque is rounded, transparent is white, half is half of both."""
        image = np.array([[[0.5, 0.25, 1.5, 1], [0.2, 0.4, 0.6, 0], [0, 0.5, 1, 0.5]]], "f4")
        for dtype, top in ((np.uint8, 255), (np.uint16, 65535)):
            expected = np.array([[[0.5, 0.25, 1], [1, 1, 1], [0.5, 0.75, 1]]]) * top
            for form in (on_white, on_white.reference):
                out = np.zeros((1, 3, 3), dtype)
                form(image, out)
                self.assert_close(out, np.floor(expected + 0.5), 0)

    def test_mixing_is_linear_in_premultiplied_colour(self) -> None:
        """Both forms, with any mask; at 0 nothing changes, at 1 it is the other picture."""
        random = np.random.default_rng(6)
        mask = random.integers(0, 65536, (40, 50)).astype(np.uint16)
        one, other = (random.random((40, 50, 4)).astype(np.float32) for _ in range(2))
        one[:9, :, 3], other[:5, :, 3], other[8:12, :, 3] = 0, 0, 1
        shown = mask[..., None] / 65535
        for kind, share in ((0, 1), (1, shown), (2, 1 - shown)):
            for strength in (0.0, 0.4, 1.0):
                for form in (mix_kernel, mix_kernel.reference):
                    out = one.copy()
                    form(out, other, mask, kind, np.float32(strength))
                    amount = share * strength
                    alpha = (1 - amount) * one[..., 3:] + amount * other[..., 3:]
                    colour = ((1 - amount) * one[..., 3:] * one[..., :3]
                              + amount * other[..., 3:] * other[..., :3])  # fmt: skip
                    self.assert_close(out[..., 3:], alpha, 2e-6)
                    self.assert_close(out[..., :3] * out[..., 3:], colour, 2e-6)
        same = one.copy()
        mix(same, one.copy(), strength=0.5, mask=mask)
        self.assert_close(same, one, 1e-6)
        self.assertTrue(mix_kernel.compiled)

    def test_onto_nothing_gives_the_source(self) -> None:
        source = np.random.default_rng(3).random((9, 9, 4)).astype(np.float32)
        for mode in BlendMode:
            backdrop = np.zeros_like(source)
            composite(backdrop, source, mode=mode)
            self.assert_close(backdrop, source, 1e-5)

    def test_mask_and_its_inverse_add_up(self) -> None:
        mask = np.random.default_rng(4).integers(0, 65536, (40, 50)).astype(np.uint16)
        plain, inverted = opaque(COLOURS), opaque(COLOURS)
        composite(plain, opaque(OTHERS), mask=mask)
        composite(inverted, opaque(OTHERS), mask=mask, mask_inverted=True)
        self.assert_close(plain[..., :3] + inverted[..., :3], COLOURS + OTHERS, 1e-5)

    @settings(max_examples=30, deadline=None)
    @given(st.floats(0, 1), st.floats(0, 1), st.sampled_from(list(BlendMode)))
    def test_alpha_is_the_union(self, under: float, over: float, mode: BlendMode) -> None:
        backdrop = np.full((1, 1, 4), 0.5, np.float32)
        source = np.full((1, 1, 4), 0.25, np.float32)
        backdrop[..., 3], source[..., 3] = under, over
        composite(backdrop, source, mode=mode)
        if over > 0:
            self.assertAlmostEqual(float(backdrop[0, 0, 3]), over + under * (1 - over), places=5)


class HalvingTest(Case):
    def test_colour_is_weighted_by_alpha(self) -> None:
        pixels = np.zeros((2, 2, 4), np.uint16)
        pixels[0, 0] = (60000, 0, 0, 65535)
        pixels[1, 1] = (0, 60000, 0, 0)  # transparent: its green must not leak
        half = np.empty((1, 1, 4), np.uint16)
        halve_pixels(pixels, half)
        self.assertEqual(half[0, 0].tolist(), [60000, 0, 0, 16384])

    def test_both_forms_agree(self) -> None:
        random = np.random.default_rng(1)
        pixels = random.integers(0, 65536, (64, 64, 4)).astype(np.uint16)
        mask = random.integers(0, 65536, (64, 64)).astype(np.uint16)
        for kernel, data in ((halve_pixels, pixels), (halve_mask, mask)):
            shape = (32, 32, *data.shape[2:])
            fast, plain = np.empty(shape, np.uint16), np.empty(shape, np.uint16)
            kernel(data, fast)
            kernel.reference(data, plain)
            self.assertLessEqual(np.abs(fast.astype(int) - plain).max(), 1)


if __name__ == "__main__":
    unittest.main()
