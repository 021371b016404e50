"""Runs what a change touches: `python -m tests.quick [REVISION]`, at most for a minute and a half.

What changed since a revision (the last commit; if nothing did, what the last commit changed) is
followed through the imports. Classes of modules that are nearest to it come first, of those the
shorter ones; what there was no time for is named.
"""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path

from tests import sources
from tests.pool import class_names, keep_times, last_times, prepare, run_all, summed_up

MOST_S = 90.0
UNKNOWN_S = 5.0  # taken for the time of a class that was never run


def main() -> int:
    start_s = time.monotonic()
    changed = changed_files(*sys.argv[1:2])
    near = touched(changed)
    if not near:
        print(f"no test comes to what changed: {', '.join(map(str, changed)) or 'nothing'}")
        return 0
    prepare()
    took = last_times()
    names = [name for name in class_names() if module_of(name) in near]
    names.sort(key=lambda name: (near[module_of(name)], took.get(name, UNKNOWN_S), name))
    left_s = MOST_S - (time.monotonic() - start_s)
    outcomes = list(run_all(names, left_s))
    keep_times(outcomes)
    line, status = summed_up(outcomes)
    done = {outcome.name for outcome in outcomes}
    left_out = [name for name in names if name not in done]
    if left_out:
        print(f"no time for {len(left_out)} of {len(names)} classes:")
        print("\n".join(f"  {name}" for name in left_out))
    print(f"{time.monotonic() - start_s:.0f} s\n{line}")
    return status


def changed_files(since: str = "HEAD") -> list[Path]:
    """Paths of the checkout that differ from a revision, or are new."""
    found = _git("diff", "--name-only", since) + _git("ls-files", "--others", "--exclude-standard")
    return [Path(name) for name in found or _git("diff", "--name-only", "HEAD~1", "HEAD")]


def _git(*words: str) -> list[str]:
    done = subprocess.run(["git", *words], cwd=sources.ROOT, capture_output=True, text=True,
                          check=False)  # fmt: skip
    if done.returncode:
        sys.exit(f"tests.quick: what changed is not known: {done.stderr.strip()}.")
    return done.stdout.splitlines()


def touched(changed: list[Path]) -> dict[str, int]:
    """Test modules that come to what changed, and over how many imports at the least.

    What is no module (icons, demo pictures, pages) is as far as the tests that name it.
    """
    near = sources.users(sources.module_name(sources.ROOT / path) for path in changed
                         if path.suffix == ".py")  # fmt: skip
    others = [path.name for path in changed if path.suffix != ".py"]
    tests = {name: path for name, path in sources.modules().items()
             if path.name.startswith("test_")}  # fmt: skip
    for name, path in tests.items():
        if any(other in path.read_text(encoding="utf-8") for other in others):
            near[name] = min(1, near.get(name, 1))
    return {name: far for name, far in near.items() if name in tests}


def module_of(class_name: str) -> str:
    return class_name if class_name in sources.modules() else class_name.rpartition(".")[0]


if __name__ == "__main__":
    sys.exit(main())
