"""Test classes in as many processes as there are cores, and what they took the last time."""

from __future__ import annotations

import json
import multiprocessing
import os
import signal
import time
import unittest
from collections.abc import Iterable, Iterator, Mapping
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from contextlib import suppress

from tests.made import trim
from tests.running import Outcome, begin, run_class
from tests.sources import ROOT

BUILD = ROOT / "build"
TIMES = BUILD / "test-times.json"  # seconds by test, of the last runs
N_SLOWEST = 50


def prepare() -> None:
    """Compiled kernels, once for all processes; and the folder of what is made once is trimmed."""
    os.environ.setdefault("NUMBA_CACHE_DIR", str(BUILD / "kernels"))
    from lather.core.kernels import prepare_kernels

    start_s = time.monotonic()
    prepare_kernels()
    trim()
    print(f"kernels ready after {time.monotonic() - start_s:.1f} s", flush=True)


def class_names(pattern: str = "test*.py") -> list[str]:
    """The dotted names of all test classes; a module that does not load counts as one."""
    suite = unittest.defaultTestLoader.discover(str(ROOT / "tests"), pattern, str(ROOT))
    return sorted(set(_classes(suite)))


def _classes(suite: unittest.TestSuite) -> Iterator[str]:
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            yield from _classes(test)
        elif type(test).__module__ == "unittest.loader":  # could not be imported
            yield test.id().removeprefix("unittest.loader._FailedTest.")
        else:
            yield f"{type(test).__module__}.{type(test).__qualname__}"


def run_all(names: Iterable[str], seconds: float | None = None) -> Iterator[Outcome]:
    """What comes of the classes, as they end, begun in order.

    After so many seconds none is begun any more, and what runs is ended without an outcome.
    """
    waiting, n_processes = list(names), os.cpu_count() or 1
    if not waiting:
        return
    end_s = None if seconds is None else time.monotonic() + seconds
    context = multiprocessing.get_context("spawn")
    pool = ProcessPoolExecutor(n_processes, mp_context=context, initializer=begin)
    running: dict[Future[Outcome], str] = {}
    try:
        while waiting or running:
            while waiting and len(running) <= n_processes:  # one more, so that nobody waits
                name = waiting.pop(0)
                running[pool.submit(run_class, name)] = name
            left_s = None if end_s is None else end_s - time.monotonic()
            if left_s is not None and left_s <= 0:
                return
            for done in wait(running, left_s, FIRST_COMPLETED).done:
                yield _outcome(done, running.pop(done))
    finally:
        if running:
            for number in list(pool._processes):
                with suppress(ProcessLookupError):
                    os.killpg(number, signal.SIGKILL)
        pool.shutdown(wait=True, cancel_futures=True)


def _outcome(done: Future[Outcome], name: str) -> Outcome:
    try:
        outcome = done.result()
    except Exception as error:  # noqa: BLE001 - of the suite itself, or the process ended
        outcome = Outcome(name, 1, 1, 0, 0.0, f"{name} was not run: {error!r}\n")
    mark = "FAILED" if outcome.n_failed else "ok"
    print(f"{name} {mark}, {outcome.n_run} in {outcome.seconds:.1f} s", flush=True)
    return outcome


def summed_up(outcomes: list[Outcome]) -> tuple[str, int]:
    """'N passed, N failed', and the exit status; what failed is printed."""
    n_failed = sum(outcome.n_failed for outcome in outcomes)
    n_skipped = sum(outcome.n_skipped for outcome in outcomes)
    n_passed = sum(outcome.n_run for outcome in outcomes) - n_failed - n_skipped
    for outcome in outcomes:
        print(outcome.report, end="")
    line = f"{n_passed} passed, {n_failed} failed"
    if n_skipped:
        line += f", {n_skipped} skipped"
    return line, 1 if n_failed or n_passed == 0 else 0


def last_times() -> dict[str, float]:
    """Seconds by class; empty before the first run."""
    found: dict[str, float] = {}
    for test, seconds in _times().items():
        name = test.rpartition(".")[0]
        found[name] = found.get(name, 0.0) + seconds
    return found


def keep_times(outcomes: Iterable[Outcome]) -> Mapping[str, float]:
    """Remember how long tests took; returns those of this run."""
    mine = {test: s for outcome in outcomes for test, s in outcome.tests_s.items()}
    BUILD.mkdir(exist_ok=True)
    TIMES.write_text(json.dumps(_times() | mine, indent=0), encoding="utf-8")
    return mine


def _times() -> dict[str, float]:
    with suppress(OSError, ValueError):
        return dict(json.loads(TIMES.read_text(encoding="utf-8")))
    return {}


def slowest(tests_s: Mapping[str, float]) -> str:
    """The fifty that took longest, a line each."""
    order = sorted(tests_s.items(), key=lambda item: -item[1])[:N_SLOWEST]
    return "\n".join(f"{seconds:7.1f} s  {test}" for test, seconds in order)
