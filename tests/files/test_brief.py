"""A brief's file: there and back, and what is said of one that is none."""

from __future__ import annotations

import json
import unittest
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from lather.core.survey.findings.finding import Kind
from lather.document import edits
from lather.document.agreed.brief import Brief, Delivered, Task
from lather.document.agreed.briefing import add_trial, set_brief
from lather.document.agreed.style import Style
from lather.document.agreed.trials import Answer, Trial
from lather.document.agreed.written_brief import KeptMark, WrittenBrief
from lather.document.state import new_state
from lather.errors import BriefError
from lather.files.jobs.brief import brief_entry, brief_from, brief_text, read_brief, write_brief
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from tests.support import Case, photo_in

briefs = st.builds(
    Brief,
    delivery_long_side_px=st.none() | st.integers(1, 60000),
    style=st.sampled_from(Style), words=st.text(max_size=60),
    moved_limits=st.dictionaries(st.sampled_from(["texture_kept.least", "colour_shift.most"]),
                                 st.floats(0, 1)),
    keep_kinds=st.lists(st.sampled_from(Kind), max_size=3).map(tuple),
    tasks=st.lists(st.sampled_from(Task), max_size=3).map(tuple),
    more_sizes_px=st.lists(st.integers(1, 9000), max_size=2).map(tuple),
    formats=st.lists(st.sampled_from(Delivered), max_size=3).map(tuple),
    n_pictures=st.none() | st.integers(0, 9999), fee=st.none() | st.floats(0, 1e6),
    currency=st.text(max_size=5), agreed_hours=st.none() | st.floats(0, 1e4),
    deadline=st.just("") | st.dates().map(lambda day: day.isoformat()),
    consent_by=st.text(max_size=20), guardian=st.text(max_size=20),
)  # fmt: skip


class FileTest(Case):
    def path(self, text: str):
        path = self.folder / "brief.json"
        path.write_text(text, encoding="utf-8")
        return path

    @given(briefs)
    def test_every_brief_comes_back_as_it_was(self, brief: Brief) -> None:
        entry = json.loads(json.dumps(brief_entry(brief)))
        self.assertEqual(brief_from(entry), replace(
            brief, moved_limits=dict(sorted(brief.moved_limits.items()))))  # fmt: skip

    def test_a_file_holds_the_photo_its_marks_and_the_questions(self) -> None:
        held = WrittenBrief(Brief(words="clean, please"), "p.jpg", "ab12",
                            (KeptMark(Kind.MOLE, 10.0, 20.5, 4.0),), ("One mole: keep?",))
        path = self.folder / "b.json"
        write_brief(path, held)
        self.assertEqual(read_brief(path), held)
        self.assertEqual(json.loads(brief_text(held))["format"], "lather-brief")

    def test_fields_of_a_newer_lather_are_kept(self) -> None:
        entry = json.loads(brief_text(WrittenBrief(Brief()))) | {"mood": "sunny"}
        held = read_brief(self.path(json.dumps(entry)))
        self.assertEqual(held.brief.extras, {"mood": "sunny"})
        self.assertIn("sunny", brief_text(held))

    def test_what_is_no_brief_is_one_clear_sentence(self) -> None:
        good = json.loads(brief_text(WrittenBrief(Brief())))
        for text, said in (
            ("{", "no JSON"), ("[]", "no brief of Lather"), ('{"format": "x"}', "no brief"),
            (json.dumps(good | {"version": 2}), "newer Lather"),
            (json.dumps(good | {"version": "1"}), "newer Lather"),
            (json.dumps(good | {"fee": "much"}), "fee|convert"),
            (json.dumps(good | {"deadline": "soon"}), "isoformat|soon"),
            (json.dumps(good | {"tasks": "all"}), "no list"),
            (json.dumps(good | {"keep": [{"x": 1}]}), "'y' is missing"),
            (json.dumps(good | {"keep": [{"x": 1, "y": 2, "radius_px": 0}]}), "no size"),
            (json.dumps(good | {"limits": {"texture_kept.least": 7}}), "more than the photo"),
            (json.dumps(good | {"limits": {"plastic.most": 1}}), "no measure's"),
            (json.dumps(good | {"words": 3}), "no text"),
            ("\0" * (2**20 + 5), "larger than a brief"),
        ):  # fmt: skip
            with self.subTest(said), self.assertRaisesRegex(BriefError, said) as caught:
                read_brief(self.path(text))
            self.assertNotIn("\n", caught.exception.sentence())
        with self.assertRaisesRegex(BriefError, "No such file"):
            read_brief(self.folder / "nowhere.json")

    def test_a_job_keeps_its_brief_and_its_blinded_tests(self) -> None:
        state = new_state(photo_in(self.folder))
        brief = Brief(words="nice", style=Style.NATURAL, tasks=(Task.SHINE,), fee=90.0)
        state = add_trial(set_brief(state, brief), Trial(Answer.WRONG, "2026-02-03T04:05:06", 1, 2))
        path = self.folder / "job.lather"
        save_job(state, path)
        loaded = load_job(path).state
        self.assertEqual(loaded.brief, brief)
        self.assertEqual(loaded.trials, state.trials)
        older = edits.set_style(state, Style.GROOMED)
        self.assertNotEqual(older.work, state.work)


if __name__ == "__main__":
    unittest.main()
