"""The job file as a format: any job comes back, other programs can read it, strangers' too."""

import json
import shutil
import struct
import tempfile
import zipfile
import zlib
from pathlib import Path
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from lather.core.blend.modes import BlendMode
from lather.core.work import CancelToken
from lather.document import edits
from lather.document.digest import digest
from lather.document.job import Job
from lather.document.layers.pixels import PixelLayer
from lather.document.state import new_state
from lather.document.tree import walk
from lather.errors import Cancelled, JobFileError, LatherError, PhotoMissingError
from lather.files.exchange.delivery import Delivery, encode_photo
from lather.files.jobs.backups import backups_of
from lather.files.jobs.jobfile import load_job, read_revision
from lather.files.jobs.jobwriter import save_job
from lather.files.jobs.migrations import VERSION
from lather.files.photos.reading import read_photo
from lather.render.compositor import render
from lather.render.flatten import flatten
from tests.support import (
    Case,
    apply_edit,
    edit_sequences,
    painted_state,
    photo_in,
    random_tile,
)

DATA = Path(__file__).parents[1] / "data"


def rewritten(source: Path, target: Path, **members) -> Path:
    """A copy of an archive with members changed: bytes, or a function of the old bytes."""
    with zipfile.ZipFile(source) as old, zipfile.ZipFile(target, "w") as new:
        for info in old.infolist():
            data = old.read(info)
            change = members.get(info.filename.replace(".", "_").replace("/", "_"))
            new.writestr(info, change(data) if callable(change) else change or data)
    return target


def edited(change):
    """For `rewritten`: a change of the description."""

    def apply(data: bytes) -> bytes:
        description = json.loads(data)
        change(description)
        return json.dumps(description).encode()

    return apply


def described(path: Path) -> dict[str, object]:
    """All JSON of a job: the description, and the strokes by the member they lie in."""
    with zipfile.ZipFile(path) as archive:
        members = [n for n in archive.namelist() if n.endswith(".json")]
        return {name: json.loads(archive.read(name)) for name in members}


class RoundTripTest(Case):
    @settings(max_examples=40, deadline=None)
    @given(edit_sequences(20))
    def test_any_job_comes_back_bit_for_bit(self, operations) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            job = Job(painted_state(photo_in(folder, width=300, height=200), 2))
            for operation in operations:
                apply_edit(job, *operation)
            for number in range(2):  # the second time its tiles are copied from the first
                path = folder / f"{number}.lather"
                save_job(job.state, path, worked_s=number)
                loaded = load_job(path)
                self.assertEqual(digest(loaded.state), digest(job.state))
                self.assertEqual(loaded.worked_s, number)
                self.assertEqual(loaded.revision, read_revision(path))

    def test_tiles_are_read_when_they_are_needed(self) -> None:
        path = self.folder / "a.lather"
        state = painted_state(photo_in(self.folder, width=600, height=520), 3)
        save_job(state, path)
        loaded = load_job(path).state
        tiles = [t for x in walk(loaded.layers) if isinstance(x, PixelLayer)
                 for t in x.tiles.tiles.values()]
        self.assertFalse(any(tile.in_memory for tile in tiles))
        for layer, old in zip(loaded.layers[1:], state.layers[1:], strict=True):
            for key, tile in layer.tiles.tiles.items():
                for level in (3, 8, 2, 0):
                    self.assert_close(tile.level(level), old.tiles.get(key).level(level), 1)

    def test_a_job_saved_over_goes_on_being_read_as_it_was(self) -> None:
        path = self.folder / "a.lather"
        photo = photo_in(self.folder, width=300, height=260)
        state, other = painted_state(photo, 1), painted_state(photo, 2)
        save_job(state, path)
        loaded = load_job(path).state
        save_job(other, path)
        self.assertEqual(digest(loaded), digest(state))
        path.unlink()
        self.assertEqual(digest(load_job_like(loaded, self.folder)), digest(state))

    def test_unknown_fields_are_kept(self) -> None:
        """A newer Lather of the same format may have written more."""
        def extend(job) -> None:
            job["mood"] = {"a": [1, 2]}
            job["brief"]["mood"] = "soft"
            job["layers"][1]["glow"] = 0.5
            job["layers"][1]["mask"]["feather_px"] = 3

        state = painted_state(photo_in(self.folder), 1)
        state = edits.add_mask(state, state.active_id)
        first, second = self.folder / "a.lather", self.folder / "b.lather"
        save_job(state, first)
        newer = rewritten(first, self.folder / "newer.lather", job_json=edited(extend))
        loaded = load_job(newer).state
        loaded = edits.rename(loaded, loaded.active_id, "renamed")  # and survive an edit
        save_job(loaded, second)
        with zipfile.ZipFile(second) as archive:
            job = json.loads(archive.read("job.json"))
        self.assertEqual(job["mood"], {"a": [1, 2]})
        self.assertEqual(job["brief"]["mood"], "soft")
        self.assertEqual(job["layers"][1]["glow"], 0.5)
        self.assertEqual(job["layers"][1]["mask"]["feather_px"], 3)
        self.assertEqual(job["layers"][1]["name"], "renamed")

    def test_cancelling_leaves_the_earlier_file(self) -> None:
        path = self.folder / "a.lather"
        state = painted_state(photo_in(self.folder), 1)
        save_job(state, path)
        earlier, token = path.read_bytes(), CancelToken()
        token.cancel()
        with self.assertRaises(Cancelled):
            save_job(edits.add_pixel_layer(state), path, cancel=token)
        self.assertEqual(path.read_bytes(), earlier)
        self.assertEqual(len(list(self.folder.iterdir())), 2)  # the photo and the job

    def test_a_disk_that_fills_up_leaves_the_earlier_file(self) -> None:
        path = self.folder / "a.lather"
        state = painted_state(photo_in(self.folder), 2)
        save_job(state, path)
        earlier = path.read_bytes()
        # Within the next job, between two of its members.
        real, calls = zipfile.ZipFile.writestr, []

        def full(archive, *arguments, **options) -> None:
            calls.append(arguments[0])
            if len(calls) == 3:
                raise OSError(28, "No space left on device")
            real(archive, *arguments, **options)

        with mock.patch.object(zipfile.ZipFile, "writestr", full), self.assertRaisesRegex(
            LatherError, "is full; make room, or choose another disk; the earlier file is unchanged"
        ):
            save_job(edits.add_pixel_layer(state), path)
        self.assertEqual(path.read_bytes(), earlier)
        self.assertEqual(len(list(self.folder.iterdir())), 2)

    def test_earlier_versions_are_kept_as_asked(self) -> None:
        path = self.folder / "a.lather"
        state = painted_state(photo_in(self.folder), 0)
        for number in range(5):
            state = edits.add_pixel_layer(state, f"Layer {number}")
            save_job(state, path, n_backups=3)
        names = [load_job(backup).state.layers[-1].name for backup in backups_of(path)]
        self.assertEqual(names, ["Layer 3", "Layer 2", "Layer 1"])
        with path.open("r+b") as file:
            file.truncate(900)
        with self.assertRaisesRegex(JobFileError, "open the backup 'a.backup1.lather'"):
            load_job(path)


def load_job_like(state, folder: Path):
    """The state once more, through a new file."""
    path = folder / "again.lather"
    save_job(state, path)
    return load_job(path).state


class OtherProgramsTest(Case):
    """The format as docs/job-file.md describes it, read without any of Lather's readers."""

    def read_plainly(self, path: Path) -> np.ndarray:
        """The finished picture of pixel layers in mode normal; float 0-1."""
        with zipfile.ZipFile(path) as archive:
            job = json.loads(archive.read("job.json"))
            self.assertEqual(job["format"], "lather-job")
            with archive.open(job["photo"]["file"]) as file:
                photo = np.asarray(Image.open(file).convert("RGB"), dtype=np.float64) / 255
            for layer in job["layers"][1:]:
                self.assertEqual((layer["kind"], layer["mode"]), ("pixels", "normal"))
                if not layer["visible"]:
                    continue
                tiles = layer["planes"]["pixels"]["tiles"]
                plane = self.plane(archive, tiles, photo.shape[:2], 0, 4)
                alpha = plane[..., 3] * layer["strength"]
                mask = layer.get("mask")
                if mask is not None and mask["enabled"]:
                    shows = self.plane(archive, mask["tiles"], photo.shape[:2], mask["fill"], 1)
                    alpha = alpha * (1 - shows if mask["inverted"] else shows)
                photo += (plane[..., :3] - photo) * alpha[..., None]
        return photo

    def plane(self, archive, tiles, size, fill: int, channels: int) -> np.ndarray:
        rows, columns = (-(-length // 256) for length in size)
        shape = (rows * 256, columns * 256) + ((4,) if channels == 4 else ())
        whole = np.full(shape, fill, dtype=np.float64)
        for row, column, name in tiles:
            samples = plain_png(archive.read(name))
            whole[row * 256 : row * 256 + 256, column * 256 : column * 256 + 256] = samples
        return whole[: size[0], : size[1]] / 65535

    def test_a_program_with_nothing_but_zip_json_and_png_sees_the_same_picture(self) -> None:
        samples = (photo_in(self.folder, width=300, height=270).samples // 257).astype(np.uint8)
        Image.fromarray(samples).save(self.folder / "p.png")
        state = painted_state(read_photo(self.folder / "p.png"), 2)
        state = edits.set_strength(state, state.active_id, 0.4)
        state = edits.add_mask(state, state.active_id, hide_all=True)
        mask = state.active.mask.tiles.with_tiles({(0, 0): random_tile(4, channels=1)})
        state = edits.set_mask_pixels(state, state.active_id, mask)
        state = edits.invert_mask(state, state.active_id)
        path = self.folder / "a.lather"
        save_job(state, path)
        expected = render(state, state.photo.rect)[..., :3]
        self.assert_close(self.read_plainly(path), expected, 1e-4)

    def test_every_member_is_named_in_the_description(self) -> None:
        state = painted_state(photo_in(self.folder), 1)
        path = self.folder / "a.lather"
        save_job(state, path)
        with zipfile.ZipFile(path) as archive:
            self.assertIsNone(archive.testzip())
            text = archive.read("job.json").decode()
            for name in archive.namelist():
                self.assertTrue(name == "job.json" or f'"{name}"' in text, name)


def plain_png(encoded: bytes) -> np.ndarray:
    """A 16-bit PNG by the specification alone, filter 'none', 'sub' and 'up'."""
    width, height, bits, kind = struct.unpack_from(">IIBB", encoded, 16)
    assert bits == 16
    data, at = b"", 8
    while at < len(encoded):
        n_bytes, name = struct.unpack_from(">I4s", encoded, at)
        chunk = encoded[at + 8 : at + 8 + n_bytes]
        (checksum,) = struct.unpack_from(">I", encoded, at + 8 + n_bytes)
        assert checksum == zlib.crc32(name + chunk)
        data += chunk if name == b"IDAT" else b""
        at += 12 + n_bytes
    n_channels = {0: 1, 6: 4}[kind]
    step = 2 * n_channels
    rows = np.frombuffer(zlib.decompress(data), np.uint8).reshape(height, 1 + width * step)
    out = np.zeros((height, width * step), np.uint8)
    for y, row in enumerate(rows):
        line = row[1:].copy()
        if row[0] == 1:
            line = np.cumsum(line.reshape(width, step), 0, dtype=np.uint8).ravel()
        elif row[0] == 2:
            line += out[y - 1] if y else 0
        else:
            assert row[0] == 0, f"filter {row[0]}"
        out[y] = line
    samples = out.view(">u2").reshape(height, width, n_channels).astype(np.float64)
    return samples if n_channels == 4 else samples[..., 0]


class EarlierVersionsTest(Case):
    def test_every_earlier_version_opens_as_it_looked(self) -> None:
        """One job of each version is kept in tests/data, with its picture as it was."""
        for version in range(1, VERSION):
            path = DATA / f"job-v{version}.lather"
            with self.subTest(version=version), zipfile.ZipFile(path) as archive:
                self.assertEqual(json.loads(archive.read("job.json"))["version"], version)
                state = load_job(path).state
                out = self.folder / "out.png"
                encode_photo(flatten(state, 16), None, out, Delivery(depth_bits=16))
                expected = read_photo(path.with_suffix(".png")).samples
                # The two forms of the kernels may round differently.
                self.assert_close(read_photo(out).samples, expected, 1)
                self.assertEqual(read_revision(path), load_job(path).revision)

    def test_a_migrated_job_is_saved_in_the_present_version(self) -> None:
        state = load_job(DATA / "job-v1.lather").state
        path = self.folder / "a.lather"
        save_job(state, path)
        self.assertEqual(digest(load_job(path).state), digest(state))


class LinkedPhotoTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.photo = photo_in(self.folder)
        self.path = self.folder / "jobs" / "a.lather"
        self.path.parent.mkdir()
        save_job(painted_state(self.photo, 1), self.path, link_photo=True)

    def test_the_job_refers_to_the_photo(self) -> None:
        with zipfile.ZipFile(self.path) as archive:
            described = json.loads(archive.read("job.json"))["photo"]
            self.assertFalse([n for n in archive.namelist() if n.startswith("photo/")])
        self.assertEqual(described["link"], "../portrait.png")
        self.assertTrue(load_job(self.path).link_photo)

    def test_both_may_move_together(self) -> None:
        moved = self.folder / "elsewhere"
        moved.mkdir()
        shutil.move(self.photo.path, moved / "portrait.png")
        shutil.move(self.path.parent, moved / "jobs")
        self.assertEqual(load_job(moved / "jobs" / "a.lather").state.photo.width, 300)

    def test_a_photo_that_is_gone_or_changed_is_asked_for(self) -> None:
        elsewhere = self.folder / "other.png"
        shutil.copy(self.photo.path, elsewhere)
        samples = self.photo.samples.copy()
        samples[0, 0] = 0
        Image.fromarray((samples // 257).astype(np.uint8)).save(self.photo.path)
        with self.assertRaisesRegex(PhotoMissingError, "was changed since"):
            load_job(self.path)
        self.photo.path.unlink()
        with self.assertRaisesRegex(PhotoMissingError, "say where the photo is now"):
            load_job(self.path)
        loaded = load_job(self.path, photo_at=elsewhere)
        self.assertEqual(loaded.state.photo.path, elsewhere)
        small = photo_in(self.folder, "small.png", width=20, height=20).path
        with self.assertRaisesRegex(JobFileError, "is another picture: 20 x 20 px instead of"):
            load_job(self.path, photo_at=small)

    def test_no_link_is_written_to_a_photo_that_is_gone_or_changed(self) -> None:
        """The job in memory still has the photo: it says how to keep it."""
        state = painted_state(self.photo, 1)
        earlier = self.path.read_bytes()
        for change, reason in (
            (lambda: self.photo.path.write_bytes(b"another"), "was changed since"),
            (self.photo.path.unlink, "is no longer there"),
        ):
            change()
            with self.assertRaisesRegex(LatherError, f"{reason}.*take the photo into the job"):
                save_job(state, self.path, link_photo=True)
            self.assertEqual(self.path.read_bytes(), earlier)
        save_job(state, self.path)
        self.assertEqual(digest(load_job(self.path).state), digest(state))

    def test_a_photo_from_inside_a_job_cannot_be_linked(self) -> None:
        path = self.folder / "b.lather"
        save_job(painted_state(self.photo, 1), path)
        with self.assertRaisesRegex(LatherError, "no place of its own"):
            save_job(load_job(path).state, path, link_photo=True)


class StrangersTest(Case):
    """Jobs from anybody: bounded, and nothing leaves the archive."""

    def setUp(self) -> None:
        super().setUp()
        self.good = self.folder / "good.lather"
        state = painted_state(photo_in(self.folder), 2)
        save_job(edits.set_mode(state, state.active_id, BlendMode.SCREEN), self.good)

    def refused(self, reason: str, **members) -> None:
        bad = rewritten(self.good, self.folder / "bad.lather", **members)
        with self.assertRaisesRegex(LatherError, reason):
            load_job(bad)

    def test_a_bomb_is_refused_before_it_is_unpacked(self) -> None:
        bomb = self.folder / "bomb.lather"
        with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("job.json", b" " * (161 * 2**20))
        self.assertLess(bomb.stat().st_size, 200_000)
        with self.assertRaisesRegex(JobFileError, "'job.json' is too large"):
            load_job(bomb)

    def test_a_member_larger_than_it_says_is_refused(self) -> None:
        """The directory says 40 bytes; the packed data holds 10 MB."""
        path = self.folder / "liar.lather"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("job.json", b" " * 10_000_000)
        content = path.read_bytes()
        path.write_bytes(content.replace(struct.pack("<I", 10_000_000), struct.pack("<I", 40)))
        with self.assertRaisesRegex(JobFileError, "damaged"):
            load_job(path)

    def test_a_photo_of_impossible_size_is_refused_by_its_header(self) -> None:
        header = struct.pack(">IIBBBBB", 300_000, 300_000, 8, 2, 0, 0, 0)
        huge = b"\x89PNG\r\n\x1a\n" + b"".join(
            struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))
            for name, data in ((b"IHDR", header), (b"IDAT", zlib.compress(b"x")), (b"IEND", b""))
        )
        self.refused("more than 400 megapixels", photo_portrait_png=huge)

    def test_a_tile_of_another_size_shows_empty(self) -> None:
        import io

        wrong = io.BytesIO()
        Image.new("RGBA", (4000, 4000)).save(wrong, "PNG")
        with zipfile.ZipFile(self.good) as archive:
            job = json.loads(archive.read("job.json"))
        name = job["layers"][1]["planes"]["pixels"]["tiles"][0][2]
        key = name.replace(".", "_").replace("/", "_")
        bad = rewritten(self.good, self.folder / "bad.lather", **{key: wrong.getvalue()})
        loaded = load_job(bad)
        tile = loaded.state.layers[1].tiles.get((0, 0))
        self.assertFalse(tile.pixels.any())
        self.assertEqual(loaded.archive.damaged, {name})

    def test_names_stay_in_the_archive(self) -> None:
        secret = self.folder / "secret.png"
        secret.write_bytes(b"not for anybody")

        def photo_from(name: str):
            return edited(lambda job: job["photo"].update(file=name))

        for name in ("../secret.png", str(secret), "/etc/passwd", "photo/../../secret.png"):
            with self.subTest(name):
                self.refused("damaged", job_json=photo_from(name))

    def test_endless_lists_and_depths_are_refused(self) -> None:
        def nested(job) -> None:
            layer = job["layers"][1]
            for number in range(70):
                plain = {name: layer[name] for name in layer if name not in ("planes", "strokes")}
                layer = {**plain, "id": 10**6 + number, "kind": "group", "layers": [layer]}
            job["layers"][1] = layer

        def many(job) -> None:
            job["layers"] += [{**job["layers"][1], "id": 10**6 + n} for n in range(4100)]

        deep_job = rewritten(self.good, self.folder / "deep.lather", job_json=edited(nested))
        loaded = load_job(deep_job)  # the innermost that can be read holds the others as they lie
        self.assertEqual(len(loaded.state.layers), 3)
        self.assertIn("which is not shown", loaded.notices[0])
        save_job(loaded.state, self.folder / "again.lather")
        again = described(self.folder / "again.lather")["job.json"]["layers"]
        self.assertEqual(described(deep_job)["job.json"]["layers"], again)
        self.refused("more than 4000 layers", job_json=edited(many))
        deep = b'{"format":"lather-job","version":2,"layers":' + b"[" * 100_000
        self.refused("damaged", job_json=deep)

    def test_an_unknown_packing_is_refused(self) -> None:
        path = self.folder / "packed.lather"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_BZIP2) as archive:
            archive.writestr("job.json", b"{}")
        with self.assertRaisesRegex(JobFileError, "unknown way"):
            load_job(path)

    @settings(max_examples=60, deadline=None)
    @given(st.data())
    def test_any_damage_is_read_or_refused_in_a_sentence(self, data) -> None:
        content = bytearray(self.good.read_bytes())
        for _ in range(data.draw(st.integers(1, 4))):
            at = data.draw(st.integers(0, len(content) - 1))
            content[at] = data.draw(st.integers(0, 255))
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "damaged.lather"
            path.write_bytes(content[: data.draw(st.integers(1, len(content)))])
            try:
                state = load_job(path).state
            except LatherError as error:
                self.assertNotIn("\n", error.sentence())
                return
            self.assertEqual(render(state, state.photo.rect).shape, (280, 300, 4))


class ModifiedTest(Case):
    def test_a_job_knows_whether_its_file_holds_it(self) -> None:
        job = Job(new_state(photo_in(self.folder)))
        self.assertFalse(job.modified)
        job.change("Layer", edits.add_pixel_layer(job.state))
        self.assertTrue(job.modified)
        path = self.folder / "a.lather"
        job.mark_saved(path, job.state, save_job(job.state, path))
        self.assertFalse(job.modified)
        job.undo()
        self.assertTrue(job.modified)
        job.redo()
        self.assertFalse(job.modified)
