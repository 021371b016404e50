"""The check of a surveyed portrait: exact where something known was done, and its levers."""

from __future__ import annotations

import unittest
from dataclasses import replace
from functools import lru_cache

import cv2
import numpy as np

from bench.changed import truth
from bench.check_quality import clean_truth
from bench.planted import PLANTS, painted
from lather.assist.check.blind import blind_pair
from lather.assist.check.check import Verdict, check
from lather.assist.check.lever import find_causes, find_lever
from lather.assist.check.table import BY_ID, ROWS
from lather.assist.check.views import Views
from lather.core.check.limits import TABLE
from lather.core.colour.lab import ciede2000, lab_to_srgb, luma, to_encoded, to_linear
from lather.core.colour.labs import lab_of
from lather.core.kernels import prepare_kernels
from lather.core.survey.regions.region import Region
from lather.core.work import CancelToken
from lather.document import edits
from lather.document.agreed.briefing import set_brief
from lather.document.agreed.style import Style
from lather.document.agreed.trials import Answer
from lather.document.layers.exposure import ExposureLayer
from lather.document.layers.layer import Mask
from lather.document.layers.table import KINDS
from lather.document.planes import with_plane
from lather.document.state import JobState, new_state
from lather.document.tiles import BLACK_MASK, Tiles
from lather.errors import Cancelled, EditError
from lather.render.compositor import render
from tests.support import DEMO, Case, skin_photo

SCALE = 0.6


def setUpModule() -> None:
    prepare_kernels()


@lru_cache(maxsize=1)
def portrait(scale: float = SCALE) -> JobState:
    """Portrait 8 at a share of its size, surveyed."""
    from bench.evenness import surveyed

    picture = cv2.imread(str(DEMO / "portrait8.jpg"))[..., ::-1].astype(np.float32) / 255
    small = cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return surveyed(small)


def shown(state: JobState) -> np.ndarray:
    return render(state, state.photo.rect)[..., :3].copy()


def smoothed(state: JobState, sigma_mm: float = 0.5) -> JobState:
    """A live blur over all of it."""
    state = edits.add_computed(replace(state, active_id=state.layers[-1].id), KINDS["blur"])
    sigma_px = sigma_mm / (state.findings.mm_per_px or 1)
    return edits.set_parameter(state, state.active_id, "radius_px", sigma_px)


class TableTest(Case):
    def test_every_measure_has_its_limit_and_the_other_way_round(self) -> None:
        self.assertEqual([row.id for row in ROWS], [limit.id for limit in TABLE])
        for row in ROWS:
            with self.subTest(row.id):
                limit = next(one for one in TABLE if one.id == row.id)
                self.assertTrue(row.help and row.advice)
                self.assertEqual(bool(row.too_much), limit.high is not None)
                self.assertEqual(bool(row.too_little), limit.low is not None)


class CheckTest(Case):
    def test_a_photo_by_itself_is_at_the_start_of_every_row(self) -> None:
        found = check(portrait())
        self.assertIs(found.verdict, Verdict.UNTOUCHED)
        self.assertEqual([row.row.id for row in found.rows if row.share > 0.01], [])
        self.assertEqual(found.reasons, ())
        self.assertIn("defaults", found.facts()["brief"])

    def test_a_photo_that_is_hidden_is_compared_with_all_the_same(self) -> None:
        state = portrait()
        covered = painted(state, shown(state))
        hidden = edits.set_visible(covered, covered.layers[0].id, False)
        found = check(hidden, quick=True)
        self.assertLess(found.share, 0.05)

    def test_a_job_that_was_not_surveyed_is_refused_with_what_to_do(self) -> None:
        with self.assertRaisesRegex(EditError, "survey the portrait first"):
            check(new_state(skin_photo()))

    def test_it_can_be_cancelled(self) -> None:
        token = CancelToken()
        token.cancel()
        with self.assertRaises(Cancelled):
            check(smoothed(portrait()), cancel=token)

    def test_a_known_shift_of_colour_is_its_ciede2000(self) -> None:
        state = portrait()
        lab = lab_of(shown(state)).astype(np.float64)
        moved = lab + np.array((0.0, 3.0, -1.0))  # as light as it was
        other = painted(state, lab_to_srgb(moved).astype(np.float32))
        found = check(other, rows=[BY_ID["colour_shift"]]).rows[0].reading
        rect = state.photo.rect
        skin = np.zeros((rect.height, rect.width), bool)
        from lather.render.ground import photo_ground
        from lather.render.regions import region_coverage

        for part in found.by_part:
            skin |= region_coverage(photo_ground(state), part, rect) > 0.9
        true = ciede2000(lab, moved)[skin]
        self.assertGreater(found.value, true.mean() - 0.3)
        self.assertLess(found.value, true.max())
        for value in found.by_part.values():
            self.assertAlmostEqual(value, float(true.mean()), delta=0.35)

    def test_texture_that_is_halved_is_half_kept(self) -> None:
        state = portrait()
        rgb = shown(state)
        sigma_px = 0.5 / state.findings.mm_per_px
        lab = lab_of(rgb)
        smooth = cv2.GaussianBlur(np.ascontiguousarray(lab[..., 0]), (0, 0), sigma_px)
        lab[..., 0] = smooth + 0.5 * (lab[..., 0] - smooth)
        found = check(painted(state, lab_to_srgb(lab.astype(np.float64)).astype(np.float32)),
                      rows=[BY_ID["texture_kept"], BY_ID["sharpness"]])  # fmt: skip
        for row in found.rows:
            self.assertAlmostEqual(row.reading.value, 0.5, delta=0.12)

    def test_planted_overdoing_is_found_and_a_clean_retouch_passes(self) -> None:
        state = portrait()
        rgb, planes = shown(state), truth(8, SCALE)
        mm = state.findings.mm_per_px
        for plant in PLANTS:
            if plant.name in ("bent lines", "colour spilt over edges"):
                continue  # in full size, by the bench
            with self.subTest(plant.name):
                made = painted(state, *plant.make(rgb, planes, mm))
                found = check(made, rows=[BY_ID[name] for name in plant.found_by])
                self.assertGreater(found.share, 1.0)
                self.assertIs(found.verdict, Verdict.OVERDONE)
                self.assertTrue(found.reasons[0].startswith(found.beyond[0].row.title))
        clean = check(painted(state, clean_truth(8, SCALE)))
        self.assertIsNot(clean.verdict, Verdict.OVERDONE, clean.reasons)

    def test_the_quick_check_agrees_with_the_whole_one(self) -> None:
        state = smoothed(portrait(), 0.25)
        quick, full = check(state, quick=True), check(state)
        self.assertTrue(quick.is_quick)
        self.assertLess(len(quick.rows), len(full.rows))
        for row in quick.rows:
            if row.reading.value is not None and row.row.id != "clipped":
                other = full.row(row.row.id)
                with self.subTest(row.row.id):
                    self.assertLess(abs(row.share - other.share), 0.2 * max(1.0, other.share))

    def test_a_mark_that_is_to_be_kept_and_was_painted_over_is_said(self) -> None:
        state = portrait()
        from lather.document.findings import FindingState

        kept = [f for f in state.findings.in_state(FindingState.KEPT)
                if f.kind.value == "mole"]  # fmt: skip
        self.assertTrue(kept)
        mole = max(kept, key=lambda f: abs(f.contrast_l))
        rgb = shown(state)
        reach = int(2.2 * mole.reach_px)
        x, y = int(mole.x), int(mole.y)
        rgb[y - reach : y + reach, x - reach : x + reach] = rgb[y - reach, x - reach]
        found = check(painted(state, rgb), rows=[BY_ID["keep_marks"]])
        self.assertIs(found.verdict, Verdict.OVERDONE)
        place = found.rows[0].reading.place
        self.assertAlmostEqual(place[0], mole.x, delta=1)
        self.assertIn("mole", found.reasons[0])

    def test_a_spot_that_was_made_is_found_and_smoothing_makes_none(self) -> None:
        state = portrait()
        rgb, mm = shown(state), state.findings.mm_per_px
        ys, xs = np.mgrid[: rgb.shape[0], : rgb.shape[1]]
        row = BY_ID["new_spots"]
        begun = Views(state).begun
        for part in begun.weights:
            x, y = (v * (1 << begun.skin.level) for v in begun.middle(part))
            away = np.hypot(xs - x, ys - y) * mm
            bell = np.exp(-((away / 1.3) ** 2))[..., None].astype(np.float32)
            rgb -= bell * np.array((0.02, 0.16, 0.13), dtype=np.float32)
        found = check(painted(state, rgb), rows=[row])
        self.assertGreaterEqual(found.rows[0].reading.value, 5)
        calm = check(smoothed(state, 0.3), rows=[row])
        self.assertLessEqual(calm.rows[0].reading.value, 1)

    def test_after_a_stroke_only_what_it_touched_is_measured_anew(self) -> None:
        from lather.document.tiles import TILE_PX

        state = edits.add_pixel_layer(portrait(), "Stroke")
        tile = np.zeros((TILE_PX, TILE_PX, 4), dtype=np.uint16)
        tile[60:120, 40:200] = (30000, 20000, 15000, 60000)
        face = state.findings.faces[0]
        key = tuple(int(v) // TILE_PX for v in reversed(face.at(0.3, 0.9)))
        painted_on = edits.set_pixels(state, state.active_id,
                                      state.active.tiles.with_tiles({key: tile}))  # fmt: skip
        rows = [BY_ID[name] for name in ("texture_kept", "sharpness", "clipped")]
        check(state, quick=True, rows=rows)
        after = check(painted_on, quick=True, rows=rows)  # goes on from the one before
        check(edits.set_style(painted_on, Style.NATURAL), quick=True, rows=rows)
        fresh = check(edits.set_style(painted_on, Style.GROOMED), quick=True, rows=rows)
        for one, other in zip(after.rows, fresh.rows, strict=True):
            self.assertAlmostEqual(one.reading.value, other.reading.value, places=5)

    def test_limits_of_the_brief_count(self) -> None:
        state = smoothed(portrait(), 0.12)
        share = check(state, rows=[BY_ID["texture_kept"]]).share
        stricter = set_brief(state, replace(state.brief, style=Style.INFANT))
        self.assertGreater(check(stricter, rows=[BY_ID["texture_kept"]]).share, share)
        moved = replace(state.brief, moved_limits={"texture_kept.least": 0.01})
        self.assertLess(check(set_brief(state, moved), rows=[BY_ID["texture_kept"]]).share, share)

    def test_an_identity_picture_may_be_lit_and_nothing_else(self) -> None:
        state = set_brief(portrait(), replace(portrait().brief, style=Style.IDENTITY))
        lit = edits.add_computed(state, ExposureLayer, exposure_ev=0.4)
        self.assertIs(check(lit, quick=True).verdict, Verdict.UNTOUCHED)
        painted_over = smoothed(lit)
        found = check(painted_over, quick=True)
        self.assertIs(found.verdict, Verdict.OVERDONE)
        self.assertIn("retouches a picture for a document", found.reasons[0])


class WholePictureTest(Case):
    """What is done to a picture as a whole belongs to the start; what one place went through is
    seen there."""

    def test_exposure_and_black_and_white_are_no_retouch_in_any_style(self) -> None:
        state = portrait()
        rgb = to_linear(shown(state)).astype(np.float32)
        grey = to_encoded(np.repeat(luma(rgb)[..., None], 3, -1))
        for style in (Style.NATURAL, Style.GROOMED, Style.INFANT):
            begun = edits.set_style(state, style)
            for name, made in (
                ("lighter, a layer", edits.add_computed(begun, ExposureLayer, exposure_ev=0.5)),
                ("darker, a layer", edits.add_computed(begun, ExposureLayer, exposure_ev=-0.5)),
                ("grey, a layer", edits.add_computed(begun, KINDS["mono"])),
                ("lighter, painted", painted(begun, to_encoded(np.clip(rgb * 2**0.5, 0, 1)))),
                ("darker, painted", painted(begun, to_encoded(rgb * 2**-0.5))),
                ("grey, painted", painted(begun, grey)),
            ):  # fmt: skip
                with self.subTest(name, style=style.value):
                    found = check(made, quick=True)
                    self.assertIsNot(found.verdict, Verdict.OVERDONE, found.reasons)

    def test_lit_through_a_mask_it_is_a_retouch(self) -> None:
        state = edits.add_computed(portrait(), ExposureLayer, exposure_ev=0.9)
        masked = edits.update_layer(state, state.active_id, mask=Mask(tiles=_left_half(state)))
        self.assertIs(check(masked, quick=True).verdict, Verdict.OVERDONE)

    def test_a_perfect_denoise_is_not_plastic_and_grain_that_skin_alone_lost_is_told(self) -> None:
        from bench.evenness import surveyed

        rgb = shown(portrait())
        noise = np.random.default_rng(5).normal(0, 0.012, rgb.shape).astype(np.float32)
        noisy = surveyed(np.clip(rgb + noise, 0, 1))
        clean = check(painted(noisy, rgb))
        self.assertIsNot(clean.verdict, Verdict.OVERDONE, clean.reasons)
        self.assertIsNone(clean.row("grain").reading.value)
        self.assertIn("untouched", clean.row("grain").reading.why_not)
        skin = truth(8, SCALE)[Region.SKIN]
        halved = painted(noisy, np.clip(rgb + noise / 2, 0, 1), skin)
        found = check(halved, rows=[BY_ID["grain"]]).rows[0]
        self.assertAlmostEqual(found.reading.value, 0.56, delta=0.09)  # it has grain of its own
        self.assertGreater(found.share, 1)

    def test_one_place_raised_and_another_flattened_do_not_cancel(self) -> None:
        state = portrait()
        lab = lab_of(shown(state)).astype(np.float64)
        face = state.findings.faces[0]
        ys, xs = np.mgrid[: lab.shape[0], : lab.shape[1]]
        for side, by in ((-0.45, 11.0), (0.45, -11.0)):
            x, y = face.at(side, 0.75)
            lab[..., 0] += by * np.exp(-((np.hypot(xs - x, ys - y) / (70 * SCALE)) ** 2))
        made = painted(state, lab_to_srgb(lab).astype(np.float32))
        found = check(made, rows=[BY_ID["light_moved"]]).rows[0]
        self.assertGreater(found.share, 0.8)
        self.assertEqual(check(state, rows=[BY_ID["light_moved"]]).rows[0].reading.value, 0)

    def test_the_little_colour_of_pale_whites_cannot_be_used_up_without_a_word(self) -> None:
        state = portrait()
        lab = lab_of(shown(state)).astype(np.float64)
        white = truth(8, SCALE)[Region.EYE_WHITE] > 0.3
        chroma = np.median(np.hypot(lab[white][:, 1], lab[white][:, 2]))
        lab[white, 1:] *= 2.0 / chroma  # pale whites
        pale = lab_to_srgb(lab).astype(np.float32)
        from bench.evenness import surveyed

        begun = surveyed(pale)
        lab[white, 1:] *= 0.05
        found = check(painted(begun, lab_to_srgb(lab).astype(np.float32)),
                      rows=[BY_ID["eye_whites_colour"]]).rows[0]  # fmt: skip
        self.assertTrue(found.is_beyond, found.sentence())

    def test_an_untouched_picture_says_that_grain_was_not_measured(self) -> None:
        found = check(portrait(), rows=[BY_ID["grain"]]).rows[0]
        self.assertEqual((found.reading.value, found.reading.why_not),
                         (None, "no skin was touched"))  # fmt: skip

    def test_where_it_is_beside_skin_is_said_by_the_region(self) -> None:
        state, planes = portrait(), truth(8, SCALE)
        lips = planes[Region.LIPS]
        made = painted(state, np.clip(shown(state) * np.float32((0.7, 0.5, 1.1)), 0, 1), lips)
        found = check(made, rows=[BY_ID["other_colour"]]).rows[0]
        self.assertEqual(found.reading.where, "lips")
        x, y = found.reading.place
        self.assertGreater(lips[int(y), int(x)], 0.3)


def _left_half(state: JobState) -> Tiles:
    rect = state.photo.rect
    plane = np.zeros((rect.height, rect.width), np.float32)
    plane[:, : rect.width // 2] = 1
    return with_plane(BLACK_MASK, rect, plane)


class LeverTest(Case):
    def test_it_names_the_layer_and_brings_the_measure_to_its_limit(self) -> None:
        state = edits.add_pixel_layer(portrait(), "Nothing on it")
        state = smoothed(state, 0.5)
        row = check(state, rows=[BY_ID["texture_kept"]]).rows[0]
        lever = find_lever(state, row)
        self.assertEqual(lever.layer_id, state.layers[-1].id)
        self.assertTrue(lever.is_enough)
        self.assertLess(lever.strength, lever.now)
        at, over = (check(edits.set_strength(state, lever.layer_id, s), rows=[row.row]).share
                    for s in (lever.strength, lever.strength + 0.1))  # fmt: skip
        self.assertLessEqual(at, 1.0)
        self.assertGreater(over, 1.0)
        self.assertIn("brings this to the limit", lever.sentence())

    def test_every_row_that_went_some_way_names_the_layer_that_does_it(self) -> None:
        state = smoothed(edits.add_pixel_layer(portrait(), "Nothing on it"), 0.25)
        found = check(state)
        causes = find_causes(state, found)
        self.assertEqual(causes.layers["texture_kept"], state.layers[-1].name)
        self.assertEqual(set(causes.levers), {row.row.id for row in found.beyond})

    def test_where_no_layer_has_to_do_with_it_there_is_none(self) -> None:
        state = edits.add_pixel_layer(portrait(), "Nothing on it")
        row = check(state, rows=[BY_ID["texture_kept"]]).rows[0]
        self.assertIsNone(find_lever(state, row))

    def test_one_that_is_not_enough_says_so(self) -> None:
        state = smoothed(smoothed(portrait(), 0.6), 0.6)
        row = check(state, rows=[BY_ID["texture_kept"]]).rows[0]
        lever = find_lever(state, row)
        if lever is not None:
            self.assertFalse(lever.is_enough)
            self.assertIn("not enough by itself", lever.sentence())


class BlindTest(Case):
    def test_the_pair_is_the_same_place_at_delivery_size_in_either_order(self) -> None:
        state = smoothed(edits.set_delivery_long_side(portrait(), 600))
        pairs = [blind_pair(state, 300, 240, lambda n=n: n) for n in (0, 1)]
        for n, pair in enumerate(pairs):
            self.assertEqual(pair.photo_at, n)
            self.assertEqual(pair.pictures[0].shape, (240, 300, 4))
            self.assertIs(pair.answer(n), Answer.RIGHT)
            self.assertIs(pair.answer(1 - n), Answer.WRONG)
            self.assertIs(pair.answer(None), Answer.CANNOT_TELL)
        self.assert_close(pairs[0].pictures[0], pairs[1].pictures[1], 0)
        fine = [float(np.abs(np.diff(p[..., 1], axis=1)).mean()) for p in pairs[0].pictures]
        self.assertGreater(fine[0], fine[1])

    def test_a_picture_smaller_than_asked_for_is_shown_whole(self) -> None:
        pair = blind_pair(new_state(skin_photo(90, 70)), 300, 240)
        self.assertEqual(pair.pictures[0].shape[:2], (70, 90))


if __name__ == "__main__":
    unittest.main()
