"""The rim test: plain rims are whole, crossed ones are broken where they are crossed."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.mend.rim import N_POINTS, examine_rim, rim_points
from tests.core.test_survey import picture, skin
from tests.support import Case


class RimTest(Case):
    def test_points_run_around(self) -> None:
        points = rim_points(50.0, 40.0, tuple([10.0] * 24))
        self.assertEqual(points.shape, (N_POINTS, 2))
        self.assert_close(np.hypot(*(points - (50, 40)).T), np.full(N_POINTS, 10), 1e-4)
        self.assert_close(points[0], (60, 40), 1e-4)
        self.assert_close(points[N_POINTS // 4], (50, 50), 1e-4)

    def test_plain_skin_is_whole_in_any_light(self) -> None:
        for light in (1.0, 0.3):
            rim = examine_rim(picture(skin(light=light)), rim_points(130, 130, tuple([16.0] * 24)))
            self.assertLess(rim.share, 0.05)

    def test_shading_alone_breaks_nothing(self) -> None:
        y, x = np.mgrid[:120, :120] / 120
        ramp = np.repeat((0.1 + 0.5 * np.exp(-1.2 * x - 0.6 * y))[..., None], 3, -1)
        rim = examine_rim(picture(ramp), rim_points(60, 60, tuple([20.0] * 24)))
        self.assertEqual(rim.share, 0.0)

    def test_an_edge_breaks_the_rim_where_it_crosses(self) -> None:
        linear = skin()
        linear[:, 142:] *= 0.3  # a jaw line to the right
        rim = examine_rim(picture(linear), rim_points(130, 130, tuple([16.0] * 24)))
        self.assertGreater(rim.share, 0.3)
        beyond = rim.points[:, 0] > 145
        self.assertTrue(rim.broken[beyond].all())

    def test_outside_of_the_picture_it_is_broken(self) -> None:
        rim = examine_rim(picture(skin()), rim_points(3, 130, tuple([16.0] * 24)))
        outside = rim.points[:, 0] < 0
        self.assertTrue(rim.broken[outside].all())
        self.assertTrue(0.3 < rim.share < 0.9)

    @settings(max_examples=40, deadline=None)
    @given(st.floats(-40, 80), st.floats(-40, 80), st.floats(0.1, 60), st.integers(0, 9999))
    def test_any_rim_on_any_picture(self, x, y, radius, seed) -> None:
        rgb = np.random.default_rng(seed).random((30, 40, 3)).astype("f4")
        rim = examine_rim(rgb, rim_points(x, y, tuple([radius] * 24)))
        self.assertTrue(0 <= rim.share <= 1)


if __name__ == "__main__":
    unittest.main()
