"""Areas: outlines, growing, shrinking, feathering; against analytic areas and invariants."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from lather.core.area.combine import Combine, combined
from lather.core.area.growing import grow_area
from lather.core.area.shape import feathered, grown, outline_coverage, outline_rect, rims
from lather.core.guided import Guide
from lather.core.rect import Rect
from lather.errors import EditError

PICTURE = Rect(0, 0, 200, 160)


def circle(x: float, y: float, radius: float, n: int = 90) -> np.ndarray:
    turns = 2 * np.pi * np.arange(n) / n
    return np.stack([x + radius * np.cos(turns), y + radius * np.sin(turns)], 1).astype("f4")


def disc(x: float, y: float, radius: float, rect: Rect = PICTURE) -> np.ndarray:
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1] + 0.5
    return (np.hypot(xs - x, ys - y) < radius).astype(np.float32)


class OutlineTest(unittest.TestCase):
    def test_a_circle_has_its_own_area(self) -> None:
        covered = outline_coverage(circle(90.3, 80.6, 40), PICTURE)
        self.assertAlmostEqual(covered.sum() / (np.pi * 40**2), 1, delta=0.01)
        self.assertLess(np.abs(covered - disc(90.3, 80.6, 40)).mean(), 0.008)

    def test_a_crossing_outline_encloses_all_of_it(self) -> None:
        """A loop drawn twice, and an eight: nothing inside is left out."""
        twice = np.vstack([circle(100, 80, 40), circle(104, 80, 36)])
        self.assertGreater(outline_coverage(twice, PICTURE)[80, 100], 0.99)
        eight = np.array([(40, 40), (160, 120), (160, 40), (40, 120)], dtype="f4")
        covered = outline_coverage(eight, PICTURE)
        self.assertGreater(min(covered[80, 60], covered[80, 140]), 0.99)
        self.assertLess(covered[30, 100], 0.01)

    @given(st.lists(st.tuples(st.floats(-300, 500), st.floats(-300, 500)), min_size=1, max_size=30))
    def test_any_outline_gives_a_coverage(self, points) -> None:
        outline = np.array(points, dtype="f4")
        rect = outline_rect(outline, PICTURE)
        if not rect.empty:
            covered = outline_coverage(outline, rect)
            self.assertEqual(covered.shape, (rect.height, rect.width))
            self.assertTrue(((covered >= 0) & (covered <= 1)).all())

    def test_one_point_and_all_of_the_picture(self) -> None:
        dot = np.array([(50.5, 60.5)], dtype="f4")
        self.assertGreater(outline_coverage(dot, PICTURE).max(), 0.4)
        around = np.array([(-9, -9), (300, -9), (300, 300), (-9, 300)], dtype="f4")
        self.assertEqual(outline_coverage(around, PICTURE).min(), 1.0)


class CombineTest(unittest.TestCase):
    def test_as_sets(self) -> None:
        one, other = disc(80, 80, 30), disc(110, 80, 30)
        both = one * other
        expected = {
            Combine.NEW: other, Combine.ADD: np.maximum(one, other), Combine.TAKE: one - both,
            Combine.OVERLAP: both,
        }  # fmt: skip
        for how, plane in expected.items():
            with self.subTest(how):
                np.testing.assert_array_equal(combined(one, other, how), plane)


class ReshapeTest(unittest.TestCase):
    @given(st.floats(-15, 15))
    def test_a_grown_disc_is_a_larger_disc(self, by_px) -> None:
        out = grown(disc(100, 80, 30), by_px)
        self.assertAlmostEqual(out.sum() / (np.pi * (30 + by_px) ** 2), 1, delta=0.09)

    def test_shrinking_away_and_covering_all(self) -> None:
        self.assertEqual(grown(disc(100, 80, 10), -20).sum(), 0)
        self.assertEqual(grown(np.ones((20, 30), "f4"), -3).min(), 1)

    def test_a_feather_is_as_wide_as_asked_and_keeps_the_rim(self) -> None:
        half = np.zeros((160, 200), "f4")
        half[:, 100:] = 1
        soft = feathered(half, 24)[80]
        self.assertAlmostEqual(float(soft[99] + soft[100]), 1, delta=0.03)
        band = np.flatnonzero((soft > 0.02) & (soft < 0.98))
        self.assertTrue(16 <= len(band) <= 26, len(band))
        self.assertEqual((soft[80], soft[120]), (0, 1))

    def test_rims_of_a_ring_are_two(self) -> None:
        ring = disc(100, 80, 50) - disc(100, 80, 20)
        found = sorted(rims(ring, PICTURE), key=len)
        for outline, radius in zip(found, (20, 50), strict=True):
            away = np.hypot(*(outline - (99.5, 79.5)).T)
            self.assertLess(np.abs(away - radius).max(), 1.6)


class GrowTest(unittest.TestCase):
    def setUp(self) -> None:
        random = np.random.default_rng(3)
        ys, xs = np.mgrid[:160, :200]
        shade = (0.1 * xs / 200)[..., None]
        self.picture = np.full((160, 200, 3), (0.55, 0.5, 0.45), "f4") + shade
        self.tooth = disc(90, 70, 33) > 0
        self.picture[self.tooth] += np.array((0.15, 0.17, 0.14), "f4")
        self.picture = (self.picture + random.normal(0, 0.015, self.picture.shape)).astype("f4")

    def grown_from(self, x: int, y: int, picture=None):
        touched = disc(x, y, 3) > 0
        return grow_area(self.picture if picture is None else picture, touched)

    def iou(self, area: np.ndarray, truth: np.ndarray) -> float:
        inside = area > 0.5
        return (inside & truth).sum() / (inside | truth).sum()

    def test_it_stops_at_the_edges_from_either_side(self) -> None:
        self.assertGreater(self.iou(self.grown_from(90, 70).area, self.tooth), 0.97)
        self.assertGreater(self.iou(self.grown_from(20, 140).area, ~self.tooth), 0.9)

    def test_the_tolerance_is_measured(self) -> None:
        """A picture with half the contrast grows the same area, with a smaller tolerance."""
        plain = self.grown_from(90, 70)
        mean = self.picture.mean((0, 1))
        faint = (mean + 0.5 * (self.picture - mean)).astype("f4")
        weaker = self.grown_from(90, 70, faint)
        self.assertGreater(self.iou(weaker.area, self.tooth), 0.97)
        self.assertLess(weaker.tolerance, 0.8 * plain.tolerance)

    def test_nothing_touched_and_nothing_to_stop_at(self) -> None:
        with self.assertRaisesRegex(EditError, "not touched"):
            grow_area(self.picture, np.zeros((160, 200), bool))
        flat = np.full((160, 200, 3), 0.5, "f4")
        area = self.grown_from(50, 50, flat).area
        self.assertTrue(np.isfinite(area).all())


class GuideTest(unittest.TestCase):
    def test_a_rough_mask_takes_the_edge_of_the_picture(self) -> None:
        picture = np.zeros((80, 100, 3), "f4")
        picture[:, 50:] = 50
        rough = np.zeros((80, 100), "f4")
        rough[:, 53:] = 1
        refined = Guide(picture, 8, 4.0).refine(rough)
        self.assertGreater(refined[40, 51], 0.5)
        self.assertLess(refined[40, 48], 0.2)
        self.assertEqual(Guide(picture, 8, 4.0).refine(np.zeros((80, 100), "f4")).max(), 0)

    def test_nothing_changes_far_from_the_mask(self) -> None:
        random = np.random.default_rng(1).random((90, 120, 3)).astype("f4")
        mask = np.zeros((90, 120), "f4")
        mask[30:50, 40:60] = 1
        out = Guide(random, 3, 0.1).refine(mask)
        self.assertEqual(out[:, 80:].max(), 0)
        self.assertAlmostEqual(float(out.sum()), 400, delta=60)


if __name__ == "__main__":
    unittest.main()
