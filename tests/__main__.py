"""Runs the suite: `python -m tests [PATTERN]`. The last line is 'N passed, N failed'.

Test classes run in as many processes as there are cores, those first that took longest the last
time; each process has a home folder of its own.
"""

from __future__ import annotations

import sys
import time

from tests.pool import (
    BUILD,
    class_names,
    keep_times,
    last_times,
    prepare,
    run_all,
    slowest,
    summed_up,
)

SUMMARY = BUILD / "test-summary.txt"
# Those that take longest, where nothing is known yet: begun late, one of them would go on when all
# else is done.
FIRST = ("tests.test_bench", "tests.test_programs", "tests.ui", "tests.cli", "tests.core")


def main() -> int:
    start_s = time.monotonic()
    prepare()
    pattern = sys.argv[1] if len(sys.argv) > 1 else "test*.py"
    took = last_times()
    names = sorted(class_names(pattern), key=lambda name: (-took.get(name, 0.0), *_order(name)))
    outcomes = list(run_all(names))
    line, status = summed_up(outcomes)
    print(f"slowest:\n{slowest(keep_times(outcomes))}")
    SUMMARY.write_text(line + "\n", encoding="utf-8")
    print(f"{time.monotonic() - start_s:.0f} s\n{line}")
    return status


def _order(name: str) -> tuple[int, str]:
    first = [number for number, start in enumerate(FIRST) if name.startswith(start)]
    return (first[0] if first else len(FIRST)), name


if __name__ == "__main__":
    sys.exit(main())
