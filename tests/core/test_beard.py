"""Facial hair: where it grows, that nobody else has any, and what is done between its strands."""

from __future__ import annotations

import json
import unittest
from functools import lru_cache

import cv2
import numpy as np

from bench.changed import CHANGES, overlap, portrait, truth
from lather.core.hair.strands import strand_share, thin_dark_lines, without_strands
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.survey.regions.region import Region
from lather.core.survey.survey import Survey, survey
from tests.support import DEMO, Case


@lru_cache(maxsize=4)
def surveyed(number: int, scale: float = 1.0) -> Survey:
    return survey(portrait(number, scale))


def beard_of(found: Survey, shape: tuple[int, ...]) -> np.ndarray:
    return cv2.resize(found.regions[Region.BEARD], (shape[1], shape[0]))


class BeardTest(Case):
    def test_stubble_and_moustache_are_a_region(self) -> None:
        area = truth(10)[Region.BEARD]
        self.assertGreater(overlap(beard_of(surveyed(10), area.shape), area), 0.75)

    def test_in_other_light_and_sizes_too(self) -> None:
        for name in ("little light", "smaller", "noise", "warm light"):
            rgb, planes = CHANGES[name](portrait(10), truth(10))
            area = planes[Region.BEARD]
            with self.subTest(name):
                found = survey(np.ascontiguousarray(rgb, dtype="f4"))
                self.assertGreater(overlap(beard_of(found, area.shape), area), 0.7)

    def test_nobody_else_has_one(self) -> None:
        for number, scale in ((1, 0.5), (2, 1.0), (8, 1.0), (9, 0.7), (11, 0.7)):
            with self.subTest(number):
                self.assertEqual(surveyed(number, scale).share(Region.BEARD), 0.0)

    def test_other_regions_share_out_what_is_no_facial_hair(self) -> None:
        found = surveyed(10)
        shares = np.sum([p for r, p in found.regions.items() if r.is_share], axis=0)
        self.assertLess(float(shares.max()), 1.01)
        bare = found.regions[Region.BEARD] < 0.01
        self.assertGreater(float(shares[bare].min()), 0.99)
        self.assertGreater(float(found.regions[Region.SKIN][~bare].mean()), 0.6)  # between hairs

    def test_what_grows_in_it_is_no_finding(self) -> None:
        found, area = surveyed(10), truth(10)[Region.BEARD] > 0

        def inside(finding: Finding) -> bool:
            return bool(area[int(finding.y), int(finding.x)])

        certain = [f for f in found.findings if not f.doubtful and inside(f)]
        for kind in (Kind.SKIN_HAIR, Kind.SCAR, Kind.CREASE):
            self.assertEqual([f for f in certain if f.kind is kind], [], kind)
        marks = json.loads((DEMO / "portrait10_truth.json").read_text())["marks"]
        moles = [f for f in certain if f.kind is Kind.MOLE]
        for mole in moles:
            self.assertTrue(any(np.hypot(m["x"] - mole.x, m["y"] - mole.y) < 2 * m["r"]
                                for m in marks if m["keep"]))  # fmt: skip
        wanted = [m for m in marks if not m["keep"] and area[int(m["y"]), int(m["x"])]
                  and m["kind"] in ("papule", "red_mark")]  # fmt: skip
        self.assertGreater(len(wanted), 2)
        for mark in wanted:
            self.assertTrue(any(np.hypot(mark["x"] - f.x, mark["y"] - f.y) < 1.35 * mark["r"]
                                for f in certain), mark)  # fmt: skip


class HairlineTest(Case):
    def test_the_down_of_an_infant_is_no_finding_and_a_long_strand_is_one(self) -> None:
        self.assertEqual([f for f in surveyed(11, 1.0).findings if f.kind is Kind.SKIN_HAIR], [])
        rgb = portrait(11)
        points = np.stack([np.linspace(560, 1010, 60), 420 + 40 * np.sin(np.linspace(0, 2, 60))], 1)
        mask = np.zeros(rgb.shape[:2], "f4")
        cv2.polylines(mask, [np.round(16 * points).astype("i4")], False, 0.85, 1, cv2.LINE_AA, 4)
        drawn = rgb + mask[..., None] * (np.array([0.08, 0.06, 0.05]) - rgb)
        found = survey(np.ascontiguousarray(drawn, dtype="f4"))
        strands = [f for f in found.findings if f.kind is Kind.SKIN_HAIR and not f.doubtful]
        self.assertIn(len(strands), (1, 2))  # it may be found in two pieces
        self.assertGreater(max(strand.length_mm for strand in strands), 25)


class StrandsTest(Case):
    def test_a_line_is_one_and_a_spot_is_none(self) -> None:
        rgb = np.full((120, 120, 3), 0.5, "f4")
        rgb[:, 40] = 0.2
        cv2.circle(rgb, (80, 60), 8, (0.25, 0.25, 0.25), -1)
        share = strand_share(rgb, 0.2)
        self.assertGreater(float(share[:, 40].min()), 0.9)
        self.assertLess(float(share[55:65, 75:85].max()), 0.1)
        self.assertEqual(float(thin_dark_lines(rgb[..., 0] * 0, 0.2).max()), 0.0)

    def test_skin_takes_the_place_of_strands(self) -> None:
        rgb = np.full((60, 60, 3), 0.5, "f4")
        rgb[:, 30] = 0.1
        strands = np.zeros((60, 60), "f4")
        strands[:, 30] = 1
        np.testing.assert_allclose(without_strands(rgb, strands, 5.0), 0.5, atol=1e-3)


if __name__ == "__main__":
    unittest.main()
