"""A head in any position: turned as it may, or mirrored, it has the same regions and marks."""

from __future__ import annotations

import math
import unittest
from functools import lru_cache

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from bench.changed import Planes, overlap, portrait, truth
from lather.core.survey.faces.find import find_faces
from lather.core.survey.regions.region import Region
from lather.core.survey.survey import Survey, survey
from tests.support import Case

SIZE = 0.45
MARKED = (8,)  # between the strands of a beard so small a picture shows no marks
# How much less of the truth a turn may find; of hair the turn itself blurs single strands.
MOST_LESS = {Region.SKIN: 0.03, Region.HAIR: 0.05, Region.BACKGROUND: 0.03}


def turned(
    number: int, degrees: float, mirrored: bool
) -> tuple[np.ndarray, Planes, np.ndarray]:
    """A portrait turned in a frame that holds all of it, its truth, and where places went."""
    rgb = portrait(number, SIZE)
    height, width = rgb.shape[:2]
    side = math.ceil(math.hypot(height, width))
    matrix = cv2.getRotationMatrix2D((width / 2, height / 2), degrees, 1.0)
    matrix[:, 2] += (side - width) / 2, (side - height) / 2
    if mirrored:
        matrix[0] = -matrix[0]
        matrix[0, 2] += side

    def turn(plane: np.ndarray, border: int = cv2.BORDER_CONSTANT) -> np.ndarray:
        return cv2.warpAffine(plane, matrix, (side, side), borderMode=border)

    seen = turn(np.ones((height, width), "f4"))
    planes = {r: turn(p) for r, p in truth(number, SIZE).items()}
    return np.clip(turn(rgb, cv2.BORDER_REPLICATE), 0, 1), {**planes, Region.OTHER: seen}, matrix


@lru_cache(maxsize=2)
def upright(number: int) -> tuple[Survey, dict[Region, float], np.ndarray]:
    rgb, planes, matrix = turned(number, 0.0, mirrored=False)
    found = survey(rgb)
    return found, overlaps(found, planes), matrix


def overlaps(found: Survey, planes: Planes) -> dict[Region, float]:
    seen = planes[Region.OTHER] > 0.99
    size = seen.shape[::-1]
    return {r: overlap(cv2.resize(found.regions[r], size) * seen, planes[r] * seen)
            for r in MOST_LESS}


class AnyPositionTest(Case):
    @settings(max_examples=3, deadline=None)
    @given(st.sampled_from((8, 10)), st.floats(0, 360), st.booleans())
    def test_regions_and_marks_stay(self, number: int, degrees: float, mirrored: bool) -> None:
        self.check(number, degrees, mirrored)

    def test_a_head_on_its_side_and_one_upside_down(self) -> None:
        for degrees in (90.0, 180.0):
            with self.subTest(degrees=degrees):
                self.check(8, degrees, mirrored=False)

    def check(self, number: int, degrees: float, mirrored: bool) -> None:
        before, usual, first = upright(number)
        rgb, planes, matrix = turned(number, degrees, mirrored)
        found = survey(rgb)
        self.assertEqual(len(found.faces), 1)
        for region, value in overlaps(found, planes).items():
            self.assertGreater(value, usual[region] - MOST_LESS[region], region)
        lips = [float(one.regions[Region.LIPS].sum()) for one in (found, before)]
        self.assertAlmostEqual(lips[0] / lips[1], 1.0, delta=0.2)
        if number in MARKED:
            self.check_marks(before, found, matrix, first)

    def check_marks(
        self, before: Survey, found: Survey, matrix: np.ndarray, first: np.ndarray
    ) -> None:
        whole = np.vstack([matrix, [0, 0, 1]]) @ np.linalg.inv(np.vstack([first, [0, 0, 1]]))
        certain = [f for f in before.findings if not f.doubtful and f.kind.is_blemish]
        now = [f for f in found.findings if not f.doubtful and f.kind.is_blemish]
        missed = [f for f in certain if not any(
            math.dist((whole @ [f.x, f.y, 1])[:2], (g.x, g.y)) < max(f.radius_px, 5) for g in now)]
        self.assertLessEqual(len(missed), math.ceil(0.1 * len(certain)))
        self.assertLessEqual(abs(len(now) - len(certain)), math.ceil(0.15 * len(certain)))

    def test_two_who_lie_head_to_foot_are_two(self) -> None:
        small = portrait(8, 0.3)
        both = np.concatenate([small, np.rot90(small, 2)], 1)
        faces = find_faces(np.ascontiguousarray(both)).faces
        self.assertEqual(len(faces), 2)
        turns = sorted(abs(math.degrees(face.turn)) for face in faces)
        self.assertLess(turns[0], 15)
        self.assertGreater(turns[1], 165)


if __name__ == "__main__":
    unittest.main()
