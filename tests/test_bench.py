"""Every bench runs: at a small size, everything once."""

import contextlib
import io
import json
import math
import subprocess
import sys
import time
import unittest
from collections.abc import Callable
from pathlib import Path
from unittest import mock

import bench
from bench.common import LARGE, SMALL, row
from lather.cli.main import main
from tests.made import afresh
from tests.support import Case

ROOT = Path(__file__).parents[1]


# What is measured here is how it is made, each time anew.
NOT_REMEMBERED = {"survey", "cancelling"}


class SmallTest(unittest.TestCase):
    """Each group at a small size, in this process."""

    def check(self, group: str) -> None:
        with afresh() if group in NOT_REMEMBERED else contextlib.nullcontext():
            rows, failed = bench.measure([group], SMALL)
        self.assertEqual(failed, [])
        self.assertTrue(rows)
        self.assertEqual(len({entry.name for entry in rows}), len(rows))
        for entry in rows:
            with self.subTest(entry.name):
                self.assertTrue(math.isfinite(entry.value))
                if entry.ok is not None:
                    self.assertTrue(entry.target)
                if entry.reference:
                    self.assertGreater(entry.reference_value, 0)
                    self.assertGreater(entry.ratio, 0)


def _test_of(group: str) -> Callable[[SmallTest], None]:
    return lambda self: self.check(group)


for _group in bench.GROUPS:
    setattr(SmallTest, f"test_{_group.replace('.', '_')}_gives_its_rows", _test_of(_group))


class ProcessTest(Case):
    def test_the_command_writes_its_rows(self) -> None:
        out = self.folder / "rows.json"
        done = subprocess.run(
            [sys.executable, "-m", "lather", "bench", "--small", "--json", out, "graft", "export"],
            capture_output=True, text=True, cwd=ROOT, check=False, timeout=900,
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr[-3000:])
        names = [entry["name"] for entry in json.loads(out.read_text())]
        self.assertGreaterEqual(len(names), 6)
        self.assertEqual(len(set(names)), len(names))


class CommandTest(Case):
    """What the command says and returns, with groups made up here."""

    def bench(self, **groups) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with (
            mock.patch.object(bench, "GROUPS", groups),
            contextlib.redirect_stdout(out), contextlib.redirect_stderr(err),
        ):  # fmt: skip
            status = main(["bench", "--small"])
        return status, out.getvalue(), err.getvalue()

    def test_a_missed_figure_is_listed_and_no_failure(self) -> None:
        rows = [row(name, 3, "ms", target="", ok=name == "fast") for name in ("slow", "fast")]
        status, out, _ = self.bench(one=lambda scale: rows)
        self.assertEqual(status, 0)
        self.assertRegex(out, r"(?s)1 missed:\n  slow\n$")

    def test_a_group_that_fails_does_not_take_the_others_with_it(self) -> None:
        def broken(scale):
            raise ValueError("no such thing")

        good = row("good", 1.5, "ms", target="< 1x", ok=False, reference="r", reference_value=0.5)
        status, out, err = self.bench(one=broken, two=lambda scale: [good])
        self.assertEqual(status, 1)
        self.assertIn("ValueError: no such thing", err)
        self.assertIn("failed: one", err)
        self.assertRegex(out, r"good +1.500 ms +0.500 +3.00 < 1x  MISSED")

    def test_the_groups_are_given_how_much_to_measure(self) -> None:
        seen = []
        self.bench(one=lambda scale: seen.append(scale) or [])
        self.assertEqual(seen, [SMALL])
        self.assertEqual((LARGE.runs(9), SMALL.runs(9), LARGE.px(400)), (9, 1, 400))
        calls = []
        SMALL.median_ms(lambda: calls.append(1), 7, 3)
        self.assertEqual(len(calls), 1)

    def test_a_stall_is_seen(self) -> None:
        """The figure of the stall bench is the time that the thread is away."""
        from PyQt6.QtWidgets import QApplication

        from bench.stalls import Heartbeat

        # Its own, or Qt would be gone before the cleanup if no other test has one.
        self.application = QApplication.instance() or QApplication(["test"])
        heart = Heartbeat()
        self.addCleanup(heart.stop)

        def rest() -> None:
            end_s = time.monotonic() + 0.1
            while time.monotonic() < end_s:
                self.application.processEvents()

        self.assertGreater(heart.during(lambda: time.sleep(0.3), rest), 300)
        away = heart.during(lambda: None, lambda: (rest(), time.sleep(0.3), rest()))
        self.assertGreater(away, 300)
