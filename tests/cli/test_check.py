"""lather brief, lather check, and lather retouch under a brief: what they write and refuse."""

from __future__ import annotations

import json
import unittest
from dataclasses import replace
from pathlib import Path

from lather.document import edits
from lather.document.agreed.brief import Brief
from lather.document.agreed.briefing import set_brief
from lather.document.agreed.style import Style
from lather.document.agreed.written_brief import WrittenBrief
from lather.document.layers.table import KINDS
from lather.files.jobs.brief import read_brief, write_brief
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from tests.cli.test_cli import call
from tests.support import Case, small_portrait


class PhotoCase(Case):
    def setUp(self) -> None:
        super().setUp()
        self.photo = small_portrait(self.folder, 0.4)

    def brief(self, brief: Brief) -> Path:
        path = self.folder / "given.json"
        write_brief(path, WrittenBrief(brief))
        return path


class BriefTest(PhotoCase):
    def test_it_writes_style_marks_and_questions_and_is_a_template(self) -> None:
        out = self.folder / "brief.json"
        status, said, err = call("brief", self.photo, out, "--style", "natural",
                                 "--long-side", "400")  # fmt: skip
        self.assertEqual(status, 0, err)
        held = read_brief(out)
        self.assertIs(held.brief.style, Style.NATURAL)
        self.assertEqual(held.brief.delivery_long_side_px, 400)
        self.assertTrue(held.keep and held.questions)
        self.assertIn("Delivered at 50%", said)
        self.assertIn("ask: ", said)
        again = self.folder / "again.json"
        status, _, err = call("brief", self.photo, again, "--brief", out, "--style", "flawless")
        self.assertEqual(status, 0, err)
        self.assertIs(read_brief(again).brief.style, Style.FLAWLESS)
        self.assertEqual(read_brief(again).brief.delivery_long_side_px, 400)

    def test_it_goes_to_standard_output(self) -> None:
        status, said, _ = call("brief", self.photo, "-", "--style", "groomed")
        self.assertEqual(status, 0)
        self.assertEqual(json.loads(said)["format"], "lather-brief")

    def test_what_makes_no_sense_is_one_line(self) -> None:
        damaged = self.folder / "damaged.json"
        damaged.write_text("{")
        out = self.folder / "out.json"
        for words, said in ((("--long-side", "0"), "no size"), (("--brief", damaged), "no JSON")):
            status, _, err = call("brief", self.photo, out, *words)
            self.assertEqual(status, 1)
            self.assertIn(said, err)
            self.assertFalse(out.exists())


class RetouchTest(PhotoCase):
    def test_without_stages_all_assistants_run_under_the_brief_and_the_check_ends_it(self) -> None:
        out, job, figures = (self.folder / name for name in ("o.png", "o.lather", "o.json"))
        # What a brief calls too much is for the brief to say: here nothing may be evened.
        strict = self.brief(Brief(style=Style.NATURAL, moved_limits={"evenness.least": 0.99}))
        status, said, err = call("retouch", self.photo, out, "--brief", strict, "--job", job,
                                 "--json", figures)  # fmt: skip
        self.assertEqual(status, 3, err)
        self.assertTrue(out.exists())
        facts = json.loads(figures.read_text())
        self.assertEqual({entry["stage"] for entry in facts["assistants"]}, {"clean", "even"})
        self.assertEqual(facts["check"]["verdict"], "overdone")
        self.assertIn("check: overdone", said)
        self.assertIs(load_job(job).state.brief.style, Style.NATURAL)

        loose = self.brief(Brief(style=Style.FLAWLESS))
        status, said, err = call("check", job, "--brief", loose, "--json", "-")
        facts = json.loads(said)
        self.assertEqual(facts["style"], "flawless")
        self.assertIn(status, (0, 3))
        self.assertEqual(status == 3, facts["verdict"] == "overdone")
        ids = {row["id"] for row in facts["rows"]}
        self.assertTrue({"texture_kept", "seams", "new_spots", "keep_marks"} <= ids)

    def test_identity_is_refused_and_nothing_is_written(self) -> None:
        out, job = self.folder / "out.png", self.folder / "out.lather"
        by_style = ("--style", "identity")
        by_brief = ("--brief", self.brief(Brief(style=Style.IDENTITY)))
        for words in (by_style, by_brief):
            for verb in ("retouch", "even"):
                with self.subTest(verb=verb, words=words[0]):
                    status, _, err = call(verb, self.photo, out, *words, "--job", job)
                    self.assertEqual(status, 1)
                    self.assertIn("must show the person as they are", err)
                    self.assertFalse(out.exists() or job.exists())

    def test_a_style_that_is_named_wins_over_the_briefs_and_has_to_fit_it(self) -> None:
        moved = self.brief(Brief(moved_limits={"displacement.most": 0.02}))
        status, _, err = call("retouch", self.photo, self.folder / "o.png", "--brief", moved,
                              "--style", "infant")  # fmt: skip
        self.assertEqual(status, 1)
        self.assertIn("child's face is not changed", err)


class CheckTest(PhotoCase):
    def setUp(self) -> None:
        super().setUp()
        from lather.document.state import new_state
        from lather.files.photos.reading import read_photo

        self.state = new_state(read_photo(self.photo))

    def job(self, state) -> Path:
        path = self.folder / "job.lather"
        save_job(state, path)
        return path

    def test_a_job_without_changes_has_an_untouched_look(self) -> None:
        path = self.job(self.state)
        before = path.read_bytes()
        status, said, err = call("check", path)
        self.assertEqual(status, 0, err)
        self.assertIn("check: untouched look", said)
        self.assertIn("no brief was written: these are the defaults", said)
        self.assertEqual(path.read_bytes(), before)

    def test_overdoing_is_status_3_with_reasons_and_a_lever(self) -> None:
        state = edits.add_computed(self.state, KINDS["blur"])
        state = edits.set_parameter(state, state.active_id, "radius_px", 3.0)
        figures = self.folder / "check.json"
        status, said, err = call("check", self.job(state), "--levers", "--json", figures)
        self.assertEqual(status, 3, err)
        self.assertIn("plastic", said)
        facts = json.loads(figures.read_text())
        lever = next(one for one in facts["levers"] if one["id"] == "texture_kept")
        self.assertEqual(lever["layer"], "Blur")
        self.assertLess(lever["strength"], lever["instead_of"])

    def test_an_identity_job_with_layers_says_which_of_them(self) -> None:
        state = edits.add_computed(self.state, KINDS["blur"])
        state = set_brief(state, replace(state.brief, style=Style.IDENTITY))
        status, said, _ = call("check", self.job(state))
        self.assertEqual(status, 3)
        self.assertIn("'Blur' retouches a picture for a document", said)

    def test_a_file_that_is_no_job_is_one_line(self) -> None:
        status, _, err = call("check", self.folder / "nothing.lather")
        self.assertEqual(status, 1)
        self.assertEqual(err.count("\n"), 1)


if __name__ == "__main__":
    unittest.main()
