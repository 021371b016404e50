"""What a verb writes is never what it reads, nor another of its results; checked first."""

import argparse
import contextlib
import io
import json
import os
import subprocess
import sys
import threading
from pathlib import Path
from unittest import mock

from lather.actions.job import recovery
from lather.actions.job.keeping import Keeper
from lather.cli.main import VERBS
from lather.core.work import no_progress
from lather.document import edits
from lather.document.job import Job
from lather.document.state import new_state
from lather.errors import LatherError
from lather.files.atomic import replacing
from lather.files.exchange.delivery import Delivery, encode_photo
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.jobs.lock import Lock
from lather.files.outputs import Form, Output, check_outputs, with_ending
from lather.files.photos.reading import read_photo
from lather.files.places import beside
from lather.render.worker import SameThread
from tests.cli.test_cli import ROOT, call
from tests.support import Case, skin_photo

SCALE = ("--mm-per-pixel", "0.2")


def program(*words: object, **options) -> subprocess.CompletedProcess:
    """The command as a process of its own."""
    return subprocess.run(
        [sys.executable, "-m", "lather", *map(str, words)],
        capture_output=True, cwd=ROOT, check=False, timeout=120, **options,
    )  # fmt: skip


def small_photo(folder: Path) -> Path:
    path = folder / "photo.png"
    encode_photo(skin_photo(120, 100).samples, None, path, Delivery(depth_bits=16))
    return path


class GuardTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.photo = small_photo(self.folder)
        self.before = self.photo.read_bytes()
        (self.folder / "hard.png").hardlink_to(self.photo)
        (self.folder / "soft.png").symlink_to(self.photo)
        (self.folder / "folder").mkdir()

    def refused(self, *words: object) -> str:
        files = sorted(self.folder.rglob("*"))
        with mock.patch.object(recovery, "open_path", side_effect=AssertionError("work began")):
            status, out, err = call(*words)
        self.assertEqual((status, out), (1, ""))
        self.assertEqual(err.count("\n"), 1)
        self.assertEqual(sorted(self.folder.rglob("*")), files)
        self.assertEqual(self.photo.read_bytes(), self.before)
        return err

    def test_every_path_of_every_verb_is_declared(self) -> None:
        for name, verb in VERBS.items():
            parser = argparse.ArgumentParser()
            verb.add_arguments(parser)
            paths = {action.dest for action in parser._actions if action.type is Path}
            self.assertEqual(paths, {*verb.READS, *verb.WRITES}, name)

    def test_a_verb_refuses_its_input_as_output_before_any_work(self) -> None:
        """Under every name: its own, links, another case, a job that would be its own input."""
        photo, job = self.photo, self.folder / "a.lather"
        save_job(new_state(read_photo(photo)), job)
        held = job.read_bytes()
        for name in ("photo.png", "hard.png", "soft.png", "PHOTO.PNG", "folder/../photo.png"):
            out = self.folder / name
            for words in (
                ("render", photo, out),
                ("clean", photo, out, *SCALE),
                ("survey", photo, "--json", out, *SCALE),
            ):
                self.refused(*words)
        for words in (
            ("clean", job, self.folder / "o.png", "--job", job, *SCALE),
            ("clean", job, self.folder / "o.png", "--job", job.with_suffix(".LATHER"), *SCALE),
            ("survey", job, "--json", job, *SCALE),
        ):
            self.refused(*words)
        self.assertEqual(job.read_bytes(), held)

    def test_two_results_never_share_a_file(self) -> None:
        clash = [Output(self.folder / name, Form.TEXT) for name in ("a.json", "A.json")]
        with self.assertRaisesRegex(LatherError, "two results"):
            check_outputs([], clash)
        link = self.folder / "link.json"
        link.symlink_to(self.folder / "a.json")
        with self.assertRaisesRegex(LatherError, "two results"):
            check_outputs([], [clash[0], Output(link, Form.TEXT)])

    def test_a_missing_ending_or_folder_is_told_first(self) -> None:
        photo = self.photo
        for words, why in (
            (("render", photo, self.folder / "out"), "no ending"),
            (("clean", photo, self.folder / "out.xyz"), "'.xyz'"),
            (("clean", photo, self.folder / "out.ora"), "'.ora'"),
            (("render", photo, self.folder / "folder"), "no ending"),
            (("survey", photo, "--json", self.folder / "folder"), "it is a folder"),
            (("survey", photo, "--json", self.folder / "other.jpg"), "ending of a picture"),
            (("render", photo, self.folder / "none" / "o.png"), "there is no folder"),
            (("render", photo, photo / "o.png"), "is a file"),
            (("bench", "--json", self.folder / "none" / "o.json"), "there is no folder"),
            (("demo", "--script", photo), "it is a file"),
        ):
            self.assertIn(why, self.refused(*words))
        with mock.patch("os.access", return_value=False):
            self.assertIn("cannot be written to", self.refused("render", photo,
                                                               self.folder / "o.png"))

    def test_a_job_gets_its_ending(self) -> None:
        self.assertEqual(with_ending(Path("a/smith v1.5"), ".lather"),
                         Path("a/smith v1.5.lather"))
        self.assertEqual(with_ending(Path("smith.LATHER"), ".lather"), Path("smith.LATHER"))
        for given, written in (("work", "work.lather"), ("o.png", "o.png.lather"),
                               ("photo.png", "photo.png.lather")):  # fmt: skip
            out = self.folder / "o.png"
            out.unlink(missing_ok=True)
            status, _, err = call("clean", self.photo, out, "--job", self.folder / given, *SCALE)
            self.assertEqual(status, 0, err)
            self.assertEqual(call("info", self.folder / written)[0], 0)
            self.assertEqual(read_photo(out).width, 120)
        self.assertEqual(self.photo.read_bytes(), self.before)

    def test_a_linked_photo_is_an_input_of_its_job(self) -> None:
        job = self.folder / "a.lather"
        save_job(new_state(read_photo(self.photo)), job, link_photo=True)
        for words in (("render", job, self.photo), ("clean", job, self.photo, *SCALE)):
            status, _, err = call(*words)
            self.assertEqual(status, 1)
            self.assertIn("read here", err)
        self.assertEqual(self.photo.read_bytes(), self.before)


class ThroughTest(Case):
    """What is no regular file is written to, and a link is followed."""

    def test_standard_output_and_pipes(self) -> None:
        survey = ("survey", small_photo(self.folder), *SCALE, "--json")
        for name in ("-", "/dev/stdout"):
            done = program(*survey, name)
            self.assertEqual(done.returncode, 0, done.stderr)
            text = done.stdout.decode()
            self.assertEqual(json.JSONDecoder().raw_decode(text)[0]["width"], 120)
        self.assertIn("findings:", program(*survey, "-").stderr.decode())
        self.assertTrue(os.path.exists("/dev/stdout"))
        pipe = self.folder / "pipe"
        os.mkfifo(pipe)
        read: list[bytes] = []
        reader = threading.Thread(target=lambda: read.append(pipe.read_bytes()))
        reader.start()
        with replacing(pipe) as temporary:
            temporary.write_bytes(b"content")
        reader.join(10)
        self.assertEqual(read, [b"content"])
        self.assertTrue(pipe.is_fifo())
        with replacing(Path("/dev/null")) as temporary:
            temporary.write_bytes(b"content")
        self.assertFalse(Path("/dev/null").is_file())

    def test_a_link_stays_one(self) -> None:
        (self.folder / "far").mkdir()
        real, link = self.folder / "far" / "real.txt", self.folder / "link.txt"
        link.symlink_to("far/real.txt")
        for content in (b"first", b"second"):  # a link to nothing yet, then to a file
            with replacing(link) as temporary:
                temporary.write_bytes(content)
            self.assertTrue(link.is_symlink())
            self.assertEqual(real.read_bytes(), content)
        self.assertEqual(sorted(p.name for p in self.folder.rglob("*")),
                         ["far", "link.txt", "real.txt"])


class JobWritersTest(Case):
    """The command line writes jobs by the same rules as the window."""

    def setUp(self) -> None:
        super().setUp()
        self.photo = small_photo(self.folder)
        self.job = self.folder / "work.lather"
        save_job(edits.add_pixel_layer(new_state(read_photo(self.photo))), self.job)
        self.held = self.job.read_bytes()

    def clean(self, *more: str) -> tuple[int, str]:
        out = self.folder / "o.png"
        status, _, err = call("clean", self.photo, out, "--job", self.job, *SCALE,
                              *more)  # fmt: skip
        return status, err

    def test_a_job_that_is_open_is_left_alone(self) -> None:
        code = (
            "import sys, pathlib, lather.files.jobs.lock as l, lather.files.places as p\n"
            "lock = l.Lock.acquire(p.beside(pathlib.Path(sys.argv[1])).lock, 'work')\n"
            "print('held', flush=True); sys.stdin.read()"
        )
        holder = subprocess.Popen([sys.executable, "-c", code, str(self.job)], cwd=ROOT, text=True,
                                  stdin=subprocess.PIPE, stdout=subprocess.PIPE)  # fmt: skip
        with holder:
            self.assertEqual(holder.stdout.readline(), "held\n")
            status, err = self.clean()
            holder.stdin.close()
        self.assertEqual(status, 1)
        self.assertIn(f"process {holder.pid}", err)
        self.assertEqual(self.job.read_bytes(), self.held)
        self.assertFalse((self.folder / "o.png").exists())

    def test_what_is_replaced_is_kept_as_a_backup(self) -> None:
        status, err = self.clean()
        self.assertEqual(status, 1)
        self.assertIn("there is the job of 'photo.png' with 1 layer; give --replace", err)
        self.assertEqual(self.job.read_bytes(), self.held)
        self.assertFalse((self.folder / "o.png").exists())
        status, err = self.clean("--replace")
        self.assertEqual(status, 0, err)
        self.assertIn("'work.lather' replaces the job of 'photo.png' with 1 layer; it is kept as "
                      "'work.backup1.lather'", err)
        self.assertEqual((self.folder / "work.backup1.lather").read_bytes(), self.held)
        self.assertFalse(Lock.held_here(beside(self.job).lock))

    def crashed(self, path: Path) -> Job:
        """A job on which steps were made that were never saved; its process is gone."""
        opened = recovery.open_path(path, no_progress, locked=True)
        keeper = Keeper(opened, SameThread())
        keeper.start(opened)
        opened.job.change("Paint a name", edits.add_pixel_layer(opened.job.state))
        opened.release()
        opened.job.recorder = None
        return opened.job

    def test_unsaved_work_is_not_written_over(self) -> None:
        self.crashed(self.job)
        status, err = self.clean()
        self.assertEqual(status, 1)
        self.assertIn("never saved", err)
        self.assertEqual(self.job.read_bytes(), self.held)
        opened = recovery.open_path(self.job, no_progress, locked=True)
        self.addCleanup(opened.release)
        self.assertEqual(opened.recovered.n_steps, 1)

    def test_the_command_line_says_that_steps_are_not_in_it(self) -> None:
        self.crashed(self.job)
        status, _, err = call("render", self.job, self.folder / "o.png")
        self.assertEqual(status, 0)
        self.assertIn("1 step since then", err)

    def test_a_journal_whose_job_was_replaced_comes_back_beside_it(self) -> None:
        """By whatever means: a program that knows no locks, with a backup of the version."""
        job = self.crashed(self.job)
        beside(self.job).base.unlink()
        self.job.rename(self.folder / "work.backup1.lather")
        save_job(new_state(read_photo(self.photo)), self.job)
        opened = recovery.open_path(self.job, no_progress, locked=True)
        self.addCleanup(opened.release)
        self.assertIsNone(opened.recovered)
        self.assertIn("work.recovered.lather", " ".join(opened.notices))
        self.assertIn("Paint a name", " ".join(opened.notices))
        brought_back = load_job(self.folder / "work.recovered.lather").state
        self.assertEqual([x.name for x in brought_back.layers],
                         [x.name for x in job.state.layers])
        self.assertFalse(beside(self.job).journal.exists())

    def test_a_version_that_nobody_kept_is_known_by_its_second_name(self) -> None:
        job = self.crashed(self.job)
        save_job(new_state(read_photo(self.photo)), self.job)
        opened = recovery.open_path(self.job, no_progress, locked=True)
        self.addCleanup(opened.release)
        brought_back = load_job(self.folder / "work.recovered.lather").state
        self.assertEqual(len(brought_back.layers), len(job.state.layers))
        self.assertFalse(beside(self.job).base.exists())

    def test_without_any_base_the_journal_is_kept(self) -> None:
        self.crashed(self.job)
        beside(self.job).base.unlink()
        journal = beside(self.job).journal.read_bytes()
        save_job(new_state(read_photo(self.photo)), self.job)
        opened = recovery.open_path(self.job, no_progress, locked=True)
        self.addCleanup(opened.release)
        kept = self.folder / ".work.lather.journal.other"
        self.assertEqual(kept.read_bytes(), journal)
        self.assertIn(kept.name, " ".join(opened.notices))

    def test_a_job_opened_through_a_link_is_saved_where_it_lies(self) -> None:
        (self.folder / "desk").mkdir()
        link = self.folder / "desk" / "today.lather"
        link.symlink_to(self.job)
        opened = recovery.open_path(link, no_progress, locked=True)
        self.addCleanup(opened.release)
        self.assertEqual(opened.job.path, self.job)
        with contextlib.redirect_stdout(io.StringIO()):
            save_job(edits.add_pixel_layer(opened.job.state), link)
        self.assertTrue(link.is_symlink())
        self.assertEqual(len(load_job(self.job).state.layers), 3)


class AnyBytesAreANameTest(Case):
    """Names that are not UTF-8, of files and of folders."""

    def setUp(self) -> None:
        super().setUp()
        self.here = Path(os.fsdecode(os.fsencode(self.folder) + b"/caf\xe9"))
        self.here.mkdir()
        self.photo = small_photo(self.here).rename(self.here / os.fsdecode(b"portr\xe4t.png"))

    def test_all_verbs(self) -> None:
        out = {end: self.here / os.fsdecode(b"\xfcber" + end.encode()) for end in
               (".jpg", ".png", ".tif", ".webp", ".ora", ".json", ".lather")}  # fmt: skip
        pictures = (".jpg", ".png", ".tif", ".webp", ".ora")
        for words in (
            *(("render", self.photo, out[end]) for end in pictures),
            ("survey", self.photo, "--json", out[".json"], *SCALE),
            ("clean", self.photo, out[".png"], "--job", out[".lather"], *SCALE),
            ("render", out[".lather"], out[".tif"]),
            ("render", out[".ora"], out[".jpg"]),
            ("info", out[".lather"]),
            ("info", self.photo, "--json"),
        ):
            if words[0] == "clean":
                out[".png"].unlink()
            status, _, err = call(*words)
            self.assertEqual(status, 0, (words, err))
        for path in out.values():
            self.assertTrue(path.is_file())

    def test_refusals_name_them(self) -> None:
        for words in (("info", self.here / os.fsdecode(b"\xe9.png")), ("info", self.here)):
            done = subprocess.run(
                [sys.executable, "-m", "lather", *map(os.fsencode, words)], capture_output=True,
                cwd=ROOT, check=False, timeout=120,
            )  # fmt: skip
            self.assertEqual((done.returncode, done.stderr.count(b"\n")), (1, 1))
            self.assertIn("\N{REPLACEMENT CHARACTER}", done.stderr.decode())
