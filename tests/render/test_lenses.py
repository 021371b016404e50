"""Lenses change the view alone: each in parts as in the whole, with a legend in units."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from lather.core.rect import Rect
from lather.document import edits
from lather.document.findings import Findings
from lather.document.layers.table import KINDS
from lather.document.photo import Photo
from lather.document.state import JobState, new_state
from lather.render.compositor import render, render_photo
from lather.render.lenses.lens import REDNESS, LensLook
from lather.render.lenses.table import LENSES, looked_through
from lather.render.screen.request import Shown
from lather.render.screen.view import ViewTiles
from lather.render.worker import SameThread
from tests.render.test_edges import with_all
from tests.render.test_limits import SKIN, with_left_half
from tests.support import Case, noise_photo, painted_state, skin_photo


def through(state: JobState, lens: str, rect: Rect, level: int = 0, **how) -> np.ndarray:
    look = LensLook(lens, **how)
    return looked_through(look, state, rect, level, lambda wide, at: render(state, wide, at))


def surveyed(state: JobState) -> JobState:
    return with_left_half(replace(state, findings=Findings(mm_per_px=0.15)))


class LensTest(Case):
    def test_any_part_is_that_part_of_the_whole(self) -> None:
        for state in (painted_state(skin_photo(240, 220), 2),
                      surveyed(painted_state(skin_photo(240, 220), 2))):  # fmt: skip
            for name in LENSES:
                for level in (0, 1):
                    whole_rect = state.photo.rect.at_level(level)
                    whole = through(state, name, whole_rect, level)
                    rect = Rect(17, 9, 71, 66)
                    with self.subTest(name, level=level):
                        self.assertTrue(np.isfinite(whole).all())
                        self.assert_close(through(state, name, rect, level), whole[rect.slices],
                                          2e-3)  # fmt: skip

    def test_the_legends_read_in_units(self) -> None:
        state = surveyed(painted_state(skin_photo(), 1))
        units = {"tone": "mm", "texture": "mm", "black_white": "%", "blotch": "L*", "shine": "L*",
                 "redness": "a*", "dark": "L*", "change": "%"}  # fmt: skip
        for name, lens in LENSES.items():
            text = " ".join(swatch.text for swatch in lens.legend(state, LensLook(name)))
            with self.subTest(name):
                self.assertIn(units.get(name, ""), text)
                self.assertTrue(text)
        self.assertIn("px", LENSES["tone"].legend(new_state(skin_photo()), LensLook())[0].text)

    def test_over_sixty_layers(self) -> None:
        state = with_all(new_state(noise_photo(90, 80)), 15)
        for name in LENSES:
            self.assertTrue(np.isfinite(through(state, name, Rect(0, 0, 90, 80))).all(), name)

    def test_on_a_picture_of_one_pixel(self) -> None:
        state = new_state(Photo(np.full((1, 1, 3), 30000, np.uint16), name="p.png"))
        for name in LENSES:
            self.assertEqual(through(state, name, Rect(0, 0, 1, 1)).shape, (1, 1, 4), name)

    def test_tone_and_texture_are_the_picture_together(self) -> None:
        state = painted_state(skin_photo(), 1)
        rect = state.photo.rect
        tone, texture = (through(state, name, rect)[..., :3] for name in ("tone", "texture"))
        self.assert_close(tone + (texture - 0.5) / 3, render(state, rect)[..., :3], 1e-5)

    def test_black_and_white_by_its_weight_of_red(self) -> None:
        state = new_state(noise_photo(30, 20))
        colour = render(state, state.photo.rect)[..., :3]
        for red in (-0.8, 0.0, 0.4, 0.8):
            shown = through(state, "black_white", state.photo.rect, red_percent=100 * red)
            weights = [red, 0.84 * (1 - red), 0.16 * (1 - red)]
            self.assert_close(shown[..., 1], np.clip(colour @ weights, 0, 1), 1e-5)

    def test_change_is_grey_where_nothing_was_done(self) -> None:
        state = new_state(skin_photo(60, 50))
        self.assert_close(through(state, "change", state.photo.rect)[..., :3], 0.5, 1e-6)
        after = edits.add_computed(state, KINDS["exposure"], exposure_ev=0.3)
        shown = through(after, "change", state.photo.rect)[..., :3]
        rect = state.photo.rect
        changed = (render(after, rect) - render_photo(state.photo, rect))[..., :3]
        self.assert_close(shown, np.clip(0.5 + 4 * changed, 0, 1), 1e-5)

    def test_clipping_is_marked_and_nothing_else(self) -> None:
        samples = np.full((40, 40, 3), 30000, np.uint16)
        samples[:10], samples[30:, :, 2] = 65535, 0
        shown = through(new_state(Photo(samples, name="p.png")), "clipping", Rect(0, 0, 40, 40))
        self.assertGreater(float(shown[:10, :, 0].max()), 0.9)
        self.assertGreater(float(np.ptp(shown[:10, :, 0])), 0.3)  # hatched
        self.assertGreater(float(np.ptp(shown[30:, :, 0])), 0.3)
        self.assertLess(float(np.ptp(shown[11:29])), 1.0 - 0.15 + 0.01)
        self.assertEqual(float(np.ptp(shown[11:29, :, 0])), 0)

    def test_a_blotch_and_a_red_patch_stand_out_with_their_sign(self) -> None:
        samples = np.full((300, 300, 3), (46000, 36000, 32000), np.uint16)
        yy, xx = np.mgrid[:300, :300]
        spot = np.exp(-((xx - 60) ** 2 + (yy - 150) ** 2) / (2 * 8.0**2))
        darker = (samples * (1 - 0.08 * spot[..., None])).astype(np.uint16)
        state = surveyed(new_state(Photo(darker, name="p.png")))
        shown = through(state, "blotch", Rect(0, 0, 130, 300))[..., :3].mean(-1)
        self.assertLess(float(shown[150, 60]), float(shown[40, 60]) - 0.1)
        redder = samples.copy()
        redder[..., 0] = np.minimum(redder[..., 0] + 6000 * spot, 65535)
        state = surveyed(new_state(Photo(redder, name="p.png")))
        for name, how in (("redness", {}), ("blotch", {"deviation_of": REDNESS})):
            shown = through(state, name, Rect(0, 0, 130, 300), **how)
            self.assertGreater(float(shown[150, 60, 0]), float(shown[40, 60, 0]) + 0.1, name)

    def test_shine_is_a_light_that_fades_colour(self) -> None:
        samples = np.full((300, 300, 3), (46000, 36000, 32000), np.float64)
        yy, xx = np.mgrid[:300, :300]
        spot = np.exp(-((xx - 60) ** 2 + (yy - 150) ** 2) / (2 * 6.0**2))[..., None]
        lit = (samples + spot * (60000 - samples)).astype(np.uint16)
        state = surveyed(new_state(Photo(lit, name="p.png")))
        shown = through(state, "shine", Rect(0, 0, 130, 300))[..., 0]
        self.assertGreater(float(shown[150, 60]), 0.9)
        self.assertLess(float(shown[40, 60]), 0.4)

    def test_the_mask_lens_shows_the_product_of_mask_and_limits(self) -> None:
        state = with_left_half(painted_state(skin_photo(200, 180), 1))
        state = edits.set_limits(state, state.active_id, SKIN)
        rect = state.photo.rect
        shown, plain = through(state, "mask", rect), render(state, rect)
        self.assert_equal_arrays(shown[:, :90], plain[:, :90])
        self.assertLess(float(shown[:, 110:, :3].max()), 0.6)


class ViewTest(Case):
    def test_the_view_follows_the_lens_the_state_and_how_it_is_set(self) -> None:
        state = painted_state(skin_photo(400, 360), 1)
        view = ViewTiles(state, SameThread(), lambda request: None)
        rect = Rect(0, 0, 256, 256)
        view.set_lens(LensLook("tone"))
        view.picture(Shown.LENS, 0, rect)
        tone = view.picture(Shown.LENS, 0, rect).copy()
        view.set_lens(LensLook("black_white"))
        view.picture(Shown.LENS, 0, rect)
        grey = view.picture(Shown.LENS, 0, rect).copy()
        self.assertFalse(np.array_equal(tone, grey))
        self.assert_equal_arrays(grey[..., 0], grey[..., 2])
        view.set_lens(LensLook("black_white", red_percent=-80))
        view.picture(Shown.LENS, 0, rect)
        self.assertFalse(np.array_equal(view.picture(Shown.LENS, 0, rect), grey))

    def test_a_lens_that_looks_around_follows_a_change_beside_its_tile(self) -> None:
        state = new_state(skin_photo(600, 300))
        view = ViewTiles(state, SameThread(), lambda request: None)
        view.set_lens(LensLook("tone"))
        rect = Rect(0, 0, 256, 256)
        view.picture(Shown.LENS, 0, rect)
        before = view.picture(Shown.LENS, 0, rect).copy()
        lit = edits.add_computed(state, KINDS["radial"], centre_x_px=290.0, centre_y_px=100.0,
                                 radius_x_px=33.0, radius_y_px=60.0, exposure_ev=3.0,
                                 softness_percent=0.0)  # fmt: skip
        view.set_state(lit, {(0, 1)})  # as if only the tile beside it had changed
        view.picture(Shown.LENS, 0, rect)
        self.assertFalse(np.array_equal(view.picture(Shown.LENS, 0, rect), before))


if __name__ == "__main__":
    unittest.main()
