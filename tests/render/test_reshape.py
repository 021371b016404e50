"""Reshape layers in the picture: live, stacked, masked, weakened, and what lies below them."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from lather.core.blend.modes import BlendMode
from lather.core.kernels import prepare_kernels
from lather.core.rect import Rect
from lather.core.shape.field import composed, node_rect
from lather.core.survey.regions.region import Region
from lather.document import edits
from lather.document.diff import changed_cells
from lather.document.job import Job
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Mask, new_id
from lather.document.layers.limits import Limits
from lather.document.layers.reshape import ReshapeLayer
from lather.document.layers.split import SplitLayer
from lather.document.layers.table import KINDS
from lather.document.photo import Photo
from lather.document.planes import Regions, with_plane
from lather.document.state import JobState, new_state
from lather.document.tiles import BLACK_MASK, TILE_PX
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.render.compositor import kept, render
from lather.render.flatten import flatten
from lather.render.reshaping import sources
from lather.render.screen.request import screen_bytes
from lather.render.shown import render_mask
from lather.render.space import Space, photo_space
from tests.stacks import bell
from tests.support import Case, draw, noise_photo, photo_in, session_for

CENTRE, RADIUS_PX, BY_PX = (210.0, 180.0), 90.0, 24.0


def smooth_photo(width: int = 420, height: int = 380) -> Photo:
    y, x = np.mgrid[:height, :width]
    waves = 0.5 + 0.3 * np.sin(x / 19) * np.cos(y / 23)
    rgb = np.stack([waves, 0.8 * waves, 1 - waves], -1)
    return Photo((rgb * 65535).astype(np.uint16), name="smooth.png")


def moved_layer(
    photo: Photo, by: tuple[float, float] = (BY_PX, 6.0), centre: tuple[float, float] = CENTRE
) -> ReshapeLayer:
    return bell(photo, by, centre, RADIUS_PX)


def state_of(photo: Photo, *layers) -> JobState:
    state = new_state(photo)
    return replace(state, layers=(*state.layers, *layers), active_id=layers[-1].id)


def setUpModule() -> None:  # noqa: N802 - as unittest calls it
    prepare_kernels()


class PictureTest(Case):
    def setUp(self) -> None:
        super().setUp()
        kept.clear()
        self.photo = smooth_photo()
        self.rect = self.photo.rect
        self.plain = render(new_state(self.photo), self.rect)

    def test_where_nothing_moves_pixels_are_the_photo_s(self) -> None:
        out = render(state_of(self.photo, moved_layer(self.photo)), self.rect)
        y, x = np.mgrid[: self.rect.height, : self.rect.width] + 0.5
        far = np.hypot(x - CENTRE[0], y - CENTRE[1]) > RADIUS_PX + 8
        self.assert_equal_arrays(out[far], self.plain[far])
        self.assertGreater(float(np.abs(out - self.plain).max()), 0.1)

    def test_two_layers_are_as_one_after_the_other(self) -> None:
        lower, upper = moved_layer(self.photo), moved_layer(self.photo, (-9, 14), (240, 200))
        both = state_of(self.photo, lower, upper)
        at = node_rect(self.rect, 2)
        field = composed(upper.field(at), lower.field(at))
        one = lower.with_nodes(at, field.nodes)
        points = np.random.default_rng(1).uniform((120, 90), (300, 270), (200, 2))
        mapped = Space(self.rect, (lower, upper)).to_photo(points)
        self.assert_close(sources(one, points, self.rect), mapped, 0.1)
        once = render(state_of(self.photo, one), self.rect)
        self.assertLess(float(np.abs(render(both, self.rect) - once).mean()), 1 / 255)

    def test_strength_weakens_the_way_and_shows_nothing_twice(self) -> None:
        layer = moved_layer(self.photo)
        half = replace(layer, strength=0.5)
        points = np.array([CENTRE])
        whole = sources(layer, points, self.rect) - points
        self.assert_close(sources(half, points, self.rect) - points, whole / 2, 0.02)
        blended = 0.5 * (self.plain + render(state_of(self.photo, layer), self.rect))
        weakened = render(state_of(self.photo, half), self.rect)
        self.assertGreater(float(np.abs(weakened - blended).max()), 0.02)

    def test_a_mask_holds_and_never_folds(self) -> None:
        shares = np.zeros((self.rect.height, self.rect.width), dtype=np.float32)
        shares[:, : int(CENTRE[0])] = 1  # as hard as can be, through the middle of the move
        mask = Mask(tiles=with_plane(BLACK_MASK, self.rect, shares))
        layer = replace(moved_layer(self.photo), mask=mask)
        x = np.linspace(100, 320, 400)
        points = np.stack([x, np.full_like(x, CENTRE[1])], -1)
        source = sources(layer, points, self.rect)
        self.assertTrue((np.diff(source[:, 0]) > 0).all())
        away = source[:, 0] - x
        self.assertGreater(np.abs(away[x < 200]).max(), 5)
        shown = render(state_of(self.photo, layer), self.rect)
        part = Rect(150, 100, 260, 240)
        self.assert_equal_arrays(
            render(state_of(self.photo, layer), part), shown[part.slices]
        )
        hidden = replace(layer, mask=Mask(tiles=BLACK_MASK))
        self.assert_equal_arrays(render(state_of(self.photo, hidden), self.rect), self.plain)

    def test_coarser_levels_show_the_same(self) -> None:
        state = state_of(self.photo, moved_layer(self.photo))
        full = render(state, self.rect)[:380, :420, :3]
        half = render(state, self.rect.at_level(1), 1)[..., :3]
        mean = full.reshape(190, 2, 210, 2, 3).mean((1, 3))
        self.assertLess(float(np.abs(half - mean).mean()), 1 / 255)

    def test_in_groups_splits_and_under_adjustments(self) -> None:
        layer = moved_layer(self.photo)
        moved = render(state_of(self.photo, layer), self.rect)
        for mode in (BlendMode.NORMAL, BlendMode.MULTIPLY):
            group = GroupLayer(id=new_id(), name="G", children=(layer,), mode=mode)
            out = render(state_of(self.photo, group), self.rect)
            # In a group by itself there is nothing below it.
            self.assert_close(out, self.plain if group.isolated else moved, 1e-6)
        bright = edits.add_computed(state_of(self.photo, layer), KINDS["brightness"],
                                    brightness=10.0)  # fmt: skip
        below = edits.add_computed(new_state(self.photo), KINDS["brightness"], brightness=10.0)
        under = replace(below, layers=(*below.layers, layer))
        self.assert_close(render(bright, self.rect), render(under, self.rect), 0.01)
        split = edits.add_computed(state_of(self.photo, layer), SplitLayer, sigma_px=4.0)
        self.assert_close(render(split, self.rect), moved, 1e-5)

    def test_a_flattened_picture_is_what_is_shown(self) -> None:
        state = state_of(self.photo, moved_layer(self.photo))
        flat = flatten(state, 16).astype(np.float64) / 65535
        self.assert_close(flat, np.clip(render(state, self.rect)[..., :3], 0, 1), 1e-4)

    def assert_found(self, before: JobState, after: JobState) -> set[tuple[int, int]]:
        """Nothing changes but in the cells that are said to; those cells."""
        cells, rect = changed_cells(before, after), before.photo.rect
        differs = np.abs(render(before, rect) - render(after, rect)).max(-1) > 0
        for key in rect.cells(TILE_PX):
            if key not in cells:
                self.assertFalse(differs[Rect.cell(key, TILE_PX).intersect(rect).slices].any())
        return cells

    def test_a_change_is_found_where_it_shows(self) -> None:
        photo = noise_photo(900, 800)
        before = state_of(photo, moved_layer(photo))
        other = replace(moved_layer(photo, (9.0, 4.0)), id=before.active_id)
        after = replace(before, layers=(before.layers[0], other))
        cells = self.assert_found(before, after)
        self.assertLess(len(cells), len(list(photo.rect.cells(TILE_PX))))

    def test_a_masked_layer_that_moves_further_is_found_where_its_mask_softens(self) -> None:
        photo = noise_photo(900, 800)
        shares = np.zeros((800, 900), dtype=np.float32)
        shares[:, :210] = 1
        mask = Mask(tiles=with_plane(BLACK_MASK, photo.rect, shares))
        wide = moved_layer(photo, (6.0, 0.0), (600.0, 500.0))
        near = moved_layer(photo)
        both = {name: near.planes[name].with_tile_objects(dict(wide.planes[name].tiles))
                for name in ("across", "down")}  # fmt: skip
        before = state_of(photo, replace(near, mask=mask))
        further = replace(near, mask=mask).with_painted({**near.planes, **both}, ())
        after = replace(before, layers=(before.layers[0], further))
        self.assert_found(before, after)

    def test_regions_go_with_what_is_moved(self) -> None:
        shares = np.zeros((self.rect.height, self.rect.width), dtype=np.float32)
        shares[140:220, 170:250] = 1
        regions = Regions(1.0, {Region.LIPS: with_plane(BLACK_MASK, self.rect, shares)})
        state = replace(state_of(self.photo, moved_layer(self.photo)), regions=regions)
        state = edits.add_computed(state, KINDS["curves"])
        limited = edits.set_limits(state, state.active_id, Limits(regions=(Region.LIPS,)))
        seen = render_mask(limited, limited.active, self.rect)[..., 0]
        corner = photo_space(limited).to_seen(np.array([[210.0, 180.0]]))
        x, y = (int(v) for v in corner[0])
        self.assertGreater(float(seen[y, x]), 0.9)
        # The middle of the right edge, at x = 250, is seen further right.
        edge = photo_space(limited).to_seen(np.array([[249.0, 180.0]]))[0]
        row = seen[int(edge[1])]
        self.assertAlmostEqual(float(np.flatnonzero(row > 0.5).max()), float(edge[0]), delta=2)

    def test_a_seen_rectangle_holds_all_that_is_seen_of_it(self) -> None:
        layer = moved_layer(self.photo)
        rect = Rect(180, 150, 240, 200)
        seen = Space(self.rect, (), (layer,)).seen_rect(rect)
        points = np.random.default_rng(2).uniform((180, 150), (240, 200), (300, 2))
        for x, y in Space(self.rect, (), (layer,)).to_seen(points):
            self.assertTrue(seen.contains_point(x, y))


class PenTest(Case):
    """Under a reshape every tool works as if it were not there."""

    def setUp(self) -> None:
        super().setUp()
        kept.clear()
        grey = np.full((380, 420, 3), 30000, dtype=np.uint16)
        self.photo = Photo(grey, name="grey.png")
        state = edits.add_pixel_layer(new_state(self.photo))
        self.paint_id = state.active_id
        self.layer = moved_layer(self.photo, (28.0, -12.0))
        self.job = Job(replace(state, layers=(*state.layers, self.layer)))
        self.session = session_for(self.job)
        self.session.hand = replace(self.session.hand, colour=(1.0, 1.0, 1.0))

    def test_a_dab_lands_where_it_was_seen(self) -> None:
        for at in ((210.0, 180.0), (240.0, 170.0), (180.0, 200.0), (255.0, 150.0)):
            job = self.job
            draw(self.session, "paint_colour", [at], size_px=4, hardness=0.4, opacity=1.0, flow=1.0)
            shown = render(job.state, self.photo.rect)[..., 0] - 30000 / 65535
            y, x = np.mgrid[: shown.shape[0], : shown.shape[1]] + 0.5
            weight = np.maximum(shown, 0)
            centre = [float((weight * axis).sum() / weight.sum()) for axis in (x, y)]
            with self.subTest(at=at):
                self.assert_close(centre, at, 0.3)
            job.undo()

    def test_the_frames_of_a_stroke_show_what_comes_out(self) -> None:
        frames = []
        self.session.frame.connect(frames.append)
        draw(self.session, "paint_colour", [(190.0, 180.0), (230.0, 175.0)], size_px=12,
             opacity=1.0, flow=1.0)  # fmt: skip
        last = frames[-1]
        state = self.job.state
        after = screen_bytes(state, render(state, last.rect), 0.2).astype(int)
        self.assertLessEqual(int(np.abs(last.image.astype(int) - after).max()), 1)
        covered = Rect.of_mask(render(self.job.state, self.photo.rect)[..., 0] > 0.6)
        self.assertTrue(all(not f.rect.empty for f in frames))
        self.assertEqual(covered.intersect(Rect.union_of(f.rect for f in frames)), covered)

    def test_a_mend_and_an_outline_land_there_too(self) -> None:
        self.job.change("Hide", edits.set_visible(self.job.state, self.layer.id, True))
        at = (240.0, 170.0)
        draw(self.session, "outline", [(225, 155), (255, 155), (255, 185), (225, 185)])
        area = self.job.state.area
        x, y = photo_space(self.job.state).from_seen(np.array([at]))[0]
        inside = area.read(Rect(int(x), int(y), int(x) + 1, int(y) + 1))
        self.assertEqual(int(inside[0, 0]), 65535)
        self.job.undo()
        draw(self.session, "mark", [at], size_px=20)
        mark = self.job.state.findings.items[-1]
        self.assert_close((mark.x, mark.y), (x, y), 0.3)

    def test_a_stroke_above_the_reshape_is_not_moved(self) -> None:
        self.job.change("New", edits.add_pixel_layer(
            replace(self.job.state, active_id=self.layer.id)))  # fmt: skip
        draw(self.session, "paint_colour", [(240.0, 170.0)], size_px=7, opacity=1.0, flow=1.0)
        stroke = self.job.state.active.strokes[-1]
        self.assert_close(stroke.readings[0, 1:3], (240.0, 170.0), 1e-3)


class FileTest(Case):
    def test_a_saved_reshape_comes_back_as_it_was(self) -> None:
        photo = photo_in(self.folder, width=420, height=380)
        state = state_of(photo, replace(moved_layer(photo), middle=(10.0, 20.0, 30.0, 300.0)))
        path = self.folder / "a.lather"
        save_job(state, path)
        again = load_job(path).state
        layer = again.active
        assert isinstance(layer, ReshapeLayer)
        self.assertEqual((layer.step_px, layer.middle), (2, (10.0, 20.0, 30.0, 300.0)))
        for name, tiles in state.active.planes.items():
            self.assertTrue(layer.planes[name].equals(tiles))
        self.assert_equal_arrays(render(again, photo.rect), render(state, photo.rect))


class SizeTest(Case):
    def test_from_one_to_a_hundred_megapixels(self) -> None:
        for side, step in ((1000, 2), (5000, 4), (10000, 8)):
            samples = np.broadcast_to(np.uint8(120), (side, side, 3))
            job = Job(new_state(Photo(samples, name="plain.png")))
            session = session_for(job)
            session._viewport = lambda: type(  # only what lies under the brush is drawn
                "View", (), {"level": 0, "rect": Rect(0, 0, 8, 8), "surround": 0.2, "look": None}
            )()
            draw(session, "push", [(side / 2, side / 2), (side / 2 + 30, side / 2)],
                 size_px=200, flow=1.0)  # fmt: skip
            layer = job.state.active
            with self.subTest(side=side):
                assert isinstance(layer, ReshapeLayer)
                self.assertEqual(layer.step_px, step)
                self.assertAlmostEqual(layer.largest_px, 30, delta=1.0)
                n_bytes = sum(t.nbytes for p in layer.planes.values() for t in p.tiles.values())
                self.assertLess(n_bytes, 64 * 2**20)


if __name__ == "__main__":
    unittest.main()
