"""Pictures out: size, sharpening, colour, names, and what the file says about itself."""

import io
import os
import string
import struct
from dataclasses import replace

import numpy as np
import pyvips
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from lather.actions.job.delivering import write_pictures
from lather.core.work import CancelToken, no_progress
from lather.document.photo import Metadata
from lather.document.state import new_state
from lather.errors import LatherError, UsageError
from lather.files.endings import WRITABLE_BITS
from lather.files.exchange.delivery import (
    PRESETS,
    Delivery,
    SizeBy,
    delivery_from_json,
    delivery_to_json,
    encode_photo,
)
from lather.files.photos.metadata import Keep
from lather.files.photos.reading import read_photo
from tests.support import Case, noise_photo, photo_in

GPS, OWNER, CAMERA = (48.0, 12.0, 30.0), "A. Maker", "Box camera"
XMP = b"""<?xpacket begin="" id="W5M0MpCehiHzreSzNTczkc9d"?><x:xmpmeta xmlns:x="adobe:ns:meta/">
<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about=""
 xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:exif="http://ns.adobe.com/exif/1.0/"
 exif:GPSLatitude="48,12.5N" dc:format="image/jpeg"><dc:rights>A. Maker</dc:rights>
</rdf:Description></rdf:RDF></x:xmpmeta><?xpacket end="w"?>"""


def iptc(*datasets: tuple[int, bytes]) -> bytes:
    return b"".join(struct.pack(">BBBH", 0x1C, 2, n, len(d)) + d for n, d in datasets)


def metadata() -> Metadata:
    exif = Image.Exif()
    exif[0x0110], exif[0x8298], exif[0x0112] = CAMERA, OWNER, 6
    exif.get_ifd(0x8825).update({1: "N", 2: GPS})
    exif.get_ifd(0x8769).update({0x829A: 0.008, 0x927C: b"maker's own notes"})
    return Metadata(exif.tobytes(), XMP, iptc((90, b"Town"), (116, b"A. Maker"), (120, b"Words")))


class SizeTest(Case):
    @settings(max_examples=150, deadline=None)
    @given(
        st.integers(1, 9000), st.integers(1, 9000), st.sampled_from(SizeBy),
        st.floats(0.01, 20000), st.floats(30, 1200),
    )  # fmt: skip
    def test_never_enlarged_and_as_long_as_asked(self, width, height, by, size, dpi) -> None:
        delivery = Delivery(size_by=by, size=size, dpi=dpi)
        out = delivery.pixels(width, height)
        self.assertTrue(1 <= out[0] <= width and 1 <= out[1] <= height)
        wanted = {
            SizeBy.FULL: max(width, height), SizeBy.LONG_SIDE_PX: size,
            SizeBy.LONG_SIDE_MM: size / 25.4 * dpi, SizeBy.PERCENT: size / 100 * max(width, height),
        }[by]  # fmt: skip
        expected = min(max(wanted, 1), max(width, height))
        self.assertAlmostEqual(max(out), expected, delta=0.51)

    def test_millimetres_and_resolution_are_in_the_file(self) -> None:
        photo = noise_photo(600, 400, bits=8)
        delivery = Delivery(size_by=SizeBy.LONG_SIDE_MM, size=50, dpi=254)
        for suffix in (".jpg", ".png", ".tif"):
            path = self.folder / f"a{suffix}"
            encode_photo(photo.samples, None, path, delivery)
            with Image.open(path) as image:
                self.assertEqual(image.size, (500, 333))
                self.assertAlmostEqual(float(image.info["dpi"][0]), 254, delta=0.6)

    def test_reducing_keeps_the_mean_and_makes_no_shift(self) -> None:
        y, x = np.mgrid[:200, :300]
        ramp = np.repeat((x * 200 + y * 20)[..., None], 3, -1).astype(np.uint16)
        path = self.folder / "a.png"
        encode_photo(ramp, None, path, Delivery(depth_bits=16, size_by=SizeBy.PERCENT, size=25))
        small = read_photo(path).samples.astype(float)
        expected = ramp.reshape(50, 4, 75, 4, 3).mean((1, 3))
        self.assert_close(small[4:-4, 4:-4], expected[4:-4, 4:-4], 25)

    def test_sharpening_acts_at_its_own_radius(self) -> None:
        """Unsharp masking of a step against the formula; flat parts stay."""
        step = np.full((40, 80, 3), 20000, np.uint16)
        step[:, 40:] = 40000
        path = self.folder / "a.png"
        encode_photo(step, None, path, Delivery(depth_bits=16, sharpen=0.5, sharpen_px=2))
        line = read_photo(path).samples[20, :, 1].astype(float)
        self.assert_close(line[[2, -3]], [20000, 40000], 1)
        from scipy.special import erf

        at = np.arange(80) + 0.5 - 40
        soft = 30000 + 10000 * erf(at / (2 * np.sqrt(2)))
        sharp = step[20, :, 1] + 0.5 * (step[20, :, 1] - soft)
        self.assert_close(line[10:70], sharp[10:70], 260)
        self.assertGreater(line.max(), 43000)


class ColourTest(Case):
    def test_chroma_is_kept_or_halved_as_asked(self) -> None:
        photo = noise_photo(64, 64, bits=8)
        for full, sampling in ((True, (1, 1)), (False, (2, 2))):
            path = self.folder / "a.jpg"
            encode_photo(photo.samples, None, path, Delivery(full_chroma=full))
            with Image.open(path) as image:
                self.assertEqual(image.layer[0][1:3], sampling)

    def test_wide_gamut_sixteen_bit_stays_so(self) -> None:
        p3 = pyvips.Operation.call("profile_load", "p3")
        photo = noise_photo(40, 30)
        path = self.folder / "a.tif"
        encode_photo(photo.samples, p3, path, Delivery(depth_bits=16, to_srgb=False))
        read = read_photo(path)
        self.assertEqual((read.profile, read.depth_bits), (p3, 16))
        self.assert_equal_arrays(read.samples, photo.samples)

    def test_intents_keep_white_and_black(self) -> None:
        p3 = pyvips.Operation.call("profile_load", "p3")
        ends = np.zeros((8, 8, 3), np.uint16)
        ends[4:] = 65535
        for intent in ("relative", "perceptual"):
            path = self.folder / "a.png"
            encode_photo(ends, p3, path, Delivery(depth_bits=16, intent=intent))
            read = read_photo(path).samples.astype(int)
            self.assertLessEqual(read[:4].max(), 40)
            self.assertGreaterEqual(read[4:].min(), 65535 - 40)

    def test_every_format_carries_a_profile(self) -> None:
        for suffix in WRITABLE_BITS:
            path = self.folder / f"a{suffix}"
            encode_photo(noise_photo(30, 20, bits=8).samples, None, path, Delivery())
            self.assertIsNotNone(read_photo(path).profile, suffix)


class MetadataTest(Case):
    def delivered(self, suffix: str, keep: Keep) -> tuple[Image.Exif, bytes, bytes]:
        path = self.folder / f"a{suffix}"
        photo = noise_photo(60, 40, bits=8)
        encode_photo(photo.samples, None, path, Delivery(keep=keep), metadata())
        read = read_photo(path).metadata
        exif = Image.Exif()
        exif.load(read.exif or b"")
        return exif, read.xmp or b"", read.iptc or b""

    def test_all_of_it(self) -> None:
        for suffix in (".jpg", ".png", ".tif", ".webp"):
            exif, xmp, words = self.delivered(suffix, Keep.ALL)
            with self.subTest(suffix):
                self.assertEqual((exif[0x0110], exif[0x8298]), (CAMERA, OWNER))
                self.assertEqual([float(v) for v in exif.get_ifd(0x8825)[2]], list(GPS))
                self.assertEqual(exif.get_ifd(0x8769)[0xA002], 60)
                self.assertNotEqual(exif.get(0x0112), 6)  # upright already
                self.assertIn(b"GPSLatitude", xmp)
                if suffix in (".jpg", ".tif"):  # the others have no place for it
                    self.assertIn(b"Town", words)

    def test_what_lather_did_is_told_once_and_read_again(self) -> None:
        for suffix in (".jpg", ".png", ".tif", ".webp"):
            path, photo = self.folder / f"a{suffix}", noise_photo(60, 40, bits=8)
            for begun in (metadata(), Metadata()):
                told = replace(begun, done=("shine tamed",))
                for _ in range(2):  # delivered again, it is not told twice
                    encode_photo(photo.samples, None, path, Delivery(), told)
                    told = read_photo(path).metadata
                    with self.subTest(suffix):
                        self.assertEqual(told.done, ("shine tamed",))
                        self.assertEqual((told.xmp or b"").count(b"shine tamed"), 1)
            encode_photo(photo.samples, None, path, Delivery(keep=Keep.COPYRIGHT), told)
            self.assertEqual(read_photo(path).metadata.done, ())

    def test_the_place_goes(self) -> None:
        for suffix in (".jpg", ".png", ".tif", ".webp"):
            exif, xmp, words = self.delivered(suffix, Keep.NO_LOCATION)
            with self.subTest(suffix):
                self.assertEqual((exif[0x0110], exif[0x8298]), (CAMERA, OWNER))
                self.assertFalse(exif.get_ifd(0x8825))
                self.assertNotIn(0x927C, exif.get_ifd(0x8769))
                self.assertNotIn(b"GPS", xmp)
                self.assertIn(b"A. Maker", xmp)
                self.assertNotIn(b"Town", words)

    def test_nothing_but_the_owner(self) -> None:
        for suffix in (".jpg", ".png", ".tif", ".webp"):
            exif, xmp, words = self.delivered(suffix, Keep.COPYRIGHT)
            with self.subTest(suffix):
                self.assertEqual(exif[0x8298], OWNER)
                self.assertNotIn(0x0110, exif)
                self.assertNotIn(b"GPS", xmp)
                self.assertNotIn(b"image/jpeg", xmp)
                self.assertIn(b"A. Maker", xmp)
                self.assertNotIn(b"Town", words)
                self.assertNotIn(b"Words", words)

    def test_the_small_preview_never_goes_out(self) -> None:
        """It would show the face before retouching."""
        preview, out = io.BytesIO(), io.BytesIO()
        Image.new("RGB", (20, 20), "red").save(preview, "JPEG")
        thumb = b"<xmp:Thumbnails xmlns:xmp='http://ns.adobe.com/xap/1.0/'>FACE</xmp:Thumbnails>"
        xmp = XMP.replace(b"<dc:rights>", thumb + b"<dc:rights>")
        Image.new("RGB", (20, 20)).save(out, "JPEG")
        path = self.folder / "a.jpg"
        encode_photo(noise_photo(30, 20, bits=8).samples, None, path, Delivery(keep=Keep.ALL),
                     replace(metadata(), xmp=xmp))
        self.assertNotIn(b"FACE", path.read_bytes())
        self.assertIn(b"A. Maker", path.read_bytes())

    @settings(max_examples=60, deadline=None)
    @given(st.binary(max_size=120), st.sampled_from(Keep))
    def test_unreadable_metadata_never_stops_a_delivery(self, noise: bytes, keep: Keep) -> None:
        path = self.folder / "a.tif"
        wild = Metadata(b"Exif\0\0" + noise, b"<x:xmpmeta" + noise + b"</x:xmpmeta>", noise)
        encode_photo(noise_photo(12, 8, bits=8).samples, None, path, Delivery(keep=keep), wild)
        self.assertEqual(read_photo(path).width, 12)

    def test_entities_in_metadata_are_not_unfolded(self) -> None:
        wild = XMP.replace(b"?><x:", b'?><!DOCTYPE a [<!ENTITY b "boom">]><x:', 1)
        path = self.folder / "a.jpg"
        encode_photo(noise_photo(12, 8, bits=8).samples, None, path, Delivery(keep=Keep.ALL),
                     Metadata(None, wild, None))
        self.assertNotIn(b"boom", path.read_bytes())


class NameTest(Case):
    def test_patterns(self) -> None:
        delivery = Delivery("Web", pattern="{title}-{preset} {width}x{height}", suffix=".png")
        self.assertEqual(delivery.file_name("anna", 40, 30), "anna-Web 40x30.png")
        for pattern, reason in (("{nonsense}", "not one of its words"), ("  ", "no name"),
                                ("..", "no name")):
            with self.assertRaisesRegex(UsageError, reason):
                replace(delivery, pattern=pattern).file_name("a", 1, 1)

    @settings(max_examples=100, deadline=None)
    @given(st.text(alphabet=string.printable, max_size=20), st.text(max_size=20))
    def test_a_name_never_leaves_the_folder(self, title: str, pattern: str) -> None:
        try:
            name = Delivery(pattern=pattern).file_name(title, 10, 10)
        except UsageError:
            return
        self.assertNotIn("/", name)
        self.assertEqual(os.path.dirname(os.path.normpath(f"/x/{name}")), "/x")

    def test_presets_survive_settings_and_bad_ones_are_refused(self) -> None:
        for preset in PRESETS:
            self.assertEqual(delivery_from_json(delivery_to_json(preset)), preset)
        good = delivery_to_json(PRESETS[0])
        for wrong in ({"quality": 0}, {"suffix": ".bmp"}, {"depth_bits": 16}, {"size_by": "feet"},
                      {"size": -1}):
            with self.subTest(wrong), self.assertRaises((ValueError, TypeError)):
                delivery_from_json({**good, **wrong})


class OrdersTest(Case):
    def write(self, state, *orders) -> None:
        write_pictures(state, orders, no_progress, CancelToken())

    def test_several_at_once(self) -> None:
        state = new_state(photo_in(self.folder))
        orders = [(self.folder / f"{n}{p.suffix}", p) for n, p in enumerate(PRESETS)]
        self.write(state, *orders)
        sizes = [(read_photo(path).width, read_photo(path).depth_bits) for path, _ in orders]
        self.assertEqual(sizes, [(300, 8), (300, 8), (300, 16)])
        with self.assertRaisesRegex(UsageError, "two deliveries have that name"):
            self.write(state, orders[0], orders[0])

    def test_never_over_the_photo_under_whatever_name(self) -> None:
        photo = photo_in(self.folder)
        before = photo.path.read_bytes()
        copy, link, hard = (self.folder / name for name in ("copy.png", "link.png", "hard.png"))
        copy.write_bytes(before)
        link.symlink_to(photo.path)
        os.link(photo.path, hard)
        state = new_state(photo)
        for path in (photo.path, copy, link, hard, self.folder / "." / "portrait.png"):
            with self.subTest(path.name), self.assertRaisesRegex(UsageError, "the photo itself"):
                self.write(state, (path, Delivery(suffix=".png")))
            self.assertEqual(path.read_bytes(), before)
        from_job = replace(state, photo=replace(photo, path=None))
        with self.assertRaisesRegex(UsageError, "the photo itself"):
            self.write(from_job, (copy, Delivery(suffix=".png")))

    def test_a_failure_leaves_no_half_file(self) -> None:
        state = new_state(photo_in(self.folder))
        token = CancelToken()
        token.cancel()
        with self.assertRaises(Exception):  # noqa: B017 - whatever cancelling raises
            write_pictures(state, [(self.folder / "x.png", Delivery())], no_progress, token)
        with self.assertRaisesRegex(LatherError, "not written"):
            self.write(state, (self.folder / "none" / "x.png", Delivery()))
        self.assertEqual([path.name for path in self.folder.iterdir()], ["portrait.png"])
