"""Photos as they come from half-copied cards, other programs and old scanners."""

import io
import struct
from dataclasses import replace

import numpy as np
import pyvips
from PIL import Image, ImageCms

from lather.core.rect import Rect
from lather.document.photo import NO_PROFILE, Metadata, Photo
from lather.document.state import new_state
from lather.errors import PhotoError, TruncatedError
from lather.files.exchange.delivery import Delivery, SizeBy, encode_photo
from lather.files.exchange.openraster import read_openraster, write_openraster
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.photos.metadata import Keep
from lather.files.photos.reading import decode_photo, read_photo
from lather.files.photos.tiff import read_directory
from lather.render.pictures import Pictures
from tests.support import Case, noise_photo

WIDTH, HEIGHT = 96, 128
PIXELS = np.random.default_rng(5).integers(1, 65536, (HEIGHT, WIDTH, 3)).astype(np.uint16)


def directory_first(encoded: bytes) -> bytes:
    """A classic little-endian TIFF with its directory moved before the samples, as many write."""
    (at,) = struct.unpack_from("<I", encoded, 4)
    (n,) = struct.unpack_from("<H", encoded, at)
    entries = [struct.unpack_from("<HHI4s", encoded, at + 2 + 12 * i) for i in range(n)]
    sizes = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 7: 1}
    apart = {tag: encoded[o : o + sizes[kind] * count] for tag, kind, count, value in entries
             if sizes[kind] * count > 4 for o in struct.unpack("<I", value)}  # fmt: skip
    shift = 2 + 12 * n + 4 + sum(len(blob) for blob in apart.values())
    moved, extra = b"", b""
    for tag, kind, count, value in entries:
        if tag in (273, 324):
            code = "<" + str(count) + ("H" if kind == 3 else "I")
            starts = struct.unpack(code, apart.get(tag, value[: sizes[kind] * count]))
            blob = struct.pack(code, *(start + shift for start in starts))
        else:
            blob = apart.get(tag, value)
        if tag in apart:
            moved += struct.pack("<HHII", tag, kind, count, 8 + 2 + 12 * n + 4 + len(extra))
            extra += blob
        else:
            moved += struct.pack("<HHI4s", tag, kind, count, blob.ljust(4, b"\0"))
    head = encoded[:4] + struct.pack("<I", 8) + struct.pack("<H", n) + moved + bytes(4) + extra
    return head + encoded[8:]


def tiff(bits: int, **options) -> tuple[np.ndarray, bytes]:
    pixels = PIXELS if bits == 16 else (PIXELS // 257).astype(np.uint8)
    image = pyvips.Image.new_from_array(pixels).copy(interpretation="rgb16" if bits == 16 else
                                                     "srgb")  # fmt: skip
    return pixels, directory_first(image.tiffsave_buffer(**options))


def is_hatched(rows: np.ndarray) -> bool:
    return set(np.unique(rows if rows.dtype == np.uint8 else rows // 257)) == {96, 144}


class CutOffTest(Case):
    def forms(self):
        for bits in (8, 16):
            for tile in (False, True):
                for compression in ("none", "deflate", "lzw"):
                    yield tiff(bits, tile=tile, tile_width=32, tile_height=32,
                               compression=compression)  # fmt: skip

    def test_a_whole_tiff_is_whole(self) -> None:
        for pixels, encoded in self.forms():
            self.assertEqual(read_directory(encoded).n_whole_rows, HEIGHT)
            self.assert_equal_arrays(decode_photo(encoded, "a.tif").samples, pixels)

    def test_a_tiff_that_ends_too_early_is_refused_by_name(self) -> None:
        """Strips and tiles, 8 and 16 bit, plain and packed; up to the last byte."""
        for _, encoded in self.forms():
            for n_bytes in (len(encoded) // 2, len(encoded) * 9 // 10,
                            read_directory(encoded).end_bytes - 1):  # fmt: skip
                with self.assertRaisesRegex(TruncatedError, "'a.tif'.*too early"):
                    decode_photo(encoded[:n_bytes], "a.tif")

    def test_what_is_there_can_be_opened_and_the_rest_is_marked(self) -> None:
        for pixels, encoded in self.forms():
            photo = decode_photo(encoded[: len(encoded) // 2], "a.tif", partial=True)
            self.assertEqual(photo.samples.shape, pixels.shape)
            n_rows = next(y for y in range(HEIGHT) if is_hatched(photo.samples[y : y + 24]))
            self.assertGreater(n_rows, 15)
            self.assert_equal_arrays(photo.samples[:n_rows], pixels[:n_rows])
            self.assertTrue(is_hatched(photo.samples[n_rows:]))
            missing = 1 - n_rows / HEIGHT
            self.assertIn(f"{missing:.0%} of the picture is missing", photo.notices[0])

    def test_room_that_was_never_written_to_is_no_part_of_the_picture(self) -> None:
        """The size is right and the second half is zeros: as a copy that stopped leaves it."""
        for compression in ("deflate", "lzw", "packbits"):
            for tile in (False, True):
                with self.subTest(compression, tile=tile):
                    sizes = {"tile": True, "tile_width": 32, "tile_height": 32} if tile else {}
                    pixels = np.vstack([(PIXELS // 257).astype(np.uint8)] * 4)  # several strips
                    image = pyvips.Image.new_from_array(pixels).copy(interpretation="srgb")
                    encoded = directory_first(
                        image.tiffsave_buffer(compression=compression, **sizes)
                    )
                    self.assertEqual(read_directory(encoded).n_whole_rows, 4 * HEIGHT)
                    half = len(encoded) - len(encoded) // 2
                    blank = encoded[:half] + bytes(len(encoded) - half)
                    with self.assertRaisesRegex(TruncatedError, "ends too early"):
                        decode_photo(blank, "a.tif")
                    photo = decode_photo(blank, "a.tif", partial=True)
                    n_rows = read_directory(blank).n_whole_rows
                    self.assertGreaterEqual(n_rows, HEIGHT)
                    self.assertLess(n_rows, 2 * HEIGHT + 1)
                    self.assert_equal_arrays(photo.samples[:n_rows], pixels[:n_rows])
                    self.assertTrue(is_hatched(photo.samples[n_rows:]))
                    self.assertIn("is missing", photo.missing)

    def test_a_black_picture_is_no_blank_one(self) -> None:
        black = pyvips.Image.black(WIDTH, HEIGHT, bands=3).copy(interpretation="srgb")
        for compression in ("none", "deflate", "lzw", "packbits"):
            encoded = directory_first(black.tiffsave_buffer(compression=compression))
            self.assertEqual(decode_photo(encoded, "a.tif").missing, "", compression)

    def test_an_uncompressed_strip_counts_to_the_row(self) -> None:
        """One strip for the whole picture, as the simplest writers make."""
        out = io.BytesIO()
        Image.fromarray((PIXELS // 257).astype(np.uint8)).save(out, "TIFF")
        encoded = out.getvalue()
        for n_rows in (1, 40, 127):
            start = encoded.index((PIXELS // 257).astype(np.uint8).tobytes()[:64])
            cut = encoded[: start + n_rows * WIDTH * 3 + 5]
            photo = decode_photo(cut, "a.tif", partial=True)
            self.assertTrue(is_hatched(photo.samples[n_rows:]) or n_rows == 127)
            self.assert_equal_arrays(photo.samples[:n_rows],
                                     (PIXELS[:n_rows] // 257).astype(np.uint8))

    def test_other_formats_do_the_same(self) -> None:
        smooth = np.repeat(np.linspace(40, 200, 512)[:, None, None], 400, 1).repeat(3, 2)
        smooth += np.random.default_rng(1).normal(0, 8, smooth.shape)
        image = Image.fromarray(smooth.clip(0, 255).astype(np.uint8))
        for form in ("JPEG", "PNG"):
            out = io.BytesIO()
            image.save(out, form)
            encoded = out.getvalue()[: len(out.getvalue()) * 6 // 10]
            with self.assertRaises(TruncatedError):
                decode_photo(encoded, "a.jpg")
            photo = decode_photo(encoded, "a.jpg", partial=True)
            whole = decode_photo(out.getvalue(), "a.jpg").samples
            self.assert_equal_arrays(photo.samples[:240], whole[:240])
            self.assertTrue(is_hatched(photo.samples[360:]))

    def test_a_strip_without_a_length_goes_to_the_end(self) -> None:
        """As some old writers leave it out."""
        _, encoded = tiff(8, compression="deflate")
        directory = read_directory(encoded)
        values = {tag: v for tag, v in directory.values.items() if tag != 279}
        self.assertEqual(replace(directory, values=values).n_whole_rows, HEIGHT)

    def test_sizes_that_lie_cost_no_time(self) -> None:
        _, encoded = tiff(8, compression="deflate")
        directory = read_directory(encoded)
        for lies in ({257: (2**32 - 1,), 278: (1,)}, {257: (2**32 - 1,), 277: (60_000,), 284: (2,)},
                     {256: (2**32 - 1,), 322: (1,), 323: (1,), 324: (8,)}):  # fmt: skip
            lying = replace(directory, values={**directory.values, **lies})
            self.assertLess(lying.n_whole_rows, HEIGHT + 1)

    def test_nothing_whole_is_refused_for_good(self) -> None:
        _, encoded = tiff(8, compression="deflate", tile=True, tile_width=128, tile_height=128)
        with self.assertRaisesRegex(PhotoError, "no part") as caught:
            decode_photo(encoded[: len(encoded) // 2], "a.tif", partial=True)
        self.assertNotIsInstance(caught.exception, TruncatedError)

    def test_a_job_keeps_a_photo_that_was_opened_so(self) -> None:
        _, encoded = tiff(16, compression="none")
        photo = decode_photo(encoded[: len(encoded) // 2], "a.tif", partial=True)
        save_job(new_state(photo), self.folder / "a.lather")
        again = load_job(self.folder / "a.lather").state.photo
        self.assert_equal_arrays(again.samples, photo.samples)
        self.assertEqual(again.notices, photo.notices)
        loaded = load_job(self.folder / "a.lather")
        self.assertIn("of the picture is missing and shown hatched", " ".join(loaded.notices))


class ExtraChannelsTest(Case):
    def read(self, kinds: tuple[int, ...], grey: bool = False, colour: int = 120) -> Photo:
        """A grey with extra samples of 64, of the kinds given."""
        n_colours = 1 if grey else 3
        bands = np.full((20, 30, n_colours + len(kinds)), 64, np.uint8)
        bands[..., :n_colours] = colour
        image = pyvips.Image.new_from_array(bands).copy(interpretation="b-w" if grey else "srgb")
        encoded = bytearray(image.tiffsave_buffer())
        was = read_directory(bytes(encoded)).values[338]
        layout = f"<HHI{len(kinds)}H"
        at = encoded.index(struct.pack(layout, 338, 3, len(kinds), *was))
        encoded[at : at + struct.calcsize(layout)] = struct.pack(layout, 338, 3, len(kinds), *kinds)
        return decode_photo(bytes(encoded), "a.tif")

    def test_a_saved_selection_is_no_transparency(self) -> None:
        for grey in (False, True):
            photo = self.read((0,), grey)
            self.assertTrue((photo.samples == 120).all())
            self.assertEqual(photo.samples.shape, (20, 30, 3))
            self.assertIn("saved selection", " ".join(photo.notices))
            self.assertNotIn("white", " ".join(photo.notices))

    def test_both_kinds_of_alpha_are(self) -> None:
        """TIFF 6.0: 1 is premultiplied, 2 is not. A white that shines through stays white."""
        for kind, expected in ((2, 120 * 64 / 255 + 191), (1, 255)):
            photo = self.read((kind,))
            self.assert_close(photo.samples, expected, 1.5)
            self.assertIn("laid on white", " ".join(photo.notices))

    def test_a_premultiplied_picture_keeps_its_colour(self) -> None:
        self.assert_close(self.read((1,), colour=40).samples, 40 + 255 - 64, 1.5)

    def test_selection_beside_alpha(self) -> None:
        """Five samples: the alpha is found wherever it is."""
        photo = self.read((0, 2))
        self.assert_close(photo.samples, 120 * 64 / 255 + 191, 1.5)
        self.assertEqual(len(photo.notices), 3)


class ProfilesTest(Case):
    def picture(self, profile: bytes | None, mode: str = "RGB", form: str = "TIFF") -> Photo:
        out = io.BytesIO()
        Image.new(mode, (20, 10), 90 if mode == "L" else (90, 120, 60)).save(
            out, form, icc_profile=profile
        )
        return decode_photo(out.getvalue(), f"a.{form.lower()}")

    def test_what_is_no_profile_for_the_picture_is_said_and_left_out(self) -> None:
        srgb = pyvips.Operation.call("profile_load", "srgb")
        cmyk = pyvips.Operation.call("profile_load", "cmyk")
        lab = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()
        broken = srgb[:132] + bytes(len(srgb) - 132)
        for profile, why in (
            (b"not a profile", "broken"), (broken, "broken"), (srgb[:200], "broken"),
            (lab, "Lab"), (cmyk, "CMYK"), (grey_profile(), "grey pictures"),
        ):  # fmt: skip
            photo = self.picture(profile)
            said = " ".join(photo.notices)
            self.assertIn(why, said)
            self.assertIn("taken as sRGB", said)
            self.assertEqual((photo.profile, photo.profile_title), (None, NO_PROFILE))
            out = self.folder / "o.png"
            encode_photo(photo.samples, photo.profile, out, Delivery(to_srgb=False),
                         photo.metadata)  # fmt: skip
            self.assertNotIn(profile[:64], out.read_bytes())
            self.assertEqual(read_photo(out).profile, srgb)

    def test_a_profile_with_one_bad_part_keeps_its_colours_and_goes_out(self) -> None:
        good = bytes(pyvips.Operation.call("profile_load", "p3"))
        (n_tags,) = struct.unpack_from(">I", good, 128)
        for number in range(n_tags):
            name = good[132 + 12 * number : 136 + 12 * number]
            bad = bytearray(good)
            struct.pack_into(">I", bad, 136 + 12 * number, 10**6)  # beyond its end
            with self.subTest(name):
                photo = self.picture(bytes(bad))
                out = self.folder / "o.png"
                encode_photo(photo.samples, photo.profile, out, Delivery(to_srgb=False))
                kept = read_photo(out).profile
                if photo.profile is None:
                    self.assertIn("is broken", " ".join(photo.notices))
                    continue
                self.assertIn("without that part", " ".join(photo.notices))
                self.assertEqual(kept, photo.profile)
                fine = self.picture(good)
                self.assert_close(photo.lattice, fine.lattice, 2e-3)
        longer = self.picture(good + b"more")
        self.assertEqual(longer.profile, good)

    def test_a_good_profile_is_named(self) -> None:
        photo = self.picture(pyvips.Operation.call("profile_load", "p3"))
        self.assertIn("P3", photo.profile_title)
        self.assertEqual(photo.notices, ())

    def test_a_grey_picture_says_which_profile_it_has(self) -> None:
        photo = self.picture(pyvips.Operation.call("profile_load", "p3"), "L")
        self.assertTrue((photo.samples == 90).all())
        self.assertEqual(photo.notices, ("Grey picture: turned into RGB of the same greys.",))
        self.assertIn("P3", photo.profile_title)
        photo = self.picture(grey_profile(), "L")
        self.assertIn("grey profile", photo.notices[0])


def grey_profile() -> bytes:
    """A grey profile of gamma 2.2, made by hand (ICC.1:2001-04): white point and curve."""
    tags = {b"wtpt": b"XYZ \0\0\0\0" + struct.pack(">3i", 63190, 65536, 54061),
            b"kTRC": b"curv\0\0\0\0" + struct.pack(">IHH", 1, int(2.2 * 256), 0),
            b"desc": b"desc\0\0\0\0" + struct.pack(">I", 5) + b"grey\0" + bytes(79),
            b"cprt": b"text\0\0\0\0none\0\0\0\0"}  # fmt: skip
    at, table, body = 128 + 4 + 12 * len(tags), b"", b""
    for name, content in tags.items():
        table += name + struct.pack(">II", at + len(body), len(content))
        body += content + bytes(-len(content) % 4)
    size = at + len(body)
    header = struct.pack(">I4s4s4s4s4s12s4s4s", size, b"    ", b"\x02\x10\0\0", b"mntr", b"GRAY",
                         b"XYZ ", bytes(12), b"acsp", bytes(4))  # fmt: skip
    header = header.ljust(68, b"\0") + struct.pack(">3i", 63190, 65536, 54061)
    return header.ljust(128, b"\0") + struct.pack(">I", len(tags)) + table + body


class ResolutionTest(Case):
    """One number, in every place that a format has for it."""

    PIXELS = (PIXELS // 257).astype(np.uint8)

    def photos(self):
        """The same picture, its resolution said in one place only."""
        exif, per_cm = Image.Exif(), Image.Exif()
        exif[282], exif[283], exif[296] = 240.0, 240.0, 2
        per_cm[282], per_cm[283], per_cm[296] = 240 / 2.54, 240 / 2.54, 3
        image = Image.fromarray(self.PIXELS)
        for name, options in (
            ("exif.jpg", {"exif": exif}), ("cm.jpg", {"exif": per_cm}),
            ("jfif.jpg", {"dpi": (240, 240)}), ("tags.tif", {"dpi": (240, 240)}),
            ("phys.png", {"dpi": (240, 240)}), ("exif.webp", {"exif": exif}),
        ):  # fmt: skip
            path = self.folder / name
            image.save(path, **options)
            yield path

    def said(self, path) -> dict[str, float]:
        """Every place of a file that says a resolution, read by another library."""
        found = {}
        with Image.open(path) as image:
            exif = image.getexif()
            if 282 in exif:
                found["exif"] = float(exif[282]) * (2.54 if exif.get(296) == 3 else 1)
            if "dpi" in image.info:
                found["format"] = float(image.info["dpi"][0])
        return found

    def test_a_size_in_millimetres_prints_as_large_as_asked(self) -> None:
        for photo in map(read_photo, self.photos()):
            delivery = Delivery(size_by=SizeBy.LONG_SIDE_MM, size=10, dpi=300)
            for suffix in (".jpg", ".png", ".tif", ".webp"):
                for keep in Keep:
                    out = self.folder / f"out{suffix}"
                    encode_photo(photo.samples, None, out, replace(delivery, keep=keep),
                                 photo.metadata)  # fmt: skip
                    said = self.said(out)
                    self.assertGreaterEqual(len(said), 1 if suffix == ".webp" else 2)
                    for place, dpi in said.items():
                        self.assertAlmostEqual(dpi, 300, delta=0.1, msg=f"{out} {place}")
                    with Image.open(out) as image:
                        self.assertAlmostEqual(max(image.size) / 300 * 25.4, 10, delta=0.05)

    def test_the_photos_own_resolution_stays(self) -> None:
        for path in self.photos():
            photo = read_photo(path)
            self.assertAlmostEqual(photo.metadata.dpi, 240, delta=0.1, msg=path.name)
            for suffix in (".jpg", ".png", ".tif", ".webp"):
                out = self.folder / f"out{suffix}"
                encode_photo(photo.samples, None, out, Delivery(), photo.metadata)
                for place, dpi in self.said(out).items():
                    self.assertAlmostEqual(dpi, 240, delta=0.6, msg=f"{path} {out} {place}")
                self.assertAlmostEqual(read_photo(out).metadata.dpi, 240, delta=0.1)

    def test_a_photo_that_says_nothing_gets_the_deliverys(self) -> None:
        for suffix in (".jpg", ".png", ".tif", ".webp"):
            path = self.folder / f"a{suffix}"
            Image.fromarray(self.PIXELS).save(path)
            self.assertIsNone(read_photo(path).metadata.dpi)
        out = self.folder / "out.png"
        encode_photo(self.PIXELS, None, out, Delivery(dpi=360), Metadata())
        self.assertAlmostEqual(read_photo(out).metadata.dpi, 360, delta=0.1)

    def test_xmp_does_not_say_another(self) -> None:
        xmp = (
            b'<x:xmpmeta xmlns:x="adobe:ns:meta/">'
            b'<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
            b'<rdf:Description xmlns:tiff="http://ns.adobe.com/tiff/1.0/" tiff:XResolution="72/1"'
            b' tiff:Orientation="6" tiff:Make="Maker"/></rdf:RDF></x:xmpmeta>'
        )
        out = self.folder / "out.jpg"
        encode_photo(self.PIXELS, None, out, Delivery(keep=Keep.ALL), Metadata(xmp=xmp))
        kept = read_photo(out).metadata.xmp
        self.assertIn(b"Maker", kept)
        self.assertNotIn(b"XResolution", kept)
        self.assertNotIn(b"Orientation", kept)

    def test_layers_carry_it_too(self) -> None:
        photo = replace(noise_photo(40, 30), metadata=Metadata(dpi=240.0))
        path = self.folder / "a.ora"
        state = new_state(photo)
        write_openraster(state, photo.samples, path, pictures=Pictures(state))
        self.assertIn(b'xres="240"', path.read_bytes())
        again = read_openraster(path).photo
        self.assertEqual(again.rect, Rect(0, 0, 40, 30))
        self.assertAlmostEqual(again.metadata.dpi, 240, delta=0.1)
