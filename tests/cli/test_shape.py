"""lather shape, and what lather info and lather render make of it."""

from __future__ import annotations

import contextlib
import io
import json
import shutil
import unittest
from pathlib import Path

import cv2
import numpy as np

from lather.cli.main import main
from lather.files.jobs.backups import backups_of
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.lock import Lock
from lather.files.places import beside
from tests.support import DEMO, Case

PUSH = "420,900,436,900,220"


class ShapeTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.photo = self.folder / "p.jpg"
        shutil.copy(DEMO / "portrait8.jpg", self.photo)
        self.job = self.folder / "a.lather"

    def run_(self, *words: str | Path) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            status = main([str(word) for word in words])
        return status, out.getvalue(), err.getvalue()

    def test_a_push_is_written_measured_rendered_and_taken_further(self) -> None:
        status, out, err = self.run_(
            "shape", self.photo, self.job, "--push", PUSH, "--mirror", "--hold", "lips"
        )
        self.assertEqual(status, 0, err)
        self.assertRegex(out, r"moved up to 3\.\d+ mm .*limit 2.5%; .* cm2 moved; stretched")
        state = load_job(self.job).state
        self.assertEqual([layer.kind for layer in state.layers], ["photo", "reshape"])
        self.assertTrue(state.active.hold)
        status, out, _ = self.run_("info", self.job, "--json")
        facts = json.loads(out)["shape"]
        self.assertAlmostEqual(facts["largest_px"], 16, delta=1.5)
        self.assertEqual(len(facts["evenness"]), 8)
        picture = self.folder / "out.png"
        self.assertEqual(self.run_("render", self.job, picture)[0], 0)
        before, after = cv2.imread(str(self.photo)), cv2.imread(str(picture))
        differs = np.abs(before.astype(int) - after).max(-1) > 12
        self.assertGreater(differs[800:1000, 330:520].mean(), 0.02)
        self.assertFalse(differs[1500:].any())
        # Without OUT the job itself is changed, and the earlier one kept beside it.
        self.assertEqual(self.run_("shape", self.job, "--push", "420,1000,430,1000,200")[0], 0)
        self.assertEqual(len(load_job(self.job).state.active.strokes), 2)
        self.assertEqual(len(backups_of(self.job)), 1)

    def test_bad_input_is_one_clear_line(self) -> None:
        self.run_("shape", self.photo, self.job, "--push", PUSH)
        for words, why in (
            (("--push", "1,2,3"), "is not X0,Y0,X1,Y1,SIZE"),
            (("--push", "9000,1,2,3,4"), "begins outside of the 1600 x 2000 picture"),
            (("--push", "1,1,1e9,1,50"), "ends outside of the 1600 x 2000 picture"),
            (("--push", "1,1,90,1,1e9"), "has a size beyond 4 to 4000 px"),
            (("--push", "1,1,90,1,0.01"), "has a size beyond 4 to 4000 px"),
            (("--push", "5,5,5,5,40"), "goes nowhere"),
            (("--push", "5,5,9,nan,40"), "has no place or no size"),
            (("--push", PUSH, "--hold", "foo"), "'foo' is no region"),
            (("--push", PUSH, "--give", "300"), "is no share"),
        ):
            status, _, err = self.run_("shape", self.job, *words)
            with self.subTest(words):
                self.assertEqual(status, 1)
                self.assertIn(why, err)
                self.assertEqual(len(err.strip().splitlines()), 1)
        status, _, err = self.run_("shape", self.photo, "--push", PUSH)
        self.assertIn("is a photo, which is never changed", err)

    def test_a_job_that_is_open_elsewhere_is_left_alone(self) -> None:
        self.run_("shape", self.photo, self.job, "--push", PUSH)
        before = self.job.read_bytes()
        lock = Lock.acquire(beside(self.job).lock, "a.lather")
        try:
            import subprocess
            import sys

            done = subprocess.run(
                [sys.executable, "-m", "lather", "shape", self.job, "--push", PUSH],
                capture_output=True, text=True, check=False, timeout=120,
                cwd=Path(__file__).parents[2],
            )  # fmt: skip
        finally:
            lock.release()
        self.assertEqual(done.returncode, 1)
        self.assertIn("has it open", done.stderr)
        self.assertEqual(self.job.read_bytes(), before)


if __name__ == "__main__":
    unittest.main()
