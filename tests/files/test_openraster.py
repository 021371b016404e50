"""OpenRaster: layers out to other programs, theirs in, and what is lost is said."""

import io
import json
import xml.etree.ElementTree as ElementTree
import zipfile
from dataclasses import replace
from pathlib import Path

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st
from PIL import Image

from lather.core.blend.modes import BlendMode
from lather.document import edits
from lather.document.layers.group import GroupLayer
from lather.document.layers.limits import Limits, Span
from lather.document.layers.split import Part
from lather.document.layers.table import KINDS
from lather.document.tiles import NO_PIXELS
from lather.document.tree import replaced, walk
from lather.errors import LatherError, PhotoError
from lather.files.exchange.carried import not_carried
from lather.files.exchange.delivery import Delivery, encode_photo
from lather.files.exchange.openraster import read_openraster, write_openraster
from lather.files.photos.reading import read_photo
from lather.render.compositor import render
from lather.render.flatten import flatten
from lather.render.pictures import Pictures
from tests.stacks import stack_of, stacks
from tests.support import Case, noise_photo, painted_state, photo_in, random_tile


def _tamed(state):
    """The state with pixels of little contrast."""
    layers = state.layers
    for layer in walk(layers):
        if layer.kind == "pixels":
            soft = {}
            for key, tile in layer.tiles.tiles.items():
                soft[key] = tile.pixels.copy()
                soft[key][..., :3] = soft[key][..., :3] // 3 + 21845
            tamed = replace(layer, tiles=NO_PIXELS.with_tiles(soft))
            layers = replaced(layers, layer.id, (tamed,))
    return replace(state, layers=layers)


class OpenRasterTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.path = self.folder / "a.ora"
        self.photo = photo_in(self.folder)

    def write(self, state) -> Path:
        write_openraster(state, flatten(state, 16), self.path, pictures=Pictures(state))
        return self.path

    def rich_state(self):
        state = painted_state(self.photo, 3)
        state = edits.set_strength(state, state.active_id, 0.35)
        state = edits.set_mode(state, state.layers[1].id, BlendMode.MULTIPLY)
        state = edits.set_visible(state, state.layers[2].id, False)
        state = edits.rename(state, state.layers[1].id, 'Glow <"&ä>')
        state = edits.add_mask(state, state.layers[1].id)
        mask = state.layers[1].mask.tiles.with_tiles({(0, 0): random_tile(3, channels=1)})
        return edits.set_mask_pixels(state, state.layers[1].id, mask)

    def test_there_and_back_is_the_same_picture(self) -> None:
        state = self.rich_state()
        back = read_openraster(self.write(state))
        self.assertEqual([x.name for x in back.layers[1:]], [x.name for x in state.layers[1:]])
        for old, new in zip(state.layers[1:], back.layers[1:], strict=True):
            self.assertEqual((old.visible, old.mode), (new.visible, new.mode))
            self.assertAlmostEqual(old.strength, new.strength, places=5)
        rect = state.photo.rect
        self.assert_close(render(back, rect), render(state, rect), 3 / 65535)

    def test_limited_layers_are_written_as_the_picture_up_to_them(self) -> None:
        state = self.rich_state()
        limits = Limits(Span(low_l=30.0, high_l=70.0))
        for layer in state.layers[1:]:
            state = edits.set_limits(state, layer.id, limits)
        self.assertTrue(any("as it is limited" in loss for loss in not_carried(state)))
        back = read_openraster(self.write(state))
        rect = state.photo.rect
        self.assert_close(render(back, rect), render(state, rect), 3 / 65535)

    def test_computed_layers_are_written_as_pixels_with_their_parameters(self) -> None:
        state = edits.add_computed(self.rich_state(), KINDS["smooth"], scale_px=4.0)
        state = edits.set_strength(state, state.active_id, 0.5)
        state = edits.add_computed(state, KINDS["split"])
        stack = state.active.stack(Part.TONE)
        state = edits.add_pixel_layer(replace(state, active_id=stack.id))
        state = edits.set_pixels(
            state, state.active_id, NO_PIXELS.with_tiles({(0, 0): random_tile(7)})
        )
        back = read_openraster(self.write(state))
        self.assertEqual([x.name for x in back.layers[1:]], [x.name for x in state.layers[1:]])
        rect = state.photo.rect
        self.assert_close(render(back, rect), np.clip(render(state, rect), 0, 1), 4 / 65535)
        with zipfile.ZipFile(self.path) as archive:
            root = ElementTree.fromstring(archive.read("stack.xml"))
        entry = next(x for x in root.iter("layer") if x.get("lather-kind") == "smooth")
        self.assertEqual(json.loads(entry.attrib["lather-parameters"])["scale_px"], 4.0)
        self.assertTrue(any("written as its pixels" in loss for loss in not_carried(state)))

    def test_groups_keep_their_order_and_isolation(self) -> None:
        for mode in (BlendMode.NORMAL, BlendMode.SCREEN):
            state = painted_state(self.photo, 3)
            state = edits.group(state, state.active_id)
            state = edits.move_into(state, state.layers[1].id, group_id=state.active_id)
            state = edits.set_mode(state, state.active_id, mode)
            back = read_openraster(self.write(state))
            shapes = [
                [(type(x), x.name, x.mode) for x in walk(s.layers)][1:] for s in (state, back)
            ]
            with self.subTest(mode.value):
                self.assertEqual(*shapes)
                self.assertIsInstance(back.layers[-1], GroupLayer)
                rect = state.photo.rect
                self.assert_close(render(back, rect), render(state, rect), 3 / 65535)

    @settings(max_examples=40, deadline=None)
    @given(stacks(5))
    @example([("split", 0), ("split", 0), ("pixels", 0)])
    @example([("reshape", 0), ("group", 0), ("mask", 0)])
    def test_any_stack_is_the_same_picture_in_another_program(self, what) -> None:
        """But for single pixels that go beyond black and white between layers: files cannot carry
        that."""
        path = self.folder / "soft.png"
        samples = noise_photo(200, 180).samples // 3 + np.uint16(21845)
        encode_photo(samples, None, path, Delivery(depth_bits=16))
        state = _tamed(stack_of(read_photo(path), what))
        rect = state.photo.rect
        back = render(read_openraster(self.write(state)), rect)
        away = np.abs(back - np.clip(render(state, rect), 0, 1))
        self.assertLessEqual(float(np.quantile(away, 0.999)), 24 / 65535)

    def test_what_cannot_be_carried_is_one_picture_and_said(self) -> None:
        state = stack_of(self.photo, [("pixels", 0), ("span", 1), ("group", 4)])
        self.assertIn("one picture", " ".join(not_carried(state)))
        back = read_openraster(self.write(state))
        self.assertEqual([layer.kind for layer in back.layers], ["photo", "pixels"])
        weak = stack_of(self.photo, [("weak reshape", 2)])
        again = read_openraster(self.write(weak))
        self.assertEqual(again.layers[-1].strength, 1.0)  # seen once, not twice

    def test_the_members_that_the_format_asks_for(self) -> None:
        state = self.rich_state()
        with zipfile.ZipFile(self.write(state)) as archive:
            first = archive.infolist()[0]
            self.assertEqual((first.filename, first.compress_type), ("mimetype", 0))
            self.assertEqual(archive.read("mimetype"), b"image/openraster")
            root = ElementTree.fromstring(archive.read("stack.xml"))
            self.assertEqual((root.get("w"), root.get("h")), ("300", "280"))
            names = [x.get("name") for x in root.find("stack")]
            self.assertEqual(names, [x.name for x in reversed(state.layers)])
            for layer in root.iter("layer"):
                Image.open(io.BytesIO(archive.read(layer.get("src")))).load()
            merged = Image.open(io.BytesIO(archive.read("mergedimage.png")))
            self.assertEqual(merged.size, (300, 280))
            small = Image.open(io.BytesIO(archive.read("Thumbnails/thumbnail.png")))
            self.assertLessEqual(max(small.size), 256)
            self.assertEqual(small.mode, "RGBA")

    def test_losses_are_told(self) -> None:
        state = painted_state(self.photo, 2)
        self.assertEqual(not_carried(state), [])
        state = edits.set_mode(state, state.active_id, BlendMode.LINEAR_LIGHT)
        state = edits.add_mask(state, state.layers[1].id)
        text = " ".join(not_carried(state))
        self.assertIn("linear-light becomes normal", text)
        self.assertIn("the mask is put into the layer's transparency", text)

    def foreign(self, xml: str, **pictures) -> Path:
        with zipfile.ZipFile(self.path, "w") as archive:
            archive.writestr("mimetype", "image/openraster")
            archive.writestr("stack.xml", xml)
            for name, array in pictures.items():
                out = io.BytesIO()
                Image.fromarray(array).save(out, "PNG")
                archive.writestr(f"data/{name}.png", out.getvalue())
        return self.path

    def test_a_file_of_another_program(self) -> None:
        """8-bit layers that stick out, an unknown mode, no picture that fills the page."""
        red = np.zeros((50, 60, 4), np.uint8)
        red[..., 0] = red[..., 3] = 255
        state = read_openraster(self.foreign(
            '<image w="100" h="80"><stack><layer name="r" src="data/red.png" x="70" y="-10" '
            'composite-op="vendor:odd"/></stack></image>', red=red,
        ))  # fmt: skip
        picture = render(state, state.photo.rect)
        self.assert_close(picture[10, 80, :3], (1, 0, 0), 1e-6)
        self.assert_close(picture[60, 80, :3], (1, 1, 1), 1e-6)
        notices = " ".join(state.photo.notices)
        self.assertIn("vendor:odd is not known", notices)
        self.assertIn("laid on white", notices)

    def test_bad_files_are_refused_in_a_sentence(self) -> None:
        layer = '<stack><layer src="data/none.png"/></stack>'
        for xml, reason in (
            (f'<image w="10" h="10">{layer}</image>', "missing in it"),
            (f'<image w="0" h="10">{layer}</image>', "0 x 10"),
            (f'<image w="9999999" h="99999">{layer}</image>', "damaged"),
            ('<image w="10" h="10"/>', "no layers"),
            ("<image", "damaged"),
            ('<!DOCTYPE a [<!ENTITY b "c">]><image w="1" h="1"/>', "entities"),
            ('<image w="9" h="9">' + "<stack>" * 80 + "</stack>" * 80 + "</image>", "too deep"),
        ):
            with self.subTest(reason), self.assertRaisesRegex(PhotoError, reason):
                read_openraster(self.foreign(xml))
        self.path.write_bytes(b"no zip")
        with self.assertRaisesRegex(PhotoError, "damaged"):
            read_openraster(self.path)
        with self.assertRaisesRegex(PhotoError, "no such file"):
            read_openraster(self.folder / "none.ora")

    @settings(max_examples=40, deadline=None)
    @given(st.data())
    def test_any_damage_is_read_or_refused(self, data) -> None:
        if not self.path.exists():
            self.write(painted_state(self.photo, 1))
        content = bytearray(self.path.read_bytes())
        for _ in range(data.draw(st.integers(1, 3))):
            content[data.draw(st.integers(0, len(content) - 1))] ^= data.draw(st.integers(1, 255))
        bad = self.folder / "bad.ora"
        bad.write_bytes(content)
        try:
            state = read_openraster(bad)
        except LatherError as error:
            self.assertNotIn("\n", error.sentence())
        else:
            # Every member has a checksum: what opens is all there, bit for bit.
            good = read_openraster(self.path)
            self.assertEqual([x.name for x in state.layers[1:]], [x.name for x in good.layers[1:]])
            rect = good.photo.rect
            self.assert_equal_arrays(render(state, rect), render(good, rect))
