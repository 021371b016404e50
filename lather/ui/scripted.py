"""A short retouch by script: the real window, driven by the simulated pen."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QApplication

from lather.actions.job.opening import open_file
from lather.core.kernels import kernels_ready, prepare_kernels
from lather.core.rect import Rect
from lather.files.exchange.recordings import read_recording
from lather.paths import demo_dir, demo_job
from lather.settings.store import Settings
from lather.ui.app import App, build
from lather.ui.simulated_pen import SimulatedPen

SIZE = (1280, 800)


def wait_until(done: Callable[[], bool], timeout_s: float = 60.0) -> bool:
    """Let events run until something holds; False if it did not in time."""
    end_s = time.monotonic() + timeout_s
    while not done():
        if time.monotonic() > end_s:
            return False
        QApplication.processEvents()
        time.sleep(0.002)
    QApplication.processEvents()
    return True


def settle(app: App) -> None:
    """Let all rendering that is under way arrive."""
    wait_until(lambda: app.bench.task is None)
    QApplication.processEvents()  # a paint asks for what is out of date
    wait_until(lambda: app.window.canvas.tiles is None or not app.window.canvas.tiles.busy)
    for _ in range(4):
        answered: list[int] = []
        for workers in app.workers:
            # All threads must be through: each waits, behind all else, for the others.
            together = threading.Barrier(workers.n_threads)
            for _ in range(workers.n_threads):
                workers.post(together.wait, answered.append, priority=9)
        n_expected = sum(workers.n_threads for workers in app.workers)
        wait_until(lambda: len(answered) == n_expected)  # noqa: B023


def open_and_settle(app: App, path: Path) -> None:
    before = app.bench.job
    open_file(app.bench, path)
    wait_until(lambda: app.bench.task is None and app.bench.job is not before)
    settle(app)


def shot(app: App, path: Path) -> Path:
    """A picture of the window as it is once everything has arrived."""
    if app.bench.job is not None:
        wait_until(lambda: app.window.checks.measured, 5.0)
    settle(app)
    path.parent.mkdir(parents=True, exist_ok=True)
    app.window.grab().save(str(path))
    return path


def scripted_retouch(folder: Path) -> list[Path]:
    """Open the demo, mend by pen, compare, weaken; returns the pictures made."""
    if not kernels_ready():
        prepare_kernels()
    app = build(Settings())
    app.window.resize(*SIZE)
    app.window.show()
    shots = []
    try:
        open_and_settle(app, demo_job())
        shots.append(shot(app, folder / "1-demo-job.png"))
        open_and_settle(app, demo_dir() / "portrait1.jpg")
        pen = SimulatedPen(app.window.canvas)
        strokes = read_recording(demo_dir() / "recordings" / "mend_forehead.jsonl")
        app.bench.hands.take_tool("mend_spot")
        app.bench.hands.set_brush(size_px=54.0)
        app.bench.zoom_to(0.5)
        first = strokes[0][0]
        app.bench.centre_on(Rect.around(first.x, first.y + 200, 4))
        settle(app)
        for stroke in strokes:
            pen.stroke(stroke)
            pen.wait()
        shots.append(shot(app, folder / "2-mended.png"))
        app.bench.look(split=True)
        shots.append(shot(app, folder / "3-split.png"))
        app.bench.look(split=False)
        app.bench.zoom_to(1.0)
        shots.append(shot(app, folder / "4-at-100.png"))
    finally:
        app.close()
    return shots
