"""Patches lie on this person's skin, not on what is worn on it; each person is their own."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from bench.changed import facts, portrait, truth
from bench.turned import turned_state
from bench.worn import WORN, Wearer
from lather.assist.even.match import is_infant
from lather.assist.even.scores import skin_scores
from lather.assist.face_map import feature_outlines, map_rect, part_outlines
from lather.assist.shape.face_features import mesh_of, most_mm
from lather.assist.split_radius import split_radius
from lather.assist.survey import survey_anew, survey_photo, surveyed, with_survey
from lather.core.survey.regions.region import Part, Region
from lather.document.people import person_at, pupil_distance_mm, px_per_mm_of, scale_by_hand
from lather.document.photo import Photo
from lather.document.scale import set_scale
from lather.document.state import JobState, new_state
from tests.support import Case


def as_photo(rgb: np.ndarray) -> Photo:
    return Photo((np.clip(rgb, 0, 1) * 65535 + 0.5).astype("u2"), name="portrait.png")


def job_of(rgb: np.ndarray) -> JobState:
    photo = as_photo(rgb)
    return with_survey(new_state(photo), surveyed(survey_photo(photo)))


class WornTest(Case):
    def test_no_patch_lies_on_what_is_worn(self) -> None:
        for name in set(WORN) - {"beads and a ring"}:  # those have a row of the bench
            rgb, covered = WORN[name](portrait(8), truth(8)[Region.SKIN], Wearer.of(facts(8)))
            found = [f for f in survey_photo(as_photo(rgb)).findings if f.kind.is_patch]
            with self.subTest(name):
                self.assertGreater(len(found), 4)  # on the face as ever
                self.assertEqual([f.kind for f in found if covered[int(f.y), int(f.x)] > 0.5], [])


class PeopleTest(Case):
    @classmethod
    def setUpClass(cls) -> None:
        one, other = portrait(8, 0.5), portrait(2, 0.4)
        canvas = np.full((1000, 800 + 640, 3), 0.5, "f4")
        canvas[:, :800] = one
        canvas[200:1000, 800:] = other
        cls.state = job_of(canvas)
        cls.faces = cls.state.findings.faces

    def test_each_has_a_scale_a_mesh_and_a_place(self) -> None:
        self.assertEqual(len(self.faces), 2)
        for person, face in enumerate(self.faces):
            self.assertEqual(person_at(self.state.findings, *face.at(0, 0.5)), person)
            per_mm = px_per_mm_of(self.state.findings, person, self.state.photo)
            self.assertAlmostEqual(1 / per_mm, face.mm_per_px())
            mesh = mesh_of(self.state, person)
            self.assertLess(np.hypot(*(mesh[:, :2].mean(0) - face.at(0, 0.5))), 100)
        self.assertIsNone(mesh_of(self.state, 2))
        widths = [most_mm(self.state, person) for person in (0, 1)]
        self.assertAlmostEqual(widths[0] / widths[1], 1.0, delta=0.15)  # on each by its own scale
        by_hand = set_scale(self.state, 0.5).findings
        self.assertEqual([px_per_mm_of(by_hand, n, self.state.photo) for n in (0, 1)], [2.0, 2.0])

    def test_face_map_and_scores_are_of_the_person_asked_for(self) -> None:
        scores = skin_scores(self.state)
        self.assertEqual(len(scores.people), 2)
        for person, face in enumerate(self.faces):
            x, y = face.at(0, 0.5)
            self.assertTrue(map_rect(self.state, person).contains_point(x, y))
            lips = np.array(feature_outlines(self.state, person)[0])
            self.assertLess(np.hypot(*(lips.mean(0) - face.at(0, 1.1))), 60)
            nose = np.array(part_outlines(self.state, person)[Part.NOSE][0])
            self.assertLess(np.hypot(*(nose.mean(0) - face.at(0, 0.4))), 60)
            self.assertIn(Part.FOREHEAD, scores.of(person).parts)
        areas = [scores.of(n).parts[Part.FOREHEAD].area_cm2 for n in (0, 1)]
        self.assertAlmostEqual(sum(areas), scores.parts[Part.FOREHEAD].area_cm2, delta=0.02)

    def test_the_radius_is_measured_where_there_is_skin(self) -> None:
        apart = np.full((900, 3400, 3), 0.4, "f4")
        apart[:, :720] = portrait(8, 0.45)
        apart[:, -720:] = portrait(8, 0.45)[:, ::-1]
        self.assertGreater(split_radius(job_of(apart)).sigma_px, 0)


class InfantTest(Case):
    def test_a_turned_head_is_no_infant(self) -> None:
        state = turned_state(8, 40.0)
        face = state.findings.faces[0]
        self.assertLess(face.pupil_distance_px * face.mm_per_px(), 55)  # flat
        self.assertAlmostEqual(pupil_distance_mm(state.findings, 0), 63.0, delta=0.5)
        self.assertFalse(is_infant(state.findings, 0))

    def test_an_infant_is_one_by_the_scale(self) -> None:
        state = turned_state(8, 0.0)
        small = set_scale(state, 0.7 * state.findings.faces[0].mm_per_px())
        self.assertTrue(is_infant(small.findings, 0))


class AnewTest(Case):
    def test_scale_handles_and_regions_that_were_set_stay(self) -> None:
        state = job_of(portrait(8, 0.35))
        self.assertIsNone(scale_by_hand(state.findings))
        by_hand = set_scale(state, 0.433)
        face = by_hand.findings.faces[0]
        x, y = face.handles["chin"]
        moved = replace(by_hand.findings, faces=(face.with_handle("chin", x, y + 9),))
        found = survey_anew(replace(by_hand, findings=moved))
        self.assertEqual(found.mm_per_px, 0.433)
        self.assertEqual(found.faces[0].handles["chin"], (x, y + 9))
        self.assertEqual(survey_anew(by_hand, 0.5).mm_per_px, 0.5)


if __name__ == "__main__":
    unittest.main()
