"""Starting the application, in named steps: toolkit, workbench, window, file, kernels."""

from __future__ import annotations

import gc
import logging
import sys
import threading
import time
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from PyQt6.QtCore import QEvent, QTimer
from PyQt6.QtWidgets import QApplication

from lather.actions.job.opening import begin
from lather.actions.start import start_workbench
from lather.actions.work.ahead import Ahead
from lather.actions.workbench import Workbench
from lather.core.kernels import COMPILING, kernels_ready, prepare_kernels
from lather.render.worker import Workers
from lather.settings.store import Settings, default_path
from lather.ui.dialogs.asker import WindowAsker
from lather.ui.interrupts import Interrupts
from lather.ui.parts import theme
from lather.ui.parts.widgets import OnInterfaceThread
from lather.ui.window import MainWindow

N_VIEW_THREADS = 2
DRAWS, STANDS_BACK = 3, 10  # niceness: of what the eye waits for, and of all that nobody does
log = logging.getLogger(__name__)


@dataclass
class App:
    """The running application: what has to live as long as it does."""

    qt: QApplication
    bench: Workbench
    window: MainWindow
    workers: tuple[Workers, ...]
    ahead: Ahead | None = None  # none in scripts and tests: they say what is to be done

    def close(self) -> None:
        """End without asking; for scripts and tests."""
        sys.excepthook = sys.__excepthook__
        self.window.close_now()
        for workers in self.workers:
            workers.close()
        QApplication.processEvents()
        self.window.deleteLater()
        # Outside of the toolkit's own loop nothing else carries deletions out.
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        QApplication.processEvents()


def build(settings: Settings | None = None, arguments: list[str] | None = None) -> App:
    """The application with its window, not shown yet."""
    sys.setswitchinterval(0.0002)  # pen events must not wait for a worker's slice
    qt = QApplication.instance() or QApplication(arguments or ["lather"])
    assert isinstance(qt, QApplication)
    qt.setApplicationName("Lather")
    qt.setDesktopFileName("lather")
    settings = settings if settings is not None else Settings(default_path())
    theme.load_fonts()
    _dress(qt, settings)
    marshal = OnInterfaceThread()
    view = Workers(N_VIEW_THREADS, marshal, "view", DRAWS)
    aside = Workers(1, marshal, "aside", STANDS_BACK)
    strokes = Workers(1, marshal, "stroke")
    tasks = Workers(1, marshal, "task", STANDS_BACK)
    asker = WindowAsker()
    keep = Workers(2, marshal, "keep", STANDS_BACK)
    bench = start_workbench(
        settings, asker, stroke_executor=strokes, task_executor=tasks, keep_executor=keep
    )

    def on_setting(key: str) -> None:
        if key in ("appearance", "larger_text"):
            _dress(qt, settings)

    settings.changed.connect(on_setting)  # before the window, which goes by it
    window = MainWindow(bench, asker, view, aside)
    sys.excepthook = lambda kind, error, trace: _on_fault(bench, error)
    if kernels_ready():
        _keep_loaded()
    return App(qt, bench, window, (view, strokes, tasks, keep, aside))


def _on_fault(bench: Workbench, error: BaseException) -> None:
    """What nobody handled: logged and told, and work goes on.

    Without a hook of its own the toolkit would end the process, and unsaved work with it.
    """
    if isinstance(error, Exception):
        bench.report(error, "Something went wrong")
    else:
        sys.__excepthook__(type(error), error, error.__traceback__)


def _dress(qt: QApplication, settings: Settings) -> None:
    theme.apply(qt, settings["appearance"], larger=settings["larger_text"])


@cache
def _keep_loaded() -> None:
    """What is loaded by now stays: the collector need not look at it again and again.

    Each time it did, everything would stand still for a tenth of a second.
    """
    gc.freeze()


def prepare_in_background(app: App) -> threading.Thread:
    """Load the compiled kernels, or compile them on the first start; painting goes on."""
    marshal = app.workers[0].marshal
    messages = app.window.messages

    def work() -> None:
        start_s = time.monotonic()

        def progress(share: float, what: str) -> None:
            if what == COMPILING or share >= 1:
                marshal(lambda: messages.set_background(share, what))

        try:
            prepare_kernels(progress)
            log.info("kernels ready after %.1f s", time.monotonic() - start_s)
            marshal(_keep_loaded)
        except Exception:  # painting goes on with the slower forms
            log.exception("kernels could not be prepared")

    thread = threading.Thread(target=work, name="kernels", daemon=True)
    thread.start()
    return thread


def run(path: Path | None) -> int:
    """Open the window and stay until it is closed; returns the exit status."""
    app = build()
    app.ahead = Ahead(app.bench)
    app.window.show()
    if not kernels_ready():
        QTimer.singleShot(50, lambda: prepare_in_background(app))
    QTimer.singleShot(0, lambda: begin(app.bench, path))
    interrupts = leave_on_signals(app)
    status = app.qt.exec()
    for workers in app.workers:
        workers.close()
    interrupts.close()
    return 128 + interrupts.seen[0] if interrupts.seen else status


def leave_on_signals(app: App) -> Interrupts:
    """Close the window on Ctrl-C or when the session ends; a second signal does not wait."""

    def on_signal(number: int) -> None:  # noqa: ARG001
        at_once = len(interrupts.seen) > 1
        # Out of the loop of a dialog that the signal closes, if there is one.
        QTimer.singleShot(0, lambda: app.window.leave(at_once=at_once))

    interrupts = Interrupts(on_signal)
    return interrupts
