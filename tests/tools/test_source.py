"""Tools that take from a picked place: where from, what changes, what never does."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from lather.core.mend.mode import MendMode
from lather.core.mend.placement import Turn
from lather.document.job import Job
from lather.document.photo import Photo
from lather.document.state import new_state
from lather.errors import LatherError
from lather.render.compositor import render
from lather.tools.source import PickedSource, SourceGoes
from tests.support import Case, draw, noise_photo, session_for, skin_photo

FULL_BRUSH = {"size_px": 30.0, "hardness": 1.0, "opacity": 1.0, "flow": 1.0}


class PickedSourceTest(unittest.TestCase):
    @given(st.floats(-500, 500), st.floats(-500, 500), st.floats(-500, 500), st.floats(-500, 500))
    def test_following_keeps_what_the_first_stroke_set(self, x, y, first_x, first_y) -> None:
        turn = Turn(mirrored=True, angle_deg=30.0)
        first = PickedSource(x, y).placement(first_x, first_y, SourceGoes.FOLLOWING, turn)
        kept = PickedSource(x, y, (first_x, first_y))
        self.assertEqual(kept.placement(y, x, SourceGoes.FOLLOWING, turn), first)
        again = kept.placement(y, x, SourceGoes.FIXED, turn)
        self.assertEqual((again.dx, again.dy), (round(x - y), round(y - x)))
        self.assertEqual(again.about, (y, x))


class SourceCase(Case):
    def stroke(self, photo: Photo, tool: str, points, *, source, mode=MendMode.ALL,
               goes=SourceGoes.FIXED, **brush) -> Job:  # fmt: skip
        from dataclasses import replace

        job = Job(new_state(photo))
        session = session_for(job)
        self.failures: list[str] = []
        session.failed.connect(lambda error: self.failures.append(error.sentence()))
        session.hand = replace(session.hand, source=source, source_goes=goes, mode=mode)
        draw(session, tool, points, **{**FULL_BRUSH, **brush})
        return job

    def pictures(self, job: Job) -> tuple[np.ndarray, np.ndarray]:
        rect = job.state.photo.rect
        photo = job.state.photo.read_float(rect)[..., :3]
        return photo, render(job.state, rect)[..., :3]


class CopyTest(SourceCase):
    def test_exact_pixels_come_from_the_picked_place(self) -> None:
        job = self.stroke(noise_photo(), "copy_from_source", [(100, 90)],
                          source=PickedSource(180.0, 150.0))
        photo, out = self.pictures(job)
        self.assert_close(out[85:95, 95:105], photo[145:155, 175:185], 1 / 65535)
        changed = (out != photo).any(-1)
        ys, xs = np.nonzero(changed)
        self.assertLessEqual(float(np.hypot(xs - 99.5, ys - 89.5).max()), 16)
        self.assertEqual(job.state.active.strokes[0].source, (80, 60))

    def test_a_stroke_never_copies_what_it_copied(self) -> None:
        """The source lies under the stroke itself: still the picture as it was."""
        job = self.stroke(noise_photo(), "copy_from_source", [(60 + n, 90) for n in range(60)],
                          source=PickedSource(80.0, 90.0))
        photo, out = self.pictures(job)
        self.assert_close(out[85:95, 100:110], photo[85:95, 120:130], 1 / 65535)

    def test_lifting_and_taming_compare_pixel_by_pixel(self) -> None:
        for mode, sign in ((MendMode.LIFT_DARKS, 1), (MendMode.TAME_BRIGHTS, -1)):
            job = self.stroke(noise_photo(), "copy_from_source", [(100, 90)],
                              source=PickedSource(180.0, 150.0), mode=mode)
            photo, out = self.pictures(job)
            rise = sign * (out - photo) @ np.array([0.2126, 0.7152, 0.0722])
            self.assertGreaterEqual(float(rise.min()), -2e-5)
            self.assertGreater(float(rise.max()), 0.2)
            share = (out != photo).any(-1)[80:100, 90:110].mean()
            self.assertTrue(0.2 < share < 0.8)

    def test_opacity_from_one_per_cent(self) -> None:
        job = self.stroke(noise_photo(), "copy_from_source", [(100, 90)],
                          source=PickedSource(180.0, 150.0), opacity=0.01)
        photo, out = self.pictures(job)
        expected = 0.99 * photo[90, 100] + 0.01 * photo[150, 180]
        self.assert_close(out[90, 100], expected, 2e-4)

    def test_beyond_the_border_there_is_nothing_to_take(self) -> None:
        job = self.stroke(noise_photo(), "copy_from_source", [(100, 90)],
                          source=PickedSource(-4.0, 90.0))
        photo, out = self.pictures(job)
        self.assert_close(out[88, 90:103], photo[88, 90:103], 1 / 65535)
        self.assert_close(out[88, 108], photo[88, 4], 1 / 65535)
        far = self.stroke(noise_photo(), "copy_from_source", [(100, 90)],
                          source=PickedSource(-900.0, 90.0))
        self.assertEqual(*[a.tobytes() for a in self.pictures(far)])

    def test_without_a_source_it_says_how_to_pick_one(self) -> None:
        job = self.stroke(noise_photo(), "copy_from_source", [(100, 90)], source=None)
        self.assertIn("hold C (pen in the left hand: the comma) and click", self.failures[0])
        self.assertEqual(len(job.state.layers), 1)

    def test_a_fresh_source_is_looked_for_at_each_stroke(self) -> None:
        job = self.stroke(skin_photo(), "copy_from_source", [(200, 180)], source=None,
                          goes=SourceGoes.FRESH)
        dx, dy = job.state.active.strokes[0].source
        self.assertGreater(np.hypot(dx, dy), 15)
        photo, out = self.pictures(job)
        self.assert_close(out[180, 200], photo[180 + dy, 200 + dx], 1 / 65535)


class MendFromSourceTest(SourceCase):
    def test_texture_comes_from_there_and_tone_from_around(self) -> None:
        """The source lies in a darker part: its grain comes, its darkness does not."""
        samples = skin_photo(400, 360).samples.copy()
        samples[:, 250:] = samples[:, 250:] * 0.6
        random = np.random.default_rng(4).normal(0, 900, (360, 150, 1))
        samples[:, 250:] = np.clip(samples[:, 250:] + random, 0, 65535)
        job = self.stroke(Photo(samples, name="two.png"), "mend_from_source", [(120, 180)],
                          source=PickedSource(330.0, 180.0), hardness=0.5, size_px=60.0)
        photo, out = self.pictures(job)
        place, around = np.s_[170:190, 110:130], np.s_[170:190, 20:40]
        self.assert_close(out[place].mean((0, 1)), photo[place].mean((0, 1)), 0.012)
        # Neighbours' differences show the grain alone: the source's is stronger.
        grain = [np.diff(image[part][..., 1]).std()
                 for image, part in ((out, place), (photo, around))]
        self.assertGreater(grain[0], 1.15 * grain[1])
        self.assertEqual(job.state.active.strokes[0].source, (210, 0))
        self.assertEqual(job.history.done[0].name, "Mend from source")

    def test_without_a_source_nothing_happens(self) -> None:
        job = self.stroke(skin_photo(), "mend_from_source", [(100, 90)], source=None)
        self.assertEqual(len(job.history.done), 0)
        self.assertIn("no source is picked", self.failures[0])

    def test_sources_outside_the_picture_are_survived(self) -> None:
        for x in (-30.0, -5000.0, 9e5):
            try:
                self.stroke(skin_photo(), "mend_from_source", [(100, 90)],
                            source=PickedSource(x, 90.0))
            except LatherError as error:
                self.assertNotIn("\n", error.sentence())
