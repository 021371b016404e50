"""What the hand set in a job stays when the command line works on it."""

from __future__ import annotations

import json
import shutil
import tempfile
from pathlib import Path

import cv2
import numpy as np

from bench.changed import portrait
from lather.assist.survey import survey_photo, surveyed, with_survey
from lather.core.survey.findings.finding import Kind
from lather.document import edits
from lather.document.agreed.style import Style
from lather.document.findings import FindingState
from lather.document.scale import set_scale
from lather.document.state import JobState, new_state
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.photos.reading import read_photo
from tests.cli.test_cli import call
from tests.support import Case


class ByHandTest(Case):
    state: JobState

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.mkdtemp()
        cls.addClassCleanup(shutil.rmtree, folder)
        path = Path(folder) / "portrait.png"
        cv2.imwrite(str(path), (portrait(8, 0.3)[..., ::-1] * 255 + 0.5).astype(np.uint8))
        photo = read_photo(path)
        cls.state = with_survey(new_state(photo), surveyed(survey_photo(photo)))

    def setUp(self) -> None:
        super().setUp()
        self.job, self.out = self.folder / "job.lather", self.folder / "out.png"
        self.after = self.folder / "after.lather"

    def test_a_scale_and_a_handle_stay_under_every_verb(self) -> None:
        state = set_scale(self.state, 0.433)
        x, y = state.findings.faces[0].handles["chin"]
        findings = state.findings
        face = findings.faces[0].with_handle("chin", x + 3, y + 5)
        save_job(self.with_faces(state, face), self.job)
        for words in (("clean",), ("even",), ("retouch", "--stages", "even")):
            with self.subTest(words):
                verb, *more = words
                status, _, told = call(verb, self.job, self.out, *more, "--job", self.after,
                                       "--replace")  # fmt: skip
                self.assertIn(status, (0, 3), told)
                kept = load_job(self.after).state.findings
                self.assertEqual(kept.mm_per_px, 0.433)
                self.assertEqual(kept.faces[0].handles["chin"], (x + 3, y + 5))

    @staticmethod
    def with_faces(state: JobState, face: object) -> JobState:
        from dataclasses import replace

        return replace(state, findings=replace(state.findings, faces=(face,)))

    def test_a_scale_that_is_given_counts_on_a_surveyed_job(self) -> None:
        save_job(self.state, self.job)
        facts = self.folder / "facts.json"
        for scale in (0.2, 0.6):
            status, _, told = call("survey", self.job, "--mm-per-pixel", scale, "--json", facts)
            self.assertEqual(status, 0, told)
            self.assertEqual(json.loads(facts.read_text())["mm_per_pixel"], scale)
        measured = []
        for scale in ((), ("--mm-per-pixel", 0.2)):
            status, text, told = call("split", self.job, "--tone", self.folder / "tone.tif",
                                      "--texture", self.folder / "texture.tif", *scale)  # fmt: skip
            self.assertEqual(status, 0, told)
            measured.append(text)
        self.assertNotEqual(*measured)

    def test_a_kept_place_without_a_finding_is_a_mark_and_said(self) -> None:
        save_job(self.state, self.job)
        x, y = self.state.findings.faces[0].at(0, -0.75)
        self.assertFalse([f for f in self.state.findings.items if f.holds(x, y)])
        status, _, told = call("clean", self.job, self.out, "--keep", f"{x:.0f},{y:.0f},5",
                               "--job", self.after)  # fmt: skip
        self.assertEqual(status, 0, told)
        self.assertIn("found nothing there", told)
        kept = load_job(self.after).state.findings
        marks = [f for f in kept.in_state(FindingState.KEPT) if f.kind is Kind.MARK]
        self.assertEqual([(f.x, f.y) for f in marks], [(round(x), round(y))])

    def test_an_identity_job_is_refused_in_a_sentence(self) -> None:
        save_job(edits.set_style(self.state, Style.IDENTITY), self.job)
        status, _, told = call("clean", self.job, self.out)
        self.assertEqual(status, 1)
        self.assertIn("Nothing was cleaned: the brief says 'identity'", told)
        self.assertFalse(self.out.exists())
