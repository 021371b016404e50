"""An hour's work compressed: what grows, what stays open, what is left behind.

The real application runs offscreen; a simulated pen paints, mends, undoes, saves, opens
other jobs and delivers, without pauses. Measured after a warm-up and at the end: memory,
open files, threads, and files that should have gone.

    python -m bench.soak [--strokes N]

An hour at the desk is about 1,500 strokes.
"""

from __future__ import annotations

import argparse
import gc
import os
import random
import sys
import tempfile
import threading
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from bench import moves
from bench.common import with_pen_work

Say = Callable[[str], object]

HISTORY_MEGABYTES = 64  # small, so that undo reaches its budget and goes to disk
JOB_EVERY = 60  # strokes on one job before the next is opened
SAVE_EVERY = 20
WORKED_HOURS = 0.5  # of strokes that the jobs carry from the start
MOST_GROWTH_MEGABYTES = 150


@dataclass(frozen=True)
class Figures:
    """The process at one moment."""

    resident_megabytes: float
    n_open_files: int
    n_threads: int

    @classmethod
    def now(cls) -> Figures:
        gc.collect()
        status = Path("/proc/self/status").read_text()
        resident = int(status.split("VmRSS:")[1].split()[0]) / 1024
        return cls(resident, len(os.listdir("/proc/self/fd")), threading.active_count())


@dataclass(frozen=True)
class Outcome:
    warm: Figures
    end: Figures
    left_behind: list[str]

    @property
    def ok(self) -> bool:
        growth = self.end.resident_megabytes - self.warm.resident_megabytes
        return (
            growth < MOST_GROWTH_MEGABYTES
            and self.end.n_open_files <= self.warm.n_open_files + 4
            and self.end.n_threads <= self.warm.n_threads
            and not self.left_behind
        )


def run(n_strokes: int, *, say: Say = print) -> Outcome:
    """Work through so many strokes; measured from the end of the first quarter."""
    with tempfile.TemporaryDirectory() as folder:
        return _work(Path(folder), n_strokes, say)


def _work(folder: Path, n_strokes: int, say: Say) -> Outcome:
    for name in ("XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
        os.environ[name] = str(folder / name.lower())
    from lather.actions.job.delivering import deliver_to
    from lather.actions.job.saving import save
    from lather.core.two_parts import LARGE_PX, in_two_parts
    from lather.files.exchange.delivery import Delivery
    from lather.files.jobs.jobfile import load_job
    from lather.files.jobs.jobwriter import save_job
    from lather.paths import SOURCE_TREE
    from lather.settings.store import Settings
    from lather.ui.app import build
    from lather.ui.scripted import open_and_settle, settle, wait_until
    from lather.ui.simulated_pen import SimulatedPen

    in_two_parts(lambda *_: None, 2, LARGE_PX)  # its thread is kept; it is not to count as growth
    settings = Settings()
    settings.set("history_megabytes", HISTORY_MEGABYTES)
    app = build(settings)
    app.window.resize(1280, 800)
    app.window.show()
    bench, chance = app.bench, random.Random(7)
    pen = SimulatedPen(app.window.canvas)
    jobs = []
    for number in range(2):
        jobs.append(folder / f"job{number}.lather")
        sample = load_job(SOURCE_TREE / "tests" / "data" / "job-v1.lather").state
        top = replace(sample, active_id=sample.layers[-1].id)
        save_job(with_pen_work(top, WORKED_HOURS), jobs[-1])
    warm = None
    for stroke in range(n_strokes):
        if stroke % JOB_EVERY == 0:
            if bench.job is not None:
                save(bench)
                wait_until(lambda: bench.task is None)
            open_and_settle(app, jobs[(stroke // JOB_EVERY) % 2])
        chance.choice((
            moves.paint, moves.paint, moves.mend, moves.erase, moves.undo, moves.redo,
            moves.reshape,
        ))(app, pen, chance)  # fmt: skip
        if stroke % SAVE_EVERY == SAVE_EVERY - 1:
            save(bench)
            wait_until(lambda: bench.task is None)
            assert bench.keeper is not None
            bench.keeper.idle(1e9, 1e-9)
            bench.zoom_to(chance.choice((0.5, 1.0, 2.0)))
            bench.fit()
        if stroke % (3 * SAVE_EVERY) == 0:
            deliver_to(bench, [(folder / "out.jpg", Delivery())])
            wait_until(lambda: bench.task is None)
        if stroke == n_strokes // 4:
            settle(app)
            warm = Figures.now()
            say(f"after {stroke} strokes: {warm}")
    save(bench)
    wait_until(lambda: bench.task is None)
    settle(app)
    end = Figures.now()
    say(f"after {n_strokes} strokes: {end}")
    app.close()
    assert warm is not None
    return Outcome(warm, end, _left_behind(folder, {path.stem for path in jobs}))


def _left_behind(folder: Path, jobs: set[str]) -> list[str]:
    """Files that nobody asked for: journals, locks, checkpoints, temporary files."""
    wanted = {"out.jpg"} | {f"{job}.lather" for job in jobs}
    wanted |= {f"{job}.backup{n}.lather" for job in jobs for n in (1, 2, 3)}
    left = [path.name for path in folder.iterdir() if path.is_file() and path.name not in wanted]
    unsaved = folder / "xdg_state_home" / "lather" / "unsaved"
    return left + ([path.name for path in unsaved.iterdir()] if unsaved.is_dir() else [])


def main() -> int:
    from lather.core.kernels import cache_dir, prepare_kernels

    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--strokes", type=int, default=1500)
    options = parser.parse_args()
    os.environ["NUMBA_CACHE_DIR"] = str(cache_dir())
    prepare_kernels()
    outcome = run(options.strokes)
    warm, end = outcome.warm, outcome.end
    print(
        f"memory {end.resident_megabytes - warm.resident_megabytes:+.0f} MB, "
        f"open files {end.n_open_files - warm.n_open_files:+d}, "
        f"threads {end.n_threads - warm.n_threads:+d}, "
        f"files left behind: {', '.join(outcome.left_behind) or 'none'}"
    )
    return 0 if outcome.ok else 1


if __name__ == "__main__":
    sys.exit(main())
