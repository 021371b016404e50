"""Odd files in every verb: each is opened, or refused in one line; no input is ever changed."""

import io
import json
import os
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pyvips
from PIL import Image, ImageCms

from lather.actions.job.recovery import open_path
from lather.core.work import no_progress
from lather.document import edits
from lather.document.state import new_state
from lather.files.exchange.openraster import write_openraster
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.photos.reading import decode_photo, read_photo
from lather.render.pictures import Pictures
from tests.cli.test_cli import call
from tests.files.test_odd_photos import grey_profile, tiff
from tests.support import Case

SIZE = 72, 56
SMOOTH = np.add.outer(np.arange(SIZE[1]) + 90, np.arange(SIZE[0]))[..., None].repeat(3, -1)
RGB = Image.fromarray((SMOOTH + [20, 0, 0]).astype(np.uint8))

Maker = Callable[[Path], object]


def saved(form: str, image: Image.Image = RGB, **options) -> Maker:
    return lambda path: image.save(path, form, **options)


def encoded(form: str, image: Image.Image = RGB, **options) -> bytes:
    out = io.BytesIO()
    image.save(out, form, **options)
    return out.getvalue()


def holding(content: bytes) -> Maker:
    return lambda path: path.write_bytes(content)


def job(path: Path, **options) -> None:
    state = new_state(decode_photo(encoded("PNG"), "portrait.png"))
    save_job(edits.add_pixel_layer(state), path, **options)


def zipped(**members: bytes) -> Maker:
    def make(path: Path) -> None:
        with zipfile.ZipFile(path, "w") as archive:
            for name, content in members.items():
                archive.writestr(name.replace("__", "."), content)

    return make


def layers(path: Path) -> None:
    photo = decode_photo(encoded("PNG"), "portrait.png")
    state = edits.add_pixel_layer(new_state(photo))
    write_openraster(state, photo.samples, path, pictures=Pictures(state))


def orientation(value: int) -> Image.Exif:
    exif = Image.Exif()
    exif[0x0112] = value
    return exif


SRGB = pyvips.Operation.call("profile_load", "srgb")
LAB = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()
CMYK = pyvips.Operation.call("profile_load", "cmyk")
NOISE = Image.fromarray(np.random.default_rng(3).integers(0, 256, (256, 256, 3)).astype("u1"))

OPENED: dict[str, Maker] = {
    "plain.jpg": saved("JPEG"),
    "PLAIN.JPEG": saved("JPEG"),
    "plain.png": saved("PNG"),
    "plain.tif": saved("TIFF"),
    "plain.webp": saved("WEBP"),
    "a jpeg named.png": saved("JPEG"),
    "a png named.jpg": saved("PNG"),
    "one pixel.png": saved("PNG", RGB.crop((0, 0, 1, 1))),
    "one row.png": saved("PNG", RGB.crop((0, 0, 72, 1))),
    "one column.tif": saved("TIFF", RGB.crop((0, 0, 1, 56))),
    "grey.png": saved("PNG", RGB.convert("L")),
    "grey and alpha.png": saved("PNG", RGB.convert("LA")),
    "alpha.png": saved("PNG", RGB.convert("RGBA")),
    "palette.png": saved("PNG", RGB.convert("P")),
    "one bit.tif": saved("TIFF", RGB.convert("1")),
    "turned.jpg": saved("JPEG", exif=orientation(6)),
    "broken exif.jpg": saved("JPEG", exif=b"Exif\0\0MM\0*\0\0\xff\xff"),
    "selection.tif": lambda path: pyvips.Image.new_from_array(
        np.dstack([np.array(RGB), np.full(SIZE[::-1], 9, np.uint8)])
    ).copy(interpretation="multiband").tiffsave(str(path)),
    "broken profile.jpg": saved("JPEG", icc_profile=SRGB[:200]),
    "no profile.tif": saved("TIFF", icc_profile=b"nothing of the kind"),
    "lab profile.tif": saved("TIFF", icc_profile=LAB),
    "cmyk profile.jpg": saved("JPEG", icc_profile=CMYK),
    "grey profile.jpg": saved("JPEG", icc_profile=grey_profile()),
    "wide.tif": lambda path: path.write_bytes(tiff(16, compression="deflate")[1]),
    "two\nlines.png": saved("PNG"),
    "quotes ' and \".png": saved("PNG"),
    "\N{GRINNING FACE} \u202e.png": saved("PNG"),
    os.fsdecode(b"not \xff utf-8.png"): saved("PNG"),
    "x" * 240 + ".png": saved("PNG"),
    "link.png": lambda path: (
        path.with_name("far.png").write_bytes(encoded("PNG")), path.symlink_to("far.png")
    ),
    "job.lather": job,
    "upper.LATHER": job,
    "layers.ora": layers,
}  # fmt: skip

REFUSED: dict[str, tuple[str, Maker]] = {
    "empty.jpg": ("empty", holding(b"")),
    "text.jpg": ("not a JPEG", holding(b"a text\n" * 50)),
    "gif.gif": ("not a JPEG", saved("GIF")),
    "folder.jpg": ("folder", lambda path: path.mkdir()),
    "pipe.png": ("pipe", os.mkfifo),
    "dangling.png": ("no such file", lambda path: path.symlink_to("nowhere.png")),
    "loop.png": (".", lambda path: path.symlink_to("loop.png")),
    "missing.png": ("no such file", lambda path: None),
    "half.jpg": ("too early", holding(encoded("JPEG", NOISE)[:20_000])),
    "half.png": ("too early", holding(encoded("PNG", NOISE)[:90_000])),
    "half.webp": ("damaged|too early", holding(encoded("WEBP", NOISE)[:9_000])),
    "half.tif": ("too early", holding(tiff(8, compression="none")[1][:20_000])),
    "half tiles.tif": ("too early", holding(
        tiff(16, compression="deflate", tile=True, tile_width=32, tile_height=32)[1][:40_000])),
    "head.jpg": (".", holding(encoded("JPEG")[:40])),
    "head.tif": (".", holding(b"II*\0")),
    "cmyk.jpg": ("CMYK", saved("JPEG", RGB.convert("CMYK"))),
    "floats.tif": ("samples", saved("TIFF", RGB.convert("F"))),
    "pages.tif": ("pages", saved("TIFF", save_all=True, append_images=[RGB])),
    "moving.webp": ("animated", saved("WEBP", save_all=True, append_images=[NOISE.resize(SIZE)])),
    "bomb.png": (".", holding(
        encoded("PNG")[:16] + (60_000).to_bytes(4, "big") * 2 + encoded("PNG")[24:])),
    "raw.dng": (".", holding(b"II*\0" + bytes(200))),
    "empty.lather": (".", holding(b"")),
    "text.lather": (".", holding(b"{}")),
    "other.lather": (".", zipped(readme__txt=b"hello")),
    "no json.lather": (".", zipped(job__json=b"{")),
    "not a job.lather": ("not a Lather job", zipped(job__json=b'{"format": "x"}')),
    "newer.lather": ("newer Lather", zipped(
        job__json=b'{"format": "lather-job", "version": 99}')),
    "cut.lather": (".", lambda path: (job(path), os.truncate(path, path.stat().st_size - 60))),
    "folder.lather": (".", lambda path: path.mkdir()),
    "dangling.lather": ("no such file", lambda path: path.symlink_to("nowhere.lather")),
    "empty.ora": (".", holding(b"")),
    "other.ora": (".", zipped(mimetype=b"text/plain")),
}  # fmt: skip


ENDINGS = (".jpg", ".png", ".tif", ".webp", ".ora")


def endings(path: Path) -> tuple[str, str]:
    """Two kinds of picture that this file is rendered to: all of them come up many times."""
    n = len(path.name)
    return ENDINGS[n % 5], ENDINGS[(n + 2) % 5]


def verbs(path: Path, out: Path) -> list[tuple[object, ...]]:
    """Every verb that reads a file, with every kind of thing that it can write."""
    scale = ("--mm-per-pixel", "0.2")
    return [
        ("info", path),
        ("info", path, "--json"),
        *(("render", path, out / f"r{end}") for end in endings(path)),
        ("survey", path, "--json", out / "s.json", *scale),
        ("survey", path, "--json", "-", *scale),
        ("clean", path, out / "c.png", "--job", out / "c", *scale),
    ]


class OddFilesTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.here, self.out = self.folder / "in", self.folder / "out"
        self.here.mkdir()
        self.out.mkdir()

    def inputs(self) -> dict[str, bytes]:
        return {path.name: path.read_bytes() for path in self.here.iterdir() if path.is_file()}

    def clear(self) -> None:
        for path in self.out.iterdir():
            path.unlink()

    def in_every_verb(self, name: str, make: Maker, check: Callable[..., None]) -> None:
        """Make a file, try all verbs on it, check what each gave; the file stays as it is."""
        path = self.here / name
        make(path)
        before = self.inputs()
        for words in verbs(path, self.out):
            with self.subTest(name=name, verb=words[0], to=str(words[-1])):
                check(words, *call(*words))
        self.assertEqual(self.inputs(), before, name)

    def test_what_opens_works_in_every_verb(self) -> None:
        rendered = set[str]()
        for name, make in OPENED.items():
            ends = endings(self.here / name)

            def check(words, status: int, text: str, err: str) -> None:
                self.assertEqual(status, 0, err)
                self.assertNotIn("Traceback", err)
                if "--json" in words and words[2:4] != ("--json", self.out / "s.json"):
                    json.loads(text)

            self.in_every_verb(name, make, check)
            self.assertEqual(
                sorted(p.name for p in self.out.iterdir()),
                ["c.lather", "c.png", *sorted(f"r{end}" for end in ends), "s.json"],
            )
            size = load_job(self.out / "c.lather").state.photo.rect
            for end in set(ends) - {".ora"}:
                self.assertEqual(read_photo(self.out / f"r{end}").rect, size, name)
            rendered.update(ends)
            self.clear()
        self.assertEqual(rendered, set(ENDINGS))

    def test_what_does_not_is_refused_in_one_line_by_every_verb(self) -> None:
        for name, (why, make) in REFUSED.items():
            def check(words, status: int, text: str, err: str, why: str = why) -> None:
                self.assertEqual((status, text), (1, ""))
                self.assertRegex(err, r"\Alather: '[^\n]+\.\n\Z")
                self.assertRegex(err, why)
                self.assertEqual(list(self.out.iterdir()), [])

            self.in_every_verb(name, make, check)


class PartOfAPhotoTest(Case):
    """A job that was made of half a photo says so whenever it is opened, by whomever."""

    def test_every_verb_and_the_window(self) -> None:
        _, whole = tiff(8, compression="none")
        photo = decode_photo(whole[: len(whole) // 2], "half.tif", partial=True)
        path = self.folder / "half.lather"
        save_job(new_state(photo), path)
        out = self.folder / "out.png"
        for words in (("info", path), ("render", path, out),
                      ("clean", path, out, "--mm-per-pixel", "0.2")):  # fmt: skip
            _, _, err = call(*words)
            self.assertIn("of the picture is missing and shown hatched", err, words)
        self.assertIn("is missing", " ".join(open_path(path, no_progress).notices))
