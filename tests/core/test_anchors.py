"""Places relative to a face: found again on another picture of it."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.survey.faces.anchors import AROUND, FaceGrid, inside_ring_px, triangles
from lather.core.survey.faces.mesh_fit import face_of, mean_face
from lather.core.survey.faces.mesh_points import N_POINTS, OVAL

SIZE_PX, MIDDLE = 200.0, (600.0, 700.0)


def mesh(scale: float = SIZE_PX, angle_deg: float = 0.0, at: tuple[float, float] = MIDDLE):
    """The mean face, so many px between its pupils, turned about the middle between them."""
    points = mean_face().astype(np.float64).copy()
    turn = np.radians(angle_deg)
    matrix = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    points[:, :2] = scale * points[:, :2] @ matrix.T + at
    points[:, 2] *= scale
    return points


class AnchorTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.points = mesh()
        cls.grid = FaceGrid(face_of(cls.points))

    def test_the_triangles_are_of_all_points_and_overlap_nowhere(self) -> None:
        self.assertEqual(set(triangles().ravel().tolist()), set(range(N_POINTS)))
        flat = mean_face()[:, :2].astype(np.float64)[triangles()]
        one, two = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
        area = np.abs(one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]).sum() / 2
        from scipy.spatial import ConvexHull

        self.assertAlmostEqual(area, ConvexHull(mean_face()[:, :2]).volume, places=4)

    def test_a_point_of_the_mesh_is_all_of_its_own_weight(self) -> None:
        for number in OVAL[::6]:
            place = self.grid.place(*self.points[number, :2])
            self.assertIn(number, place.triangle)
            self.assertAlmostEqual(place.weights[place.triangle.index(number)], 1.0, delta=0.01)

    @settings(max_examples=60, deadline=None)
    @given(st.floats(-1.5, 1.5), st.floats(-1.5, 2.0), st.floats(-40, 40), st.floats(0.3, 3))
    def test_it_goes_with_the_face(self, across, down, angle_deg, scale) -> None:
        """On a face that is larger, turned and elsewhere it lies where the same shift takes it,
        beside the face too."""
        x, y = MIDDLE[0] + SIZE_PX * across, MIDDLE[1] + SIZE_PX * down
        place = self.grid.place(x, y)
        self.assertAlmostEqual(sum(place.weights), 1.0, places=6)
        other = mesh(SIZE_PX * scale, angle_deg, (300.0, 200.0))
        turn = np.radians(angle_deg)
        dx, dy = scale * (x - MIDDLE[0]), scale * (y - MIDDLE[1])
        there = (300 + np.cos(turn) * dx - np.sin(turn) * dy,
                 200 + np.sin(turn) * dx + np.cos(turn) * dy)  # fmt: skip
        np.testing.assert_allclose(place.on(other), there, atol=0.1 * scale)

    def test_beside_the_face_it_goes_by_temples_and_chin(self) -> None:
        place = self.grid.place(MIDDLE[0] + 3 * SIZE_PX, MIDDLE[1])
        self.assertEqual(place.triangle, AROUND)
        self.assertLess(max(map(abs, place.weights)), 6)

    def test_how_far_inside_a_ring(self) -> None:
        turn = np.linspace(0, 2 * np.pi, 720, endpoint=False)
        ring = np.column_stack([50 + 30 * np.cos(turn), 40 + 30 * np.sin(turn)])
        for x, y, px in ((50, 40, 30), (70, 40, 10), (90, 40, -10), (50, 100, -30)):
            self.assertAlmostEqual(inside_ring_px(ring, x, y), px, delta=0.01)

    def test_how_far_inside_of_the_face_in_mm(self) -> None:
        x, y = self.points[list(OVAL), :2].mean(0)
        inside = self.grid.place(x, y, 0.5).inside_mm
        self.assertAlmostEqual(inside, 0.5 * self.grid.inside_px(x, y), places=2)
        self.assertLess(self.grid.place(5.0, 5.0, 0.5).inside_mm, -100)


if __name__ == "__main__":
    unittest.main()
