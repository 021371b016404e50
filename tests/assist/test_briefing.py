"""A brief and a portrait together: questions, marks to keep, templates."""

from __future__ import annotations

import unittest
from dataclasses import replace

from lather.assist.briefing import (
    kept_marks,
    money,
    questions,
    with_written,
    written_brief,
    zoom_advice,
)
from lather.assist.retouch import RetouchOptions, retouch
from lather.assist.stages import assistants
from lather.core.survey.findings.finding import Kind
from lather.document import edits
from lather.document.agreed.brief import Brief, Task
from lather.document.agreed.briefing import set_brief
from lather.document.agreed.style import Style
from lather.document.agreed.written_brief import KeptMark, WrittenBrief
from lather.document.findings import Findings, FindingState
from lather.document.layers.layer import Stage
from lather.document.state import new_state
from lather.errors import EditError
from tests.support import Case, finding, photo_in


class BriefingTest(Case):
    def setUp(self) -> None:
        super().setUp()
        moles = [finding(n, 40.0 + 60 * n, 80.0, kind=Kind.MOLE) for n in (1, 2, 3)]
        scar = finding(4, 60.0, 200.0, kind=Kind.SCAR)
        crease = finding(5, 150.0, 200.0, kind=Kind.CREASE)
        photo = photo_in(self.folder)
        found = Findings.of_survey(0.2, [*moles, scar, crease])
        self.state = edits.set_findings(new_state(photo), found)

    def test_questions_are_asked_by_kind_and_count(self) -> None:
        asked = questions(self.state)
        self.assertEqual([q.text for q in asked],
                         ["Three moles: keep?", "One scar: keep?", "One crease: keep?"])
        self.assertEqual([q.keep for q in asked], [True, True, False])
        self.assertEqual(asked[0].ids, (1, 2, 3))

    def test_a_brief_of_this_photo_keeps_its_marks_even_one_that_was_not_found(self) -> None:
        written = written_brief(self.state)
        self.assertEqual(len(written.keep), 4)
        opened = edits.decide(self.state, [1, 2], FindingState.OPEN)
        missing = KeptMark(Kind.SCAR, 250.0, 250.0, 6.0)
        state, said = with_written(opened, replace(written, keep=(*written.keep, missing)))
        kept = {f.id for f in state.findings.in_state(FindingState.KEPT)}
        self.assertTrue({1, 2, 3, 4} <= kept)
        self.assertEqual(len(said), 1)
        self.assertIn("One scar of the brief was not found", said[0])
        new = next(f for f in state.findings.items if f.kind is Kind.MARK)
        self.assertEqual((new.x, new.y, new.radius_px), (250.0, 250.0, 6.0))

    def test_a_brief_of_another_photo_is_a_template(self) -> None:
        written = replace(written_brief(self.state), photo_sha256="other", photo_name="b.jpg",
                          brief=Brief(style=Style.NATURAL, words="soft"))  # fmt: skip
        state, said = with_written(self.state, written)
        self.assertEqual(state.brief.words, "soft")
        self.assertIs(state.brief.style, Style.NATURAL)
        self.assertIn("'b.jpg': its 4 marks", said[0])
        self.assertEqual(kept_marks(state), kept_marks(self.state))
        self.assertEqual(with_written(self.state, WrittenBrief(Brief()))[1], ())

    def test_zoom_and_money_are_worked_out(self) -> None:
        self.assertIn("work at 100 %", zoom_advice(self.state))
        half = edits.set_delivery_long_side(self.state, self.state.photo.width // 2)
        self.assertIn("at 50%", zoom_advice(half))
        self.assertIn("4 px here needs no work", zoom_advice(half))
        brief = Brief(n_pictures=10, fee=300.0, agreed_hours=5.0)
        self.assertEqual(money(brief), "30.00 EUR a picture, 30 min a picture, 60.00 EUR an hour")
        self.assertEqual(money(Brief()), "")

    def test_assistants_go_by_what_is_to_be_done(self) -> None:
        every = {stage: len(assistants(stage)) for stage in Stage}
        self.assertEqual((every[Stage.CLEAN], every[Stage.EVEN]), (1, 3))
        only = Brief(tasks=(Task.SHINE, Task.TEETH))
        self.assertEqual(len(assistants(Stage.CLEAN, only)), 0)
        self.assertEqual(len(assistants(Stage.EVEN, only)), 1)
        creases = Brief(tasks=(Task.CREASES,))
        state, done = retouch(set_brief(self.state, creases), RetouchOptions((Stage.CLEAN,)))
        self.assertEqual(len(done), 1)
        self.assertTrue(all(state.findings.state(state.findings.get(n)) is not FindingState.DONE
                            for n in (1, 2, 3, 4)))  # fmt: skip

    def test_an_identity_picture_is_not_retouched(self) -> None:
        state = set_brief(self.state, Brief(style=Style.IDENTITY))
        with self.assertRaisesRegex(EditError, "must show the person"):
            retouch(state, RetouchOptions((Stage.CLEAN, Stage.EVEN)))


if __name__ == "__main__":
    unittest.main()
