"""What people wear and grow, painted onto portraits: hats, glasses, beards, fringes, bald heads."""

import unittest

import cv2
import numpy as np

from bench.changed import portrait
from lather.core.survey.faces.find import find_faces
from lather.core.survey.faces.frame import Frame
from lather.core.survey.faces.mesh_fit import fitted_points
from lather.core.survey.faces.mesh_points import LIPS_OUTER, lids
from lather.core.survey.regions.find import find_regions
from lather.core.survey.regions.region import Region
from tests.support import Case

Image = np.ndarray


class WornTest(Case):
    @classmethod
    def setUpClass(cls) -> None:
        cls.portraits = {1: portrait(1, 0.35), 8: portrait(8, 0.5)}
        cls.points = {
            number: fitted_points(find_faces(rgb).faces[0])
            for number, rgb in cls.portraits.items()
        }
        rng = np.random.default_rng(1)
        cls.grain = {n: rng.standard_normal(rgb.shape).astype("f4")
                     for n, rgb in cls.portraits.items()}  # fmt: skip

    def axes(self, number: int) -> tuple[Image, Image]:
        return Frame.of(self.points[number]).axes(self.portraits[number].shape[:2])

    def strands(self, number: int, colour: tuple[float, ...]) -> Image:
        fine = cv2.GaussianBlur(self.grain[number][..., 0], (0, 0), 0.5, sigmaY=3)
        return np.array(colour) * (1 + 0.42 * fine / fine.std())[..., None]

    def shares(self, number: int, mask: Image, colours: Image) -> dict[Region, float]:
        """How the painted place is shared out among the regions."""
        soft = cv2.GaussianBlur(mask.astype("f4"), (0, 0), 0.8)
        rgb = self.portraits[number]
        painted = np.clip(rgb + soft[..., None] * (colours - rgb), 0, 1).astype("f4")
        seen = find_faces(painted)
        self.assertEqual(len(seen.faces), 1)
        face = seen.faces[0]
        found = find_regions(painted, face, seen.person, face.mm_per_px(), 1.0)
        return {r: float((plane * soft).sum() / soft.sum()) for r, plane in found.items()}

    def test_a_hat_is_a_thing(self) -> None:
        for number in self.portraits:
            across, down = self.axes(number)
            hat = ((across / 0.78) ** 2 + ((down + 0.42) / 0.75) ** 2 < 1) & (down < -0.3)
            for colour in ((0.15, 0.2, 0.45), (0.6, 0.12, 0.1)):
                cloth = np.array(colour) + 0.01 * self.grain[number]
                with self.subTest(portrait=number, colour=colour):
                    self.assertGreater(self.shares(number, hat, cloth)[Region.OTHER], 0.85)

    def test_a_bald_head_is_skin_and_a_fringe_is_hair(self) -> None:
        for number, rgb in self.portraits.items():
            across, down = self.axes(number)
            round_head = (across / 0.52) ** 2 + ((down + 0.1) / 0.78) ** 2
            forehead = (np.abs(across) < 0.2) & (np.abs(down + 0.25) < 0.05)
            scalp = rgb[forehead].mean(0) * (1 - 0.35 * np.clip(round_head, 0, 1))[..., None]
            scalp = scalp + 0.008 * self.grain[number]
            fringe = (np.abs(across) < 0.42) & (down < -0.22) & (down > -0.6)
            with self.subTest(portrait=number):
                bald = self.shares(number, (round_head < 1) & (down < -0.25), scalp)
                self.assertGreater(bald[Region.SKIN], 0.85)
                hair = self.shares(number, fringe, self.strands(number, (0.3, 0.22, 0.14)))
                self.assertGreater(hair[Region.HAIR], 0.85)

    def test_a_full_beard_is_one_and_no_skin(self) -> None:
        for number in self.portraits:
            across, down = self.axes(number)
            chin = ((across / 0.4) ** 2 + ((down - 0.42) / 0.36) ** 2 < 1) & (down > 0.3)
            lips = np.zeros(chin.shape, "u1")
            ring = self.points[number][list(LIPS_OUTER), :2]
            cv2.fillPoly(lips, [ring.astype("i4")], 1)
            beard = chin & (cv2.dilate(lips, np.ones((5, 5))) == 0)
            with self.subTest(portrait=number):
                shares = self.shares(number, beard, self.strands(number, (0.16, 0.11, 0.08)))
                self.assertGreater(shares[Region.BEARD], 0.8)
                self.assertLess(shares[Region.HAIR], 0.15)
                self.assertLess(shares[Region.SKIN], 0.35)

    def test_the_frame_of_glasses_is_no_skin(self) -> None:
        for number, points in self.points.items():
            height_px = Frame.of(points).height_px
            frame = np.zeros(self.portraits[number].shape[:2], "u1")
            wide = max(2, int(0.022 * height_px))
            right, left = (points[list(lids(side)), :2].mean(0) for side in (0, 1))
            for eye in (right, left):
                size = int(0.17 * height_px), int(0.13 * height_px)
                cv2.ellipse(frame, eye.astype(int).tolist(), size, 0, 0, 360, 1, wide)
            bridge = [(right + share * (left - right)).astype(int).tolist()
                      for share in (0.38, 0.62)]  # fmt: skip
            cv2.line(frame, *bridge, 1, wide)
            dark = np.full((*frame.shape, 3), 0.05)
            with self.subTest(portrait=number):
                shares = self.shares(number, frame > 0, dark)
                self.assertGreater(shares[Region.OTHER], 0.5)
                self.assertLess(shares[Region.SKIN], 0.15)


if __name__ == "__main__":
    unittest.main()
