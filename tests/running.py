"""One test class in a process of the pool."""

from __future__ import annotations

import io
import time
import unittest
from dataclasses import dataclass


@dataclass(frozen=True)
class Outcome:
    """How the tests of one class went."""

    name: str
    n_run: int
    n_failed: int
    n_skipped: int
    seconds: float
    report: str  # what the runner printed, if anything failed


def load_kernels() -> None:
    """Once a process: the forms that the application uses."""
    from lather.core.kernels import prepare_kernels

    prepare_kernels()


def run_class(name: str) -> Outcome:
    """Run the class of that dotted name."""
    start_s, stream = time.monotonic(), io.StringIO()
    suite = unittest.defaultTestLoader.loadTestsFromName(name)
    result = unittest.TextTestRunner(stream, verbosity=1).run(suite)
    failed = [test for test, _ in (*result.failures, *result.errors)]
    # Several failed parts of one test are one failed test.
    n_failed = len({str(getattr(test, "test_case", test)) for test in failed})
    n_failed += len(result.unexpectedSuccesses)
    report = stream.getvalue() if n_failed else ""
    n_run = max(result.testsRun, n_failed)  # a class that cannot be set up runs no test
    return Outcome(name, n_run, n_failed, len(result.skipped), time.monotonic() - start_s, report)
