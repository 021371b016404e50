"""Kills the application at random moments and looks at what is left.

The real application runs offscreen in a process of its own; a simulated pen draws, undoes
and saves at random. Each step is acknowledged on a pipe once the window shows it. After
SIGKILL the work is opened again as a person would, and held against the last step that was
acknowledged.

    python -m bench.crash [--rounds N] [--seed S]
"""

from __future__ import annotations

import argparse
import os
import random
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from bench import moves
from lather.core.kernels import cache_dir
from lather.paths import SOURCE_TREE, demo_dir

if TYPE_CHECKING:
    from lather.document.state import JobState
    from lather.ui.app import App
    from lather.ui.simulated_pen import SimulatedPen

PICTURE_PX = 700
ALIVE_S = (0.2, 2.5)  # how long it works before it is killed


@dataclass(frozen=True)
class Round:
    """One life: steps acknowledged, saves, checkpoints, and steps lost at its end."""

    n_steps: int
    n_saves: int
    n_checkpoints: int
    n_lost: int
    titled: bool
    detail: str = ""


def run(rounds: int, seed: int, *, say: Callable[[str], object] = print) -> list[Round]:
    """So many lives; what happened in each."""
    os.environ["NUMBA_CACHE_DIR"] = str(cache_dir())  # compiled once, not in every life
    done = []
    for number in range(rounds):
        with tempfile.TemporaryDirectory() as folder:
            outcome = _one(Path(folder), seed + number, titled=number % 3 != 2)
        done.append(outcome)
        say(
            f"round {number + 1}: {'job' if outcome.titled else 'untitled'}, "
            f"{outcome.n_steps} steps, {outcome.n_saves} saves, "
            f"{outcome.n_checkpoints} checkpoints, lost {outcome.n_lost} {outcome.detail}"
        )
    return done


def _one(folder: Path, seed: int, *, titled: bool) -> Round:
    environment = home_in(folder)
    path = picture_in(folder, titled)
    child = subprocess.Popen(
        [sys.executable, "-m", "bench.crash", "--child", str(path), "--seed", str(seed)],
        cwd=SOURCE_TREE, env=environment, stdout=subprocess.PIPE,
        stderr=(folder / "errors").open("w"), text=True,
    )  # fmt: skip
    assert child.stdout is not None
    first = child.stdout.readline()
    time.sleep(random.Random(seed).uniform(*ALIVE_S))
    if child.poll() is not None:
        raise RuntimeError(f"it ended by itself: {(folder / 'errors').read_text()[-2000:]}")
    child.kill()
    lines = [first, *child.stdout.readlines()]
    child.stdout.close()
    child.wait()
    whole = [line.split() for line in lines if line.endswith("\n")]
    acknowledged = [words[1] for words in whole if words[0] == "step"]
    recovered, detail = reopened(path, titled, environment)
    return Round(
        len(acknowledged), sum(w[0] == "saved" for w in whole),
        sum(w[0] == "checkpoint" for w in whole), n_lost(acknowledged, recovered), titled, detail,
    )  # fmt: skip


def n_lost(acknowledged: list[str], recovered: list[str]) -> int:
    """How many of the last acknowledged steps are not in what came back.

    What came back ends with the last acknowledged state, or with the one step after it that
    was written down and no longer acknowledged.
    """
    if _same_end(acknowledged, recovered[:-1]):
        return 0
    lost = range(len(acknowledged))
    return next(
        (n for n in lost if _same_end(acknowledged[: len(acknowledged) - n], recovered)),
        len(acknowledged),
    )


def _same_end(first: list[str], second: list[str]) -> bool:
    n = min(len(first), len(second))
    return n > 0 and first[-n:] == second[-n:]


def home_in(folder: Path) -> dict[str, str]:
    """An environment in which nothing of the user's own is touched."""
    return {
        **os.environ, "QT_QPA_PLATFORM": "offscreen", "XDG_STATE_HOME": str(folder / "state"),
        "XDG_CACHE_HOME": str(folder / "cache"), "XDG_CONFIG_HOME": str(folder / "config"),
    }  # fmt: skip


def picture_in(folder: Path, titled: bool) -> Path:
    """A small portrait, as a photo or as a job with nothing done."""
    import cv2

    from lather.document.state import new_state
    from lather.files.jobs.jobwriter import save_job
    from lather.files.photos.reading import read_photo

    large = cv2.imread(str(demo_dir() / "portrait2.jpg"))
    assert large is not None, "the demo is not there"
    scale = PICTURE_PX / max(large.shape[:2])
    photo = folder / "portrait.png"
    cv2.imwrite(str(photo), cv2.resize(large, None, fx=scale, fy=scale))
    if not titled:
        return photo
    job = folder / "portrait.lather"
    save_job(new_state(read_photo(photo)), job)
    return job


def reopened(path: Path, titled: bool, environment: dict[str, str]) -> tuple[list[str], str]:
    """Fingerprints of the states that opening the work again gives, in their order."""
    from lather.actions.job.recovery import open_path, open_unsaved, unsaved_work
    from lather.core.work import no_progress

    os.environ.update({k: v for k, v in environment.items() if k.startswith("XDG_")})
    if titled:
        opened = open_path(path, no_progress, locked=True)
    else:
        unsaved = list(unsaved_work())
        if not unsaved:
            return [mark_of(open_path(path, no_progress).job.state)], "nothing left"
        opened = open_unsaved(*unsaved[0], no_progress)
    states = [opened.job.state]  # what the file holds, where nothing is left unsaved
    if opened.recovered is not None:
        left = opened.recovered
        states = [left.base]
        states += [step.state for step in left.found.steps(left.revision, left.base)]
    opened.release()
    return [mark_of(state) for state in states], ""


def mark_of(state: JobState) -> str:
    """A fingerprint of a state and of what was done that led to it."""
    from lather.document.digest import digest, operations_digest

    return f"{digest(state)}-{operations_digest(state)}"


# --- the life that is going to be ended ----------------------------------------------------


def _live(path: Path, seed: int) -> None:
    """Work at random until killed. Every step is acknowledged on standard output."""
    from lather.core.kernels import prepare_kernels
    from lather.settings.store import Settings
    from lather.ui.app import build
    from lather.ui.scripted import open_and_settle
    from lather.ui.simulated_pen import SimulatedPen

    prepare_kernels()
    app = build(Settings())
    app.window.resize(900, 700)
    app.window.show()
    open_and_settle(app, path)
    bench, chance = app.bench, random.Random(seed)
    pen = SimulatedPen(app.window.canvas)

    def acknowledge(before: JobState, after: JobState) -> None:
        if after.layers != before.layers:
            print("step", mark_of(after), flush=True)

    bench.job_changed.connect(acknowledge)
    print("open", flush=True)
    work = (
        moves.paint, moves.paint, moves.mend, moves.erase, moves.undo, moves.undo, moves.redo,
        moves.layer, moves.mask, moves.drag, moves.compute, moves.light, moves.reshape,
        _save, _checkpoint,
    )  # fmt: skip
    while True:
        chance.choice(work)(app, pen, chance)


def _save(app: App, pen: SimulatedPen, chance: random.Random) -> None:
    """Save, and go on working while it is written."""
    from lather.actions.job.saving import save
    from lather.ui.scripted import wait_until

    if app.bench.open_job.path is None or app.bench.task is not None:
        return
    save(app.bench)
    if chance.random() < 0.5:
        moves.paint(app, pen, chance)
    wait_until(lambda: app.bench.task is None)
    print("saved", flush=True)


def _checkpoint(app: App, _: SimulatedPen, chance: random.Random) -> None:
    from lather.ui.scripted import settle

    keeper = app.bench.keeper
    assert keeper is not None
    keeper.idle(1e9, 1e-9)
    if chance.random() < 0.5:
        settle(app)
    print("checkpoint", flush=True)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--rounds", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--child", type=Path, help=argparse.SUPPRESS)
    options = parser.parse_args()
    if options.child is not None:
        _live(options.child, options.seed)
    rounds = run(options.rounds, options.seed)
    losses = [outcome.n_lost for outcome in rounds if outcome.n_lost]
    print(
        f"{len(rounds)} rounds, {sum(r.n_steps for r in rounds)} steps acknowledged, "
        f"{len(losses)} losses, worst loss {max(losses, default=0)} steps"
    )
    return 1 if losses else 0


if __name__ == "__main__":
    sys.exit(main())
