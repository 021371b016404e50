"""Regions and parts of the demo portraits, and of changed versions of them, against their truth."""

import unittest

import cv2
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from bench.changed import CHANGES, Image, Planes, overlap, portrait, truth
from lather.core.guided import Guide
from lather.core.survey.faces.find import find_faces
from lather.core.survey.faces.mesh_fit import fitted_points
from lather.core.survey.regions.find import find_regions
from lather.core.survey.regions.fineness import fineness
from lather.core.survey.regions.mixture import fit
from lather.core.survey.regions.parts import skin_parts
from lather.core.survey.regions.region import REGIONS_AND_PARTS, Part, Region
from tests.support import Case

SCALE = 0.5  # of the portraits that are 1600 px wide; the larger one is reduced to their size
# Soft overlap at that scale. Cropped hair lets the scalp through: less of both can be told.
LEAST = {
    Region.SKIN: 0.93, Region.HAIR: 0.87, Region.LIPS: 0.85, Region.IRIS: 0.8,
    Region.EYE_WHITE: 0.5, Region.BROWS: 0.55, Region.TEETH: 0.55, Region.BACKGROUND: 0.97,
    Region.CLOTHING: 0.93,
}  # fmt: skip
CROPPED = {Region.SKIN: 0.86, Region.HAIR: 0.5, Region.BROWS: 0.4}
CHANGED = {Region.SKIN: 0.90, Region.HAIR: 0.80, Region.LIPS: 0.82, Region.IRIS: 0.75,
           Region.BACKGROUND: 0.95}  # fmt: skip


def loaded(number: int) -> tuple[Image, Planes]:
    """A demo portrait and its truth, at `SCALE`."""
    by = SCALE * (2 / 3 if number == 1 else 1)
    return portrait(number, by), truth(number, by)


def regions_of(rgb: Image) -> Planes:
    seen = find_faces(rgb)
    return find_regions(rgb, seen.faces[0], seen.person, seen.faces[0].mm_per_px(), 1.0)


class DemoRegionsTest(Case):
    @classmethod
    def setUpClass(cls) -> None:
        cls.portraits = {number: loaded(number) for number in (1, 2, 8, 9)}
        cls.found = {number: regions_of(rgb) for number, (rgb, _) in cls.portraits.items()}

    def test_every_region_lies_where_the_truth_says(self) -> None:
        for number, (_, planes) in self.portraits.items():
            least = {**LEAST, **(CROPPED if number == 2 else {})}
            for region, plane in planes.items():
                found = self.found[number][region]
                with self.subTest(portrait=number, region=region.value):
                    if plane.sum() < 1:
                        self.assertLess(float(found.sum()), 0.001 * found.size)
                    elif not (number == 1 and region is Region.HAIR):
                        self.assertGreater(overlap(found, plane), least[region])

    def test_they_share_the_picture(self) -> None:
        for found in self.found.values():
            self.assertEqual(list(found), list(Region))
            total = np.add.reduce(list(found.values()))
            np.testing.assert_allclose(total, 1, atol=1e-3)

    def test_changed_versions_are_told_apart_as_well(self) -> None:
        """One portrait a change: each is seen under several."""
        numbers = (9, 8, 1, 9, 8, 1, 8, 9, 8, 9, 8, 9)
        for number, (name, change) in zip(numbers, CHANGES.items(), strict=True):
            rgb, planes = change(*self.portraits[number])
            found = regions_of(rgb)
            for region, least in CHANGED.items():
                with self.subTest(change=name, portrait=number, region=region.value):
                    self.assertGreater(overlap(found[region], planes[region]), least)

    def test_single_hairs_come_back_at_the_photos_size(self) -> None:
        rgb, planes = self.portraits[8]
        lab = cv2.cvtColor(rgb, cv2.COLOR_RGB2Lab)
        size = rgb.shape[1] // 2, rgb.shape[0] // 2
        small = cv2.resize(planes[Region.BROWS], size, interpolation=cv2.INTER_AREA)
        guide = Guide(cv2.resize(lab, size, interpolation=cv2.INTER_AREA), 2, 2.0)
        whole = guide.enlarge(small, lab)
        stretched = cv2.resize(small, rgb.shape[1::-1])
        wanted = planes[Region.BROWS]
        self.assertGreater(overlap(whole, wanted), overlap(stretched, wanted) + 0.02)
        strips = guide.enlargement(small)
        for top in (0, 300, 777):
            part = strips.rows(cv2.split(lab[top : top + 200]), top, len(lab))
            np.testing.assert_allclose(part, whole[top : top + 200], atol=2e-3)


class PartsTest(Case):
    @classmethod
    def setUpClass(cls) -> None:
        cls.rgb = portrait(1, 0.3)
        cls.face = find_faces(cls.rgb).faces[0]
        cls.skin = np.ones(cls.rgb.shape[:2], "f4")
        cls.parts = skin_parts(cls.skin, [fitted_points(cls.face)], 1.0)

    def middle(self, part: Part) -> tuple[float, float]:
        ys, xs = np.nonzero(self.parts[part] > 0.5)
        return self.face.place_of(float(xs.mean()), float(ys.mean()))

    def test_parts_lie_where_they_are_called(self) -> None:
        for part, across, down in (
            (Part.NOSE, 0, 0.35), (Part.CHIN, 0, 1.4), (Part.UNDER_EYE_LEFT, 0.45, 0.2),
            (Part.UNDER_EYE_RIGHT, -0.45, 0.2), (Part.CHEEK_LEFT, 0.7, 0.8),
            (Part.CHEEK_RIGHT, -0.7, 0.8), (Part.NECK, 0, 2.1),
        ):
            x, y = self.middle(part)
            with self.subTest(part.value):
                self.assertAlmostEqual(x, across, delta=0.25)
                self.assertAlmostEqual(y, down, delta=0.35)
        self.assertLess(self.middle(Part.FOREHEAD)[1], -0.5)
        self.assertGreater(self.middle(Part.BODY)[1], 2)

    def test_no_pixel_is_of_two_parts_and_none_without_skin(self) -> None:
        self.assertLess(float(np.add.reduce(list(self.parts.values())).max()), 1.05)
        none = skin_parts(np.zeros_like(self.skin), [fitted_points(self.face)], 1.0)
        self.assertTrue(all(not plane.any() for plane in none.values()))
        body = skin_parts(self.skin, [], 1.0)
        self.assertEqual(float(body[Part.BODY].min()), 1.0)

    def test_a_mirrored_face_has_its_sides_swapped(self) -> None:
        flipped = np.ascontiguousarray(self.rgb[:, ::-1])
        mesh = fitted_points(find_faces(flipped).faces[0])
        other = skin_parts(self.skin, [mesh], 1.0)
        again = other[Part.CHEEK_RIGHT][:, ::-1]
        self.assertGreater(overlap(again, self.parts[Part.CHEEK_LEFT]), 0.85)

    def test_names_for_files_and_people(self) -> None:
        self.assertEqual(len({name.value for name in REGIONS_AND_PARTS}), 24)
        self.assertIs(Region("eye white"), Region.EYE_WHITE)
        self.assertIs(Region("brows and lashes"), Region.BROWS)
        self.assertFalse(Region("antlers").known)
        self.assertEqual(Part.CHEEK_LEFT.label, "cheek, left")
        self.assertEqual(Region.EYE_WHITE.label, "eye white")


class MixtureTest(Case):
    variance = np.full(2, 1e-3, "f4")

    @given(st.integers(0, 1000), st.floats(3, 10))
    def test_two_heaps_are_told_apart(self, seed: int, apart: float) -> None:
        rng = np.random.default_rng(seed)
        heaps = rng.standard_normal((800, 2)).astype("f4")
        heaps[400:] += np.float32(apart)
        one, other = fit(heaps[:400], 2, self.variance), fit(heaps[400:], 2, self.variance)
        nearer = one.log_density(heaps) > other.log_density(heaps)
        self.assertGreater(float(nearer[:400].mean() + (~nearer[400:]).mean()) / 2, 0.93)

    def test_a_density_sums_to_one_and_needs_few_samples(self) -> None:
        rng = np.random.default_rng(1)
        samples = rng.standard_normal((500, 2)).astype("f4")
        samples[250:] *= 0.4
        mixture = fit(samples, 3, self.variance)
        axis = np.linspace(-8, 8, 161, dtype="f4")
        grid = np.stack(np.meshgrid(axis, axis), -1).reshape(-1, 2)
        total = np.exp(mixture.log_density(grid)).sum() * 0.1 * 0.1
        self.assertAlmostEqual(float(total), 1, delta=0.02)
        self.assertAlmostEqual(float(mixture.shares.sum()), 1, places=6)
        alone = fit(samples[:1], 3, self.variance).log_density(samples[:2])
        self.assertTrue(alone[0] > alone[1] and np.isfinite(alone).all())
        on = fit(samples, 3, self.variance, mixture).log_density(samples)
        self.assertGreaterEqual(float(on.mean()), float(mixture.log_density(samples).mean()) - 1e-3)


class FinenessTest(Case):
    def test_hair_is_finer_than_skin_and_a_single_edge_is_not(self) -> None:
        rng = np.random.default_rng(2)
        picture = np.full((200, 300, 3), 0.5, "f4")
        picture[:, 150:] = 0.25  # one edge
        strands = np.sin(np.arange(100) * 1.2)[None, :, None] * 0.12
        picture[:100, :100] += strands.astype("f4")
        picture += rng.normal(0, 0.004, picture.shape).astype("f4")
        plane = fineness(picture, 0.2, (300, 200))
        self.assertGreater(float(plane[50, 50]), float(plane[150, 50]) + 1)
        self.assertAlmostEqual(float(plane[150, 150]), float(plane[150, 60]), delta=0.8)

    def test_light_changes_nothing(self) -> None:
        rng = np.random.default_rng(3)
        picture = (0.5 + 0.1 * rng.standard_normal((120, 160, 1))).repeat(3, -1).astype("f4")
        bright, dark = (fineness(picture * gain, 0.2, (160, 120)) for gain in (1.0, 0.5))
        self.assertLess(float(np.abs(bright - dark).mean()), 0.15)


if __name__ == "__main__":
    unittest.main()
