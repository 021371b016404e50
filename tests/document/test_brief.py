"""The brief: what it says, what it forbids, and that it says one thing at once."""

from __future__ import annotations

import unittest
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from lather.core.bounds import MOST_TRIALS
from lather.core.survey.findings.finding import Kind
from lather.document import edits
from lather.document.agreed.brief import (
    Brief,
    Delivered,
    Task,
    missing_consent,
    refuse_contradictions,
)
from lather.document.agreed.briefing import add_trial, retouching, set_brief
from lather.document.agreed.style import Style
from lather.document.agreed.trials import Answer, Trial, told
from lather.document.findings import FindingState
from lather.document.job import Job
from lather.document.layers.exposure import ExposureLayer
from lather.document.state import new_state
from lather.errors import BoundsError, BriefError, EditError
from tests.support import Case, painted_state, skin_photo, surveyed

LIMITS = tuple(Brief().limits.numbers)


class BriefTest(Case):
    def test_without_one_everything_is_to_be_done(self) -> None:
        brief = Brief()
        self.assertTrue(brief.is_default)
        self.assertTrue(all(map(brief.wants, Task)))
        self.assertTrue(all(map(brief.wants_done, Kind)))
        only = Brief(tasks=(Task.SHINE,))
        self.assertTrue(only.wants_done(Kind.SHINE))
        self.assertFalse(only.wants_done(Kind.RED))
        self.assertFalse(any(map(Brief(style=Style.IDENTITY).wants, Task)))

    def test_what_an_order_leaves_for_a_picture(self) -> None:
        brief = Brief(n_pictures=20, fee=400.0, agreed_hours=10.0)
        self.assertEqual(brief.fee_per_picture, 20.0)
        self.assertEqual(brief.minutes_per_picture, 30.0)
        self.assertIsNone(Brief().fee_per_picture)

    def test_consent_is_asked_for_and_a_childs_guardians(self) -> None:
        self.assertIn("agreed", missing_consent(Brief()))
        self.assertEqual(missing_consent(Brief(consent_by="she")), "")
        infant = Brief(style=Style.INFANT, consent_by="the aunt")
        self.assertIn("guardian", missing_consent(infant))
        self.assertEqual(missing_consent(replace(infant, guardian="the father")), "")

    def test_what_says_two_things_at_once_is_one_clear_sentence(self) -> None:
        for brief, said in (
            (Brief(moved_limits={"texture_kept.least": 1.4}), "more than the photo has"),
            (Brief(moved_limits={"modelling_kept.most": 0.7}), "less than the photo has"),
            (Brief(moved_limits={"plastic.most": 1.0}), "no measure's"),
            (Brief(moved_limits={"displacement.most": 3.0}), "cannot be 3"),
            (Brief(style=Style.INFANT, moved_limits={"displacement.most": 0.02}), "child's face"),
            (Brief(keep_kinds=(Kind.CREASE,), tasks=(Task.CREASES,)), "both"),
        ):  # fmt: skip
            with self.subTest(said), self.assertRaisesRegex(BriefError, said):
                refuse_contradictions(brief)

    @given(st.dictionaries(st.sampled_from(LIMITS), st.floats(allow_nan=True), max_size=4))
    def test_a_brief_that_is_taken_can_be_worked_by(self, moved: dict[str, float]) -> None:
        try:
            brief = Brief(moved_limits=moved)
            refuse_contradictions(brief)
        except (BoundsError, BriefError):
            return
        for bound in brief.limits.bounds.values():
            self.assertTrue(bound.low is None or bound.low <= bound.start)
            self.assertTrue(bound.high is None or bound.high >= bound.start)

    def test_kinds_that_are_kept_follow_the_brief_and_decisions_stay(self) -> None:
        state = edits.set_findings(new_state(skin_photo()), surveyed(3))
        vein = next((f for f in state.findings.items if not f.kind.belongs_to_person), None)
        self.assertIsNotNone(vein)
        kept = set_brief(state, replace(state.brief, keep_kinds=(vein.kind,)))
        self.assertIs(kept.findings.state(vein), FindingState.KEPT)
        back = set_brief(kept, replace(kept.brief, keep_kinds=()))
        self.assertIs(back.findings.state(vein), FindingState.OPEN)
        done = edits.decide(kept, [vein.id], FindingState.DONE)
        self.assertIs(set_brief(done, Brief()).findings.state(vein), FindingState.DONE)


class IdentityTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.job = Job(painted_state(n_layers=2))
        identity = replace(self.job.state.brief, style=Style.IDENTITY)
        self.job.change("Brief", set_brief(self.job.state, identity))

    def test_retouching_is_refused_with_the_reason_and_nothing_is_changed(self) -> None:
        before = self.job.state
        layer = before.layers[1]
        for name, edit in (
            ("add", lambda s: edits.duplicate(s, layer.id)),
            ("paint", lambda s: edits.set_pixels(s, layer.id, layer.planes["pixels"].with_tiles(
                {(0, 0): None}))),
            ("stronger", lambda s: edits.set_mode(s, layer.id, list(type(layer.mode))[3])),
        ):  # fmt: skip
            with self.subTest(name), self.assertRaisesRegex(EditError, "must show the person"):
                self.job.change(name, edit(before))
            self.assertIs(self.job.state, before)

    def test_exposure_and_taking_back_are_allowed(self) -> None:
        self.job.change("Light", edits.add_computed(self.job.state, ExposureLayer))
        exposure = self.job.state.active_id
        self.job.change("More", edits.set_parameter(self.job.state, exposure, "exposure_ev", 0.5))
        layer = self.job.state.layers[1]
        self.job.change("Weaker", edits.set_strength(self.job.state, layer.id, 0.3))
        self.job.change("Hidden", edits.set_visible(self.job.state, layer.id, False))
        self.assertEqual(len(retouching(self.job.state)), 1)
        self.job.change("Gone", edits.delete(self.job.state, self.job.state.layers[2].id))
        self.assertEqual(retouching(self.job.state), [])
        with self.assertRaisesRegex(EditError, "must show the person"):
            self.job.change("Shown", edits.set_visible(self.job.state, layer.id, True))

    def test_a_brush_is_refused_before_it_paints(self) -> None:
        from lather.document.access import paintable

        with self.assertRaisesRegex(EditError, "identity"):
            paintable(self.job.state, self.job.state.layers[1].id)


class TrialsTest(Case):
    def test_answers_are_kept_and_told(self) -> None:
        state = new_state(skin_photo())
        self.assertEqual(told(state.trials), "")
        for answer in (Answer.RIGHT, Answer.WRONG, Answer.CANNOT_TELL):
            trial = Trial(answer, "2026-01-01T10:00:00+00:00", 0.5, 3)
            state = add_trial(state, trial)
            self.assertTrue(trial.sentence())
        self.assertEqual(told(state.trials), "Blinded: told from the photo 1 of 3 times.")
        for _ in range(MOST_TRIALS):
            state = add_trial(state, state.trials[-1])
        self.assertEqual(len(state.trials), MOST_TRIALS)

    def test_formats_have_their_names_as_in_files(self) -> None:
        self.assertEqual([form.value for form in Delivered], ["jpeg", "png", "tiff", "webp"])


if __name__ == "__main__":
    unittest.main()
