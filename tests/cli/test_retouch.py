"""lather even and lather retouch: what they write, and what they refuse."""

from __future__ import annotations

import json
import unittest

import cv2
import numpy as np

from lather.cli.main import main
from lather.document.layers.layer import Stage
from lather.files.jobs.jobfile import load_job
from tests.cli.test_cli import call
from tests.support import DEMO, Case, small_portrait


class RefusalTest(Case):
    def test_what_makes_no_sense_is_one_line_and_nothing_is_written(self) -> None:
        photo = DEMO / "portrait8.jpg"
        for words, said in (
            (("--stages", "sculpt"), "'sculpt' has no assistants yet"),
            (("--stages", "polish"), "'polish' is no stage"),
            (("--stages", ","), "is no stage"),
            (("--stages", "even", "--strength", "130"), "--strength 130 is no share"),
            (("--stages", "even", "--keep", "9999,5,3"), "lies outside"),
        ):
            with self.subTest(words):
                out = self.folder / "out.png"
                status, _, err = call("retouch", photo, out, *words)
                self.assertEqual(status, 1)
                self.assertIn(said, err)
                self.assertEqual(err.count("\n") - err.count("lather: No colour profile"), 1)
                self.assertFalse(out.exists())

    def test_a_style_that_is_none_is_refused(self) -> None:
        status, _, err = call("even", DEMO / "portrait8.jpg", self.folder / "o.png",
                              "--style", "baroque")  # fmt: skip
        self.assertEqual(status, 2)
        self.assertIn("natural", err)

    def test_a_picture_without_a_person_is_said_to_be_none(self) -> None:
        path = self.folder / "grey.png"
        cv2.imwrite(str(path), np.full((300, 300, 3), 120, np.uint8))
        status, _, err = call("even", path, self.folder / "out.png")
        self.assertEqual(status, 1)
        self.assertIn("no face was found", err)


class EvenTest(Case):
    """A small portrait, through the whole of it."""

    def setUp(self) -> None:
        super().setUp()
        self.photo = small_portrait(self.folder, 0.4)

    def test_even_writes_picture_job_and_figures(self) -> None:
        out, job, figures = (self.folder / name for name in ("o.png", "o.lather", "o.json"))
        status, said, err = call("even", self.photo, out, "--job", job, "--json", figures,
                                 "--style", "natural", "--strength", "80")  # fmt: skip
        self.assertEqual(status, 0, err)
        before, after = (cv2.imread(str(p)).astype(float) for p in (self.photo, out))
        change = np.abs(after - before).max(-1)
        self.assertGreater(change.max(), 20)  # the flash
        self.assertLess(np.median(change), 1.5)
        facts = json.loads(figures.read_text())
        self.assertEqual({entry["stage"] for entry in facts["assistants"]}, {"even"})
        names = {entry["name"] for entry in facts["assistants"] if entry["proposed"]}
        self.assertTrue({"Tame shine", "Even out"} <= names)
        for entry in facts["assistants"]:
            self.assertTrue(entry["reasons"])
        for part in facts["parts"].values():
            self.assertLessEqual(part["now"]["blotch_a"], part["start"]["blotch_a"] + 0.1)
            self.assertGreater(part["texture_kept"], 0.9)
        self.assertIn("Tame shine: ", said)
        layers = load_job(job).state.layers
        self.assertTrue(all(layer.stage is Stage.EVEN for layer in layers[1:]))
        self.assertGreater(len(layers), 2)
        again = self.folder / "again.png"
        self.assertEqual(main(["render", str(job), str(again)]), 0)
        self.assert_equal_arrays(cv2.imread(str(again)), cv2.imread(str(out)))

    def test_clean_runs_before_even_and_figures_go_to_standard_output(self) -> None:
        status, out, err = call("retouch", self.photo, self.folder / "o.jpg", "--stages",
                                "even,clean", "--json", "-")  # fmt: skip
        self.assertEqual(status, 0, err)
        facts = json.loads(out)
        stages = [entry["stage"] for entry in facts["assistants"]]
        self.assertEqual(stages, ["clean", "even", "even", "even"])
        self.assertLess(facts["assistants"][0]["measures"][0]["after"],
                        facts["assistants"][0]["measures"][0]["before"])  # fmt: skip


if __name__ == "__main__":
    unittest.main()
