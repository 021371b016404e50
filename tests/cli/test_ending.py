"""Signals, closed pipes, terminals without letters, links: what a shell does to a command."""

import os
import signal
import subprocess
import sys
import threading
import time
import unittest
from unittest import mock

from lather.cli import ending
from lather.cli.ending import Terminated, asked, ending_cleanly
from lather.cli.main import main
from lather.cli.progress import report
from lather.errors import Cancelled
from lather.files.jobs.backups import backups_of
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.places import beside
from tests.cli.test_cli import ROOT
from tests.cli.test_outputs import program, small_photo
from tests.support import Case, painted_state, photo_in

N_SIGNALS = 12


def send(number: int = signal.SIGINT) -> None:
    """A signal to this process, taken before the next line."""
    os.kill(os.getpid(), number)
    time.sleep(0.01)


class TokenTest(unittest.TestCase):
    def test_a_signal_cancels_the_work_and_is_raised_outside_of_it(self) -> None:
        for number in ending.ENDING:
            with self.assertRaises(Terminated) as caught, ending_cleanly():
                report(0.1, "begun")
                send(number)
                self.assertTrue(asked().cancelled)  # nothing was raised here
                with self.assertRaises(Cancelled):
                    report(0.2, "going on")
            self.assertEqual(caught.exception.number, number)
            self.assertFalse(asked().cancelled)  # the next verb is asked anew

    def test_whatever_became_of_it_inside(self) -> None:
        """Swallowed by a callback from C, or turned into another error by an import."""
        for inside in (lambda: None, lambda: (_ for _ in ()).throw(ImportError("half loaded"))):
            with self.assertRaises(Terminated), ending_cleanly():
                send()
                inside()

    def test_work_that_never_looks_up_is_ended_and_again_where_that_was_swallowed(self) -> None:
        with mock.patch.multiple(ending, PATIENCE_S=0.05, AGAIN_S=0.05):
            n_swallowed = 0
            with self.assertRaises(Terminated), ending_cleanly():
                send()
                for _ in range(3):
                    try:
                        time.sleep(5)
                    except Terminated:
                        n_swallowed += 1  # as a callback does
                time.sleep(5)
            self.assertEqual(n_swallowed, 3)

    def test_asked_twice_it_does_not_wait(self) -> None:
        with self.assertRaises(Terminated), ending_cleanly():
            send()
            with self.assertRaises(Terminated):
                send()

    def test_afterwards_signals_do_what_they_did(self) -> None:
        before = [signal.getsignal(n) for n in (*ending.ENDING, signal.SIGALRM)]
        with ending_cleanly():
            pass
        after = [signal.getsignal(n) for n in (*ending.ENDING, signal.SIGALRM)]
        self.assertEqual(before, after)
        found: list[bool] = []
        thread = threading.Thread(target=lambda: found.append(self._entered()))
        thread.start()
        thread.join()
        self.assertEqual(found, [True])

    def _entered(self) -> bool:
        with ending_cleanly():
            return True


class ProcessTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.photo = small_photo(self.folder)

    def test_whenever_it_comes_it_is_one_line_and_no_traceback(self) -> None:
        """From the first module that is loaded to the last thing that is written."""
        words = [sys.executable, "-m", "lather", "info", str(self.photo)]
        start_s = time.monotonic()
        subprocess.run(words, capture_output=True, cwd=ROOT, check=True)
        whole_s = time.monotonic() - start_s
        start_s = time.monotonic()  # before that the interpreter itself is loading
        subprocess.run([sys.executable, "-c", "import signal"], check=True)
        own_s = max(0.06, 1.5 * (time.monotonic() - start_s))
        for n in range(N_SIGNALS):
            number = ending.ENDING[n % 3]
            process = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
                                       cwd=ROOT)  # fmt: skip
            time.sleep(own_s + (whole_s - own_s) * n / N_SIGNALS)
            process.send_signal(number)
            _, err = process.communicate(timeout=60)
            text = err.decode()
            self.assertNotIn("Traceback", text)
            # Ended by what was asked, or done before; a signal in the last moments ends it plainly.
            self.assertIn(process.returncode, (0, 128 + number, -number), text)
            if process.returncode == 128 + number:
                self.assertRegex(text.splitlines()[-1], "^lather: (cancelled|ended)")

    def test_nobody_reads(self) -> None:
        for words in (("info", self.photo, "--json"), ("--help",), ("info", "nowhere.png")):
            for closed in (("stdout",), ("stderr",), ("stdout", "stderr")):
                reader, writer = os.pipe()
                os.close(reader)
                streams = {"stdout": subprocess.PIPE, "stderr": subprocess.PIPE,
                           **dict.fromkeys(closed, writer)}  # fmt: skip
                done = subprocess.run([sys.executable, "-m", "lather", *map(str, words)],
                                      cwd=ROOT, check=False, timeout=120, **streams)  # fmt: skip
                os.close(writer)
                self.assertNotIn(b"Traceback", done.stderr or b"")
                self.assertEqual(done.returncode, 1 if "nowhere.png" in words else 0, words)

    def test_work_goes_on_though_nobody_hears_its_notices(self) -> None:
        job = self.folder / "a.lather"
        reader, writer = os.pipe()
        os.close(reader)
        done = subprocess.run(
            [sys.executable, "-m", "lather", "shape", str(self.photo), str(job), "--push",
             "40,40,48,40,30"], stdout=subprocess.PIPE, stderr=writer, cwd=ROOT, check=False,
            timeout=300,
        )  # fmt: skip
        os.close(writer)
        self.assertEqual(done.returncode, 0)
        self.assertTrue(job.is_file())

    def test_a_terminal_without_letters(self) -> None:
        """ASCII alone: names keep their bytes, other letters are told by plainer ones."""
        plain = {**os.environ, "LC_ALL": "C", "PYTHONUTF8": "0", "PYTHONCOERCECLOCALE": "0"}
        named = self.folder / "größe–Δ.png"
        self.photo.rename(named)
        for words in (("info", named), ("info", named, "--json"), ("info", "ø.png"), ("--help",)):
            done = program(*words, env=plain)
            self.assertNotIn(b"Traceback", done.stderr, words)
        done = program("info", named, env=plain)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn(b"gr\\xf6\\xdfe-d.png, 120 x 100 px", done.stdout)


class LinkTest(Case):
    """A job by a symbolic link: the lock, the journal and the photo are those of the job."""

    def setUp(self) -> None:
        super().setUp()
        self.real = self.folder / "real"
        self.real.mkdir()
        self.photo = photo_in(self.real)
        self.job, self.link = self.real / "a.lather", self.folder / "link.lather"
        save_job(painted_state(self.photo), self.job)
        self.link.symlink_to(self.job)

    def test_places_are_beside_the_job(self) -> None:
        self.assertEqual(beside(self.link), beside(self.job))

    def test_a_verb_that_writes_it_takes_the_jobs_own_lock(self) -> None:
        from lather.files.jobs.lock import Lock

        lock = Lock.acquire(beside(self.job).lock, "a")
        try:
            done = program("shape", self.link, "--push", "40,40,48,40,30")
        finally:
            lock.release()
        self.assertEqual(done.returncode, 1)
        self.assertIn(b"has it open", done.stderr)
        status = main(["shape", str(self.link), "--push", "40,40,48,40,30"])
        self.assertEqual(status, 0)
        self.assertTrue(self.link.is_symlink())
        self.assertEqual(len(load_job(self.job).state.layers), 4)
        self.assertEqual(len(backups_of(self.job)), 1)
        self.assertEqual(sorted(p.name for p in self.folder.iterdir()), ["link.lather", "real"])

    def test_a_photo_outside_of_it_is_found_from_either(self) -> None:
        save_job(painted_state(self.photo), self.link, link_photo=True)
        self.assertTrue(self.link.is_symlink())
        for path in (self.job, self.link):
            self.assertEqual(load_job(path).state.photo.path.name, "portrait.png")


if __name__ == "__main__":
    unittest.main()
