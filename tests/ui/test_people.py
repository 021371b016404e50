"""Two people in one picture, in the real window: whose face map, scores and features are shown."""

from __future__ import annotations

import unittest

import numpy as np
from PyQt6.QtCore import QPointF

from bench.changed import portrait
from lather.actions.looking.people import person_of
from lather.actions.table import all_actions
from lather.assist.survey import survey_photo, surveyed, with_survey
from lather.document.layers.layer import Stage
from lather.document.photo import Photo
from lather.document.state import new_state
from lather.ui.scripted import settle, wait_until
from lather.ui.stages.even.score_panel import ScorePanel
from tests.ui.test_clean_stage import StageCase


def two_people():  # type: ignore[no-untyped-def]
    one, other = portrait(8, 0.4), portrait(2, 0.4)
    both = np.concatenate([one, other], 1)
    photo = Photo((both * 65535 + 0.5).astype(np.uint16), name="two.png")
    return with_survey(new_state(photo), surveyed(survey_photo(photo)))


class PeopleTest(StageCase):
    def setUp(self) -> None:
        super().setUp()
        self.open(two_people())
        self.bench.go_to_stage(Stage.EVEN)
        settle(self.app)
        (self.panel,) = self.window.findChildren(ScorePanel)
        wait_until(lambda: self.panel.scores is not None and self.panel.measured)
        settle(self.app)

    def shown(self) -> tuple[int, float]:
        settle(self.app)
        x, _ = np.array(self.panel.map._features[0]).mean(0)
        return person_of(self.bench), float(x)

    def hover(self, person: int) -> None:
        x, y = self.bench.state.findings.faces[person].at(0, 0.5)
        geometry = self.bench.geometry
        assert geometry is not None
        at = geometry.to_view(x, y)
        self.window.canvas._move_cursor(QPointF(*at) / self.window.canvas.devicePixelRatioF())

    def test_the_one_under_the_pen_is_shown_and_the_next_by_a_key(self) -> None:
        faces = self.bench.state.findings.faces
        self.assertEqual(len(faces), 2)
        places = [face.at(0, 1.1)[0] for face in faces]
        for person in (1, 0):
            self.hover(person)
            shown, x = self.shown()
            self.assertEqual(shown, person)
            self.assertLess(abs(x - places[person]), 60)
            self.assertEqual(self.panel.scores.parts.keys(),
                             self.panel._aside.value.people[person].keys())  # fmt: skip
        command = next(action for action in all_actions() if action.id == "view.next_person")
        for person in (1, 0):
            command.run(self.bench)
            shown, x = self.shown()
            self.assertEqual(shown, person)
            self.assertLess(abs(x - places[person]), 60)


if __name__ == "__main__":
    unittest.main()
