"""The membrane against harmonic functions and the direct solve; mending against truth."""

import json
import unittest

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.brush.dabs import rim_profile
from lather.core.colour.lab import ciede2000, srgb_to_lab
from lather.core.mend.membrane import _solve_directly, fill_membrane
from lather.core.mend.mode import MendMode
from lather.core.mend.search import find_sources
from lather.core.mend.spot import mend_spot
from lather.core.rect import Rect
from lather.errors import EditError
from tests.support import DEMO, Case


def disc(height: int, width: int, x: float, y: float, radius: float) -> np.ndarray:
    ys, xs = np.mgrid[:height, :width] + 0.5
    return np.hypot(xs - x, ys - y) < radius


class MembraneTest(Case):
    def test_harmonic_functions_come_back(self) -> None:
        """Linear functions and x^2 - y^2 solve the discrete Laplace equation exactly."""
        y, x = np.mgrid[:90, :120].astype(np.float32) / 100
        truth = np.dstack([x, 0.3 * x - 0.7 * y + 0.2, x * x - y * y])
        unknown = disc(90, 120, 60, 45, 38)
        damaged = truth.copy()
        damaged[unknown] = 9.0
        self.assert_close(fill_membrane(damaged, unknown), truth, 1e-3)

    def test_within_a_255th_of_the_direct_solve(self) -> None:
        random = np.random.default_rng(3)
        shapes = {
            "disc": disc(200, 220, 110, 100, 90),
            "ring": disc(200, 220, 110, 100, 90) & ~disc(200, 220, 110, 100, 60),
            "two": disc(200, 220, 60, 60, 40) | disc(200, 220, 160, 140, 45),
            "line": np.abs(np.add.outer(np.arange(200), -0.7 * np.arange(220))) < 3,
            "at the border": np.tile(np.arange(220) < 120, (200, 1)),
        }
        for name, unknown in shapes.items():
            with self.subTest(name):
                values = cv2.GaussianBlur(random.random((200, 220, 3)).astype("f4"), (0, 0), 2)
                exact = values.copy()
                _solve_directly(exact, unknown, 0)
                self.assert_close(fill_membrane(values, unknown), exact, 1 / 255)

    @settings(max_examples=25, deadline=None)
    @given(st.integers(0, 2**31), st.integers(3, 40), st.integers(3, 40), st.floats(0.05, 0.95))
    def test_any_area_obeys_the_maximum_principle(
        self, seed: int, height: int, width: int, share: float
    ) -> None:
        random = np.random.default_rng(seed)
        values = random.random((height, width, 3)).astype(np.float32)
        unknown = random.random((height, width)) < share
        unknown[0, 0] = False
        filled = fill_membrane(values, unknown)
        self.assert_equal_arrays(filled[~unknown], values[~unknown])
        known = values[~unknown]
        # Unknown parts that touch nothing known keep the mean, also between the extremes.
        self.assertTrue((filled >= known.min(0) - 0.01).all())
        self.assertTrue((filled <= known.max(0) + 0.01).all())

    def test_inputs_stay_and_all_unknown_is_refused(self) -> None:
        values = np.ones((8, 8, 3), np.float32)
        values.flags.writeable = False
        fill_membrane(values, disc(8, 8, 4, 4, 2))
        with self.assertRaisesRegex(ValueError, "known pixel"):
            fill_membrane(values, np.ones((8, 8), bool))


class SourceSearchTest(Case):
    def test_keeps_off_the_blemish_beside(self) -> None:
        random = np.random.default_rng(0)
        image = np.full((200, 200, 3), (0.8, 0.6, 0.5), np.float32)
        image += random.normal(0, 0.01, (200, 200, 1)).astype(np.float32)
        image[disc(200, 200, 100, 100, 10)] -= 0.2
        other = disc(200, 200, 130, 100, 10)
        image[other] -= 0.25
        selection = disc(200, 200, 100, 100, 14).astype(np.float32)
        best = find_sources(image, selection)[0]
        taken = disc(200, 200, 100 + best.dx, 100 + best.dy, 14)
        self.assertFalse((taken & other).any())
        self.assertFalse((taken & (selection > 0)).any())

    def test_never_outside_or_on_places_to_avoid(self) -> None:
        random = np.random.default_rng(1)
        image = random.random((90, 90, 3)).astype(np.float32)
        selection = disc(90, 90, 20, 45, 10).astype(np.float32)
        avoid = np.zeros((90, 90), bool)
        avoid[:, 45:] = True
        for source in find_sources(image, selection, avoid=avoid, n_wanted=5):
            taken = disc(90, 90, 20 + source.dx, 45 + source.dy, 9)
            self.assertGreater(taken.sum(), 240)  # all of the disc lies inside the picture
            self.assertFalse((taken & avoid).any())

    def test_alternatives_lie_apart(self) -> None:
        image = np.random.default_rng(2).random((200, 200, 3)).astype(np.float32)
        sources = find_sources(image, disc(200, 200, 100, 100, 12).astype("f4"), n_wanted=4)
        self.assertEqual(len(sources), 4)
        self.assertEqual([s.score for s in sources], sorted(s.score for s in sources))
        places = {(s.dx, s.dy) for s in sources}
        self.assertEqual(len(places), 4)

    def test_nothing_selected_nothing_found(self) -> None:
        self.assertEqual(find_sources(np.zeros((20, 20, 3), "f4"), np.zeros((20, 20), "f4")), [])


class MendSpotTest(Case):
    def setUp(self) -> None:
        super().setUp()
        y, x = np.mgrid[:240, :240].astype(np.float32) / 240
        self.grain = np.random.default_rng(4).normal(0, 0.012, (240, 240, 1)).astype("f4")
        self.clean = np.dstack([0.7 + 0.1 * x, 0.5 + 0.15 * y, 0.45 + 0.05 * x]) + self.grain
        self.picture = Rect(0, 0, 240, 240)

    def mend(self, image: np.ndarray, selection: np.ndarray, **options: object):
        def read(rect: Rect, level: int) -> np.ndarray:
            reduced = cv2.resize(image, None, fx=0.5**level, fy=0.5**level,
                                 interpolation=cv2.INTER_AREA) if level else image
            return reduced[rect.slices]

        result = mend_spot(read, self.picture, self.picture, selection, **options)
        out = image.copy()
        part = out[result.rect.slices]
        part += result.coverage[..., None] * (result.colour - part)
        return out, result

    def test_tone_is_the_gradient_and_texture_the_grain(self) -> None:
        spot = disc(240, 240, 120, 120, 18)
        flawed = self.clean.astype(np.float32).copy()
        flawed[spot] += (0.05, -0.15, -0.1)
        out, _ = self.mend(flawed, disc(240, 240, 120, 120, 24).astype("f4"))
        smooth = cv2.GaussianBlur(out - self.clean, (0, 0), 4)
        self.assertLess(float(np.abs(smooth[spot]).max()), 0.02)
        texture = (out - cv2.GaussianBlur(out, (0, 0), 2))[spot].std()
        wanted = (self.clean - cv2.GaussianBlur(self.clean.astype("f4"), (0, 0), 2))[spot].std()
        self.assertAlmostEqual(texture / wanted, 1.0, delta=0.12)

    def test_nothing_outside_the_selection_changes(self) -> None:
        image = self.clean.astype(np.float32)
        selection = disc(240, 240, 60, 200, 20).astype("f4")
        out, _ = self.mend(image, selection)
        self.assert_equal_arrays(out[selection == 0], image[selection == 0])

    def test_modes_change_in_one_direction(self) -> None:
        image = self.clean.astype(np.float32).copy()
        image[disc(240, 240, 114, 120, 9)] -= 0.15
        image[disc(240, 240, 128, 120, 5)] += 0.15
        selection = disc(240, 240, 120, 120, 26).astype("f4")
        for mode, sign in ((MendMode.LIFT_DARKS, 1), (MendMode.TAME_BRIGHTS, -1)):
            out, _ = self.mend(image, selection, mode=mode)
            rise = sign * (out - image) @ np.float32([0.2126, 0.7152, 0.0722])
            self.assertGreaterEqual(float(rise.min()), -1e-5)
            self.assertGreater(float(rise.max()), 0.08)

    def test_opacity_weakens(self) -> None:
        image = self.clean.astype(np.float32).copy()
        image[disc(240, 240, 120, 120, 10)] -= 0.2
        _, result = self.mend(image, 0.4 * disc(240, 240, 120, 120, 20).astype("f4"), opacity=0.4)
        self.assertAlmostEqual(float(result.coverage.max()), 0.4, places=5)

    def test_large_areas_and_borders(self) -> None:
        image = self.clean.astype(np.float32)
        for x, y, radius in ((0, 0, 20), (239, 120, 15), (66, 66, 54), (5, 236, 3)):
            with self.subTest(x=x, y=y, radius=radius):
                out, _ = self.mend(image, disc(240, 240, x, y, radius).astype("f4"))
                self.assertLess(float(np.abs(cv2.GaussianBlur(out - image, (0, 0), 5)).max()), 0.04)

    def test_impossible_places_say_why(self) -> None:
        image = self.clean.astype(np.float32)
        with self.assertRaisesRegex(EditError, "did not touch"):
            self.mend(image, np.zeros((240, 240), "f4"))
        with self.assertRaisesRegex(EditError, "no clean place"):
            self.mend(image, np.ones((240, 240), "f4"))

    @settings(max_examples=20, deadline=None)
    @given(st.integers(0, 239), st.integers(0, 239), st.floats(0.6, 70), st.floats(0, 1))
    def test_any_dab_anywhere(self, x: int, y: int, radius: float, hardness: float) -> None:
        ys, xs = np.mgrid[:240, :240].astype(np.float32) + 0.5
        selection = rim_profile(np.hypot(xs - x, ys - y), radius, hardness)
        try:
            out, _ = self.mend(self.clean.astype(np.float32), selection)
        except EditError:
            return
        self.assertTrue(np.isfinite(out).all())
        self.assertTrue(((out >= -0.1) & (out <= 1.1)).all())


class DemoTruthTest(Case):
    def test_mends_come_near_the_unblemished_picture(self) -> None:
        """Tone within what a retoucher would accept, texture kept, on every mark."""
        image = cv2.imread(str(DEMO / "portrait2.jpg"))[..., ::-1] / np.float32(255)
        truth = cv2.imread(str(DEMO / "portrait2_noblemishes.png"))[..., ::-1] / np.float32(255)
        marks = json.loads((DEMO / "portrait2_truth.json").read_text())["marks"]
        height, width = image.shape[:2]
        out, ys_xs = image.copy(), np.mgrid[:height, :width].astype(np.float32) + 0.5
        wanted = [mark for mark in marks if not mark["keep"]]
        for mark in wanted:
            radius = mark["r"] * (2.8 if mark["kind"] in ("papule", "pustule") else 2.0)
            place = Rect.around(mark["x"], mark["y"], radius + 1)
            distance = np.hypot(ys_xs[1] - mark["x"], ys_xs[0] - mark["y"])[place.slices]
            result = mend_spot(
                lambda rect, level: out[rect.slices], Rect(0, 0, width, height), place,
                rim_profile(distance, radius, 0.5),
            )
            part = out[result.rect.slices]
            part += result.coverage[..., None] * (result.colour - part)
        errors, ratios = [], []
        for mark in wanted:
            box = Rect.around(mark["x"], mark["y"], 4 * mark["r"]).slices
            inside = (np.hypot(ys_xs[1] - mark["x"], ys_xs[0] - mark["y"])
                      < 1.35 * mark["r"])[box]
            blurred = [cv2.GaussianBlur(a[box], (0, 0), 2) for a in (out, truth)]
            tones = [srgb_to_lab(a) for a in blurred]
            errors.append(ciede2000(*tones)[inside].mean())
            fine = [srgb_to_lab(a[box])[..., 0] - tone[..., 0]
                    for a, tone in zip((out, truth), tones, strict=True)]
            ratios.append(fine[0][inside].std() / fine[1][inside].std())
        self.assertLess(float(np.median(errors)), 1.0)
        self.assertLess(float(np.mean(errors)), 1.3)
        self.assertAlmostEqual(float(np.mean(ratios)), 1.0, delta=0.15)


if __name__ == "__main__":
    unittest.main()
