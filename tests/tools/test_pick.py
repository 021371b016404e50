"""Pick from picture: what a picked colour means to each layer; masks that are computed."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from lather.assist import masks
from lather.assist.hue_marks import hue_marks
from lather.assist.picking import apply_pick, picked_from, picked_in_region
from lather.assist.split_layers import with_two_layers
from lather.core.colour.lab import srgb_to_lab
from lather.core.rect import Rect
from lather.core.survey.regions.region import Region
from lather.core.work import CancelToken
from lather.document import edits
from lather.document.job import Job
from lather.document.layers.limits import Limits, Span
from lather.document.layers.split import SplitLayer
from lather.document.layers.table import KINDS
from lather.document.photo import Photo
from lather.document.state import JobState, new_state
from lather.document.tiles import NO_PIXELS
from lather.errors import Cancelled, EditError
from lather.files.exchange.openraster import read_openraster, write_openraster
from lather.render.compositor import render
from lather.render.flatten import flatten
from lather.render.pictures import Pictures
from tests.render.test_limits import with_left_half
from tests.support import Case, draw, noise_photo, random_tile, session_for, skin_photo

SKIN, BLUE = (0.80, 0.62, 0.54), (0.20, 0.30, 0.75)


def two_colours() -> JobState:
    """Skin on the left, blue on the right, with faint grain."""
    samples = np.empty((200, 300, 3))
    samples[:, :150], samples[:, 150:] = SKIN, BLUE
    samples += np.random.default_rng(1).normal(0, 0.004, samples.shape)
    return new_state(Photo((samples.clip(0, 1) * 65535).astype(np.uint16), name="two.png"))


def hue_of(rgb) -> float:
    _, a, b = srgb_to_lab(np.array(rgb))
    return float(np.degrees(np.arctan2(b, a)) % 360)


class PickTest(Case):
    def on(self, kind: str, at=(60.0, 100.0), state=None, **hand):
        """Press with the tool on a layer of a kind; its parameters afterwards."""
        self.job = Job(edits.add_computed(state or two_colours(), KINDS[kind]))
        session = session_for(self.job)
        self.failed: list[str] = []
        session.failed.connect(lambda error: self.failed.append(error.sentence()))
        draw(session, "pick", [at, at], size_px=12)
        return self.job.state.active.parameters

    def test_a_hue_is_bracketed_where_it_was_pressed(self) -> None:
        for kind in ("hues", "inks", "mono"):
            (row,) = self.on(kind).ranges
            self.assertAlmostEqual(row.middle_deg, hue_of(SKIN), delta=2)
            self.assertTrue(30 <= row.width_deg <= 120)
        self.assertTrue(row.middle_deg and self.job.history.n_done == 1)

    def test_an_ink_range_has_the_lightness_around_it(self) -> None:
        (row,) = self.on("inks").ranges
        light = srgb_to_lab(np.array(SKIN))[0]
        self.assertTrue(row.low_l < light - 10 and row.high_l > light + 10)

    def test_pressing_again_moves_the_bracket_or_adds_another(self) -> None:
        state = edits.add_computed(two_colours(), KINDS["hues"])
        layer_id = state.active_id
        for at, n_ranges in (((60, 100), 1), ((40, 30), 1), ((220, 100), 2)):
            rect = Rect.around(*at, 4)
            picked = picked_from(render(state, rect), np.ones((rect.height, rect.width), "f4"))
            state = apply_pick(state, layer_id, picked, "rgb")
            self.assertEqual(len(state.active.parameters.ranges), n_ranges)

    def test_a_grey_has_no_hue_but_may_be_an_ink_range(self) -> None:
        grey = new_state(Photo(np.full((90, 90, 3), 30000, np.uint16), name="g.png"))
        self.assertEqual(self.on("hues", (40, 40), grey).ranges, ())
        self.assertIn("is grey and has no hue", self.failed[0])
        (row,) = self.on("inks", (40, 40), grey).ranges
        self.assertEqual(row.width_deg, 360)

    def test_a_single_pixel_is_enough(self) -> None:
        pixels = render(two_colours(), Rect(10, 10, 11, 11))
        picked = picked_from(pixels, np.ones((1, 1), "f4"))
        self.assertEqual(picked.n_pixels, 1)
        state = edits.add_computed(two_colours(), KINDS["inks"])
        (row,) = apply_pick(state, state.active_id, picked, "rgb").active.parameters.ranges
        self.assertGreaterEqual(row.width_deg, 30)

    def test_beyond_the_picture_nothing_is_picked(self) -> None:
        with self.assertRaisesRegex(EditError, "beyond the picture"):
            picked_from(np.zeros((4, 4, 4), "f4"), np.ones((4, 4), "f4"))

    def test_what_was_pressed_becomes_grey(self) -> None:
        given = self.on("exposure")
        self.assertTrue(given.warmth_mired < -20)
        now = render(self.job.state, Rect(60, 100, 61, 101))[0, 0, :3]
        _, a, b = srgb_to_lab(now)
        self.assertLess(float(np.hypot(a, b)), 4)

    def test_a_curve_gets_a_point_at_that_value(self) -> None:
        points = self.on("curves").rgb
        value = float(np.array(SKIN) @ [0.3, 0.59, 0.11])
        self.assertEqual(len(points), 3)
        self.assertAlmostEqual(points[1][0], value, delta=0.01)
        self.assertAlmostEqual(points[1][1], value, delta=0.01)  # it lies on the curve

    def test_colour_by_area_takes_its_mean(self) -> None:
        given = self.on("area_colour")
        mean = given.mean_l, given.mean_a, given.mean_b
        self.assert_close(mean, srgb_to_lab(np.array(SKIN)), 1)

    def test_a_layer_that_takes_no_colour_says_so(self) -> None:
        self.on("blur")
        self.assertIn("takes no colour from the picture", self.failed[0])

    def test_an_ellipse_is_dragged_from_its_middle(self) -> None:
        self.job = Job(edits.add_computed(two_colours(), KINDS["radial"], exposure_ev=1.0))
        frames = []
        session = session_for(self.job)
        session.frame.connect(frames.append)
        draw(session, "pick", [(100, 80), (120, 90), (160, 110)])
        given = self.job.state.active.parameters
        self.assertEqual((given.centre_x_px, given.centre_y_px), (100, 80))
        self.assertEqual((given.radius_x_px, given.radius_y_px), (60, 30))
        self.assertTrue(frames)  # the picture followed
        self.assertEqual(self.job.history.n_done, 1)
        draw(session, "pick", [(-400, 80), (-400, 80)])  # a press moves it, beyond the picture too
        self.assertEqual(self.job.state.active.parameters.radius_x_px, 60)
        plain = render(two_colours(), Rect(0, 0, 300, 200))
        self.assert_close(render(self.job.state, Rect(0, 0, 300, 200)), plain, 1e-6)

    def test_the_colours_of_a_region(self) -> None:
        state = edits.add_computed(with_left_half(two_colours()), KINDS["hues"])
        picked = picked_in_region(state, state.active_id, Region.SKIN)
        self.assertAlmostEqual(picked.hue_deg, hue_of(SKIN), delta=2)
        self.assertAlmostEqual(hue_marks(state)["skin"], hue_of(SKIN), delta=2)
        with self.assertRaisesRegex(EditError, "no lips in this picture"):
            picked_in_region(state, state.active_id, Region.LIPS)


class MasksTest(Case):
    def setUp(self) -> None:
        self.state = edits.add_computed(two_colours(), KINDS["exposure"], exposure_ev=0.5)
        self.id = self.state.active_id

    def plane(self, state: JobState) -> np.ndarray:
        return edits.mask_of(state, self.id).tiles.read(self.state.photo.rect) / 65535

    def test_from_picked_colours(self) -> None:
        lab = tuple(map(float, srgb_to_lab(np.array(SKIN))))
        share = masks.of_colours(self.state, self.id, lab, (1.0, 1.0, 1.0))
        plane = self.plane(masks.with_mask(self.state, self.id, share))
        self.assertGreater(float(plane[:, :148].min()), 0.9)
        self.assertFalse(plane[:, 152:].any())

    def test_from_a_region(self) -> None:
        state = with_left_half(self.state)
        made = masks.with_mask(state, self.id, masks.of_region(state, self.id, Region.SKIN))
        plane = self.plane(made)
        self.assert_close(plane[:, :149], 1, 1e-3)
        self.assert_close(plane[:, 151:], 0, 1e-3)
        with self.assertRaisesRegex(EditError, "survey the portrait first"):
            masks.of_region(self.state, self.id, Region.SKIN)

    def test_from_a_span_of_lightness(self) -> None:
        with self.assertRaisesRegex(EditError, "limited to no span"):
            masks.of_span(self.state, self.id)
        state = edits.set_limits(self.state, self.id, Limits(Span(50, 100, 5, 5)))
        plane = self.plane(masks.with_mask(state, self.id, masks.of_span(state, self.id)))
        self.assertGreater(float(plane[:, :150].min()), 0.9)  # skin has L* 70, blue 36
        self.assertFalse(plane[:, 150:].any())

    def test_from_where_the_layers_below_changed_it(self) -> None:
        state = edits.add_pixel_layer(two_colours())
        tile = np.zeros((256, 256, 4), np.uint16)
        tile[20:60, 20:60] = (65535, 65535, 65535, 65535)
        state = edits.update_layer(
            state, state.active_id, tiles=NO_PIXELS.with_tiles({(0, 0): tile})
        )
        state = edits.add_computed(state, KINDS["exposure"], exposure_ev=2.0)
        self.id = state.active_id
        plane = self.plane(masks.with_mask(state, self.id, masks.of_change(state, self.id, 2.0)))
        inside = np.zeros((200, 300), bool)
        inside[20:60, 20:60] = True
        self.assert_close(plane, inside, 1e-3)  # what it does itself is no change below it
        with self.assertRaisesRegex(EditError, "above 0 L"):
            masks.of_change(state, self.id, 0.0)

    def test_soften_and_steepen(self) -> None:
        state = with_left_half(self.state)
        hard = masks.with_mask(state, self.id, masks.of_region(state, self.id, Region.SKIN))
        soft = masks.softened(hard, self.id, 6.0)
        row = self.plane(soft)[100]
        self.assertAlmostEqual(float(row[149] + row[150]) / 2, 0.5, delta=0.02)
        self.assertTrue(0.1 < row[155] < 0.35 and row[100] > 0.99 and row[200] < 0.01)
        steeper = self.plane(masks.steepened(soft, self.id))[100]
        self.assertLess(float(steeper[155]), float(row[155]))
        self.assertAlmostEqual(float(steeper[149] + steeper[150]) / 2, 0.5, delta=0.03)

    def test_cancelling_makes_none(self) -> None:
        token = CancelToken()
        token.cancel()
        with self.assertRaises(Cancelled):
            masks.with_mask(self.state, self.id, lambda rect: np.ones((1, 1), "f4"), cancel=token)

    def test_the_tool_makes_one_while_the_brush_is_on_the_mask(self) -> None:
        job = Job(edits.add_mask(self.state, self.id))
        session = session_for(job)
        session.hand = replace(session.hand, on_mask=True)
        draw(session, "pick", [(60, 100), (60, 100)], size_px=10)
        self.assertFalse(self.plane(job.state)[:, 160:].any())
        self.assertGreater(float(self.plane(job.state)[:, :140].mean()), 0.9)


class SplitLayersTest(Case):
    def setUp(self) -> None:
        super().setUp()
        state = edits.add_computed(new_state(skin_photo(300, 280)), SplitLayer, sigma_px=5.0)
        self.split = state.active
        for stack, strength in zip(self.split.children, (0.2, 0.05), strict=True):
            state = edits.add_pixel_layer(replace(state, active_id=stack.id))
            tiles = NO_PIXELS.with_tiles({(0, 0): random_tile(2)})
            state = edits.update_layer(state, state.active_id, tiles=tiles, strength=strength)
        self.state = state

    def test_two_ordinary_layers_are_the_split(self) -> None:
        made = with_two_layers(self.state, self.split.id)
        self.assertEqual([layer.kind for layer in made.active.children], ["pixels", "pixels"])
        self.assertEqual([layer.mode.value for layer in made.active.children],
                         ["normal", "linear-light"])  # fmt: skip
        rect = self.state.photo.rect
        expected = np.clip(render(self.state, rect), 0, 1)
        self.assert_close(render(made, rect), expected, 2 / 65535)

    def test_weakened_and_masked_as_the_split_was(self) -> None:
        state = edits.set_strength(self.state, self.split.id, 0.4)
        made = with_two_layers(state, self.split.id)
        rect = state.photo.rect
        self.assert_close(render(made, rect), np.clip(render(state, rect), 0, 1), 2e-3)

    def test_they_go_to_other_programs_and_come_back(self) -> None:
        made = with_two_layers(self.state, self.split.id)
        path = self.folder / "a.ora"
        write_openraster(made, flatten(made, 16), path, pictures=Pictures(made))
        back = read_openraster(path)
        modes = [layer.mode.value for layer in back.layers[-1].children]
        self.assertEqual(modes, ["normal", "linear-light"])
        self.assert_close(render(back, back.photo.rect), render(made, made.photo.rect), 1e-4)

    def test_only_a_split_can_be(self) -> None:
        with self.assertRaisesRegex(EditError, "no split"):
            with_two_layers(self.state, self.state.layers[0].id)


class NoiseTest(Case):
    def test_masks_of_noise_are_within_bounds(self) -> None:
        state = edits.add_computed(new_state(noise_photo(90, 70)), KINDS["blur"])
        share = masks.of_colours(state, state.active_id, (50, 10, 10), (5, 5, 5))
        found = share(Rect(0, 0, 90, 70))
        self.assertTrue(found.min() >= 0 and found.max() <= 1)


if __name__ == "__main__":
    unittest.main()
