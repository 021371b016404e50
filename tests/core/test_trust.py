"""What makes a finding certain or doubtful: clearness, the ground it lies on, what lines are."""

import unittest
from dataclasses import replace

import cv2
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from lather.core.bounds import N_DIRECTIONS
from lather.core.survey.blocks import blockiness, without_blocks
from lather.core.survey.faces.geometry import FaceGeometry
from lather.core.survey.faces.mesh_fit import fitted_points
from lather.core.survey.faces.mesh_points import BROWS, EYES, LEFT, MOUTH_CORNERS, NASOLABIAL, RIGHT
from lather.core.survey.findings.finding import DOUBTFUL_BELOW, Kind
from lather.core.survey.findings.folds import is_natural
from lather.core.survey.findings.line_places import on_open_skin
from lather.core.survey.findings.lines import Line, find_lines
from lather.core.survey.findings.profile import edge_width_px, profile_of
from lather.core.survey.findings.spot import Spot
from lather.core.survey.findings.trust import (
    Ground,
    certainty_of_line,
    certainty_of_spot,
)
from lather.core.survey.survey import survey
from tests.core.test_survey import MM_PER_PX, picture, skin
from tests.core.test_survey_parts import with_line
from tests.support import Case, finding

FACE = FaceGeometry.from_pupils((170.0, 200.0), (330.0, 200.0))
MESH = fitted_points(FACE)


def between(start, end, n: int = 30) -> np.ndarray:
    share = np.linspace(0, 1, n)[:, None]
    return (np.array(start) * (1 - share) + np.array(end) * share).astype("f4")


class CertaintyTest(Case):
    spot = Spot(10.0, 10.0, Kind.RED, 6.0, 0.2, 60.0, 3.0, 5.0)

    @given(st.floats(3, 30), st.floats(1.05, 3))
    def test_what_stands_out_more_is_surer(self, z: float, more: float) -> None:
        one, other = replace(self.spot, z=z), replace(self.spot, z=z * more)
        self.assertLess(certainty_of_spot(one, 0.2), certainty_of_spot(other, 0.2))
        clear = replace(one, clearness=5.0 * more)
        self.assertLess(certainty_of_spot(one, 0.2), certainty_of_spot(clear, 0.2))

    @given(st.floats(0.1, 100), st.floats(1, 20))
    def test_it_is_a_share_and_a_line_at_its_bar_is_even_odds(self, z, least) -> None:
        self.assertTrue(0 <= certainty_of_spot(replace(self.spot, z=z), 0.2) <= 1)
        self.assertAlmostEqual(certainty_of_line(least, least), 0.5)
        self.assertGreater(certainty_of_line(2 * least, least), 0.9)


class GroundTest(Case):
    """Half of a plane is skin; findings lie on it, beside it, across its border."""

    def setUp(self) -> None:
        super().setUp()
        plane = np.zeros((50, 100), "f4")
        plane[:, :50] = 1
        self.ground = Ground(plane, 100.0, 200.0, 0.5)  # 200 x 100 px of the photo from there

    def test_the_share_of_an_extent_off_the_skin(self) -> None:
        for x, least, most in ((150, 0, 0.01), (200, 0.4, 0.6), (250, 0.99, 1)):
            spot = finding(1, x, 250, extent_px=(12.0,) * N_DIRECTIONS)
            line = replace(spot, path_px=tuple((x, y) for y in range(220, 280, 4)),
                           extent_px=(4.0,) * N_DIRECTIONS)  # fmt: skip
            for item in (spot, line):
                with self.subTest(x=x, line=bool(item.path_px)):
                    off = self.ground.off_skin(item)
                    self.assertTrue(least <= off <= most, off)
                    weighed = self.ground.weighed(replace(item, certainty=0.9))
                    self.assertEqual(weighed.doubtful, off > 0.1)

    @given(st.floats(100, 300), st.floats(2, 30))
    def test_nothing_with_more_than_a_tenth_off_the_skin_is_certain(self, x, reach) -> None:
        spot = finding(1, x, 250, extent_px=(reach,) * N_DIRECTIONS, certainty=1.0)
        weighed = self.ground.weighed(spot)
        if self.ground.off_skin(spot) > 0.1:
            self.assertLess(weighed.certainty, DOUBTFUL_BELOW)
        else:
            self.assertEqual(weighed, spot)


class FoldTest(Case):
    def test_natural_folds_are_known_by_the_mesh(self) -> None:
        points = MESH[:, :2]
        unit = FACE.pupil_distance_px
        for side in (RIGHT, LEFT):
            line = points[list(NASOLABIAL[side])]
            self.assertTrue(is_natural(np.concatenate([
                between(a, b, 8) for a, b in zip(line[:-1], line[1:], strict=True)]), MESH))
            lid = (points[list(EYES[side][9:])].mean(0) + points[list(BROWS[side][5:])].mean(0)) / 2
            across = np.array([0.15 * unit, 0.0])
            self.assertTrue(is_natural(between(lid - across, lid + across), MESH))
            corner = points[MOUTH_CORNERS[side]]
            self.assertTrue(is_natural(between(corner, corner + (0, 0.25 * unit)), MESH))
        chin = np.array(FACE.handles["chin"])
        neck = chin + (0, 0.8 * unit)
        self.assertTrue(is_natural(between(neck - (0.5 * unit, 0), neck + (0.5 * unit, 0)), MESH))

    def test_creases_of_forehead_and_cheek_are_none(self) -> None:
        unit = FACE.pupil_distance_px
        for place in ((0.0, -0.75), (0.75, 0.55), (-0.8, 0.5), (0.95, -0.1)):
            middle = np.array(FACE.at(*place))
            for way in ((0.2, 0.0), (0.15, 0.12)):
                step = np.array(way) * unit
                with self.subTest(place=place, way=way):
                    self.assertFalse(is_natural(between(middle - step, middle + step), MESH))

    def test_a_fold_is_kept_in_every_style_and_never_a_hair(self) -> None:
        from lather.document.agreed.style import Style

        line = MESH[list(NASOLABIAL[RIGHT]), :2]
        path = np.concatenate([between(a, b, 8) for a, b in zip(line[:-1], line[1:], strict=True)])
        for kind in (Kind.CREASE, Kind.SKIN_HAIR):
            found = on_open_skin([Line(kind, path, 2.0, 0.2, 10.0, 6.5)], [], FACE, MESH)
            self.assertEqual([item.kind for item in found], [Kind.FOLD])
        self.assertTrue(all(style.keeps(Kind.FOLD) for style in Style))
        self.assertTrue(Kind.FOLD.is_softened)


class ProfileTest(Case):
    @given(st.floats(0.8, 3.0), st.floats(0.05, 2.0), st.floats(0, 3.14))
    def test_depth_and_width_of_a_line(self, sigma_px, depth, turn) -> None:
        ys, xs = np.mgrid[:80, :80] + 0.5 - 40
        away = -xs * np.sin(turn) + ys * np.cos(turn)
        plane = (depth * np.exp(-(away**2) / (2 * sigma_px**2))).astype("f4")
        reach = 25 * np.array([np.cos(turn), np.sin(turn)])
        found = profile_of(plane, between(40 - reach, 40 + reach, 50), 9.0)
        self.assertAlmostEqual(found.depth / depth, 1, delta=0.25)
        # The finest are as wide as the steps that they are read in.
        self.assertAlmostEqual(found.width_px / (2.355 * sigma_px), 1, delta=0.4)
        self.assertLess(found.uneven, 0.2)

    def test_an_edge_is_uneven(self) -> None:
        plane = cv2.GaussianBlur((np.mgrid[:80, :80][1] > 40).astype("f4"), (0, 0), 1.5)
        plane[:, 39:43] += 0.3
        path = between((41, 10), (41, 70), 60)
        self.assertGreater(profile_of(plane, path, 9.0).uneven, 0.6)

    def test_the_pictures_own_blur_is_measured(self) -> None:
        rng = np.random.default_rng(1)
        blocks = np.kron(rng.random((12, 12)), np.ones((30, 30))).astype("f4")
        for sigma_px in (1.0, 2.0):
            blurred = cv2.GaussianBlur(blocks, (0, 0), sigma_px)
            self.assertAlmostEqual(edge_width_px(blurred) / (2.355 * sigma_px), 1, delta=0.3)

    def test_a_bundle_of_fine_lines_is_no_finding_and_one_hair_is(self) -> None:
        def hairs(n: int) -> list:
            linear = skin()
            for k in range(n):
                linear = with_line(linear, (60 + 9 * k, 50), (80 + 9 * k, 210), 0.06, (1.5,) * 3)
            allowed = np.ones(linear.shape[:2], bool)
            return [line for line in find_lines(picture(linear), allowed, MM_PER_PX)
                    if line.kind is Kind.SKIN_HAIR]  # fmt: skip

        self.assertEqual(len(hairs(1)), 1)
        self.assertEqual(hairs(7), [])


class BlocksTest(Case):
    def test_colours_are_evened_and_light_is_not(self) -> None:
        rng = np.random.default_rng(5)
        rgb = np.clip(picture(skin(200)) + rng.normal(0, 0.02, (200, 200, 3)), 0.1, 0.9)
        before, after = (
            cv2.cvtColor(image, cv2.COLOR_RGB2YCrCb)
            for image in (rgb.astype("f4"), without_blocks(rgb.astype("f4"), 1.0))
        )
        self.assertLess(float(np.abs(after[..., 0] - before[..., 0]).max()), 1e-3)
        self.assertLess(float(after[..., 1].std()), 0.3 * float(before[..., 1].std()))

    def test_a_strong_jpeg_shows_and_regular_patterns_do_not(self) -> None:
        rng = np.random.default_rng(2)
        plain = picture(skin(400)) + rng.normal(0, 0.02, (400, 400, 3)).astype("f4")
        striped = plain.copy()
        striped[:, :200][:, np.arange(200) % 48 < 24] *= 0.5
        _, data = cv2.imencode(".jpg", (255 * plain).astype("u1"), [cv2.IMWRITE_JPEG_QUALITY, 40])
        packed = cv2.imdecode(data, cv2.IMREAD_COLOR).astype("f4") / 255
        self.assertLess(blockiness(plain), 1.3)
        self.assertLess(blockiness(striped), 1.5)
        for shown in (packed, packed[5:, 11:], np.rot90(packed)):  # the grid begins anywhere
            self.assertGreater(blockiness(np.ascontiguousarray(shown)), 2)
        self.assertEqual(blockiness(np.zeros((1, 1, 3), "f4")), 1.0)


class NoiseTest(Case):
    def test_skin_of_noise_alone_has_no_certain_findings(self) -> None:
        rng = np.random.default_rng(4)
        for seed in (1, 2):
            rgb = np.clip(picture(skin(300, seed=seed)) + rng.normal(0, 0.03, (300, 300, 3)), 0, 1)
            found = survey(rgb.astype("f4"), mm_per_px=MM_PER_PX).findings
            self.assertLessEqual(sum(not item.doubtful for item in found), 1)


if __name__ == "__main__":
    unittest.main()
