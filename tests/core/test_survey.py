"""The survey: what is planted is found, what is none is not; the demo against its truth."""

import json
import math
import unittest

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.blur import blurred, blurred_within
from lather.core.bounds import N_DIRECTIONS
from lather.core.colour.density import optical_density
from lather.core.rect import Rect
from lather.core.survey.faces.find import find_faces
from lather.core.survey.faces.geometry import HANDLES, FaceGeometry
from lather.core.survey.faces.mesh_fit import fitted_points
from lather.core.survey.findings.blemishes import find_spots
from lather.core.survey.findings.extent import measure_extent
from lather.core.survey.findings.finding import Kind
from lather.core.survey.findings.presence import is_gone, looked_at, presence
from lather.core.survey.regions.skin import skin_of_person
from lather.core.survey.survey import survey
from lather.core.work import CancelToken
from lather.errors import Cancelled, EditError
from tests.made import afresh
from tests.support import DEMO, Case, finding

MM_PER_PX = 0.2
SKIN = np.array([0.80, 0.60, 0.50], dtype=np.float32)


def to_linear(rgb: np.ndarray) -> np.ndarray:
    return np.where(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055) ** 2.4)


def to_encoded(linear: np.ndarray) -> np.ndarray:
    return np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055)


def skin(size: int = 260, *, seed: int = 1, light: float = 1.0) -> np.ndarray:
    """(size, size, 3) linear light of skin: shading, pores of 0.4 mm, grain."""
    random = np.random.default_rng(seed)
    y, x = np.mgrid[:size, :size] / size
    pores = cv2.GaussianBlur(random.normal(0, 1, (size, size)).astype("f4"), (0, 0), 1.2)
    density = 0.15 * x + 0.1 * y + 0.12 * pores
    grain = random.normal(0, 0.01, (size, size, 1))
    return light * to_linear(SKIN) * np.exp(-density)[..., None] * (1 + grain)


def planted(linear: np.ndarray, x: float, y: float, sigma_mm: float, absorbed) -> np.ndarray:
    """With a soft spot that absorbs so much of red, green and blue."""
    ys, xs = np.mgrid[: linear.shape[0], : linear.shape[1]] + 0.5
    spot = np.exp(-(np.hypot(xs - x, ys - y) ** 2) / (2 * (sigma_mm / MM_PER_PX) ** 2))
    return linear * np.exp(-spot[..., None] * np.array(absorbed))


RED, DARK = (0.05, 0.35, 0.25), (0.30, 0.40, 0.45)


def picture(linear: np.ndarray) -> np.ndarray:
    return np.clip(to_encoded(np.maximum(linear, 0)), 0, 1).astype(np.float32)


def spots_in(linear: np.ndarray):
    plain = np.ones(linear.shape[:2], dtype=bool)
    return find_spots(picture(linear), plain, MM_PER_PX)


class DensityTest(Case):
    @settings(max_examples=40, deadline=None)
    @given(st.floats(0.3, 1.0), st.floats(0.05, 0.7))  # darker light is near the noise floor
    def test_a_mark_has_the_same_contrast_in_any_light(self, light: float, green: float) -> None:
        surface = np.array([[[0.6, 0.4, 0.3], [0.6, 0.4 * (1 - green), 0.3]]]) * light
        density = optical_density(picture(surface))
        rise = density.redness[0, 1] - density.redness[0, 0]
        self.assertAlmostEqual(float(rise), -math.log(1 - green), delta=0.12)

    def test_neutral_light_has_no_colour(self) -> None:
        grey = np.repeat(np.linspace(0.1, 1, 20, dtype="f4")[None, :, None], 3, -1)
        density = optical_density(grey)
        self.assert_close(density.redness, np.zeros((1, 20)), 1e-5)
        self.assert_close(density.yellowness, np.zeros((1, 20)), 1e-5)
        self.assertTrue((np.diff(density.darkness[0]) < 0).all())


class SmoothTest(Case):
    def test_wide_blurs_are_near_the_exact_ones(self) -> None:
        plane = np.random.default_rng(3).normal(0, 1, (300, 280)).astype("f4")
        plane = cv2.GaussianBlur(plane, (0, 0), 4)
        for sigma_px in (7.0, 20.0, 45.0):
            exact = cv2.GaussianBlur(plane, (0, 0), sigma_px)
            error = np.abs(blurred(plane, sigma_px) - exact)[40:-40, 40:-40].max()
            self.assertLess(float(error), 0.12 * float(np.abs(plane).max()))

    def test_what_the_mask_hides_does_not_count(self) -> None:
        plane = np.full((80, 90), 3.0, dtype="f4")
        mask = np.ones_like(plane)
        plane[30:50, 30:50], mask[30:50, 30:50] = 900, 0
        mean, weight = blurred_within(plane, mask, 5)
        self.assert_close(mean[weight > 0.05], np.full((weight > 0.05).sum(), 3.0), 1e-2)
        self.assertLess(float(weight[40, 40]), 0.6)


class SpotsTest(Case):
    def test_every_planted_spot_is_found_with_its_kind(self) -> None:
        places = [(60, 60, 0.5, RED), (190, 70, 0.9, RED), (80, 190, 0.4, DARK),
                  (200, 200, 0.7, DARK)]  # fmt: skip
        for light in (1.0, 0.35, 0.12):
            linear = skin(light=light)
            for place in places:
                linear = planted(linear, *place)
            found = spots_in(linear)
            for x, y, sigma_mm, absorbed in places:
                near = [s for s in found if math.dist((s.x, s.y), (x, y)) < 0.5 / MM_PER_PX]
                with self.subTest(light=light, x=x, y=y):
                    self.assertEqual(len(near), 1)
                    kind = Kind.RED if absorbed is RED else Kind.DARK
                    self.assertIs(near[0].kind, kind)
                    # Half of a Gaussian's height lies at 1.18 sigma.
                    radius_mm = math.sqrt(near[0].area_px / math.pi) * MM_PER_PX
                    self.assertAlmostEqual(radius_mm, 1.18 * sigma_mm, delta=0.45 * sigma_mm + 0.2)
            self.assertLessEqual(len(found), len(places) + 1)

    def test_plain_skin_has_next_to_none(self) -> None:
        counts = [len(spots_in(skin(seed=seed))) for seed in range(8)]
        self.assertLessEqual(sum(counts), 4)

    def test_lines_edges_and_shading_are_none(self) -> None:
        base = skin(seed=5)
        size = base.shape[0]
        y, x = np.mgrid[:size, :size]
        line = np.exp(-((x - y) ** 2) / 6)[..., None]
        edge = (x > size / 2)[..., None]
        fold = np.exp(-((x - size / 2) ** 2) / 300)[..., None]
        n_plain = len(spots_in(base))
        for name, change in (("hair", line), ("edge", edge), ("fold", fold)):
            found = spots_in(base * np.exp(-0.5 * change))
            with self.subTest(name):
                self.assertLessEqual(len(found), n_plain + 2)

    def test_what_is_not_plain_skin_is_left_alone(self) -> None:
        linear = planted(planted(skin(), 70, 130, 0.7, RED), 190, 130, 0.7, RED)
        plain = np.ones(linear.shape[:2], dtype=bool)
        plain[:, 130:] = False
        found = find_spots(picture(linear), plain, MM_PER_PX)
        self.assertEqual([round(s.x / 10) for s in found if s.z > 8], [7])
        self.assertEqual(find_spots(picture(linear), np.zeros_like(plain), MM_PER_PX), [])

    @settings(max_examples=25, deadline=None)
    @given(st.integers(1, 60), st.integers(1, 60), st.floats(0.02, 3), st.integers(0, 10**6))
    def test_any_picture_at_any_scale(self, width, height, mm_per_px, seed) -> None:
        random = np.random.default_rng(seed)
        rgb = random.random((height, width, 3)).astype("f4") ** random.uniform(0.2, 5)
        plain = random.random((height, width)) > random.random()
        for spot in find_spots(rgb, plain, mm_per_px):
            self.assertTrue(-1 <= spot.x <= width + 1 and -1 <= spot.y <= height + 1)
            extent = measure_extent(rgb, spot, mm_per_px)
            self.assertEqual(len(extent.radii_px), N_DIRECTIONS)
            self.assertTrue(np.isfinite(extent.radii_px).all())


class ExtentTest(Case):
    def extent(self, linear: np.ndarray):
        [spot] = [s for s in spots_in(linear) if math.dist((s.x, s.y), (130, 130)) < 5]
        return measure_extent(picture(linear), spot, MM_PER_PX)

    def test_it_holds_the_soft_surround(self) -> None:
        """Where the mark has sunk to a tenth of its contrast the extent ends, or beyond."""
        for sigma_mm in (0.5, 0.9):
            radii = np.array(self.extent(planted(skin(), 130, 130, sigma_mm, RED)).radii_px)
            tenth_px = math.sqrt(2 * math.log(10)) * sigma_mm / MM_PER_PX
            self.assertGreater(float(np.median(radii)), 0.9 * tenth_px)
            self.assertLess(float(radii.max()), 2.2 * tenth_px + 8)

    def test_contrast_has_the_right_signs(self) -> None:
        extent = self.extent(planted(skin(), 130, 130, 0.8, RED))
        self.assertLess(extent.contrast_l, -1)
        self.assertGreater(extent.contrast_a, 3)

    def test_structure_that_touches_it_does_not_belong_to_it(self) -> None:
        linear = planted(skin(), 130, 130, 0.6, RED)
        linear[:, 140:143] *= 0.25  # a hair beside the mark
        radii = np.array(self.extent(linear).radii_px)
        self.assertLess(float(radii.max()), 1.9 * float(np.median(radii)))


class FindingTest(Case):
    def test_coverage_of_a_circle_has_its_area(self) -> None:
        for radius in (3.0, 11.5, 40.0):
            mark = finding(1, 60.3, 55.8, extent_px=tuple([radius] * N_DIRECTIONS))
            covered = mark.coverage(Rect(0, 0, 120, 120))
            self.assertAlmostEqual(float(covered.sum()), math.pi * radius**2, delta=4 + radius)
            self.assert_equal_arrays(
                mark.coverage(mark.rect), covered[mark.rect.slices]
            )
            self.assertTrue(mark.holds(60.3 + 0.9 * radius, 55.8))
            self.assertFalse(mark.holds(60.3, 55.8 - 1.1 * radius))

    def test_directions_run_clockwise_from_the_right(self) -> None:
        extent = [4.0] * N_DIRECTIONS
        extent[N_DIRECTIONS // 4] = 30.0  # straight down
        covered = finding(1, 50, 50, extent_px=tuple(extent)).coverage(Rect(0, 0, 100, 100))
        self.assertGreater(float(covered[70, 50]), 0.9)
        self.assertEqual(float(covered[30, 50]), 0.0)

    def test_presence_falls_with_the_mark(self) -> None:
        mark = finding(1, 130, 130, radius_px=5.0, extent_px=tuple([16.0] * N_DIRECTIONS))
        rect = looked_at(mark)
        clean = picture(skin())[rect.slices]
        strong, weak = (
            picture(planted(skin(), 130, 130, 0.8, np.array(RED) * share))[rect.slices]
            for share in (1.0, 0.2)
        )
        values = [presence(image, rect, mark) for image in (strong, weak, clean)]
        self.assertTrue(values[0] > values[1] > values[2])
        self.assertTrue(is_gone(values[0], values[2]))
        self.assertFalse(is_gone(values[0], 0.9 * values[0]))


class GeometryTest(unittest.TestCase):
    def test_axes_follow_the_face(self) -> None:
        face = FaceGeometry.from_pupils((100.0, 50.0), (160.0, 50.0))
        self.assertEqual(face.at(0, 0), (130.0, 50.0))
        self.assertEqual(face.at(0.5, 1), (160.0, 110.0))
        self.assertEqual(set(face.handles), set(HANDLES))
        turned = FaceGeometry.from_pupils((50.0, 160.0), (50.0, 100.0))  # on its side
        self.assertEqual(turned.at(0, 1), (110.0, 130.0))
        self.assertAlmostEqual(face.mm_per_px(), 63 / 60)
        self.assertEqual(face.scaled(2).at(0, 0), (260.0, 100.0))


class DemoTest(Case):
    """The made-up portraits, light and dark skin, against their truth."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.portraits = {}
        for n in (1, 2):
            bgr = cv2.imread(str(DEMO / f"portrait{n}.jpg"))
            rgb = np.ascontiguousarray(bgr[..., ::-1]).astype("f4") / 255
            truth = json.loads((DEMO / f"portrait{n}_truth.json").read_text())
            cls.portraits[n] = rgb, truth, survey(rgb)

    def test_pupils_are_where_they_are(self) -> None:
        for rgb, truth, measured in self.portraits.values():
            self.assertEqual(len(measured.faces), 1)
            face = measured.faces[0]
            for side in ("left", "right"):
                off = math.dist(face.handles[f"pupil_{side}"], truth["eyes"][side])
                self.assertLess(off, 0.06 * face.pupil_distance_px)
            self.assertEqual(measured.width, rgb.shape[1])

    def test_skin_agrees_with_the_truth(self) -> None:
        for n, (rgb, _, measured) in self.portraits.items():
            mask = cv2.imread(str(DEMO / f"portrait{n}_mask_skin.png"), 0)
            small = cv2.resize(rgb, None, fx=0.3, fy=0.3, interpolation=cv2.INTER_AREA)
            face = measured.faces[0].scaled(0.3)
            found = skin_of_person(
                small, fitted_points(face), measured.regions, face.mm_per_px()
            )
            truth = cv2.resize(mask, small.shape[1::-1], interpolation=cv2.INTER_AREA) > 127
            overlap = (found.skin & truth).sum() / (found.skin | truth).sum()
            self.assertGreater(float(overlap), 0.87)
            self.assertGreater(float((found.plain & truth).sum() / found.plain.sum()), 0.93)

    def test_blemishes_are_found_and_little_else(self) -> None:
        n_wanted = n_found = n_proposed = n_right = 0
        for _, truth, measured in self.portraits.values():
            least_px = 0.8 / truth["mm_per_pixel"]

            def is_at(found, mark, least_px=least_px) -> bool:
                reach = max(1.35 * mark["r"], least_px)
                return math.dist((found.x, found.y), (mark["x"], mark["y"])) < reach

            wanted = [mark for mark in truth["marks"] if not mark["keep"]]
            proposed = [f for f in measured.findings if f.kind.is_blemish and not f.doubtful]
            n_wanted += len(wanted)
            n_found += sum(any(is_at(f, mark) for f in measured.findings) for mark in wanted)
            n_proposed += len(proposed)
            n_right += sum(any(is_at(f, mark) for mark in wanted) for f in proposed)
            for mark in truth["marks"]:
                if mark["kind"] == "mole":
                    kinds = [f.kind for f in measured.findings if is_at(f, mark)]
                    self.assertEqual(kinds, [Kind.MOLE])
                elif mark["keep"]:
                    self.assertFalse(any(
                        math.dist((f.x, f.y), (mark["x"], mark["y"])) < 0.3 * mark["r"]
                        for f in proposed
                    ))  # fmt: skip
        self.assertGreaterEqual(n_found / n_wanted, 0.85)
        self.assertGreaterEqual(n_right / n_proposed, 0.95)

    def test_the_same_picture_gives_the_same_survey(self) -> None:
        rgb, _, measured = self.portraits[2]
        with afresh():
            self.assertEqual(survey(rgb).findings, measured.findings)

    def test_it_can_be_cancelled_and_tells_how_far_it_is(self) -> None:
        rgb, token, shares = self.portraits[2][0], CancelToken(), []

        def progress(share: float, what: str) -> None:
            shares.append(share)
            if len(shares) == 2:
                token.cancel()

        with self.assertRaises(Cancelled), afresh():
            survey(rgb, progress=progress, cancel=token)
        self.assertEqual(shares, sorted(shares))

    def test_two_faces_are_both_surveyed(self) -> None:
        small = cv2.resize(self.portraits[2][0], None, fx=0.6, fy=0.6)
        both = survey(np.concatenate([small, small[:, ::-1]], 1))
        self.assertEqual(len(both.faces), 2)
        middle = small.shape[1]
        sides = {f.x < middle for f in both.findings}
        self.assertEqual(sides, {True, False})

    def test_black_and_white_is_surveyed_too(self) -> None:
        grey = self.portraits[2][0] @ np.array([0.3, 0.59, 0.11], dtype="f4")
        measured = survey(np.repeat(grey[..., None], 3, -1))
        self.assertEqual(len(measured.faces), 1)
        self.assertTrue(all(f.kind is not Kind.RED for f in measured.findings))

    def test_no_face_is_said(self) -> None:
        for rgb in (np.full((300, 200, 3), 0.7, "f4"), np.zeros((3, 2, 3), "f4"),
                    picture(skin())):
            with self.assertRaisesRegex(EditError, "no face was found"):
                survey(rgb)
        self.assertEqual(find_faces(np.zeros((40, 40, 3), "f4")).faces, ())


if __name__ == "__main__":
    unittest.main()
