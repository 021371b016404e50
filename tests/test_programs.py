"""The programs that prove reliability, in their short forms; docs/reliability.md has the long."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from bench import crash
from lather.document.digest import digest
from lather.files.jobs.jobfile import load_job

ROOT = Path(__file__).parents[1]


def run(module: str, *words: object) -> subprocess.CompletedProcess:
    return subprocess.run(
        [sys.executable, "-m", module, *map(str, words)],
        capture_output=True, text=True, cwd=ROOT, check=False, timeout=600,
    )  # fmt: skip


class ProgramsTest(unittest.TestCase):
    def test_kills_lose_nothing(self) -> None:
        done = run("bench.crash", "--rounds", 6, "--seed", 1000)
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        last = done.stdout.splitlines()[-1]
        self.assertIn("6 rounds", last)
        self.assertIn("0 losses, worst loss 0 steps", last)
        self.assertGreaterEqual(int(last.split(", ")[1].split()[0]), 10)  # it worked before it died

    def test_damaged_files_crash_nothing(self) -> None:
        done = run("bench.fuzz_files", "--files", 200, "--seed", 1000)
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        self.assertIn("200 damaged files", done.stdout)
        self.assertIn("0 crashes, 0 hangs over 10 s, 0 over", done.stdout)

    def test_long_work_leaves_nothing_behind(self) -> None:
        done = run("bench.soak", "--strokes", 120)
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        self.assertIn("files left behind: none", done.stdout)

    def test_a_random_walk_through_the_window_breaks_nothing(self) -> None:
        done = run("bench.walk", "--steps", 200, "--seed", 1000)
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        self.assertIn("200 steps, seed 1000: 0 broken", done.stdout)
        for move in ("stroke", "undo", "save", "close", "signal", "fail_in_a_save"):
            self.assertRegex(done.stdout, rf"\d {move}[,\n]")
        self.assertRegex(done.stdout, r"asked: .*\d unsaved")

    def test_the_walk_sees_what_would_be_wrong(self) -> None:
        """Each fault of the application, put back in, is found by the walk's invariants."""
        faults = {
            "left without a question|no reason":
                "import lather.actions.job.opening as o; import lather.ui.window as w;"
                "o.settle_unsaved = w.settle_unsaved = lambda bench, go_on: go_on()",
            "work is gone":
                "import lather.actions.job.keeping as k; k.Keeper.leave = k.Keeper.close",
            "more or less than one thing":
                "import lather.tools.session as t; t.PenSession.take_back = lambda self: False",
        }  # fmt: skip
        for broken, fault in faults.items():
            code = (
                f"{fault}\nfrom bench import walk\n"
                "outcome = walk.run(10, 1000, say=lambda text: None)\n"
                "print(outcome.broken)\n"
            )
            done = subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True,
                                  text=True, check=False, timeout=600)  # fmt: skip
            self.assertRegex(done.stdout, broken, done.stderr[-2000:])

    def test_a_loss_would_be_seen(self) -> None:
        """The crash program's own measure: without journal and saves it finds the losses."""
        code = (
            "import lather.actions.job.keeping as k, sys\n"
            "k.Keeper._record = lambda *a: None\n"
            "from bench import crash\n"
            "crash._save = crash._checkpoint = lambda *a: None\n"
            "sys.argv = ['crash', '--child', sys.argv[1], '--seed', '5']\n"
            "crash.main()\n"
        )
        with tempfile.TemporaryDirectory() as folder:
            environment = crash.home_in(Path(folder))
            path = crash.picture_in(Path(folder), True)
            child = subprocess.Popen(
                [sys.executable, "-c", code, str(path)], cwd=ROOT, env=environment,
                stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
            )  # fmt: skip
            saved, steps = digest(load_job(path).state), []
            for line in child.stdout:
                if line.startswith("step"):
                    steps.append(line.split()[1])
                if steps and steps[-1] != saved:
                    break
            child.kill()
            child.stdout.close()
            child.wait()
            with mock.patch.dict(os.environ):
                found, _ = crash.reopened(path, True, environment)
            self.assertGreater(crash.n_lost(steps, found), 0)

    def test_losses_are_counted_from_the_end(self) -> None:
        for acknowledged, recovered, lost in (
            ("abc", "xabc", 0), ("abc", "xabcd", 0), ("abc", "xab", 1), ("abc", "xa", 2),
            ("abc", "x", 3), ("aba", "xab", 1), ("", "x", 0),
        ):  # fmt: skip
            with self.subTest(acknowledged=acknowledged, recovered=recovered):
                self.assertEqual(crash.n_lost(list(acknowledged), list(recovered)), lost)


class GoodOldAndDamagedTest(unittest.TestCase):
    def test_info_and_render(self) -> None:
        data = ROOT / "tests" / "data" / "job-v1.lather"
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "out.png"
            damaged = Path(folder) / "damaged.lather"
            damaged.write_bytes(data.read_bytes()[:-2000])
            for job in (ROOT / "demo" / "portrait1.lather", data):
                facts = json.loads(run("lather", "info", job, "--json").stdout)
                self.assertGreater(facts["photo"]["width"], 100)
                self.assertEqual(run("lather", "render", job, out).returncode, 0)
                self.assertTrue(out.exists())
                out.unlink()
            for words in (("info", damaged), ("render", damaged, out)):
                done = run("lather", *words)
                self.assertEqual(done.returncode, 1)
                self.assertEqual(done.stderr.count("\n"), 1)
                self.assertIn("'damaged.lather' was not opened: the file is damaged", done.stderr)
            self.assertFalse(out.exists())


if __name__ == "__main__":
    unittest.main()
