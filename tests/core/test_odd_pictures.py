"""Pictures that nobody hoped for: findings that make sense, or none and one clear sentence."""

from __future__ import annotations

import unittest

import cv2
import numpy as np

from lather.core.colour.lab import to_linear
from lather.core.survey.findings.finding import Finding, Kind
from lather.core.survey.survey import survey
from lather.errors import ScaleError
from tests.core.test_survey import picture
from tests.support import DEMO, Case


def proposed(findings: tuple[Finding, ...]) -> list[Finding]:
    """What "mend all" would mend."""
    return [f for f in findings if not f.doubtful and not f.kind.belongs_to_person]


def painted_hand() -> np.ndarray:
    """A hand on a plain ground, with the lines of palm and knuckles and between the fingers."""
    mask = np.zeros((900, 700), "u1")
    cv2.ellipse(mask, (350, 560), (170, 190), 0, 0, 360, 255, -1)
    cv2.rectangle(mask, (240, 650), (460, 900), 255, -1)
    cv2.line(mask, (200, 640), (80, 430), 255, 75)
    lines = np.zeros((900, 700), "f4")
    for x, tip in zip((215, 300, 385, 470), (190, 110, 100, 170), strict=True):
        cv2.line(mask, (x + 10, 520), (x, tip), 255, 70)
        for y in (254, 260, 266, 374, 380, 386):
            cv2.line(lines, (x - 25, y), (x + 30, y + 3), 0.5, 2, cv2.LINE_AA)
        cv2.line(lines, (x + 45, 520), (x + 42, 300), 0.6, 3, cv2.LINE_AA)
    for k in (0, 60, 110):
        cv2.ellipse(lines, (300, 640), (160 - k // 2, 100 - k // 2), 30, 180, 330, 0.6, 2,
                    cv2.LINE_AA)  # fmt: skip
    shade = 0.6 + 0.4 * np.sqrt(np.clip(cv2.distanceTransform(mask, cv2.DIST_L2, 5) / 70, 0, 1))
    grain = np.random.default_rng(0).normal(0, 0.008, (900, 700, 1))
    skin = np.array([0.78, 0.58, 0.47]) * shade[..., None] + grain
    skin *= 1 - 0.45 * cv2.GaussianBlur(lines, (0, 0), 1.0)[..., None]
    share = cv2.GaussianBlur(mask, (0, 0), 3)[..., None] / 255
    return (share * skin + (1 - share) * np.array([0.25, 0.3, 0.35])).astype("f4")


def drawn_face() -> np.ndarray:
    """Flat colours and outlines, four dots on the cheeks."""
    page = np.full((1000, 800, 3), 0.97, "f4")
    dark, smooth = (0.1, 0.1, 0.1), cv2.LINE_AA
    cv2.ellipse(page, (400, 480), (220, 290), 0, 0, 360, (0.98, 0.82, 0.7), -1, smooth)
    cv2.ellipse(page, (400, 480), (220, 290), 0, 0, 360, dark, 6, smooth)
    for x in (310, 490):
        cv2.ellipse(page, (x, 430), (50, 28), 0, 0, 360, (1, 1, 1), -1, smooth)
        cv2.ellipse(page, (x, 430), (50, 28), 0, 0, 360, dark, 4, smooth)
        cv2.circle(page, (x, 430), 20, (0.2, 0.4, 0.6), -1, smooth)
        cv2.ellipse(page, (x, 370), (60, 20), 0, 180, 360, dark, 10, smooth)
    cv2.ellipse(page, (400, 650), (90, 35), 0, 0, 180, (0.7, 0.2, 0.2), -1, smooth)
    for x in (330, 345, 452, 470):
        cv2.circle(page, (x, 540), 5, (0.6, 0.3, 0.2), -1, smooth)
    return page


def fur() -> np.ndarray:
    """The side of an animal."""
    strands = np.random.default_rng(1).normal(0, 1, (500, 500)).astype("f4")
    strands = cv2.GaussianBlur(strands, (0, 0), 1, sigmaY=8)
    light = 1 + 0.3 * strands / strands.std()
    return np.clip(np.array([0.5, 0.38, 0.25]) * light[..., None], 0, 1).astype("f4")


def tattooed(number: int) -> tuple[np.ndarray, np.ndarray]:
    """A demo portrait with curls and dots of ink all over the skin, and where the ink is, 0-1."""
    bgr = cv2.imread(str(DEMO / f"portrait{number}.jpg"))
    rgb = np.ascontiguousarray(bgr[..., ::-1]) / np.float32(255)
    skin = cv2.imread(str(DEMO / f"portrait{number}_mask_skin.png"), 0)
    skin = cv2.resize(skin, rgb.shape[1::-1]) / np.float32(255)
    rng, scale = np.random.default_rng(number), rgb.shape[0] / 2000
    ink = np.zeros(skin.shape, "f4")
    for _ in range(90):
        x, y = rng.uniform(0, 1, 2) * (skin.shape[1], skin.shape[0])
        turns = np.linspace(0, rng.uniform(2, 9), 80)
        radii = scale * rng.uniform(20, 90) * (1 - turns / 12)
        points = np.stack([x + radii * np.cos(turns), y + radii * np.sin(turns)], 1)
        width = max(1, round(scale * rng.uniform(3, 14)))
        cv2.polylines(ink, [np.round(16 * points).astype("i4")], False, 0.85, width, cv2.LINE_AA, 4)
    ink = cv2.GaussianBlur(ink, (0, 0), 1.2 * scale) * skin
    return picture(to_linear(rgb) * np.exp(-ink[..., None] * np.array([1.6, 1.4, 1.0]))), ink


class OddPicturesTest(Case):
    def test_a_hand_alone_has_no_scale_and_its_lines_are_its_own(self) -> None:
        hand = painted_hand()
        with self.assertRaises(ScaleError) as caught:
            survey(hand)
        self.assertIn("no face was found", str(caught.exception))
        findings = survey(hand, mm_per_px=0.25).findings
        self.assertTrue(any(f.kind is Kind.FOLD for f in findings))
        self.assertEqual([f.kind for f in proposed(findings) if f.path_px], [])

    def test_a_drawing_has_nothing_to_mend(self) -> None:
        self.assertEqual(proposed(survey(drawn_face(), mm_per_px=0.3).findings), [])

    def test_fur_is_no_skin_with_creases(self) -> None:
        with self.assertRaises(ScaleError):
            survey(fur())
        self.assertEqual(proposed(survey(fur(), mm_per_px=0.2).findings), [])

    def test_black_and_white_pages_have_no_findings(self) -> None:
        for level in (0.0, 1.0):
            page = np.full((300, 400, 3), level, "f4")
            with self.assertRaises(ScaleError):
                survey(page)
            self.assertEqual(survey(page, mm_per_px=0.2).findings, ())

    def test_ink_on_the_skin_is_not_mended(self) -> None:
        for number in (2, 9):
            rgb, ink = tattooed(number)
            mended = [f for f in proposed(survey(rgb).findings) if f.path_px]
            on_ink = [
                f for f in mended
                if np.mean([ink[int(y), int(x)] > 0.4 for x, y in f.path_px]) > 0.5
            ]  # fmt: skip
            self.assertEqual(on_ink, [])


if __name__ == "__main__":
    unittest.main()
