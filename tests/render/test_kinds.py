"""Every kind of layer: any part equals that part of the whole, neutral is neutral, levels agree."""

from __future__ import annotations

import unittest
from dataclasses import replace
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lather.core.blend.modes import BlendMode
from lather.core.rect import Rect
from lather.document import edits
from lather.document.diff import changed_cells
from lather.document.layers.computed import PARAMETERS, ComputedLayer
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layer, Mask, Parts, new_id
from lather.document.layers.parameters import Choice, CurveSpec, Number, Rows, Spec
from lather.document.layers.reshape import STAYS, ReshapeLayer
from lather.document.layers.table import COMPUTED, KINDS
from lather.document.photo import Photo
from lather.document.state import JobState, new_state
from lather.document.tiles import TILE_PX, WHITE_MASK
from lather.files.photos.reading import read_photo
from lather.paths import SOURCE_TREE
from lather.render.compositor import render
from lather.render.layers.table import ADD
from tests.support import DEMO, Case, noise_photo, painted_state, random_tile

BENT = ((0.0, 0.1), (0.3, 0.25), (0.6, 0.75), (1.0, 0.9))
LESS_BENT = tuple((x, (2 * x + y) / 3) for x, y in BENT)  # all five of them at once


def layer_of(kind: type[ComputedLayer], **values: Any) -> ComputedLayer:
    parameters = kind.TAKES()
    for name, value in values.items():
        parameters = parameters.with_value(name, value)
    planes = {name: kind.blank(name).with_tiles({(0, 0): gentler(kind, random_tile(5, channels))})
              for name, channels in kind.PLANES.items()}  # fmt: skip
    layer = kind.made({"id": new_id(), "name": kind.TITLE},
                      Parts({PARAMETERS: parameters.values}, planes))  # fmt: skip
    return layer.with_children(tuple(
        stack.with_children(tuple(
            replace(painted, id=new_id(), strength=0.3)
            for painted in painted_state(n_layers=2).layers[1:]
        ))
        for stack in layer.children
    ))  # fmt: skip


def gentler(kind: type[Layer], tile: np.ndarray) -> np.ndarray:
    """Of a reshape's planes a hundredth: the whole range is hundreds of pixels."""
    if kind is not ReshapeLayer:
        return tile
    return (STAYS + (tile.astype(np.int32) - STAYS) // 100).astype(np.uint16)


def extremes(kind: type[ComputedLayer]) -> list[ComputedLayer]:
    """With each parameter at its ends, and with all in the middle."""
    layers, middle = [], {}
    for name, spec in kind.TAKES.specs().items():
        ends, middle[name] = ends_and_middle(spec)
        layers += [layer_of(kind, **{name: value}) for value in ends]
    return [*layers, layer_of(kind, **middle)]


def ends_and_middle(spec: Spec) -> tuple[tuple[Any, ...], Any]:
    if isinstance(spec, Number):
        high = min(spec.high, 90.0) if spec.unit == "px" else spec.high  # what the picture bears
        return (spec.low, high), (spec.low * high) ** 0.5 if spec.low > 0 else high / 2
    if isinstance(spec, Choice):
        return spec.options, spec.options[0]
    if isinstance(spec, Rows):
        numbers = {name: ends_and_middle(inner) for name, inner in spec.row.specs().items()}
        low, high = ({name: ends[n] for name, (ends, _) in numbers.items()} for n in (0, 1))
        middle = [{name: value for name, (_, value) in numbers.items()}]
        return ([low], [high], [low, high, *middle]), middle
    assert isinstance(spec, CurveSpec)
    return (BENT, ((0, 1), (1, 0)), ((0, 0.5), (1, 0.5))), LESS_BENT


def state_with(*layers: Any, photo=None) -> JobState:
    state = painted_state(photo or noise_photo(420, 380), 1)
    return replace(state, layers=(*state.layers, *layers))


class TableTest(Case):
    def test_the_page_of_parameters_is_current(self) -> None:
        page = (SOURCE_TREE / "docs" / "parameters.md").read_text(encoding="utf-8")
        for kind in COMPUTED:
            for name, spec in kind.TAKES.specs().items():
                self.assertIn(f"| {spec.title} | `{name}` | {spec.values} |", page)

    def test_every_kind_has_a_row_in_every_table(self) -> None:
        self.assertLessEqual(set(KINDS.values()), set(ADD))
        for kind in COMPUTED:
            self.assertTrue(kind.TITLE and kind.HELP)
            self.assertTrue(kind.TAKES.specs() or kind is ReshapeLayer)  # its field is painted
            for spec in kind.TAKES.specs().values():
                self.assertTrue(spec.title and spec.help)


class PullTest(Case):
    """Rendering a part must not differ from that part of the whole, bit for bit."""

    def check(self, state: JobState) -> None:
        for level in (0, 1):
            picture = state.photo.rect.at_level(level)
            whole = render(state, picture, level)
            for x0, y0, x1, y1 in ((0, 0, 256, 256), (37, 101, 38, 102), (90, 60, 171, 190)):
                rect = Rect(x0, y0, x1, y1).intersect(picture)
                self.assert_equal_arrays(render(state, rect, level), whole[rect.slices])
            beyond = render(state, picture.grown(9), level)
            self.assertFalse(beyond[:9].any())
            self.assert_equal_arrays(beyond[9:-9, 9:-9], whole)

    def test_any_part_is_that_part_of_the_whole(self) -> None:
        for kind in COMPUTED:
            for layer in extremes(kind):
                with self.subTest(kind.KIND, parameters=layer.parameters.values):
                    self.check(state_with(layer))

    def test_stacked_and_in_groups(self) -> None:
        layers = [layer_of(kind) for kind in COMPUTED]
        mask = Mask(tiles=WHITE_MASK.with_tiles({(0, 0): random_tile(3, 1)}))
        masked = [replace(layer, id=new_id(), mask=mask, strength=0.6) for layer in layers]
        over = [replace(layer, id=new_id(), mode=BlendMode.MULTIPLY) for layer in layers]
        paint = replace(painted_state(n_layers=1).layers[1], id=new_id())
        for mode in (BlendMode.NORMAL, BlendMode.SCREEN):
            group = GroupLayer(id=new_id(), name="G", mode=mode, strength=0.7,
                               children=(paint, *layers, *masked))  # fmt: skip
            self.check(state_with(group, *over))

    def test_what_a_change_touches_grows_by_what_lies_above(self) -> None:
        photo, n_outside = noise_photo(800, 720), 0
        for kind in COMPUTED:
            for layer in extremes(kind):
                before = state_with(layer, photo=photo)
                pixels = before.layers[1]
                tiles = pixels.tiles.with_tiles({(1, 1): random_tile(9)})
                after = edits.set_pixels(before, pixels.id, tiles)
                n_outside += self.n_alike_outside(before, after)
                n_outside += self.n_alike_outside(
                    before, edits.set_strength(before, layer.id, 0.4)
                )
                n_outside += self.n_alike_outside(after, edits.delete(after, pixels.id))
        self.assertGreater(n_outside, 200)

    def n_alike_outside(self, before: JobState, after: JobState) -> int:
        """How many tiles are outside of the change; that they look the same is asserted."""
        whole = before.photo.rect
        outside = set(whole.cells(TILE_PX)) - set(changed_cells(before, after))
        for key in outside:
            cell = Rect.cell(key, TILE_PX).intersect(whole)
            self.assert_equal_arrays(render(before, cell), render(after, cell))
        return len(outside)


class NeutralTest(Case):
    def test_strength_0_equals_off(self) -> None:
        for kind in COMPUTED:
            layer = extremes(kind)[-1]
            for mode in (BlendMode.NORMAL, BlendMode.OVERLAY):
                weak = replace(layer, strength=0.0, mode=mode)
                off = replace(layer, visible=False, mode=mode)
                state = state_with(weak)
                self.assert_equal_arrays(
                    render(state, state.photo.rect), render(state_with(off), state.photo.rect)
                )

    def test_neutral_parameters_change_nothing(self) -> None:
        neutral: dict[str, dict[str, Any]] = {
            "curves": {}, "brightness": {}, "exposure": {}, "hues": {}, "inks": {}, "radial": {},
            "area_colour": {}, "sharpen": {"contrast_percent": 100.0}, "grain": {"sigma_l": 0.0},
            "soften": {"radius_px": 2.0, "pore_px": 2.0},
        }  # fmt: skip
        for kind, values in neutral.items():
            state = state_with(layer_of(KINDS[kind], **values))
            plain = replace(state, layers=state.layers[:-1])
            rect = plain.photo.rect
            with self.subTest(kind):
                self.assert_equal_arrays(render(state, rect), render(plain, rect))

    def test_a_grey_picture_stays_as_it_is_under_hues_and_in_black_and_white(self) -> None:
        grey = np.random.default_rng(1).integers(0, 65536, (90, 80, 1), dtype=np.uint16)
        photo = Photo(np.repeat(grey, 3, 2), name="g.png")
        state = new_state(photo)
        for kind in ("hues", "mono"):
            layer = extremes(KINDS[kind])[-1]
            out = render(replace(state, layers=(*state.layers, layer)), photo.rect)
            self.assert_close(out, render(state, photo.rect), 2e-4)

    @settings(max_examples=20)
    @given(st.floats(0.3, 60), st.floats(0.5, 50))
    def test_smoothing_a_level_picture_changes_nothing(self, scale_px, edge_l) -> None:
        photo = Photo(np.full((150, 200, 3), (40000, 30000, 20000), dtype=np.uint16), name="p.png")
        state = new_state(photo)
        smooth = layer_of(KINDS["smooth"], scale_px=scale_px, edge_l=edge_l)
        smoothed = render(replace(state, layers=(*state.layers, smooth)), photo.rect)
        self.assert_close(smoothed, render(state, photo.rect), 1e-5)


def gently_painted(layer):
    """A layer, and those in it, with ramps instead of noise on its planes."""
    ramp = np.linspace(0, 65535, TILE_PX).astype(np.uint16)
    across = np.broadcast_to(ramp, (TILE_PX, TILE_PX))
    painted = {}
    for name, tiles in layer.planes.items():
        tile = across if tiles.channels == 1 else np.stack([across, across.T, across, across], -1)
        tile = gentler(type(layer), tile.copy())
        painted[name] = tiles.with_tiles(dict.fromkeys(tiles.tiles, tile))
    layer = layer.with_painted(painted, layer.strokes)
    return layer.with_children(tuple(map(gently_painted, layer.children)))


class LevelTest(Case):
    def test_half_of_the_size_shows_what_full_size_gives(self) -> None:
        """By 1/255 on average, with every parameter in the middle of its range, curves bent.

        Where a curve bends, the mean of what it gives is not what it gives for the mean: single
        hairs differ by tens of 255ths, on average it is less than one.
        """
        for number in (1, 2):
            photo = read_photo(DEMO / f"portrait{number}.jpg")
            for kind in COMPUTED:
                layer = gently_painted(extremes(kind)[-1])
                state = new_state(photo)
                state = replace(state, layers=(*state.layers, layer))
                # Where something is painted, or in the middle of the face.
                x, y = (0, 0) if layer.planes or layer.children else (400, 500)
                part = Rect(x, y, x + 512, y + 512)
                full = render(state, part)[..., :3].reshape(256, 2, 256, 2, 3).mean((1, 3))
                half = render(state, part.at_level(1), 1)[..., :3]
                with self.subTest(kind.KIND, portrait=number):
                    self.assertLess(float(np.abs(full - half).mean()), 1 / 255)


if __name__ == "__main__":
    unittest.main()
