"""The area in the document: edits, masks and layers, saved, journalled, undone."""

import unittest
import zipfile
from dataclasses import replace
from unittest import mock

import numpy as np

from lather.core.area.combine import Combine
from lather.core.arrays import FULL
from lather.core.rect import Rect
from lather.core.survey.regions.region import Region
from lather.document import areas, edits
from lather.document.digest import digest
from lather.document.job import Job
from lather.document.planes import Planes, Regions, read_plane, with_plane
from lather.document.state import new_state
from lather.document.tiles import BLACK_MASK, Tiles
from lather.errors import EditError
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.jobs.journal import Journal
from lather.files.jobs.journalreader import read_journal
from lather.render.compositor import render
from tests.support import Case, noise_photo, painted_state, photo_in

RECT = Rect(40, 50, 120, 110)


def square(rect: Rect = RECT) -> np.ndarray:
    return np.ones((rect.height, rect.width), "f4")


def with_area(state=None):
    state = state or new_state(noise_photo())
    return areas.outline(state, RECT, square(), Combine.NEW)


def earlier_names(planes: Planes) -> dict[str, Tiles]:
    """The planes under the names that older versions gave them."""
    old = {Region.EYE_WHITE: "eye white", Region.BROWS: "brows and lashes"}
    named = {f"region.{old.get(region, region.value)}": tiles
             for region, tiles in planes.regions.masks.items()}  # fmt: skip
    return named if planes.area is None else {"area": planes.area, **named}


def plane_of(state) -> np.ndarray:
    return read_plane(state.area, state.photo.rect)


class AreaEditTest(Case):
    def test_outlines_combine_as_sets(self) -> None:
        state = with_area()
        other = Rect(100, 90, 160, 140)
        sizes_px = {
            Combine.NEW: other.area, Combine.ADD: RECT.area + other.area - 20 * 20,
            Combine.TAKE: RECT.area - 20 * 20, Combine.OVERLAP: 20 * 20,
        }  # fmt: skip
        for how, expected in sizes_px.items():
            after = areas.outline(state, other, square(other), how)
            with self.subTest(how):
                self.assertEqual(round(float(plane_of(after).sum())), expected)

    def test_nothing_to_take_from_is_said(self) -> None:
        state = new_state(noise_photo())
        for how in (Combine.TAKE, Combine.OVERLAP):
            with self.assertRaisesRegex(EditError, "none yet"):
                areas.outline(state, RECT, square(), how)
        for edit in (areas.invert, lambda s: areas.grow(s, 3), lambda s: areas.feather(s, 3),
                     lambda s: areas.to_mask(s, s.active_id)):  # fmt: skip
            with self.assertRaisesRegex(EditError, "there is no area"):
                edit(state)

    def test_an_empty_area_is_none(self) -> None:
        self.assertIsNone(areas.outline(with_area(), RECT, square(), Combine.TAKE).area)

    def test_inside_out_and_back(self) -> None:
        state = with_area()
        inverted = areas.invert(state)
        np.testing.assert_array_equal(plane_of(inverted), 1 - plane_of(state))
        self.assertTrue(areas.invert(inverted).area.equals(state.area))

    def test_grown_shrunk_feathered(self) -> None:
        state = with_area()
        grown = plane_of(areas.grow(state, 6))
        self.assertEqual((grown[80, 34], grown[80, 33]), (1, 0))
        self.assertEqual(float(plane_of(areas.grow(state, -6)).sum()), 68 * 48)
        self.assertIsNone(areas.grow(state, -60).area)
        soft = plane_of(areas.feather(state, 16))
        self.assertTrue(0.3 < soft[80, 40] < 0.7)
        self.assertEqual((soft[80, 20], soft[80, 80]), (0, 1))
        around = plane_of(areas.grow(areas.invert(state), 6))
        self.assertEqual((around[80, 45], around[80, 47]), (1, 0))

    def test_to_mask_and_back_and_from_a_layer(self) -> None:
        state = with_area(painted_state(n_layers=1))
        masked = areas.to_mask(state, state.active_id)
        back = areas.from_mask(areas.set_area(masked, None), masked.active_id)
        self.assertTrue(back.area.equals(state.area))
        flipped = edits.invert_mask(masked, masked.active_id)
        inside = areas.from_mask(flipped, masked.active_id)
        np.testing.assert_array_equal(plane_of(inside), 1 - plane_of(state))
        from_layer = areas.from_layer(state, state.active_id)
        alpha = state.active.tiles.read(state.photo.rect)[..., 3] / FULL
        np.testing.assert_allclose(plane_of(from_layer), alpha, atol=1e-6)
        with self.assertRaisesRegex(EditError, "no pixels of its own"):
            areas.from_layer(state, state.layers[0].id)
        with self.assertRaisesRegex(EditError, "has no mask"):
            areas.from_mask(state, state.active_id)

    def test_a_mask_from_an_area_hides_the_rest(self) -> None:
        state = with_area(painted_state(n_layers=1))
        after = areas.to_mask(state, state.active_id)
        whole = render(after, state.photo.rect)
        photo = state.photo.read_float(state.photo.rect)
        outside = plane_of(state) == 0
        np.testing.assert_allclose(whole[outside], photo[outside], atol=1e-6)
        self.assertGreater(float(np.abs(whole - photo)[~outside].mean()), 0.05)


class SavedPlanesTest(Case):
    def setUp(self) -> None:
        super().setUp()
        photo = photo_in(self.folder)
        plane = np.random.default_rng(2).random((140, 150)).astype("f4")
        tiles = with_plane(BLACK_MASK, Rect(0, 0, 150, 140), plane)
        self.regions = Regions(0.5, {Region.LIPS: tiles, Region.SKIN: areas.invert(
            areas.set_area(new_state(photo), tiles)).area}, frozenset({Region.LIPS}))  # fmt: skip
        self.state = replace(with_area(new_state(photo)), regions=self.regions)

    def test_the_file_holds_area_and_regions(self) -> None:
        path = self.folder / "a.lather"
        save_job(self.state, path)
        loaded = load_job(path).state
        self.assertEqual(digest(loaded), digest(self.state))
        self.assertEqual(loaded.regions.corrected, frozenset({Region.LIPS}))
        self.assertEqual(loaded.regions.scale, 0.5)
        self.assertTrue(loaded.area.equals(self.state.area))

    def test_earlier_names_of_regions_are_read(self) -> None:
        """From a job file and from steps of a journal that build on it."""
        tiles = self.regions.masks[Region.LIPS]
        regions = replace(self.regions, masks={Region.EYE_WHITE: tiles, Region.BROWS: tiles},
                          corrected=frozenset({Region.BROWS}))  # fmt: skip
        state = replace(self.state, regions=regions)
        pixels = np.full((256, 256), 77, "u2")
        painted = replace(regions, masks={**regions.masks, Region.BROWS: tiles.with_tiles({
            (0, 0): pixels})})  # fmt: skip
        after = replace(state, regions=painted)
        with mock.patch.object(Planes, "named", earlier_names):
            save_job(state, self.folder / "a.lather")
            journal = Journal(self.folder / "journal", state, "r", {})
            journal.record("Add to region", after, None)
        journal.close(delete=False)
        text = zipfile.ZipFile(self.folder / "a.lather").read("job.json").decode()
        self.assertIn("region.brows and lashes", text)
        loaded = load_job(self.folder / "a.lather").state
        self.assertEqual(digest(loaded), digest(state))
        steps = list(read_journal(journal.path).steps("r", loaded))
        self.assertEqual([digest(step.state) for step in steps], [digest(after)])

    def test_they_are_steps_to_save_and_to_undo(self) -> None:
        job = Job(new_state(self.state.photo))
        job.change("Outline area", with_area(job.state))
        self.assertTrue(job.modified)
        job.undo()
        self.assertIsNone(job.state.area)
        self.assertFalse(job.modified)


if __name__ == "__main__":
    unittest.main()
