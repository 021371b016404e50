"""Runs the suite: `python -m tests [PATTERN]`. The last line is 'N passed, N failed'.

Test classes run in as many processes as there are cores, those of the longest modules first;
each process has a home folder of its own.
"""

from __future__ import annotations

import multiprocessing
import os
import sys
import time
import unittest
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path

from tests.running import Outcome, load_kernels, run_class

ROOT = Path(__file__).parents[1]
SUMMARY = ROOT / "build" / "test-summary.txt"
# Those that take minutes; begun late, one of them would go on when all else is done.
FIRST = ("tests.test_programs", "tests.ui", "tests.core.test_survey", "tests.core.test_mend")


def main() -> int:
    os.environ.setdefault("NUMBA_CACHE_DIR", str(ROOT / "build" / "kernels"))
    from lather.core.kernels import prepare_kernels

    start_s = time.monotonic()
    prepare_kernels()
    print(f"kernels ready after {time.monotonic() - start_s:.1f} s", flush=True)
    pattern = sys.argv[1] if len(sys.argv) > 1 else "test*.py"
    suite = unittest.defaultTestLoader.discover(str(ROOT / "tests"), pattern, str(ROOT))
    names = sorted(set(_classes(suite)), key=_order)
    outcomes = list(_run_all(names))
    n_failed = sum(outcome.n_failed for outcome in outcomes)
    n_skipped = sum(outcome.n_skipped for outcome in outcomes)
    n_passed = sum(outcome.n_run for outcome in outcomes) - n_failed - n_skipped
    for outcome in outcomes:
        print(outcome.report, end="")
    slowest = sorted(outcomes, key=lambda outcome: -outcome.seconds)[:5]
    print("slowest: " + ", ".join(f"{o.name} {o.seconds:.0f} s" for o in slowest))
    line = f"{n_passed} passed, {n_failed} failed"
    if n_skipped:
        line += f", {n_skipped} skipped"
    SUMMARY.parent.mkdir(exist_ok=True)
    SUMMARY.write_text(line + "\n", encoding="utf-8")
    print(f"{time.monotonic() - start_s:.0f} s\n{line}")
    return 1 if n_failed or n_passed == 0 else 0


def _classes(suite: unittest.TestSuite) -> Iterator[str]:
    """The dotted names of all test classes; modules that do not load count as one."""
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            yield from _classes(test)
        elif type(test).__module__ == "unittest.loader":  # could not be imported
            yield test.id().removeprefix("unittest.loader._FailedTest.")
        else:
            yield f"{type(test).__module__}.{type(test).__qualname__}"


def _order(name: str) -> tuple[int, str]:
    first = [number for number, start in enumerate(FIRST) if name.startswith(start)]
    return (first[0] if first else len(FIRST)), name


def _run_all(names: list[str]) -> Iterator[Outcome]:
    processes = min(len(names), os.cpu_count() or 1)
    context = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(
        max(1, processes), mp_context=context, initializer=load_kernels
    ) as pool:
        running = {pool.submit(run_class, name): name for name in names}
        for done in as_completed(running):
            name = running[done]
            try:
                outcome = done.result()
            except BrokenProcessPool as error:
                outcome = Outcome(name, 1, 1, 0, 0.0, f"{name}: its process ended: {error}\n")
            mark = "FAILED" if outcome.n_failed else "ok"
            print(f"{name} {mark}, {outcome.n_run} in {outcome.seconds:.1f} s", flush=True)
            yield outcome


if __name__ == "__main__":
    sys.exit(main())
