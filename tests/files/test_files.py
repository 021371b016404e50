"""Photos and jobs in and out: bit for bit where promised, one sentence where refused."""

import json
import os
import zipfile
from dataclasses import replace
from pathlib import Path

import numpy as np
import pyvips
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.blend.modes import BlendMode
from lather.core.brush.stroke import PenSample
from lather.document import edits
from lather.document.layers.group import GroupLayer
from lather.document.layers.pixels import PixelLayer
from lather.document.state import new_state
from lather.document.tiles import Tiles
from lather.document.tree import walk
from lather.errors import JobFileError, LatherError, PhotoError, UsageError
from lather.files.atomic import replacing
from lather.files.exchange.delivery import Delivery, SizeBy, encode_photo
from lather.files.exchange.recordings import read_recording, write_recording
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.photos.reading import decode_photo, read_photo
from lather.render.compositor import render
from tests.support import DEMO, Case, painted_state, random_tile

READ_ONLY_HELD = os.geteuid() != 0  # root writes anywhere


def image_of(samples: np.ndarray) -> pyvips.Image:
    return pyvips.Image.new_from_array(samples)


def gradient(bits: int = 16, height: int = 60, width: int = 80) -> np.ndarray:
    top = 2**bits - 1
    y, x = np.mgrid[:height, :width]
    planes = np.stack([x * top // (width - 1), y * top // (height - 1), (x + y) * 100 % top], -1)
    return planes.astype(np.uint16 if bits == 16 else np.uint8)


class PhotoTest(Case):
    def test_lossless_formats_keep_every_bit(self) -> None:
        for suffix, bits in ((".png", 8), (".png", 16), (".tif", 8), (".tif", 16)):
            with self.subTest(suffix=suffix, bits=bits):
                path = self.folder / f"a{bits}{suffix}"
                encode_photo(gradient(bits), None, path, Delivery(depth_bits=bits))
                photo = read_photo(path)
                self.assertEqual(photo.depth_bits, bits)
                self.assert_equal_arrays(photo.samples, gradient(bits))
                self.assertIsNotNone(photo.profile)

    def test_jpeg_is_near(self) -> None:
        path = self.folder / "a.jpg"
        encode_photo(gradient(8), None, path, Delivery(quality=95))
        difference = read_photo(path).samples.astype(int) - gradient(8)
        self.assertLess(np.abs(difference).mean(), 3)

    def test_sixteen_to_eight_bit_rounds(self) -> None:
        path = self.folder / "a.png"
        encode_photo(gradient(16), None, path, Delivery())
        expected = np.floor(gradient(16) / 257 + 0.5)
        self.assert_equal_arrays(read_photo(path).samples, expected.astype(np.uint8))

    def test_orientation_is_applied_once(self) -> None:
        path = self.folder / "turned.tif"
        image = image_of(gradient(8)).copy()
        image.set_type(pyvips.GValue.gint_type, "orientation", 6)
        image.tiffsave(str(path))
        self.assert_equal_arrays(read_photo(path).samples, np.rot90(gradient(8), -1))

    def test_wide_gamut_is_kept_and_shown_converted(self) -> None:
        path = self.folder / "p3.png"
        image_of(gradient(8)).icc_transform("p3", input_profile="srgb").pngsave(str(path))
        photo = read_photo(path)
        self.assertGreater(photo.lattice.shape[0], 1)
        red = photo.lattice[-1, 0, 0]
        self.assertGreater(float(red[0]), 0.99)
        kept, converted = self.folder / "k.png", self.folder / "c.png"
        encode_photo(photo.samples, photo.profile, kept, Delivery(to_srgb=False))
        encode_photo(photo.samples, photo.profile, converted, Delivery(to_srgb=True))
        self.assert_equal_arrays(read_photo(kept).samples, photo.samples)
        self.assertEqual(read_photo(kept).profile, photo.profile)
        difference = read_photo(converted).samples.astype(int) - gradient(8)
        # Two roundings at 8 bit with a steep curve between: single steps in the darks.
        self.assertLess(np.abs(difference).mean(), 0.6)

    def test_grey_and_transparent_pictures(self) -> None:
        grey, clear = self.folder / "g.png", self.folder / "t.png"
        image_of(gradient(16)[..., 0]).copy(interpretation="grey16").pngsave(str(grey))
        samples = read_photo(grey).samples
        self.assert_equal_arrays(samples[..., 0], samples[..., 2])
        alpha = image_of(gradient(8)).bandjoin(0)
        alpha.copy(interpretation="srgb").pngsave(str(clear))
        photo = read_photo(clear)
        self.assertTrue((photo.samples == 255).all())
        self.assertIn("transparent", photo.notices[0])

    def test_reduced_delivery(self) -> None:
        path = self.folder / "small.png"
        encode_photo(gradient(16), None, path, Delivery(size_by=SizeBy.LONG_SIDE_PX, size=40))
        self.assertEqual(read_photo(path).samples.shape, (30, 40, 3))
        encode_photo(gradient(16), None, path, Delivery(size_by=SizeBy.LONG_SIDE_PX, size=4000))
        self.assertEqual(read_photo(path).width, 80)

    def test_refusals_are_one_sentence(self) -> None:
        good = (DEMO / "portrait2.jpg").read_bytes()
        cmyk = self.folder / "cmyk.tif"
        image_of(gradient(8)).colourspace("cmyk").tiffsave(str(cmyk))
        floats = self.folder / "f.tif"
        image_of(gradient(8)).cast("float").tiffsave(str(floats))
        pages = self.folder / "pages.tif"
        image = image_of(np.vstack([gradient(8)] * 2)).copy()
        image.set_type(pyvips.GValue.gint_type, "page-height", 60)
        image.tiffsave(str(pages))
        cases = {
            "empty": (b"", "empty"),
            "text": (b"hello, this is no picture at all", "not a JPEG"),
            "cut": (good[: len(good) // 3], "damaged"),
            "scrambled": (good[:200] + os.urandom(5000), "damaged"),
            "cmyk": (cmyk.read_bytes(), "CMYK"),
            "float": (floats.read_bytes(), "samples"),
            "pages": (pages.read_bytes(), "several pages"),
        }
        for name, (encoded, reason) in cases.items():
            with self.subTest(name), self.assertRaisesRegex(PhotoError, reason) as caught:
                decode_photo(encoded, "portrait.jpg")
            sentence = caught.exception.sentence()
            self.assertNotIn("\n", sentence)
            self.assertTrue(sentence.startswith("'portrait.jpg' was not opened: "))
        for path, reason in ((self.folder / "none.jpg", "no such file"), (self.folder, "folder")):
            with self.assertRaisesRegex(PhotoError, reason):
                read_photo(path)

    @settings(max_examples=30, deadline=None)
    @given(st.integers(0, 3000), st.binary(min_size=1, max_size=40))
    def test_any_damage_is_refused_or_read(self, at: int, noise: bytes) -> None:
        path = self.folder / "good.png"
        encode_photo(gradient(8), None, path, Delivery())
        encoded = bytearray(path.read_bytes())
        at %= len(encoded)
        encoded[at : at + len(noise)] = noise
        try:
            photo = decode_photo(bytes(encoded), "damaged.png")
        except PhotoError:
            return
        self.assertEqual(photo.samples.ndim, 3)

    def test_endings_and_depths(self) -> None:
        for name, bits, reason in (("a.bmp", 8, "not a format"), ("a.jpg", 16, "8 bit only")):
            with self.assertRaisesRegex(UsageError, reason):
                encode_photo(gradient(16), None, self.folder / name, Delivery(depth_bits=bits))
        self.assertEqual(list(self.folder.iterdir()), [])


class AtomicTest(Case):
    def test_a_failure_leaves_the_earlier_file(self) -> None:
        path = self.folder / "a.txt"
        path.write_text("earlier")
        with self.assertRaisesRegex(LatherError, "is full"), replacing(path) as temporary:
            temporary.write_text("half")
            raise OSError(28, "No space left on device")
        self.assertEqual(path.read_text(), "earlier")
        self.assertEqual(list(self.folder.iterdir()), [path])

    def test_folders_that_cannot_be_written(self) -> None:
        with self.assertRaisesRegex(LatherError, "choose another folder"), replacing(
            self.folder / "none" / "a.txt"
        ):
            self.fail("never reached")
        blocked = Path("/proc/a.txt")
        with self.assertRaisesRegex(LatherError, "not written"), replacing(blocked):
            self.fail("never reached")


class JobFileTest(Case):
    def state(self):
        photo = read_photo(DEMO / "portrait2.jpg")
        state = painted_state(photo, 2)
        state = edits.set_mode(state, state.active_id, BlendMode.LINEAR_LIGHT)
        state = edits.add_mask(state, state.active_id, hide_all=True)
        mask = Tiles(1, 0).with_tiles({(1, 2): random_tile(6, channels=1)})
        state = edits.set_mask_pixels(state, state.active_id, mask)
        state = edits.invert_mask(state, state.active_id)
        state = edits.group(state, state.active_id)
        state = edits.set_strength(state, state.active_id, 0.4)
        return edits.set_delivery_long_side(state, 1200)

    def test_save_and_open_bit_for_bit(self) -> None:
        state, path = self.state(), self.folder / "a.lather"
        save_job(state, path, worked_s=12.5)
        loaded = load_job(path)
        self.assertEqual(loaded.worked_s, 12.5)
        self.assertEqual(loaded.state.brief, state.brief)
        self.assertEqual(loaded.state.active_id, state.active_id)
        self.assert_equal_arrays(loaded.state.photo.samples, state.photo.samples)
        for old, new in zip(walk(state.layers), walk(loaded.state.layers), strict=True):
            for name in ("id", "name", "visible", "strength", "mode", "locked", "stage"):
                self.assertEqual(getattr(old, name), getattr(new, name))
            self.assertIs(type(old), type(new))
            if isinstance(old, PixelLayer):
                self.assertTrue(old.tiles.equals(new.tiles))
            if old.mask is not None:
                self.assertTrue(old.mask.tiles.equals(new.mask.tiles))
                self.assertEqual(old.mask.inverted, new.mask.inverted)
        rect = state.photo.rect
        self.assert_equal_arrays(render(loaded.state, rect), render(state, rect))

    def test_new_layers_do_not_take_loaded_ids(self) -> None:
        state, path = self.state(), self.folder / "a.lather"
        save_job(state, path)
        loaded = edits.add_pixel_layer(load_job(path).state)
        ids = [layer.id for layer in walk(loaded.layers)]
        self.assertEqual(len(ids), len(set(ids)))

    def test_the_demo_job_opens_with_its_strokes(self) -> None:
        state = load_job(DEMO / "portrait1.lather").state
        strokes = [s for x in walk(state.layers) if isinstance(x, PixelLayer) for s in x.strokes]
        self.assertGreaterEqual(len(strokes), 34)
        self.assertTrue(all(stroke.source is not None for stroke in strokes))

    def test_plain_tools_can_read_it(self) -> None:
        path = self.folder / "a.lather"
        save_job(self.state(), path)
        with zipfile.ZipFile(path) as archive:
            job = json.loads(archive.read("job.json"))
            self.assertEqual((job["format"], job["version"]), ("lather-job", 6))
            self.assertEqual(archive.read(job["photo"]["file"])[:2], b"\xff\xd8")
            row, column, name = job["layers"][1]["planes"]["pixels"]["tiles"][0]
            tile = pyvips.Image.new_from_buffer(archive.read(name), "")
            self.assertEqual((tile.width, tile.bands, tile.format), (256, 4, "ushort"))

    def test_damaged_jobs_are_refused_in_a_sentence(self) -> None:
        good = self.folder / "good.lather"
        save_job(self.state(), good)
        whole = good.read_bytes()
        bad = self.folder / "bad.lather"
        for name, content, reason in (
            ("empty", b"", "damaged"),
            ("cut", whole[: len(whole) // 2], "damaged"),
            ("a photo", (DEMO / "portrait2.jpg").read_bytes(), "damaged"),
        ):
            with self.subTest(name):
                bad.write_bytes(content)
                with self.assertRaisesRegex(JobFileError, reason):
                    load_job(bad)
        with self.assertRaisesRegex(JobFileError, "no such file"):
            load_job(self.folder / "none.lather")

    def rewritten(self, change) -> Path:
        """The good job with its description changed."""
        good, bad = self.folder / "good.lather", self.folder / "bad.lather"
        if not good.exists():
            save_job(self.state(), good)
        with zipfile.ZipFile(good) as source, zipfile.ZipFile(bad, "w") as target:
            for info in source.infolist():
                data = source.read(info)
                if info.filename == "job.json":
                    job = json.loads(data)
                    change(job)
                    data = json.dumps(job).encode()
                target.writestr(info, data)
        return bad

    def test_wrong_descriptions_are_refused(self) -> None:
        def drop(key):
            return lambda job: job.pop(key)

        def put(value, *path):
            def change(job):
                for step in path[:-1]:
                    job = job[step]
                job[path[-1]] = value

            return change

        cases = (
            (drop("layers"), "layers"),
            (drop("photo"), "photo"),
            (put(99, "version"), "newer"),
            (put("other", "format"), "not a Lather job"),
            (put([], "layers"), "lowest layer"),
            (put("../../etc/passwd", "photo", "file"), "damaged"),
            (put(17, "photo", "width"), "not the one"),
            (put(-3, "version"), "damaged .format -3"),
        )
        for change, reason in cases:
            with self.subTest(reason), self.assertRaisesRegex(JobFileError, reason):
                load_job(self.rewritten(change))

    def test_saving_where_nothing_can_be_written(self) -> None:
        with self.assertRaisesRegex(LatherError, "not written"):
            save_job(new_state(read_photo(DEMO / "portrait2.jpg")), Path("/proc/x/a.lather"))

    def test_groups_survive_nesting(self) -> None:
        state = self.state()
        state = edits.group(state, state.active_id)
        path = self.folder / "n.lather"
        save_job(state, path)
        outer = load_job(path).state.active
        self.assertIsInstance(outer, GroupLayer)
        self.assertIsInstance(outer.children[0], GroupLayer)


class RecordingTest(Case):
    def test_there_and_back(self) -> None:
        strokes = [
            [PenSample(0.1 * i, 10.25 + i, 20.5, 0.5, 10.0, -5.0) for i in range(1, 4)],
            [PenSample(1.0, 5.0, 6.0, 1.0)],
        ]
        path = self.folder / "a.jsonl"
        write_recording(path, strokes)
        self.assertEqual(read_recording(path), [
            [replace(sample, time_s=round(sample.time_s, 4)) for sample in stroke]
            for stroke in strokes
        ])

    def test_bad_lines_are_named(self) -> None:
        path = self.folder / "a.jsonl"
        for text in ("hello", '{"t": 1}', "[1, 2]"):
            path.write_text('{"t": 0, "x": 1, "y": 1, "pressure": 1}\n' + text)
            with self.subTest(text), self.assertRaisesRegex(UsageError, "line 2"):
                read_recording(path)
        with self.assertRaisesRegex(UsageError, "not played"):
            read_recording(self.folder / "none.jsonl")

    def test_shipped_recordings_are_good(self) -> None:
        for path in sorted((DEMO / "recordings").glob("*.jsonl")):
            with self.subTest(path.name):
                self.assertGreater(len(read_recording(path)), 0)
