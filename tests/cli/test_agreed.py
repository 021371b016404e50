"""What the command line says it did: jobs it would replace, areas, the brief's size and format."""

from __future__ import annotations

import subprocess
import sys
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import cv2
import numpy as np

from lather.assist.briefing import written_brief
from lather.core.area.combine import Combine
from lather.core.rect import Rect
from lather.document import areas
from lather.document.agreed.brief import Brief, Delivered, Task
from lather.document.agreed.briefing import set_brief
from lather.document.agreed.style import Style
from lather.document.state import new_state
from lather.files.jobs.brief import write_brief
from lather.files.jobs.jobwriter import save_job
from lather.files.photos.reading import read_photo
from tests.cli.test_cli import call
from tests.support import Case, small_portrait

ROOT = Path(__file__).parents[2]
SCALE = ("--mm-per-pixel", "0.3")


class AgreedCase(Case):
    def setUp(self) -> None:
        super().setUp()
        self.photo = small_portrait(self.folder, 0.4)

    def brief(self, **values) -> Path:
        path = self.folder / "agreed.json"
        state = set_brief(new_state(read_photo(self.photo)), replace(Brief(), **values))
        write_brief(path, written_brief(state))
        return path


class BriefTest(AgreedCase):
    def test_out_is_as_large_and_of_the_format_that_was_agreed(self) -> None:
        brief = self.brief(delivery_long_side_px=400, more_sizes_px=(200,), tasks=(Task.BLEMISHES,
                           Task.TEETH), formats=(Delivered.WEBP, Delivered.TIFF))  # fmt: skip
        status, _, err = call("retouch", self.photo, self.folder / "done", "--stages", "clean",
                              "--brief", brief)  # fmt: skip
        self.assertIn(status, (0, 3), err)
        written = read_photo(self.folder / "done.webp")
        self.assertEqual(max(written.width, written.height), 400)
        self.assertIn("asks for TIFF too: not written here", err)
        self.assertIn("further sizes (200 px), which were not written", err)
        self.assertIn("asks for 'teeth', which Lather cannot do yet", err)

    def test_what_out_says_otherwise_is_told(self) -> None:
        brief = self.brief(delivery_long_side_px=9000, formats=(Delivered.JPEG,))
        status, _, err = call("retouch", self.photo, self.folder / "done.png", "--stages", "clean",
                              "--brief", brief)  # fmt: skip
        self.assertIn(status, (0, 3), err)
        self.assertIn("asks for JPEG; 'done.png' says otherwise", err)
        self.assertIn("asks for 9000 px; the picture has", err)

    def test_without_a_brief_out_needs_an_ending(self) -> None:
        status, _, err = call("retouch", self.photo, self.folder / "done")
        self.assertEqual(status, 1)
        self.assertIn("its name has no ending", err)

    def test_a_style_that_is_none_is_refused_with_the_list(self) -> None:
        brief = self.brief(style=Style.IDENTITY)
        for wrong in ("Identity", "identiy", "Infant", "x"):
            path = self.folder / "wrong.json"
            path.write_text(brief.read_text().replace('"identity"', f'"{wrong}"'))
            status, _, err = call("retouch", self.photo, self.folder / "o.png", "--brief", path)
            self.assertEqual(status, 1)
            self.assertIn(f"'{wrong}' is no style", err)
            self.assertIn("natural, groomed, flawless, infant, identity", err)
            self.assertEqual("did you mean" in err, wrong != "x")
            self.assertFalse((self.folder / "o.png").exists())

    def test_a_task_that_is_none_is_said(self) -> None:
        path = self.brief(tasks=(Task.BLEMISHES,))
        path.write_text(path.read_text().replace('"blemishes"', '"blemishes", "teath"'))
        status, _, err = call("brief", self.photo, self.folder / "b.json", "--brief", path, *SCALE)
        self.assertEqual(status, 0, err)
        self.assertIn("'teath', which is no part of the work: choose from blemishes", err)

    def test_consent_does_not_come_along_with_a_template(self) -> None:
        path = self.brief(consent_by="Anna", consent_on="2026-11-01", guardian="Otto", words="Soft")
        other = self.folder / "other.png"
        cv2.imwrite(str(other), cv2.flip(cv2.imread(str(self.photo)), 1))
        out = self.folder / "b.json"
        status, _, err = call("brief", other, out, "--brief", path, *SCALE)
        self.assertEqual(status, 0, err)
        self.assertIn("Consent was given for 'portrait.png', not for this one", err)
        text = out.read_text()
        self.assertNotIn("Anna", text)
        self.assertNotIn("Otto", text)
        self.assertNotIn("2026-11-01", text)
        self.assertIn("Soft", text)
        status, _, err = call("brief", self.photo, out, "--brief", path, *SCALE)
        self.assertIn("Anna", out.read_text())


class AreaTest(AgreedCase):
    def job(self, rect: Rect) -> Path:
        state = new_state(read_photo(self.photo))
        whole = np.ones((rect.height, rect.width), np.float32)
        path = self.folder / "work.lather"
        save_job(areas.outline(state, rect, whole, Combine.NEW), path)
        return path

    def test_a_job_whose_area_holds_nothing_is_refused_and_nothing_is_written(self) -> None:
        job, out = self.job(Rect(0, 0, 4, 4)), self.folder / "o.png"
        for verb, more in (("retouch", ("--stages", "clean")), ("clean", ())):
            status, _, err = call(verb, job, out, *more)
            self.assertEqual(status, 1, err)
            self.assertIn("lies in the job's area", err)
            self.assertFalse(out.exists())

    def test_inside_it_works_and_says_what_is_left(self) -> None:
        height, width = cv2.imread(str(self.photo)).shape[:2]
        job, out = self.job(Rect(0, 0, width // 2, height)), self.folder / "o.png"
        status, _, err = call("retouch", job, out, "--stages", "clean")
        self.assertIn(status, (0, 3), err)
        self.assertIn("only what lies in it was worked on", err)
        change = np.abs(cv2.imread(str(out)).astype(int) - cv2.imread(str(self.photo))).max(-1)
        self.assertGreater(change[:, : width // 2].max(), 10)
        self.assertEqual(change[:, width // 2 + 1 :].max(), 0)


class ShapeTest(AgreedCase):
    PUSH = ("--push", "200,300,230,300,120")

    def test_a_picture_is_no_job(self) -> None:
        status, _, err = call("shape", self.photo, self.folder / "out.jpg", *self.PUSH)
        self.assertEqual(status, 1)
        self.assertIn("'.jpg' is the ending of a picture", err)
        self.assertEqual(list(self.folder.glob("out*")), [])

    def test_without_a_scale_it_is_told_in_pixels(self) -> None:
        job = self.folder / "out.lather"
        status, said, err = call("shape", self.photo, job, *self.PUSH)
        self.assertEqual(status, 0, err)
        self.assertIn(" px;", said)
        self.assertNotIn("mm", said)
        self.assertNotIn("mm", call("info", job)[1].split("moved")[1])
        status, said, err = call("shape", self.photo, job, *self.PUSH, *SCALE)
        self.assertEqual(status, 1)
        self.assertIn("give --replace", err)
        status, said, err = call("shape", self.photo, job, *self.PUSH, *SCALE, "--replace")
        self.assertEqual(status, 0, err)
        self.assertIn(" mm (", said)


class RenderTest(AgreedCase):
    def test_a_size_beyond_the_picture_is_said(self) -> None:
        status, _, err = call("render", self.photo, self.folder / "o.png", "--long-side", "9000")
        self.assertEqual(status, 0)
        self.assertIn("--long-side 9000 is more than the picture has", err)
        status, _, err = call("render", self.photo, self.folder / "o.png", "--long-side", "90")
        self.assertNotIn("more than", err)


class PipeTest(AgreedCase):
    def test_who_has_read_enough_ends_it_quietly(self) -> None:
        job = self.folder / "work.lather"
        state = new_state(read_photo(self.photo))
        save_job(state, job)
        for words in (("info", str(job)), ("info", str(job), "--json"), ("bench", "--list")):
            code = "import sys; from lather.cli.main import main; sys.exit(main(sys.argv[1:]))"
            process = subprocess.Popen(
                [sys.executable, "-c", code, *words], cwd=ROOT, stdout=subprocess.PIPE,
                stderr=subprocess.PIPE,
            )  # fmt: skip
            process.stdout.close()  # before anything is written, as `head -0` does
            err = process.stderr.read().decode()
            process.stderr.close()
            self.assertEqual(process.wait(), 0, err)
            self.assertNotIn("Traceback", err)
            self.assertNotIn("BrokenPipe", err)


class FullDiskTest(AgreedCase):
    CODE = """
import os, resource, signal, sys
import numpy as np
from pathlib import Path
from lather.errors import LatherError
from lather.files.exchange.delivery import Delivery, encode_photo
folder = Path(sys.argv[1])
samples = np.random.default_rng(1).integers(0, 65536, (700, 700, 3)).astype('u2')
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
resource.setrlimit(resource.RLIMIT_FSIZE, (150_000, 150_000))
kept = []
for name, bits in (('o.png', 16), ('o.tif', 16), ('o.jpg', 8), ('o.webp', 8)):
    try:
        encode_photo(samples, None, folder / name, Delivery(depth_bits=bits, quality=100))
    except LatherError as error:
        kept.append(error)
        print(error)
open_files = [os.readlink(f'/proc/self/fd/{n}') for n in os.listdir('/proc/self/fd')
              if os.path.islink(f'/proc/self/fd/{n}')]
print([name for name in open_files if str(folder) in name], os.listdir(folder))
"""

    def test_a_failed_delivery_holds_no_file_and_no_room(self) -> None:
        folder = self.folder / "out"
        folder.mkdir()
        done = subprocess.run([sys.executable, "-c", self.CODE, str(folder)], cwd=ROOT,
                              capture_output=True, text=True, check=True)  # fmt: skip
        *said, held = done.stdout.splitlines()
        self.assertEqual(len(said), 4, done.stderr)
        self.assertEqual(held, "[] []")
        for text in said:
            self.assertNotIn(".lather-", text)
            self.assertNotIn("vips", text.lower())

    def test_a_full_disk_is_called_one(self) -> None:
        import pyvips

        from lather.errors import LatherError
        from lather.files.exchange.delivery import Delivery, encode_photo

        full = pyvips.Error("unable to write", "unix error: No space left on device\n")
        with mock.patch("lather.files.exchange.delivery._save", side_effect=full), \
                self.assertRaisesRegex(LatherError, "the disk of .* is full; make room"):
            encode_photo(np.zeros((8, 8, 3), "u2"), None, self.folder / "o.png", Delivery())
        self.assertEqual(list(self.folder.glob(".lather-*")), [])


if __name__ == "__main__":
    unittest.main()
