"""A random walk through the real window: open, paint, undo, save, close, with faults and signals.

After every step it holds that no photo changed and nothing failed unforeseen. Now and then:
undoing all leads to the start, what was saved is what opens again, and nothing was closed
that no question was asked about and no file or journal holds.

    python -m bench.walk [--steps N] [--seed S]
"""

from __future__ import annotations

import argparse
import hashlib
import logging
import os
import random
import signal
import sys
import tempfile
import threading
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any
from unittest import mock

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from bench import late, moves
from bench.crash import home_in, picture_in
from lather.actions.job.opening import open_file
from lather.errors import LatherError

if TYPE_CHECKING:
    from lather.document.job import Job
    from lather.document.state import JobState

PLANNED = "a fault of the walk's own"
PATIENCE_S = 60.0


@dataclass
class Outcome:
    """What was done, and what did not hold."""

    counts: Counter[str] = field(default_factory=Counter)
    asked: Counter[str] = field(default_factory=Counter)
    broken: list[str] = field(default_factory=list)


def run(n_steps: int, seed: int, *, say: Callable[[str], None] = print) -> Outcome:
    with tempfile.TemporaryDirectory() as folder:
        home = {k: v for k, v in home_in(Path(folder) / "home").items() if k.startswith("XDG_")}
        with mock.patch.dict(os.environ, home):
            walk = Walk(Path(folder), random.Random(seed))
            try:
                for number in range(n_steps):
                    walk.step()
                    if number % 100 == 99:
                        say(f"{number + 1} steps, {len(walk.outcome.broken)} broken")
                walk.end()
            finally:
                walk.stop()
    return walk.outcome


class Answering:
    """Answers every question at random, and notes it; stands in for the dialogs."""

    def __init__(self, walk: Walk) -> None:
        self._walk = walk

    def __getattr__(self, name: str) -> Callable[..., Any]:
        def answer(*arguments: Any) -> Any:
            self._walk.outcome.asked[name] += 1
            self._walk.asked.append(name)
            return getattr(self._walk, f"_answer_{name}", lambda *_: None)(*arguments)

        return answer


class Watch(logging.Handler):
    """Notes what is logged as an error: nothing of the application may be."""

    def __init__(self, broken: list[str]) -> None:
        super().__init__(logging.ERROR)
        self._broken = broken

    def emit(self, record: logging.LogRecord) -> None:
        cause = record.exc_info[1] if record.exc_info else None
        if PLANNED not in str(cause):
            self._broken.append(f"{record.getMessage()}: {cause!r}")


class Walk:
    """The application, and what is expected of it."""

    def __init__(self, folder: Path, chance: random.Random) -> None:
        from lather.core.kernels import prepare_kernels

        prepare_kernels()
        self.outcome = Outcome()
        self.asked: list[str] = []  # since the last look
        self._said: list[str] = []
        self._folder, self._chance = folder, chance
        self._photos = [picture_in(folder, False).rename(folder / f"{name}.png")
                        for name in ("one", "two")]  # fmt: skip
        self._hashes = [_hash(path) for path in self._photos]
        half = folder / "half.png"
        half.write_bytes(self._photos[0].read_bytes()[:60_000])
        self._odd = [half, folder / "missing.jpg", folder]
        self._watch = Watch(self.outcome.broken)
        logging.getLogger("lather").addHandler(self._watch)
        self._pen_is_down = False
        self._next_recovery: str | None = None  # what is answered when it is asked
        self._own: Path | None = None  # the job that was open when a place to save was asked for
        self._start()
        self._moves: list[tuple[int, Callable[[], None]]] = [
            (24, self._stroke), (3, self._undo_in_hand), (2, self._close_in_hand),
            (6, self._stroke_held), (4, self._lift), (12, self._undo),
            (5, self._redo), (4, self._edit), (3, self._lock), (8, self._save),
            (4, self._save_as), (6, self._open), (3, self._close), (3, self._signal),
            (2, self._survey), (2, self._cancel), (3, self._deliver), (4, self._undo_all),
            (3, self._fail_in_a_stroke), (4, self._fail_in_a_save), (6, self._wait),
            (5, self._limit), (4, self._stage), (8, self._worklist), (3, self._propose),
            (3, self._delete), (4, self._group), (3, self._eyes), (3, self._turned_pen),
            (3, self._lock_any), (4, self._split), (4, self._stroke_where_hidden),
            (4, self._take_late), (3, self._mend_late), (2, self._open_by_link),
        ]  # fmt: skip

    # --- one step ------------------------------------------------------------------------

    def step(self) -> None:
        weights, all_moves = zip(*self._moves, strict=True)
        move = self._chance.choices(all_moves, weights)[0]
        self.outcome.counts[move.__name__.strip("_")] += 1
        if self.bench.job is None and move not in (self._open, self._close, self._signal):
            move = self._open
        with suppress(LatherError):  # what the window would say in a sentence
            move()
        for _ in range(self._chance.choice((0, 0, 1, 5))):
            self._app.qt.processEvents()
        self._look(move.__name__)

    def end(self) -> None:
        """A last look at everything, and what chance may have left out."""
        for move in (self._undo_all, self._undo_in_hand, self._signal, self._close_in_hand):
            self._settle()
            if self.bench.job is None:
                self._leaving(lambda: open_file(self.bench, self._photos[0]), "opening")
            moves.layer(self._app, self._pen, self._chance)
            move()
        self._close()
        self._look("end")

    def stop(self) -> None:
        self._interrupts.close()
        self._app.close()
        logging.getLogger("lather").removeHandler(self._watch)

    def _look(self, after: str) -> None:
        for path, known in zip(self._photos, self._hashes, strict=True):
            self._hold(_hash(path) == known, f"{after}: {path.name} changed")
        self._look_at_steps(after)
        raw = [text for text in self._said if "{" in text]
        self._hold(not raw, f"{after}: said with its braces: {raw[:1]}")
        self._said.clear()

    def _look_at_steps(self, after: str) -> None:
        """Every step changed something, and what is done was done by a layer that is there."""
        from lather.document.effect import changes_anything
        from lather.document.tree import walk

        job = self.bench.job
        if job is None:
            return
        for step in job.history.done[-6:]:
            changes = changes_anything(step.before, step.after)
            self._hold(changes, f"{after}: the step '{step.name}' changed nothing")
        for what in late.broken_locks(job):
            self._hold(False, f"{after}: {what}")
        there = {layer.id for layer in walk(job.state.layers)}
        gone = [n for n, layer in job.state.findings.done_by.items() if layer not in there]
        self._hold(not gone, f"{after}: findings {gone} are done by no layer")
        pending = self.bench.pending
        self._hold(pending is None or pending.stage is self.bench.stage,
                   f"{after}: a proposal is looked at outside of its stage")  # fmt: skip

    def _hold(self, holds: bool, what: str) -> None:
        if not holds:
            self.outcome.broken.append(what)

    # --- the application -----------------------------------------------------------------

    def _start(self) -> None:
        from lather.settings.store import Settings
        from lather.ui.app import build, leave_on_signals
        from lather.ui.simulated_pen import SimulatedPen

        self._app = build(Settings(self._folder / "settings.json"))
        self._app.window.resize(900, 700)
        self._app.window.show()
        self._interrupts = leave_on_signals(self._app)
        self.bench = self._app.bench
        self.bench.ask = Answering(self)
        self.bench.job_opened.connect(self._on_opened)
        self.bench.said.connect(lambda text, _: self._said.append(text))
        self._pen = SimulatedPen(self._app.window.canvas)
        sys.excepthook = self._on_fault

    def _on_fault(self, kind: type[BaseException], error: BaseException, trace: Any) -> None:
        if isinstance(error, LatherError):
            self.bench.say(error.sentence(), error=True)
        elif PLANNED not in str(error):
            self.outcome.broken.append(f"unforeseen: {error!r}")

    def _on_opened(self) -> None:
        self._pen_is_down = False
        job = self.bench.job
        if job is not None:
            self._first = _first_of(job)

    def _wait_for(self, done: Callable[[], bool], what: str) -> None:
        from lather.ui.scripted import wait_until

        self._hold(wait_until(done, PATIENCE_S), f"{what} did not come to an end")

    def _settle(self) -> None:
        self._lift()
        session = self.bench.session
        self._wait_for(lambda: session is None or not session.busy, "a stroke")
        self._wait_for(lambda: self.bench.task is None, "work aside")

    def _run(self, action_id: str) -> None:
        from lather.ui.parts.widgets import run_action

        run_action(self._app.window.actions_by_id[action_id], self.bench)

    # --- moves ---------------------------------------------------------------------------

    def _samples(self) -> list[Any]:
        from lather.core.brush.stroke import PenSample

        chance, photo = self._chance, self.bench.state.photo
        hands = self.bench.hands
        hands.take_tool(chance.choice(("paint_colour", "mend_spot", "erase", "paint_back")))
        hands.set_brush(size_px=chance.uniform(6, 60), opacity=1.0, flow=0.8)
        x, y = chance.uniform(40, photo.width - 40), chance.uniform(40, photo.height - 40)
        n = chance.randint(1, 8)
        return [PenSample(0.01 * i, x + 4 * i, y + 2 * i, 0.9) for i in range(n)]

    def _stroke(self) -> None:
        self._lift()
        self._pen.stroke(self._samples())

    def _stroke_held(self) -> None:
        """The pen goes down and stays there while other things happen."""
        from PyQt6.QtCore import QEvent

        self._lift()
        samples = self._samples()
        self._pen.send(QEvent.Type.TabletPress, samples[0])
        for sample in samples[1:]:
            self._pen.send(QEvent.Type.TabletMove, sample)
        self._pen_is_down, self._last = True, samples[-1]

    def _lift(self) -> None:
        from PyQt6.QtCore import QEvent

        if self._pen_is_down and self.bench.job is not None:
            self._pen.send(QEvent.Type.TabletRelease, self._last, pressure=0.0)
        self._pen_is_down = False

    def _undo(self) -> None:
        """One stroke or one step at most goes."""
        job, session = self.bench.open_job, self.bench.session
        assert session is not None
        before, busy = len(job.history.done), session.busy
        self._run("edit.undo")
        expected = before if busy or before == 0 else before - 1
        self._hold(len(job.history.done) == expected, "undo took more or less than one thing")

    @contextmanager
    def _in_hand(self) -> Iterator[None]:
        """A stroke whose outcome comes only once the block is through."""
        gate = threading.Event()
        self._app.workers[1].post(gate.wait)  # the thread that strokes are computed on
        try:
            self._stroke()
            yield
        finally:
            gate.set()

    def _undo_in_hand(self) -> None:
        with self._in_hand():
            self._undo()

    def _close_in_hand(self) -> None:
        self._settle()
        window = self._app.window

        def close() -> None:
            with self._in_hand():
                window.close()

        self._closing(close)

    def _redo(self) -> None:
        self._run("edit.redo")

    def _edit(self) -> None:
        choice = self._chance.choice((moves.layer, moves.mask, moves.drag))
        choice(self._app, self._pen, self._chance)

    def _lock(self) -> None:
        from lather.document import edits

        active = self.bench.state.active
        self.bench.change("Lock", edits.set_locked, active.id, not active.locked)

    def _limit(self) -> None:
        choice = self._chance.choice((moves.area, moves.area, moves.graft))
        choice(self._app, self._pen, self._chance)

    def _stage(self) -> None:
        from lather.document.layers.layer import Stage

        self.bench.go_to_stage(self._chance.choice(list(Stage)))

    def _worklist(self) -> None:
        """Keys of the worklist, faster than what they ask for is done."""
        keys = ("next", "next", "mend", "mend", "keep", "skip", "next_decided", "reopen",
                "previous", "mend_all")  # fmt: skip
        for _ in range(self._chance.randint(1, 5)):
            self._run(f"finding.{self._chance.choice(keys)}")

    def _propose(self) -> None:
        """Something of Even, taken, left, or left to wait in its stage."""
        self._run(self._chance.choice(("even.shine", "even.even_out", "proposal.mends")))
        if self._chance.random() < 0.5:
            self._settle()
        self._run(self._chance.choice(("proposal.accept", "proposal.accept", "proposal.leave",
                                       "proposal.paint_in")))  # fmt: skip

    def _lock_any(self) -> None:
        late.lock_any(self.bench, self._chance)

    def _split(self) -> None:
        late.split(self.bench, self._chance)

    def _stroke_where_hidden(self) -> None:
        """What is a step shows."""
        from lather.render.effect import shows

        self._settle()
        late.hide(self.bench, self._chance)
        self._settle()
        job = self.bench.open_job
        n_done, before = job.history.n_done, job.state
        self._stroke()
        self._settle()
        if job.history.n_done > n_done:
            name = job.history.done[-1].name
            self._hold(shows(before, job.state), f"nothing shows of '{name}'")

    def _take_late(self) -> None:
        """A proposal, taken after something was decided."""
        self._settle()
        self._run(self._chance.choice(("even.shine", "even.even_out", "even.match",
                                       "proposal.mends")))  # fmt: skip
        self._settle()
        if self.bench.pending is None:
            return
        self._after_what_was_decided(lambda: self._run("proposal.accept"), "a proposal taken late")

    def _mend_late(self) -> None:
        """Mends that run while something is decided."""
        self._settle()
        self._run("finding.mend_all")
        self._after_what_was_decided(lambda: None, "mending")

    def _after_what_was_decided(self, take: Callable[[], None], what: str) -> None:
        marks = []
        for _ in range(self._chance.randint(1, 3)):
            with suppress(LatherError):
                marks += [mark] if (mark := late.meanwhile(self.bench, self._chance)) else []
        before, job = self.bench.state, self.bench.open_job
        n_done = job.history.n_done
        take()
        self._settle()
        if job.history.n_done == n_done + 1:
            self.outcome.counts[f"{what}: taken"] += 1
            for place in late.touched_marks(before, job.state, marks):
                self._hold(False, f"{what} changed {place}")

    def _open_by_link(self) -> None:
        """A job by another name: its lock, its journal and what is saved are its own."""
        jobs = [path for path in self._folder.glob("*.lather")
                if "backup" not in path.name and not path.is_symlink()]  # fmt: skip
        if jobs:
            link = late.link_to(self._chance.choice(jobs), self._chance)
            self._leaving(lambda: open_file(self.bench, link), "opening by a link")
            strangers = [path.name for path in link.parent.iterdir()
                         if path.name.startswith(f".{link.name}")]  # fmt: skip
            self._hold(not strangers, f"beside a link: {strangers}")

    def _delete(self) -> None:
        self._run("layer.delete")

    def _group(self) -> None:
        moves.group(self._app, self._pen, self._chance)

    def _eyes(self) -> None:
        self._run(self._chance.choice(("view.before", "view.split", "view.mirror")))

    def _turned_pen(self) -> None:
        self._lift()
        self._pen.is_turned = True
        self._pen.stroke(self._samples())
        self._pen.is_turned = False

    def _undo_all(self) -> None:
        if self.bench.job is None:
            return
        self._settle()
        job = self.bench.open_job
        n_done, now = len(job.history.done), _digest(job.state)
        self.bench.go_to_step(0)
        self._hold(_is_same_work(job.state, self._first), "undo all is not the start")
        self.bench.go_to_step(n_done)
        self._hold(_digest(job.state) == now, "redo all is not the end")

    def _save(self) -> None:
        self._run("job.save")
        if self._chance.random() < 0.5:
            return  # and go on meanwhile
        self._settle()
        self._check_saved()

    def _save_as(self) -> None:
        there = {path: _hash(path) for path in self._folder.glob("*.lather")}
        self.asked.clear()
        self._run("job.save_as")
        self._settle()
        written = self.bench.job.path if self.bench.job is not None else None
        if "path_to_save" in self.asked and written in there and _hash(written) != there[written]:
            asked = "replace" in self.asked or written == self._own
            self._hold(asked, f"{written.name} was replaced unasked")
        self._check_saved()

    def _check_saved(self) -> None:
        from lather.files.jobs.jobfile import load_job

        job = self.bench.job
        if job is not None and job.path is not None and not job.modified:
            self._hold(_is_same_work(job.state, load_job(job.path).state),
                       "what was saved is not what opens again")  # fmt: skip

    def _open(self) -> None:
        jobs = [path for path in self._folder.glob("*.lather") if "backup" not in path.name]
        path = self._chance.choice([*self._photos, *jobs, *jobs, *self._odd])
        self._leaving(lambda: open_file(self.bench, path), "opening")

    def _leaving(self, leave: Callable[[], object], what: str) -> None:
        """What is left must be in a file, or somebody was asked about it."""
        from lather.files.jobs.jobfile import load_job

        job, on_disk, asked_about = self.bench.job, None, None
        self.asked.clear()
        leave()
        if job is not None and "unsaved" in self.asked:
            asked_about = job.state
        if self.bench.job is job and self.bench.task is not None and self._chance.random() < 0.5:
            self.asked.clear()  # a stroke while the other one is being opened: asked about anew
            with suppress(LatherError):
                self._stroke()
        self._settle()
        if job is None or self.bench.job is job or "unsaved" in self.asked:
            return
        if job.path is not None and job.path.exists():
            on_disk = load_job(job.path).state
        first = _first_of(job)
        kept = [state for state in (first, on_disk, asked_about) if state is not None]
        self._hold(any(_is_same_work(job.state, state) for state in kept),
                   f"{what}: work was left without a question")  # fmt: skip

    def _close(self) -> None:
        self._closing(self._app.window.close)

    def _closing(self, close: Callable[[], object]) -> None:
        """Close the window; once it is closed, begin anew."""
        job = self.bench.job
        self.asked.clear()
        self._leaving(close, "closing")
        if self._app.window.isVisible():
            self._hold("unsaved" in self.asked, f"{job} stayed open for no reason")
            return
        self.stop_and_start()

    def stop_and_start(self) -> None:
        self._interrupts.close()
        self._app.close()
        self._start()

    def _signal(self) -> None:
        """The session ends; afterwards everything is there, saved or recovered."""
        from lather.actions.job.opening import begin

        job, path = self.bench.job, None
        self.asked.clear()
        os.kill(os.getpid(), self._chance.choice((signal.SIGTERM, signal.SIGINT, signal.SIGHUP)))
        self._pen_is_down = False
        self._wait_for(lambda: not self._app.window.isVisible(), "closing on a signal")
        self._hold("unsaved" not in self.asked, "a question after a signal")
        state = None if job is None else job.state
        modified = job is not None and job.modified
        if job is not None:
            path = job.path
        self.stop_and_start()
        if state is None or not modified or _is_same_work(state, self._first):
            return
        self._next_recovery = "recovered"
        begin(self.bench, path)
        self._settle()
        back = None if self.bench.job is None else _digest(self.bench.job.state)
        kind = "job" if path else "untitled"
        self._hold(back == _digest(state), f"after a signal: {kind} work is gone")

    def _survey(self) -> None:
        if self.bench.task is None:
            self._run("finding.survey")

    def _cancel(self) -> None:
        if self.bench.task is not None:
            self.bench.task.cancel.cancel()

    def _deliver(self) -> None:
        self._run("job.deliver")

    def _fail_in_a_stroke(self) -> None:
        """What a tool computes fails in an unforeseen way: that stroke is lost and no more."""
        self._settle()
        before = _digest(self.bench.state)
        with mock.patch(
            "lather.tools.session.PenSession._paint_pending", side_effect=RuntimeError(PLANNED)
        ):
            self._stroke()
            self._settle()
        self._hold(_digest(self.bench.state) == before, "half of a failed stroke is there")

    def _fail_in_a_save(self) -> None:
        """The disk is full while a job is written: the earlier file stays."""
        self._settle()
        job = self.bench.open_job
        if job.path is None or not job.path.exists():
            return
        before = _hash(job.path)
        with _full_disk():
            self._run("job.save")
            self._settle()
        self._hold(_hash(job.path) == before, "a failed save changed the file")

    def _wait(self) -> None:
        if self._chance.random() < 0.5:
            self._settle()
            self._check_saved()

    # --- answers -------------------------------------------------------------------------

    def _answer_unsaved(self, title: str) -> str | None:
        return self._chance.choice(("save", "save", "discard", None))

    def _answer_path_to_save(self, suggested: Path) -> Path | None:
        self._own = self.bench.job.path if self.bench.job is not None else None
        names = ("a.lather", "b.lather", "a.v2", "one.final", "c d", None)
        name = self._chance.choice(names)
        return None if name is None else self._folder / name

    def _answer_ungroup(self, name: str, lost: Any) -> bool:
        return self._chance.random() < 0.5

    def _answer_replace(self, path: Path) -> bool:
        return self._chance.random() < 0.7

    def _answer_recovery(self, title: str, recovered: Any) -> str | None:
        planned, self._next_recovery = self._next_recovery, None
        return planned or self._chance.choice(("recovered", "recovered", "saved", None))

    def _answer_unsaved_work(self, found: Any) -> tuple[str, int]:
        latest = max(range(len(found)), key=lambda number: found[number].last_s)
        return "recover", latest

    def _answer_open_copy(self, sentence: str) -> bool:
        self.outcome.broken.append(f"a lock was left behind: {sentence}")
        return False

    def _answer_orders(self, job: Any) -> list[Any] | None:
        from lather.files.exchange.delivery import Delivery

        name = self._chance.choice(("out.jpg", "out.png", "one.png", "two.png"))
        return [(self._folder / name, Delivery())]


@contextmanager
def _full_disk() -> Iterator[None]:
    """No new file can be made, as on a disk without room."""
    with mock.patch("lather.files.atomic.tempfile.mkstemp",
                    side_effect=OSError(28, "No space left on device")):  # fmt: skip
        yield


def _hash(path: Path) -> str:
    return hashlib.sha256(path.read_bytes()).hexdigest()


def _digest(state: Any) -> str:
    from lather.document.digest import digest

    return digest(state)


def _first_of(job: Job) -> JobState:
    done = job.history.done
    return done[0].before if done else job.state


def _is_same_work(left: JobState, kept: JobState) -> bool:
    """A survey that came by itself is no work: it comes again with the next opening."""
    if left.surveyed and not kept.surveyed:
        kept = replace(kept, findings=left.findings, regions=left.regions)
    return _digest(left) == _digest(kept)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--steps", type=int, default=2000)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    outcome = run(options.steps, options.seed)
    print(", ".join(f"{n} {name}" for name, n in outcome.counts.most_common()))
    print("asked: " + ", ".join(f"{n} {name}" for name, n in outcome.asked.most_common()))
    for what in outcome.broken:
        print(f"BROKEN {what}")
    print(f"{options.steps} steps, seed {options.seed}: {len(outcome.broken)} broken")
    return 1 if outcome.broken else 0


if __name__ == "__main__":
    raise SystemExit(main())
