"""One test class in a process of the pool."""

from __future__ import annotations

import io
import os
import time
import unittest
from dataclasses import dataclass, field


@dataclass(frozen=True)
class Outcome:
    """How the tests of one class went."""

    name: str
    n_run: int
    n_failed: int
    n_skipped: int
    seconds: float
    report: str  # what the runner printed, if anything failed
    tests_s: dict[str, float] = field(default_factory=dict)  # seconds by test


class _Timed(unittest.TextTestResult):
    """Remembers how long each test took."""

    def __init__(self, *args: object, **options: object) -> None:
        super().__init__(*args, **options)  # type: ignore[arg-type]
        self.tests_s: dict[str, float] = {}
        self._began_s = 0.0

    def startTest(self, test: unittest.TestCase) -> None:  # noqa: N802 - as unittest calls it
        self._began_s = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:  # noqa: N802 - as unittest calls it
        super().stopTest(test)
        self.tests_s[unittest.TestCase.id(test)] = time.monotonic() - self._began_s


def begin() -> None:
    """Once a process of the pool: in a group of its own, to be ended with all that it started."""
    os.setpgrp()
    load_kernels()


def load_kernels() -> None:
    """Once a process: the forms that the application uses, and what is made once."""
    from lather.core.kernels import prepare_kernels
    from tests.made import remember

    prepare_kernels()
    remember()


def run_class(name: str) -> Outcome:
    """Run the class of that dotted name."""
    start_s, stream = time.monotonic(), io.StringIO()
    suite = unittest.defaultTestLoader.loadTestsFromName(name)
    runner = unittest.TextTestRunner(stream, verbosity=1, resultclass=_Timed)
    result = runner.run(suite)
    assert isinstance(result, _Timed)
    failed = [test for test, _ in (*result.failures, *result.errors)]
    # Several failed parts of one test are one failed test.
    n_failed = len({str(getattr(test, "test_case", test)) for test in failed})
    n_failed += len(result.unexpectedSuccesses)
    report = stream.getvalue() if n_failed else ""
    n_run = max(result.testsRun, n_failed)  # a class that cannot be set up runs no test
    seconds = time.monotonic() - start_s
    return Outcome(name, n_run, n_failed, len(result.skipped), seconds, report, result.tests_s)
