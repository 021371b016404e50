"""Grafts, turned sources and spots cut free: what must come over, and what must not change."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.mend.free import cut_free
from lather.core.mend.graft import graft, prepare_bed, quick_graft
from lather.core.mend.mode import MendMode
from lather.core.mend.placement import Placement, Turn, read_placed
from lather.core.mend.rim import evenly_spaced, examine_outline, examine_rim
from lather.core.mend.spot import mend_spot
from lather.core.rect import Rect
from lather.errors import EditError
from tests.core.test_area import circle, disc
from tests.support import Case

PICTURE = Rect(0, 0, 200, 160)


def read_from(image: np.ndarray):
    def read(rect: Rect, level: int) -> np.ndarray:
        step = 1 << level
        return image[::step, ::step][rect.slices]

    return read


class PlacementTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.image = np.random.default_rng(5).random((160, 200, 3)).astype("f4")
        self.read = read_from(self.image)

    def placed(self, rect: Rect, placement: Placement, **options) -> np.ndarray:
        return read_placed(self.read, PICTURE, rect, placement, **options)

    def test_plain_is_exact(self) -> None:
        out = self.placed(Rect(10, 20, 50, 60), Placement(30, -7))
        self.assert_equal_arrays(out, self.image[13:53, 40:80])

    def test_a_mirror_and_quarter_turns_are_exact(self) -> None:
        """About a pixel's centre every pixel meets a pixel."""
        rect, about = Rect(40, 40, 81, 81), (60.5, 60.5)
        mirrored = self.placed(rect, Placement(50, 0, Turn(mirrored=True), about))
        self.assert_close(mirrored, self.image[40:81, 90:131][:, ::-1], 1e-5)
        for angle, times in ((90.0, -1), (180.0, 2), (270.0, 1)):
            turned = self.placed(rect, Placement(50, 0, Turn(angle_deg=angle), about))
            self.assert_close(turned, np.rot90(self.image[40:81, 90:131], times), 1e-5)

    def test_twice_as_large_shows_half_as_much(self) -> None:
        smooth = np.dstack([np.mgrid[:160, :200][1].astype("f4")] * 3)
        placement = Placement(0, 0, Turn(scale=2.0), (100.5, 80.5))
        out = read_placed(read_from(smooth), PICTURE, Rect(60, 60, 140, 100), placement)
        self.assert_close(np.diff(out[20, 5:-5, 0]), np.full(69, 0.5), 1e-3)

    def test_a_turned_copy_does_not_depend_on_what_is_read_together(self) -> None:
        """The pen's dabs are taken as they come, and a stroke done again in one go."""
        placement = Placement(37, -21, Turn(True, 15.0, 1.3), (60.0, 50.0))
        whole = self.placed(Rect(30, 20, 150, 130), placement, repeat=False)
        for rect in (Rect(31, 20, 60, 90), Rect(100, 77, 101, 78), Rect(60, 60, 150, 130)):
            part = self.placed(rect, placement, repeat=False)
            self.assert_equal_arrays(part, whole[rect.shifted(-30, -20).slices])

    @given(st.floats(-180, 180), st.floats(0.3, 3), st.booleans(), st.integers(-400, 400))
    def test_any_turn_reads_something_or_says_why_not(self, angle, scale, mirrored, dx) -> None:
        placement = Placement(dx, 3, Turn(mirrored, angle, scale), (70.0, 60.0))
        for repeat in (True, False):
            try:
                out = self.placed(Rect(50, 40, 90, 80), placement, repeat=repeat)
            except EditError as error:
                self.assertIn("outside of the picture", error.sentence())
                self.assertTrue(repeat)
            else:
                self.assertEqual(out.shape[:2], (40, 40))
                self.assertTrue(np.isfinite(out).all())


class GraftTest(Case):
    def setUp(self) -> None:
        super().setUp()
        ys, xs = np.mgrid[:160, :200].astype("f4")
        random = np.random.default_rng(6)
        light = 0.5 + 0.1 * xs / 200 + 0.05 * ys / 160
        self.clean = np.dstack([light, 0.9 * light, 0.8 * light])
        self.clean += random.normal(0, 0.01, (160, 200, 1)).astype("f4")
        self.image = self.clean.copy()
        self.image[disc(60, 80, 14) > 0] *= np.float32(0.4)  # an object that strayed in
        self.area = disc(60, 80, 22)

    def bed(self, image=None, **options):
        image = self.image if image is None else image
        return prepare_bed(read_from(image), PICTURE, PICTURE, self.area, **options)

    def test_the_object_goes_and_light_meets_the_surround(self) -> None:
        out = graft(read_from(self.image), self.bed(), Placement(80, 10))
        here = out.rect.slices
        inside = out.coverage > 0
        error = np.abs(out.colour - self.clean[here]).mean(-1)
        self.assertLess(error[inside].mean(), 0.02)
        smooth = (out.colour - self.clean[here])[inside].mean(0)
        self.assert_close(smooth, np.zeros(3), 0.004)

    def test_structure_of_the_source_comes_over_whole(self) -> None:
        """An edge in the source is an edge in the graft: nothing is smoothed away."""
        self.image[:, 150:] -= 0.2
        out = graft(read_from(self.image), self.bed(), Placement(90, 0))
        row = out.colour[80 - out.rect.y0, :, 0]
        at = 150 - 90 - out.rect.x0
        left, right = row[at - 4 : at - 1].mean(), row[at + 1 : at + 4].mean()
        self.assertGreater(abs(float(left - right)), 0.15)

    def test_the_preview_is_what_comes(self) -> None:
        for placement in (Placement(80, 10), Placement(70, -20, Turn(True, 30.0), (60.0, 80.0))):
            bed = self.bed()
            quick = quick_graft(read_from(self.image), bed, placement)
            out = graft(read_from(self.image), bed, placement)
            final = bed.target + out.coverage[..., None] * (out.colour - bed.target)
            self.assertLess(float(np.abs(quick - final).mean()), 0.004)
            self.assertLess(float(np.abs(quick - final).max()), 0.06)

    def test_modes_and_bad_areas(self) -> None:
        lifted = quick_graft(read_from(self.image), self.bed(), Placement(80, 10),
                             mode=MendMode.LIFT_DARKS)  # fmt: skip
        self.assertGreaterEqual(float((lifted - self.bed().target).min()), -0.03)
        self.area = np.zeros((160, 200), "f4")
        with self.assertRaisesRegex(EditError, "empty"):
            self.bed()
        self.area = np.ones((160, 200), "f4")
        with self.assertRaisesRegex(EditError, "whole picture"):
            self.bed()


class CutFreeTest(Case):
    """A dark spot that touches a straight edge, as beside lips or a collar."""

    def setUp(self) -> None:
        super().setUp()
        random = np.random.default_rng(7)
        self.clean = np.full((160, 200, 3), (0.7, 0.55, 0.45), "f4")
        self.clean[:, 100:] = (0.5, 0.25, 0.25)
        self.clean += random.normal(0, 0.008, (160, 200, 1)).astype("f4")
        spot = np.exp(-((np.mgrid[:160, :200][1] - 96) ** 2 + (np.mgrid[:160, :200][0] - 80) ** 2)
                      / (2 * 4.0**2))  # fmt: skip
        self.image = (self.clean * (1 - 0.5 * spot[..., None])).astype("f4")
        self.selection = disc(96.5, 80.5, 11)
        points = circle(96.5, 80.5, 11, 72)
        self.rim = examine_rim(self.image, points)

    def error(self, mended) -> float:
        """Of broad colour, inside of the spot."""
        here = mended.rect.slices
        out = self.image.copy()
        weight = mended.coverage[..., None]
        out[here] += weight * (mended.colour - out[here])
        inside = self.selection > 0
        return float(np.abs(out - self.clean).mean(-1)[inside].mean())

    def test_the_edge_goes_on_through_the_spot(self) -> None:
        read = read_from(self.image)
        self.assertGreater(self.rim.share, 0.05)
        plain = self.error(mend_spot(read, PICTURE, PICTURE, self.selection))
        free = self.error(cut_free(read, PICTURE, PICTURE, self.selection, self.rim))
        self.assertLess(free, 0.5 * plain)
        self.assertLess(free, 0.02)

    def test_nothing_changes_outside(self) -> None:
        out = cut_free(read_from(self.image), PICTURE, PICTURE, self.selection, self.rim)
        outside = self.selection[out.rect.slices] == 0
        self.assertEqual(float(out.coverage[outside].max()), 0)

    def test_a_clean_rim_is_an_ordinary_mend_and_nothing_is_refused(self) -> None:
        plain = disc(40.5, 80.5, 9)
        rim = examine_rim(self.image, circle(40.5, 80.5, 9, 72))
        self.assertEqual(rim.share, 0)
        out = cut_free(read_from(self.image), PICTURE, PICTURE, plain, rim)
        self.assertLess(np.abs(out.colour - self.clean[out.rect.slices])[20:-20].mean(), 0.02)
        with self.assertRaisesRegex(EditError, "outside"):
            cut_free(read_from(self.image), PICTURE, PICTURE, np.zeros((160, 200), "f4"), rim)


class AnywhereTest(Case):
    """Whatever is selected, wherever it lies: pixels that can be laid down, or one sentence."""

    PLACES = (
        st.floats(-30, 230), st.floats(-30, 190), st.floats(0.6, 90), st.integers(-260, 260),
        st.integers(-200, 200),
    )  # fmt: skip

    def setUp(self) -> None:
        super().setUp()
        random = np.random.default_rng(9)
        self.image = np.clip(random.normal(0.5, 0.1, (160, 200, 3)), 0, 1).astype("f4")
        self.image[:, 120:] *= np.float32(0.4)

    def assert_can_be_laid(self, mended, selection) -> None:
        self.assertTrue(np.isfinite(mended.colour).all())
        self.assertTrue(((mended.colour >= 0) & (mended.colour <= 1)).all())
        outside = selection[mended.rect.slices] <= 0
        self.assertEqual(float(mended.coverage[outside].max(initial=0)), 0)

    @given(*PLACES)
    def test_grafts(self, x, y, radius, dx, dy) -> None:
        selection, read = disc(x, y, radius), read_from(self.image)
        try:
            bed = prepare_bed(read, PICTURE, PICTURE, selection)
            placement = Placement(dx, dy, Turn(dx % 2 == 0, float(dy)), (x, y))
            self.assert_can_be_laid(graft(read, bed, placement), selection)
            self.assertTrue(np.isfinite(quick_graft(read, bed, placement)).all())
        except EditError as error:
            self.assertIn(";", error.sentence())

    @settings(max_examples=40)
    @given(*PLACES[:3])
    def test_cut_free(self, x, y, radius) -> None:
        selection = disc(x, y, radius)
        rim = examine_rim(self.image, circle(x, y, radius, 72))
        try:
            mended = cut_free(read_from(self.image), PICTURE, PICTURE, selection, rim)
            self.assert_can_be_laid(mended, selection)
        except EditError as error:
            self.assertTrue(error.sentence())


class OutlineRimTest(Case):
    def test_only_where_an_edge_crosses(self) -> None:
        image = np.full((160, 200, 3), 0.6, "f4")
        image += (0.2 * np.mgrid[:160, :200][1] / 200).astype("f4")[..., None]  # shading is none
        image[:, 140:] = 0.2
        points = evenly_spaced(circle(100, 80, 60, 400), 200)
        rim = examine_outline(image, points)
        crossing = np.abs(points[:, 0] - 140) < 20
        self.assertTrue(rim.broken[crossing].any())
        self.assertFalse(rim.broken[points[:, 0] < 90].any())
        self.assertTrue(0.02 < rim.share < 0.4)
        gaps = np.hypot(*np.diff(points, axis=0).T)
        self.assertLess(gaps.std() / gaps.mean(), 0.02)


class LongStrokeTest(Case):
    def test_a_crease_goes_and_its_ends_do_not_smear(self) -> None:
        """The crease goes on beyond the stroke; its dark end must not run into the mend."""
        random = np.random.default_rng(8)
        ys, xs = np.mgrid[:160, :400].astype("f4")
        clean = np.dstack([0.7 + 0 * xs, 0.55 + 0 * xs, 0.45 + 0 * xs]).astype("f4")
        clean += random.normal(0, 0.01, (160, 400, 1)).astype("f4")
        line = np.exp(-((ys - 80.5) ** 2) / (2 * 2.0**2))[..., None]
        image = clean * (1 - 0.3 * line)
        selection = np.zeros((160, 400), "f4")
        selection[73:88, 60:340] = 1
        picture = Rect(0, 0, 400, 160)
        out = mend_spot(read_from(image), picture, picture, selection)
        result = image.copy()
        result[out.rect.slices] += out.coverage[..., None] * (
            out.colour - result[out.rect.slices]
        )
        for x0, x1 in ((64, 84), (180, 220), (316, 336)):  # both ends, and the middle
            off = (result - clean)[76:86, x0:x1].mean((0, 1))
            self.assertLess(float(np.abs(off).max()), 0.012, (x0, off))
        before = np.diff(clean[76:86, 180:220, 0], axis=1).std()
        after = np.diff(result[76:86, 180:220, 0], axis=1).std()
        self.assertTrue(0.85 < after / before < 1.15, after / before)


if __name__ == "__main__":
    unittest.main()
