"""Signals: Ctrl-C, a session that ends, a kill that asks. Nothing is lost, nothing left behind."""

import os
import signal
import subprocess
import sys
import threading
from pathlib import Path
from unittest import mock

from lather.actions.job.recovery import open_path
from lather.cli.progress import compiled_kernels
from lather.core import kernels
from lather.core.work import no_progress
from lather.document.state import new_state
from lather.files.jobs.jobwriter import save_job
from lather.files.places import beside
from tests.cli.test_cli import ROOT
from tests.support import DEMO, Case, photo_in

WINDOW = """
import sys, pathlib
from PyQt6.QtCore import QTimer
import lather.ui.app as app
from lather.actions.findings import finding
from lather.actions.findings import surveying
from lather.core.brush.stroke import PenSample
from lather.document import edits
from lather.ui.simulated_pen import SimulatedPen

app.kernels_ready = lambda: True  # this is not about compiling
built = app.build
def build(*words):
    made = built(*words)
    timer = QTimer(made.window)
    def look():
        if made.bench.job is not None and made.bench.task is None:
            timer.stop()
            work(made)
            print("ready", flush=True)
    timer.timeout.connect(look)
    timer.start(20)
    return made
app.build = build
"""
RUN = "\nraise SystemExit(app.run(pathlib.Path(sys.argv[1])))\n"
PAINT = """
def work(made):
    made.bench.change("A step", edits.add_pixel_layer)
"""
STROKE = """
def work(made):
    made.bench.change("A step", edits.add_pixel_layer)
    made.bench.hands.take_tool("paint_colour")
    made.bench.session.down(PenSample(0.0, 50, 50, 1.0))
    made.bench.session.move(PenSample(0.1, 90, 50, 1.0))
"""
SURVEY = """
def work(made):
    surveying.survey(made.bench)
"""
DIALOG = """
def work(made):
    made.bench.change("A step", edits.add_pixel_layer)
    QTimer.singleShot(0, made.window.close)
    QTimer.singleShot(300, lambda: print("asked", made.window.findChild(QMessageBox), flush=True))
from PyQt6.QtWidgets import QMessageBox
"""


class SignalCase(Case):
    def environment(self) -> dict[str, str]:
        home = str(self.folder / "home")
        return {
            **os.environ, "XDG_STATE_HOME": home, "XDG_CONFIG_HOME": home,
            "QT_QPA_PLATFORM": "offscreen",
        }  # fmt: skip

    def signalled(
        self, code: str, path: Path, number: int, ready: str = "ready"
    ) -> tuple[int, str]:
        """Run a program, signal it when it says so; its status and what it said on stderr."""
        child = subprocess.Popen(
            [sys.executable, "-c", code, str(path)], cwd=ROOT, env=self.environment(),
            stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
            preexec_fn=lambda: signal.signal(signal.SIGINT, signal.default_int_handler),
        )  # fmt: skip
        try:
            for line in child.stdout:
                if line.startswith(ready):
                    break
            child.send_signal(number)
            _, err = child.communicate(timeout=60)
        finally:
            child.kill()
        self.assertNotIn("Traceback", err)
        return child.returncode, err


class WindowSignalTest(SignalCase):
    def setUp(self) -> None:
        super().setUp()
        self.job = self.folder / "a.lather"
        save_job(new_state(photo_in(self.folder)), self.job)

    def recovered(self) -> list[str]:
        opened = open_path(self.job, no_progress, locked=True)
        opened.release()
        return [step.name for step in opened.recovered.history.done]

    def test_unsaved_steps_are_kept_and_nothing_is_asked(self) -> None:
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            status, err = self.signalled(WINDOW + PAINT + RUN, self.job, number)
            self.assertEqual(status, 128 + number, err)
            self.assertIn("1 unsaved step of 'a' kept", err)
            self.assertFalse(beside(self.job).lock.exists())
            self.assertEqual(self.recovered(), ["A step"])
            beside(self.job).journal.unlink()

    def test_the_stroke_in_hand_is_kept_too(self) -> None:
        status, err = self.signalled(WINDOW + STROKE + RUN, self.job, signal.SIGINT)
        self.assertEqual(status, 130, err)
        self.assertEqual(self.recovered(), ["A step", "Paint colour"])

    def test_a_question_on_the_screen_is_closed(self) -> None:
        status, err = self.signalled(WINDOW + DIALOG + RUN, self.job, signal.SIGTERM, "asked")
        self.assertEqual(status, 143, err)
        self.assertEqual(self.recovered(), ["A step"])

    def test_a_survey_is_cancelled(self) -> None:
        status, err = self.signalled(
            WINDOW + SURVEY + RUN, DEMO / "portrait2.jpg", signal.SIGINT
        )
        self.assertEqual(status, 130, err)

    def test_work_without_a_file_is_offered_at_the_next_start(self) -> None:
        status, err = self.signalled(
            WINDOW + PAINT + RUN, self.folder / "portrait.png", signal.SIGTERM
        )
        self.assertEqual(status, 143, err)
        left = list((self.folder / "home" / "lather" / "unsaved").glob("*/journal"))
        self.assertEqual(len(left), 1)


WRITING = """
import sys, time
from pathlib import Path
from lather.cli.main import main
from lather.files.exchange import delivery
def slow(image, path, suffix, how):
    path.write_bytes(b"half")
    print("ready", flush=True)
    time.sleep(60)
delivery._save = slow
out = Path(sys.argv[1]).with_name("out.png")
raise SystemExit(main(["render", sys.argv[1], str(out)]))
"""


class CommandLineSignalTest(SignalCase):
    def test_nothing_is_left_behind(self) -> None:
        photo = photo_in(self.folder).path
        for number, status in ((signal.SIGTERM, 143), (signal.SIGHUP, 129), (signal.SIGINT, 130)):
            done, err = self.signalled(WRITING, photo, number)
            self.assertEqual(done, status, err)
            self.assertIn("what was not finished was not written", err)
            self.assertEqual([p.name for p in self.folder.iterdir()], [photo.name])


class SharedCompilationTest(Case):
    def test_one_compiles_and_the_other_waits(self) -> None:
        compiled, told = [], []
        waiting = threading.Event()

        def compile_slowly(progress) -> None:
            compiled.append(1)
            waiting.wait(10)

        def tell(share: float, what: str) -> None:
            told.append(what)
            if what == kernels.WAITING:
                waiting.set()

        with (
            mock.patch.object(kernels, "COMPILED_MODULES", ()),
            mock.patch.object(kernels, "_kernels", []),
            mock.patch.object(kernels, "_prepared", False),
            mock.patch.object(kernels, "_compile_in_children", compile_slowly),
            mock.patch.dict(os.environ, {"NUMBA_CACHE_DIR": str(self.folder / "cache")}),
        ):
            both = [threading.Thread(target=kernels.prepare_kernels, args=(tell,))
                    for _ in range(2)]  # fmt: skip
            for thread in both:
                thread.start()
            for thread in both:
                thread.join(20)
        self.assertEqual(compiled, [1])
        self.assertIn(kernels.WAITING, told)
        self.assertEqual(told.count("kernels ready"), 2)

    def test_the_first_wait_is_told_without_a_terminal(self) -> None:
        def prepare(progress) -> None:
            for share in (0.0, 0.3, 0.6):
                progress(share, kernels.COMPILING)

        said: list[str] = []
        with (
            mock.patch.object(kernels, "prepare_kernels", prepare),
            mock.patch("sys.stderr") as stderr,
        ):
            stderr.isatty.return_value = False
            stderr.write.side_effect = said.append
            compiled_kernels()
        text = "".join(said)
        self.assertEqual(text.count(kernels.COMPILING), 1)
