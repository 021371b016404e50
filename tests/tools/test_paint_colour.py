"""Paint colour on what is darker or brighter alone, and the colour of a disc that it picks."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from lather.assist.picking import disc_colour
from lather.core.mend.mode import MendMode
from lather.document.findings import Findings
from lather.document.job import Job
from lather.document.photo import Photo
from lather.document.state import JobState, new_state
from lather.errors import EditError
from lather.render.compositor import render
from tests.support import Case, draw, session_for

GREY = (0.5, 0.5, 0.5)


def stripes() -> JobState:
    """Dark, middle and bright thirds of grey."""
    rgb = np.full((200, 300, 3), 0.5)
    rgb[:, :100], rgb[:, 200:] = 0.3, 0.8
    return new_state(Photo((rgb * 65535).astype(np.uint16), name="stripes.png"))


class ModeTest(Case):
    def painted(self, mode: MendMode) -> np.ndarray:
        job = Job(stripes())
        session = session_for(job)
        session.hand = replace(session.hand, tool="paint_colour", mode=mode, colour=GREY)
        draw(session, "paint_colour", [(20, 100), (280, 100)], size_px=60, opacity=1.0, flow=1.0,
             hardness=1.0, pressure_flow=False)  # fmt: skip
        return render(job.state, job.state.photo.rect)[100, :, 0]

    def test_only_what_is_brighter_is_tamed(self) -> None:
        row = self.painted(MendMode.TAME_BRIGHTS)
        self.assertAlmostEqual(float(row[50]), 0.3, delta=2e-3)
        self.assertAlmostEqual(float(row[250]), 0.5, delta=2e-3)

    def test_only_what_is_darker_is_lifted(self) -> None:
        row = self.painted(MendMode.LIFT_DARKS)
        self.assertAlmostEqual(float(row[50]), 0.5, delta=2e-3)
        self.assertAlmostEqual(float(row[250]), 0.8, delta=2e-3)

    def test_all_of_it_is_covered_else(self) -> None:
        row = self.painted(MendMode.ALL)
        self.assertTrue(np.allclose(row[30:270], 0.5, atol=2e-3))


class DiscTest(Case):
    def setUp(self) -> None:
        super().setUp()
        rgb = np.full((120, 120, 3), (0.7, 0.5, 0.4))
        rgb[::7, ::7] = 0.05  # pores
        rgb[:, 80:] = (0.2, 0.3, 0.9)
        photo = Photo((rgb * 65535).astype(np.uint16), name="skin.png")
        self.state = replace(new_state(photo), findings=Findings(0.1))

    def test_pores_do_not_count(self) -> None:
        for mm in (0.5, 1.0, 2.0):
            self.assert_close(disc_colour(self.state, 40, 40, mm), (0.7, 0.5, 0.4), 1e-3)

    def test_the_disc_is_as_wide_as_it_says(self) -> None:
        """At 8 px from another colour discs of up to 1.6 mm are on one of them alone."""
        for mm in (0.5, 1.0):
            self.assert_close(disc_colour(self.state, 72, 43, mm), (0.7, 0.5, 0.4), 1e-3)
        self.assert_close(disc_colour(self.state, 100, 43, 2.0), (0.2, 0.3, 0.9), 1e-3)

    def test_beyond_the_picture_there_is_nothing_to_pick(self) -> None:
        with self.assertRaisesRegex(EditError, "beyond the picture"):
            disc_colour(self.state, 500, 40, 1.0)


if __name__ == "__main__":
    unittest.main()
