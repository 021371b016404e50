"""Runs the suite: `python -m tests [PATTERN]`. The last line is 'N passed, N failed'."""

from __future__ import annotations

import os
import sys
import time
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[1]
SUMMARY = ROOT / "build" / "test-summary.txt"


def main() -> int:
    os.environ.setdefault("NUMBA_CACHE_DIR", str(ROOT / "build" / "kernels"))
    import tests  # noqa: F401 - chooses the offscreen platform
    from lather.core.kernels import prepare_kernels

    start_s = time.monotonic()
    prepare_kernels()
    print(f"kernels ready after {time.monotonic() - start_s:.1f} s", flush=True)
    pattern = sys.argv[1] if len(sys.argv) > 1 else "test*.py"
    suite = unittest.defaultTestLoader.discover(str(ROOT / "tests"), pattern, str(ROOT))
    result = unittest.TextTestRunner(verbosity=1).run(suite)
    failed = [test for test, _ in (*result.failures, *result.errors)]
    # Several failed parts of one test are one failed test.
    n_failed = len({str(getattr(test, "test_case", test)) for test in failed})
    n_failed += len(result.unexpectedSuccesses)
    n_passed = result.testsRun - n_failed - len(result.skipped)
    line = f"{n_passed} passed, {n_failed} failed"
    if result.skipped:
        line += f", {len(result.skipped)} skipped"
    SUMMARY.parent.mkdir(exist_ok=True)
    SUMMARY.write_text(line + "\n", encoding="utf-8")
    print(line)
    return 1 if n_failed or result.testsRun == 0 else 0


if __name__ == "__main__":
    sys.exit(main())
