"""Photos in: every form that cameras and converters write, and metadata that stays."""

import hashlib
import io
import struct
import tempfile
import zlib
from pathlib import Path
from unittest import mock

import numpy as np
import pyvips
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from lather.core.colour.display import to_screen
from lather.errors import LatherError, PhotoError
from lather.files.exchange.delivery import Delivery, encode_photo
from lather.files.photos.metadata import Keep
from lather.files.photos.reading import decode_photo, read_photo
from tests.support import DEMO, Case, photo_in

TIFF_PACKINGS = ("none", "lzw", "deflate", "packbits")


def samples(width: int, height: int, channels: int = 3, bits: int = 8, seed: int = 1):
    dtype = np.uint16 if bits == 16 else np.uint8
    return np.random.default_rng(seed).integers(0, 2**bits, (height, width, channels)).astype(dtype)


def vips_image(array: np.ndarray, interpretation: str) -> pyvips.Image:
    return pyvips.Image.new_from_array(array).copy(interpretation=interpretation)


class FormatTest(Case):
    @settings(max_examples=60, deadline=None)
    @given(
        st.integers(1, 90), st.integers(1, 90), st.sampled_from((8, 16)),
        st.sampled_from(("png", "interlaced png", *TIFF_PACKINGS, "tiles", "grey", "webp")),
        st.booleans(),
    )  # fmt: skip
    def test_any_lossless_form_is_read_bit_for_bit(self, width, height, bits, form, big) -> None:
        expected = samples(width, height, bits=bits, seed=width)
        if form == "webp":
            expected, bits = expected.astype(np.uint8), 8
        if form == "grey":
            expected = np.repeat(expected[..., :1], 3, -1)
        rgb, grey = ("rgb16", "grey16") if bits == 16 else ("srgb", "b-w")
        with tempfile.TemporaryDirectory() as folder:
            if form == "grey":
                image, name, options = vips_image(expected[..., 0], grey), "a.tif", {}
            else:
                image = vips_image(expected, rgb)
                tiles = {"tile": True, "tile_width": 32, "tile_height": 16, "bigtiff": big}
                name, options = {
                    "png": ("a.png", {}),
                    "interlaced png": ("a.png", {"interlace": True}),
                    "tiles": ("a.tif", {**tiles, "compression": "deflate"}),
                    "webp": ("a.webp", {"lossless": True}),
                }.get(form, ("a.tif", {"compression": form, "predictor": "none"}))
            path = Path(folder) / name
            image.write_to_file(str(path), **options)
            photo = read_photo(path)
            self.assertEqual(photo.depth_bits, bits)
            self.assert_equal_arrays(photo.samples, expected)

    def test_progressive_and_baseline_jpegs_are_the_same_picture(self) -> None:
        picture = Image.open(DEMO / "portrait2.jpg").resize((160, 200))
        read = []
        for progressive in (False, True):
            out = io.BytesIO()
            picture.save(out, "JPEG", quality=90, progressive=progressive)
            read.append(decode_photo(out.getvalue(), "a.jpg").samples)
        self.assert_equal_arrays(read[0], read[1])

    def test_palettes_and_one_bit_pictures_become_rgb_and_say_so(self) -> None:
        palette = Image.fromarray(samples(40, 30)).quantize(16)
        out = io.BytesIO()
        palette.save(out, "PNG")
        photo = decode_photo(out.getvalue(), "a.png")
        self.assert_equal_arrays(photo.samples, np.asarray(palette.convert("RGB")))
        self.assertTrue(any("palette" in notice for notice in photo.notices))
        line = Image.fromarray(samples(40, 30, 1)[..., 0] > 128)
        out = io.BytesIO()
        line.save(out, "TIFF", compression="group4")
        photo = decode_photo(out.getvalue(), "a.tif")
        self.assert_equal_arrays(photo.samples[..., 1], np.asarray(line) * np.uint8(255))

    def test_alpha_is_laid_on_white_and_said(self) -> None:
        for suffix, bits in ((".png", 8), (".tif", 16), (".webp", 8)):
            top = 2**bits - 1
            rgba = samples(20, 20, 4, bits)
            rgba[..., 3] = top
            rgba[:10, :, 3] = 0
            path = self.folder / f"a{suffix}"
            vips_image(rgba, "rgb16" if bits == 16 else "srgb").write_to_file(
                str(path), **({"lossless": True} if suffix == ".webp" else {})
            )
            photo = read_photo(path)
            with self.subTest(suffix):
                self.assertTrue((photo.samples[:10] == top).all())
                self.assert_equal_arrays(photo.samples[10:], rgba[10:, :, :3])
                self.assertTrue(any("transparent" in notice for notice in photo.notices))

    def test_every_orientation_is_applied_once(self) -> None:
        upright = samples(24, 16)
        turned = {
            1: upright, 2: upright[:, ::-1], 3: upright[::-1, ::-1], 4: upright[::-1],
            5: upright.transpose(1, 0, 2), 6: np.rot90(upright, 1),
            7: upright[::-1, ::-1].transpose(1, 0, 2), 8: np.rot90(upright, -1),
        }  # fmt: skip
        for orientation, stored in turned.items():
            exif = Image.Exif()
            exif[0x0112] = orientation
            out = io.BytesIO()
            Image.fromarray(np.ascontiguousarray(stored)).save(out, "PNG", exif=exif.tobytes())
            photo = decode_photo(out.getvalue(), "a.png")
            with self.subTest(orientation):
                self.assert_equal_arrays(photo.samples, upright)
                again = self.folder / "again.png"
                encode_photo(photo.samples, photo.profile, again, Delivery(keep=Keep.ALL),
                             photo.metadata)
                self.assert_equal_arrays(read_photo(again).samples, upright)

    def test_profiles_matrix_table_and_grey(self) -> None:
        """Each is honoured in the view: its mid-grey is not taken for sRGB's."""
        p3 = pyvips.Operation.call("profile_load", "p3")
        rgb = np.full((20, 20, 3), 128, np.uint8)
        for name, profile, shown in (("matrix", p3, 128), ("table", table_profile(), 119)):
            image = vips_image(rgb, "srgb").copy()
            image.set_type(pyvips.GValue.blob_type, "icc-profile-data", profile)
            path = self.folder / "a.png"
            image.pngsave(str(path))
            photo = read_photo(path)
            with self.subTest(name):
                self.assertEqual(photo.profile, profile)
                self.assert_equal_arrays(photo.samples, rgb)
                grey = to_screen(photo.read_float(photo.rect), photo.lattice, 0.0)[..., :3]
                self.assert_close(grey, shown, 1.5)
        path = self.folder / "grey.png"
        ramp = np.tile(np.arange(0, 256, 4, dtype=np.uint8), (8, 1))
        image = vips_image(ramp, "b-w").copy()
        image.set_type(pyvips.GValue.blob_type, "icc-profile-data", grey_profile(1.8))
        image.pngsave(str(path))
        photo = read_photo(path)
        linear = (ramp / 255) ** 1.8
        expected = 255 * np.where(
            linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055
        )
        self.assert_close(photo.samples[..., 0], expected, 2)
        self.assertIn("grey profile", photo.notices[0])

    def test_a_photo_without_profile_says_what_it_is_taken_for(self) -> None:
        out = io.BytesIO()
        Image.fromarray(samples(9, 9)).save(out, "PNG")
        photo = decode_photo(out.getvalue(), "a.png")
        self.assertIsNone(photo.profile)
        self.assertEqual(photo.notices, ("No colour profile in the file: taken as sRGB.",))

    def test_its_hash_is_known_once_it_is_read(self) -> None:
        """So that the first step of a large photo does not wait for it."""
        photo = photo_in(self.folder)
        with mock.patch("lather.document.photo.photo_hash", side_effect=AssertionError("late")):
            self.assertEqual(photo.sha256, hashlib.sha256(photo.encoded).hexdigest())

    def test_what_cannot_be_retouched_is_refused(self) -> None:
        def saved(image, name: str, **options) -> bytes:
            path = self.folder / name
            image.write_to_file(str(path), **options)
            return path.read_bytes()

        frames = [Image.fromarray(samples(20, 20, seed=n)) for n in range(3)]
        moving = io.BytesIO()
        frames[0].save(moving, "WEBP", save_all=True, append_images=frames[1:], duration=80)
        cmyk = io.BytesIO()
        Image.fromarray(samples(20, 20)).convert("CMYK").save(cmyk, "JPEG")
        rgb = vips_image(samples(20, 20), "srgb")
        cases = {
            "animated": (moving.getvalue(), "animated; save the one you want"),
            "CMYK": (cmyk.getvalue(), "CMYK, a printing space; convert it to RGB"),
            "float": (saved(rgb.cast("float"), "f.tif"), "8 or 16 bits per channel"),
            "32 bit": (saved(rgb.cast("uint"), "u.tif"), "8 or 16 bits per channel"),
            "Lab": (saved(rgb.colourspace("lab"), "l.tif"), "lab|float"),
        }
        for name, (encoded, reason) in cases.items():
            with self.subTest(name), self.assertRaisesRegex(PhotoError, reason):
                decode_photo(encoded, "a.tif")

    def test_dimensions_are_bounded_by_the_header(self) -> None:
        """Refused without the memory that the picture would take."""
        header = struct.pack(">IIBBBBB", 60_000, 60_000, 16, 2, 0, 0, 0)
        chunks = ((b"IHDR", header), (b"IDAT", zlib.compress(bytes(1000))), (b"IEND", b""))
        png = b"\x89PNG\r\n\x1a\n" + b"".join(
            struct.pack(">I", len(d)) + n + d + struct.pack(">I", zlib.crc32(n + d))
            for n, d in chunks
        )
        with self.assertRaisesRegex(PhotoError, "more than 400 megapixels"):
            decode_photo(png, "bomb.png")

    @settings(max_examples=80, deadline=None)
    @given(st.data())
    def test_damage_is_read_or_refused_in_a_sentence(self, data) -> None:
        picture, out = Image.fromarray(samples(40, 40)), io.BytesIO()
        form = data.draw(st.sampled_from(("JPEG", "PNG", "TIFF", "WEBP")))
        picture.save(out, form)
        content = bytearray(out.getvalue())
        for _ in range(data.draw(st.integers(1, 5))):
            at = data.draw(st.integers(0, len(content) - 1))
            content[at] = data.draw(st.integers(0, 255))
        try:
            photo = decode_photo(bytes(content), f"a.{form.lower()}")
        except LatherError as error:
            self.assertNotIn("\n", error.sentence())
        else:
            self.assertEqual((photo.samples.ndim, photo.samples.shape[2]), (3, 3))


def grey_profile(gamma: float) -> bytes:
    """An ICC version 2 grey profile."""
    curve = struct.pack(">4sIIHxx", b"curv", 0, 1, round(256 * gamma))
    return icc_profile(b"mntr", b"GRAY", b"XYZ ", kTRC=curve)


def table_profile() -> bytes:
    """An ICC version 2 RGB profile made of a table: L* from 0 to 100 with the mean, no hue."""
    corners = b"".join(
        struct.pack(">HHH", round(0xFF00 * (r + g + b) / 3), 0x8000, 0x8000)
        for r in (0, 1) for g in (0, 1) for b in (0, 1)
    )  # fmt: skip
    identity = struct.pack(">9i", *(65536 if i in (0, 4, 8) else 0 for i in range(9)))
    curves = struct.pack(">HH", 0, 65535) * 3
    head = struct.pack(">4sIBBBB", b"mft2", 0, 3, 3, 2, 0) + identity + struct.pack(">HH", 2, 2)
    return icc_profile(b"mntr", b"RGB ", b"Lab ", A2B0=head + curves + corners + curves)


def icc_profile(kind: bytes, colours: bytes, space: bytes, **tables: bytes) -> bytes:
    """A profile of the given tags and those that every profile must have."""
    parts = {
        **{name.encode(): data for name, data in tables.items()},
        b"wtpt": struct.pack(">4sIiii", b"XYZ ", 0, 63190, 65536, 54061),
        b"cprt": struct.pack(">4sI", b"text", 0) + b"made for a test\0",
        b"desc": struct.pack(">4sII", b"desc", 0, 5) + b"test\0" + bytes(78),
    }
    start, directory, body = 128 + 4 + 12 * len(parts), b"", b""
    for name, data in parts.items():
        directory += struct.pack(">4sII", name, start + len(body), len(data))
        body += data + bytes(-len(data) % 4)
    head = struct.pack(
        ">I4sI4s4s4s12s4s4sIIIIQIIII", start + len(body), b"    ", 0x02400000, kind, colours,
        space, bytes(12), b"acsp", b"    ", 0, 0, 0, 0, 0, 0xF6D6, 0x10000, 0xD32D, 0,
    )  # fmt: skip
    return head.ljust(128, b"\0") + struct.pack(">I", len(parts)) + directory + body


class RawTest(Case):
    def test_a_raw_file_is_developed(self) -> None:
        path = self.folder / "flat.dng"
        path.write_bytes(made_up_dng(64, 48))
        photo = read_photo(path)
        self.assertEqual((photo.width, photo.height, photo.depth_bits), (64, 48, 16))
        middle = photo.samples[10:-10, 10:-10].astype(float)
        # An even grey field stays even; its halves differ as they were made to.
        left, right = middle[:, :14].mean(), middle[:, -14:].mean()
        self.assertGreater(right, 1.2 * left)
        self.assertLess(middle[:, :14].std(), 0.05 * 65535)
        self.assertIn("Camera raw", photo.notices[0])

    def test_a_damaged_raw_file_is_refused(self) -> None:
        for content in (made_up_dng(64, 48)[:300], b"no raw file"):
            with self.assertRaisesRegex(PhotoError, "cannot be developed"):
                decode_photo(content, "a.dng")


def made_up_dng(width: int, height: int) -> bytes:
    """An uncompressed 16-bit mosaic, left half darker, in the smallest DNG that is one."""
    field = np.full((height, width), 12000, dtype="<u2")
    field[:, width // 2 :] = 30000
    data = field.tobytes()
    short, long, byte, ascii_, rational, srational = 3, 4, 1, 2, 5, 10
    matrix = [(10000, 10000) if i in (0, 4, 8) else (0, 10000) for i in range(9)]
    tags = [
        (254, long, [0]), (256, long, [width]), (257, long, [height]), (258, short, [16]),
        (259, short, [1]), (262, short, [32803]), (271, ascii_, b"Made\0"),
        (272, ascii_, b"Up\0"), (273, long, [0]), (274, short, [1]), (277, short, [1]),
        (278, long, [height]), (279, long, [len(data)]), (284, short, [1]),
        (33421, short, [2, 2]), (33422, byte, bytes([0, 1, 1, 2])),
        (50706, byte, bytes([1, 4, 0, 0])), (50707, byte, bytes([1, 1, 0, 0])),
        (50708, ascii_, b"Made Up\0"), (50714, short, [0]), (50717, long, [65535]),
        (50721, srational, matrix), (50728, rational, [(1, 1)] * 3), (50778, short, [21]),
    ]  # fmt: skip
    formats = {short: "<H", long: "<I", rational: "<II", srational: "<ii"}
    end = 8 + 2 + 12 * len(tags) + 4
    extra, entries, strip_at = b"", b"", 0
    for tag, kind, values in tags:
        if isinstance(values, bytes):
            packed, count = values, len(values)
        else:
            packed = b"".join(
                struct.pack(formats[kind], *(v if isinstance(v, tuple) else (v,))) for v in values
            )
            count = len(values)
        if tag == 273:
            strip_at = len(entries) + 8
        if len(packed) > 4:
            packed, extra = struct.pack("<I", end + len(extra)), extra + packed.ljust(
                len(packed) + len(packed) % 2, b"\0"
            )
        entries += struct.pack("<HHI", tag, kind, count) + packed.ljust(4, b"\0")
    start = end + len(extra)
    entries = entries[:strip_at] + struct.pack("<I", start) + entries[strip_at + 4 :]
    head = b"II*\0" + struct.pack("<I", 8) + struct.pack("<H", len(tags))
    return head + entries + struct.pack("<I", 0) + extra + data
