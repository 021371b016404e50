"""Findings in the job: states, undo, and what comes back from files."""

import json
import unittest

from lather.core.survey.findings.finding import Kind
from lather.document import edits
from lather.document.digest import digest
from lather.document.findings import Findings, FindingState
from lather.document.job import Job
from lather.document.state import new_state
from lather.files.jobs.findings import findings_entry, findings_from
from tests.support import Case, finding, noise_photo, surveyed


class FindingsTest(unittest.TestCase):
    def test_marks_of_the_person_are_proposed_to_be_kept(self) -> None:
        findings = surveyed(4)
        self.assertEqual([f.id for f in findings.in_state(FindingState.KEPT)], [4])
        self.assertEqual([f.id for f in findings.in_state(FindingState.OPEN)], [1, 2, 3])
        self.assertIsNone(Findings().mm_per_px)
        self.assertEqual(findings.mm_per_px, 0.25)
        self.assertTrue(edits.set_findings(new_state(noise_photo(20, 20)), findings).surveyed)
        self.assertFalse(new_state(noise_photo(20, 20)).surveyed)

    def test_decisions_are_undoable_steps(self) -> None:
        job = Job(new_state(noise_photo(60, 50)))
        job.change("Survey", edits.set_findings(job.state, surveyed(3)))
        before = digest(job.state)
        job.change("Skip", edits.decide(job.state, [1, 2], FindingState.SKIPPED))
        self.assertNotEqual(digest(job.state), before)
        self.assertEqual(len(list(job.state.findings.in_state(FindingState.SKIPPED))), 2)
        self.assertTrue(job.modified)
        job.undo()
        self.assertEqual(digest(job.state), before)

    def test_the_same_decision_is_no_step(self) -> None:
        state = edits.set_findings(new_state(noise_photo(20, 20)), surveyed(2))
        self.assertIs(edits.decide(state, [2], FindingState.KEPT), state)

    def test_unknown_ids_are_told(self) -> None:
        with self.assertRaises(KeyError):
            surveyed(2).get(9)


class FileTest(Case):
    def test_there_and_back(self) -> None:
        findings = surveyed(5).decided([1], FindingState.DONE).decided([4], FindingState.OPEN)
        entry = json.loads(json.dumps(findings_entry(findings)))
        back = findings_from(entry)
        self.assertEqual(back.items, findings.items)
        for item in findings.items:
            self.assertIs(back.state(item), findings.state(item))
        self.assertIsNone(findings_entry(Findings()))
        self.assertEqual(findings_from(None), Findings())

    def test_findings_of_strangers_are_bounded(self) -> None:
        def changed(**values):
            entry = json.loads(json.dumps(findings_entry(surveyed(2))))
            entry["items"][0].update(values)
            return entry

        for odd in ({"x": float("nan")}, {"extent_px": [1.0]}, {"extent_px": [1e9] * 24},
                    {"kind": 7}, {"kind": "x" * 101}):  # fmt: skip
            with self.subTest(odd):
                read = findings_from(changed(**odd))
                self.assertEqual((len(read.items), len(read.unread)), (1, 1))
                self.assertEqual(findings_entry(read)["items"][-1], changed(**odd)["items"][0])
        read = findings_from({"mm_per_px": 0, "items": [{}] * 20_001})
        self.assertEqual((read.mm_per_px, len(read.unread)), (None, 20_001))
        self.assertEqual(findings_entry(read)["mm_per_px"], 0)

    def test_kinds_say_whom_they_belong_to(self) -> None:
        for kind in Kind:
            groups = (kind.is_blemish, kind.belongs_to_person, kind.is_line, kind.is_patch,
                      kind is Kind.FLAKE)  # fmt: skip
            self.assertEqual(sum(groups), 2 if kind is Kind.FOLD else 1)  # a line, and kept
            self.assertEqual(finding(1, kind=kind).kind, kind)


if __name__ == "__main__":
    unittest.main()
