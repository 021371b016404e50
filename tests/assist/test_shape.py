"""What reshapes come to on the demo portraits: symmetry, turned heads, features, grain."""

from __future__ import annotations

import unittest
from dataclasses import replace
from functools import lru_cache

from bench.turned import turned_state
from lather.assist.even.scores import skin_scores
from lather.assist.shape import shape
from lather.assist.shape.face_features import feature_now, features_now, mesh_of
from lather.assist.shape.measures import shape_measures
from lather.assist.shape.straight_lines import lines_under
from lather.core.kernels import prepare_kernels
from lather.core.shape.features import FEATURES
from lather.core.shape.symmetry import Evenness, Verdict
from lather.core.survey.regions.region import Region
from lather.document import edits
from lather.document.agreed.style import Style
from lather.document.job import Job
from lather.document.scale import px_per_mm
from lather.document.state import JobState, new_state
from lather.errors import EditError
from lather.files.photos.reading import read_photo
from lather.tools.base import ShapeHand
from lather.tools.shape_parts import shift_of
from tests.support import DEMO, Case, draw, session_for

PLANTED_MM, LEFT_MM = 3.0, 0.5


def setUpModule() -> None:  # noqa: N802 - as unittest calls it
    prepare_kernels()


@lru_cache(maxsize=1)
def portrait() -> JobState:
    from lather.assist.survey import survey_photo, surveyed, with_survey

    photo = read_photo(DEMO / "portrait8.jpg")
    return with_survey(new_state(photo), surveyed(survey_photo(photo)))


def pushed(state: JobState, *, mirrored: bool, out_mm: float = PLANTED_MM) -> JobState:
    """The right cheek pushed out, as far as asked for in the plane of the face."""
    from lather.core.shape.head import face_plane

    mesh = mesh_of(state, 0)
    assert mesh is not None
    x, y = (mesh[132, :2] + mesh[234, :2]) / 2
    dx, dy = -out_mm * px_per_mm(state) * face_plane(mesh)[0]
    job = Job(state)
    session = session_for(job)
    session.hand = replace(
        session.hand, shape=ShapeHand(mirrored=mirrored, keeps_straight=False)
    )
    draw(session, "push", [(x, y), (x + dx / 2, y + dy / 2), (x + dx, y + dy)],
         size_px=70 * px_per_mm(state), hardness=0.0, flow=1.0)  # fmt: skip
    return job.state


def moved_apart(state: JobState) -> dict[str, float]:
    """How far the halves have moved apart since the start, mm, by width."""
    measured = shape_measures(state)
    assert measured is not None
    return {e.name: e.now_mm - e.start_mm for e in measured.evenness if "width" in e.name}


class TurnedTest(Case):
    """A demo portrait turned by 20 degrees through the depth of its own mesh."""

    def test_a_mirrored_push_leaves_the_halves_alike(self) -> None:
        for degrees in (20.0, -20.0):
            state = turned_state(8, degrees)
            alone = moved_apart(pushed(state, mirrored=False))
            both = moved_apart(pushed(state, mirrored=True))
            with self.subTest(degrees=degrees):
                self.assertGreater(abs(alone["cheek width"]), 1.2)
                for name, apart in both.items():
                    self.assertLess(abs(apart), LEFT_MM, name)

    def test_evening_the_other_side_takes_a_planted_difference_back(self) -> None:
        state = pushed(turned_state(8, 20.0), mirrored=False)
        planted = moved_apart(state)
        evened = moved_apart(shape.even_other_side(state))
        self.assertGreater(abs(planted["cheek width"]), 1.2)
        for name, apart in evened.items():
            self.assertLess(abs(apart), LEFT_MM, name)

    def test_a_turn_is_no_difference(self) -> None:
        """The meter says the same of a head that is turned."""
        plain, turned = (
            {e.name: e.start_mm for e in measured.evenness}
            for state in (portrait(), turned_state(8, 20.0))
            if (measured := shape_measures(pushed(state, mirrored=True))) is not None
        )
        for name, mm in plain.items():
            self.assertAlmostEqual(turned[name], mm, delta=0.3, msg=name)


class MeterTest(unittest.TestCase):
    def test_evened_and_overdone_are_told_apart(self) -> None:
        for start, now, verdict in (
            (2.0, 1.9, Verdict.AS_IT_WAS), (2.0, 0.6, Verdict.EVENED), (2.0, 3.0, Verdict.GREW),
            (2.0, -1.2, Verdict.OVERDONE), (0.4, -0.9, Verdict.OVERDONE),
            (2.0, 0.0, Verdict.EVENED),
        ):  # fmt: skip
            with self.subTest(start=start, now=now):
                self.assertIs(Evenness("jaw", start, now, 3.0).verdict, verdict)
        self.assertTrue(Evenness("jaw", 2.0, 2.0, 3.0).was_natural)
        self.assertFalse(Evenness("jaw", 4.0, 4.0, 3.0).was_natural)


class FeatureTest(Case):
    def test_a_feature_goes_as_far_as_it_is_told_and_no_further_than_the_brief(self) -> None:
        state = edits.set_style(portrait(), Style.GROOMED)
        from lather.document.reshapes import reshape_to_work_on
        from lather.tools.shape import with_layer

        per_mm = px_per_mm(state)
        for feature in FEATURES:
            for wanted_mm in (1.0, -1.0, 30.0):
                now = feature_now(state, feature, 0)
                if now is None:
                    continue
                begun, layer = reshape_to_work_on(state)
                found = shift_of(begun, layer, now, wanted_mm * per_mm)
                assert found is not None
                from lather.core.shape.guard import Guard
                from lather.document.painting.live_field import LiveField

                live = LiveField(layer, state.photo.rect)
                share = live.shift(*found, Guard())
                after = feature_now(with_layer(begun, live.layer), feature, 0)
                assert after is not None
                with self.subTest(feature.id, wanted_mm=wanted_mm):
                    if wanted_mm == 30.0:
                        self.assertLessEqual(after.moved_mm, now.most_mm + 0.05)
                    else:
                        self.assertEqual(share, 1.0)
                        self.assertAlmostEqual(after.moved_mm, wanted_mm, delta=0.3)

    def test_what_is_not_there_has_no_handle(self) -> None:
        found = {one.feature.id for one in features_now(portrait(), 0)}
        self.assertLessEqual({"jaw_line", "cheek", "chin", "nose_width", "eye_opening",
                              "lip_fullness", "brow_height", "neck"}, found)  # fmt: skip
        self.assertEqual(features_now(new_state(portrait().photo), 0), ())


class MeasureTest(Case):
    def test_displacement_against_the_brief(self) -> None:
        state = pushed(portrait(), mirrored=True)
        measured = shape_measures(state)
        assert measured is not None and measured.share is not None
        self.assertAlmostEqual(measured.largest_mm, PLANTED_MM, delta=0.4)
        self.assertAlmostEqual(measured.share, measured.largest_mm / measured.face_width_mm)
        for style, beyond in ((Style.NATURAL, True), (Style.FLAWLESS, False)):
            again = shape_measures(edits.set_style(state, style))
            assert again is not None
            self.assertEqual(again.is_beyond, beyond)
        self.assertGreater(measured.moved_cm2, 5)
        self.assertIsNone(shape_measures(portrait()))

    def test_scores_of_the_skin_are_not_measured_again(self) -> None:
        before, after = portrait(), pushed(portrait(), mirrored=True)
        plain, shaped = skin_scores(before), skin_scores(after)
        for part, score in plain.parts.items():
            self.assertEqual(shaped.parts[part].texture_kept, score.texture_kept)

    def test_grain_is_offered_only_where_some_was_lost(self) -> None:
        proposal = shape.propose_grain(portrait())
        with self.assertRaisesRegex(EditError, "nothing is moved"):
            proposal.accepted()
        kept = shape.propose_grain(pushed(portrait(), mirrored=False))
        if kept.refusal is None:
            self.assertGreater(kept.measures[0].after, kept.measures[0].before)
        else:
            self.assertRegex(kept.refusal.sentence(), "keeps .*% of its grain")

    def test_regions_hold_and_go_back(self) -> None:
        state = shape.hold_region(portrait(), Region.LIPS)
        self.assertTrue(state.active.hold)
        moved = pushed(portrait(), mirrored=True)
        back = shape.bring_back_region(moved, Region.SKIN)
        before, after = shape_measures(moved), shape_measures(back)
        assert before is not None
        self.assertLess(after.moved_cm2 if after is not None else 0.0, 0.7 * before.moved_cm2)

    def test_a_plain_background_has_no_lines_to_keep(self) -> None:
        state = portrait()
        lines = lines_under(state, state.layers[0].id)
        self.assertLessEqual(len(lines.pieces), 6)
        with self.assertRaisesRegex(EditError, "nothing is reshaped yet"):
            shape.straighten_background(state)


if __name__ == "__main__":
    unittest.main()
