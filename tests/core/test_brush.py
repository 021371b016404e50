"""The figures of the brush: rim, one dab, many dabs, the cap, strokes, spacing, pressure."""

import math

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.brush.dabs import lay_colour, lay_erase, lay_mask, rim_profile, stamp
from lather.core.brush.stroke import Brush, PenSample, StrokePath, pressure_from_speed
from tests.support import Case


def dab(x=50.5, y=50.5, radius=20.0, hardness=1.0, flow=1.0, opacity=1.0, n=1) -> np.ndarray:
    return np.array([[x, y, radius, hardness, flow, opacity]] * n, np.float32)


def stamped(dabs: np.ndarray, size: int = 101) -> np.ndarray:
    coverage = np.zeros((size, size), np.float32)
    stamp(coverage, 0.0, 0.0, dabs)
    return coverage


class RimTest(Case):
    def test_bell_reaches_zero_at_the_rim_smoothly(self) -> None:
        r = np.array([0.0, 5.0, 10.0, 19.99, 20.0, 25.0], np.float32)
        p = rim_profile(r, 20.0, 0.0)
        self.assertEqual(p[0], 1.0)
        self.assert_close(p[4:], 0.0, 1e-12)
        self.assertLess(p[3], 1e-5)
        self.assert_close(p[2], (1 - 0.25) ** 2, 1e-6)
        self.assertTrue((np.diff(p) <= 0).all())

    def test_hardness_sets_where_the_fall_begins(self) -> None:
        for hardness in (0.25, 0.5, 0.8):
            with self.subTest(hardness=hardness):
                inside = rim_profile(np.float32([hardness * 40 - 0.1]), 40.0, hardness)
                outside = rim_profile(np.float32([hardness * 40 + 4]), 40.0, hardness)
                self.assertEqual(inside[0], 1.0)
                self.assertLess(outside[0], 1.0)

    def test_hard_disc_has_the_area_of_the_circle(self) -> None:
        for radius in (2.0, 7.3, 20.0, 45.0):
            with self.subTest(radius=radius):
                area = float(stamped(dab(radius=radius)).sum())
                # A rim one pixel wide adds 1/12 to the square of the radius.
                expected = math.pi * (radius**2 + 1 / 12)
                self.assertAlmostEqual(area / expected, 1.0, delta=0.03)

    def test_hard_rim_is_one_pixel_wide(self) -> None:
        row = stamped(dab(radius=20.0))[50]
        self.assertLessEqual(np.count_nonzero((row > 0) & (row < 1)), 4)
        self.assertAlmostEqual(float(rim_profile(np.float32([20.0]), 20.0, 1.0)[0]), 0.5)


class SmallBrushTest(Case):
    """Where the craft works most: brushes of a few pixels, and pressure that changes them."""

    FORMS = (("definition", stamp.reference), ("compiled", stamp))

    def covered(self, form, radius: float, hardness: float, x: float = 8.5) -> np.ndarray:
        coverage = np.zeros((17, 17), np.float32)
        form(coverage, 0.0, 0.0, dab(x=x, y=8.3, radius=radius, hardness=hardness))
        return coverage

    @settings(max_examples=60, deadline=None)
    @given(st.floats(0, 1), st.floats(8.0, 9.0))
    def test_area_and_every_pixel_rise_with_the_size(self, hardness: float, x: float) -> None:
        for name, form in self.FORMS:
            before = self.covered(form, 0.25, hardness, x)
            for radius in np.arange(0.3, 5.0, 0.05):
                after = self.covered(form, float(radius), hardness, x)
                self.assertGreater(float((after - before).min()), -2e-6, name)
                self.assertGreater(float(after.sum()), float(before.sum()), name)
                before = after

    @settings(max_examples=60, deadline=None)
    @given(st.floats(0.25, 6.0), st.floats(0.0, 0.999), st.floats(8.0, 9.0))
    def test_nothing_jumps(self, radius: float, hardness: float, x: float) -> None:
        """A thousandth more of size, hardness or place changes no pixel by more than a little."""
        step = 1e-3
        for name, form in self.FORMS:
            here = self.covered(form, radius, hardness, x)
            for other in (
                self.covered(form, radius + step, hardness, x),
                self.covered(form, radius, hardness + step, x),
                self.covered(form, radius, hardness, x + step),
            ):
                # The steepest bell falls by 1.6 over its width, at least a pixel; hardness
                # moves its start by up to the radius.
                change = float(np.abs(other - here).max())
                self.assertLess(change, 4 * step * max(1, radius), name)

    def test_a_larger_brush_paints_more(self) -> None:
        areas = [self.covered(stamp, size / 2, 0.5).sum() for size in (3.9, 4.0, 4.1, 4.2)]
        self.assertTrue((np.diff(areas) > 0).all())
        self.assertLess(float(np.diff(areas).max()), 0.5)  # px2 a tenth of a pixel


class CoverageTest(Case):
    def test_one_dab_leaves_opacity_times_flow(self) -> None:
        for opacity, flow in ((1, 1), (0.5, 1), (1, 0.25), (0.15, 0.15)):
            with self.subTest(opacity=opacity, flow=flow):
                centre = stamped(dab(opacity=opacity, flow=flow))[50, 50]
                self.assertAlmostEqual(float(centre), opacity * flow, places=6)

    def test_n_dabs_approach_opacity(self) -> None:
        for n in (1, 2, 5, 30):
            with self.subTest(n=n):
                centre = stamped(dab(opacity=0.4, flow=0.3, n=n))[50, 50]
                self.assertAlmostEqual(float(centre), 0.4 * (1 - 0.7**n), places=5)

    @settings(max_examples=40, deadline=None)
    @given(
        st.lists(
            st.tuples(
                st.floats(-20, 120), st.floats(-20, 120), st.floats(0.3, 60), st.floats(0, 1),
                st.floats(0, 1), st.floats(0, 1),
            ),
            min_size=1, max_size=20,
        )
    )
    def test_never_above_the_cap_nor_falling(self, dabs: list[tuple[float, ...]]) -> None:
        array = np.array(dabs, np.float32)
        coverage = np.zeros((101, 101), np.float32)
        for one in array:
            before = coverage.copy()
            stamp(coverage, 0.0, 0.0, one[None])
            self.assertTrue((coverage >= before).all())
        self.assertLessEqual(float(coverage.max()), float(array[:, 5].max()) + 1e-6)

    def test_compiled_equals_definition(self) -> None:
        random = np.random.default_rng(0)
        for hardness in (0.0, 0.5, 0.8, 0.97, 1.0):
            dabs = np.column_stack(
                [random.uniform(0, 100, 12), random.uniform(0, 100, 12),
                 random.uniform(0.3, 40, 12), np.full(12, hardness),
                 random.uniform(0, 1, 12), random.uniform(0, 1, 12)]
            ).astype(np.float32)  # fmt: skip
            fast, plain = np.zeros((101, 90), np.float32), np.zeros((101, 90), np.float32)
            stamp(fast, 3.0, -2.0, dabs)
            stamp.reference(plain, 3.0, -2.0, dabs)
            self.assert_close(fast, plain, 2e-5)

    def test_tiles_meet_without_a_seam(self) -> None:
        dabs = dab(x=64.3, y=60.1, radius=33.0, hardness=0.2, flow=0.5, n=2)
        whole = stamped(dabs, 128)
        parts = np.zeros((128, 128), np.float32)
        for y in (0, 64):
            for x in (0, 64):
                part = np.zeros((64, 64), np.float32)
                stamp(part, float(x), float(y), dabs)
                parts[y : y + 64, x : x + 64] = part
        self.assert_close(parts, whole, 1e-6)


class LayTest(Case):
    def setUp(self) -> None:
        super().setUp()
        random = np.random.default_rng(9)
        self.base = random.integers(0, 65536, (32, 32, 4)).astype(np.uint16)
        self.source = random.integers(0, 65536, (32, 32, 4)).astype(np.uint16)
        self.coverage = random.random((32, 32)).astype(np.float32)

    def test_no_coverage_changes_nothing(self) -> None:
        out = np.empty_like(self.base)
        lay_colour(self.base, np.zeros_like(self.coverage), self.source, out)
        self.assert_equal_arrays(out, self.base)

    def test_full_coverage_of_opaque_paint_is_the_paint(self) -> None:
        self.source[..., 3] = 65535
        out = np.empty_like(self.base)
        lay_colour(self.base, np.ones_like(self.coverage), self.source, out)
        self.assert_equal_arrays(out, self.source)

    def test_forms_agree(self) -> None:
        mask = self.base[..., 0].copy()
        for kernel, arguments in (
            (lay_colour, (self.base, self.coverage, self.source)),
            (lay_erase, (self.base, self.coverage)),
            (lay_mask, (mask, self.coverage, 1.0)),
            (lay_mask, (mask, self.coverage, 0.0)),
        ):
            with self.subTest(kernel.name):
                fast, plain = np.empty_like(arguments[0]), np.empty_like(arguments[0])
                kernel(*arguments, fast)
                kernel.reference(*arguments, plain)
                self.assertLessEqual(np.abs(fast.astype(int) - plain).max(), 1)

    def test_erase_takes_alpha_only(self) -> None:
        out = np.empty_like(self.base)
        lay_erase(self.base, np.full((32, 32), 0.25, np.float32), out)
        self.assert_equal_arrays(out[..., :3], self.base[..., :3])
        self.assert_close(out[..., 3], self.base[..., 3] * 0.75, 1.0)


class StrokePathTest(Case):
    def line(self, brush: Brush, points: list[tuple[float, float, float]]) -> np.ndarray:
        path = StrokePath(brush)
        samples = [PenSample(0.01 * i, x, y, p) for i, (x, y, p) in enumerate(points)]
        return path.extend(samples)

    def test_spacing_is_a_share_of_size(self) -> None:
        dabs = self.line(Brush(size_px=50, spacing=0.2), [(0, 0, 1), (100, 0, 1)])
        self.assert_close(dabs[:, 0], np.arange(0, 101, 10), 1e-3)

    def test_spacing_does_not_depend_on_the_pen_rate(self) -> None:
        coarse = self.line(Brush(size_px=30), [(0, 0, 1), (200, 100, 1)])
        many = [(200 * i / 64, 100 * i / 64, 1.0) for i in range(65)]
        fine = self.line(Brush(size_px=30), many)
        self.assertEqual(len(coarse), len(fine))
        self.assert_close(coarse, fine, 1e-2)

    def test_pressure_drives_what_it_is_switched_to(self) -> None:
        for name, column, full in (("pressure_size", 2, 20), ("pressure_opacity", 5, 0.8),
                                   ("pressure_flow", 4, 0.6)):
            with self.subTest(name):
                brush = Brush(size_px=40, opacity=0.8, flow=0.6, **{name: True})
                first = self.line(brush, [(0, 0, 0.5)])[0]
                self.assertAlmostEqual(float(first[column]), full / 2, places=5)
                still = self.line(Brush(size_px=40, opacity=0.8, flow=0.6), [(0, 0, 0.5)])[0]
                self.assertAlmostEqual(float(still[column]), full, places=5)

    def test_resting_builds_up_only_when_asked(self) -> None:
        for build_up, expected in ((True, 20), (False, 0)):
            path = StrokePath(Brush(build_up=build_up))
            path.extend([PenSample(0.0, 5, 5)])
            rests = (path.resting(t) for t in np.arange(0, 1.01, 0.025))
            n_dabs = sum(len(path.extend([rest])) for rest in rests if rest is not None)
            self.assertAlmostEqual(n_dabs, expected, delta=1)

    def test_mouse_speed_lightens(self) -> None:
        pressures = [pressure_from_speed(v) for v in (0, 300, 900, 5000)]
        self.assertEqual(pressures[0], 1.0)
        self.assertAlmostEqual(pressures[2], 0.5)
        self.assertEqual(sorted(pressures, reverse=True), pressures)
