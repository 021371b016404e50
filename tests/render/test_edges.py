"""Odd jobs with layers that compute: a sensible picture, or one clear sentence."""

from __future__ import annotations

import json
import unittest
import zipfile
from dataclasses import replace

import numpy as np

from lather.core.blend.modes import BlendMode
from lather.core.rect import Rect
from lather.document import edits
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import new_id
from lather.document.layers.split import Part
from lather.document.layers.table import KINDS
from lather.document.layers.unknown import UnknownLayer
from lather.document.photo import Photo
from lather.document.state import JobState, new_state
from lather.document.tiles import NO_PIXELS
from lather.errors import EditError
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.render.compositor import render
from lather.render.flatten import flatten
from tests.files.test_job_file import edited, rewritten
from tests.support import Case, noise_photo, photo_in, random_tile

COMPUTED = ("curves", "smooth", "split", "light")


def with_all(state: JobState, n_times: int = 1) -> JobState:
    for _ in range(n_times):
        for kind in COMPUTED:
            state = edits.add_computed(state, KINDS[kind])
            if kind == "split":
                split = state.active
                stack = split.stack(Part.TEXTURE)
                state = edits.add_pixel_layer(replace(state, active_id=stack.id))
                tiles = NO_PIXELS.with_tiles({(0, 0): random_tile(2)})
                state = edits.update_layer(state, state.active_id, tiles=tiles, strength=0.1)
                state = replace(state, active_id=split.id)
    return state


class EdgesTest(Case):
    def test_pictures_of_one_pixel_and_grey_ones(self) -> None:
        for photo in (
            Photo(np.full((1, 1, 3), 20000, np.uint16), name="p.png"),
            Photo(np.full((40, 50, 3), 20000, np.uint16), name="p.png"),
            Photo(np.zeros((30, 3, 3), np.uint8), name="p.png"),
        ):
            picture = flatten(with_all(new_state(photo)), 16)
            self.assertEqual(picture.shape, photo.samples.shape)

    def test_radii_beyond_the_picture(self) -> None:
        state = new_state(noise_photo(90, 70))
        mean = render(state, state.photo.rect)[..., :3].mean()
        for name, values in (("smooth", {"scale_px": 500.0, "edge_l": 50.0}),
                             ("split", {"sigma_px": 500.0})):  # fmt: skip
            picture = render(edits.add_computed(state, KINDS[name], **values), state.photo.rect)
            self.assertTrue(np.isfinite(picture).all())
            self.assertAlmostEqual(float(picture[..., :3].mean()), float(mean), delta=0.02)

    def test_sixty_layers(self) -> None:
        state = with_all(new_state(noise_photo(120, 100)), 15)
        picture = render(state, state.photo.rect)
        self.assertTrue(np.isfinite(picture).all())
        part = Rect(30, 20, 60, 55)
        self.assert_equal_arrays(render(state, part), picture[part.slices])

    def test_a_mask_that_hides_all_is_no_layer(self) -> None:
        plain = new_state(noise_photo(120, 100))
        for kind in COMPUTED:
            state = edits.add_computed(plain, KINDS[kind])
            hidden = edits.add_mask(state, state.active_id, hide_all=True)
            self.assert_equal_arrays(render(hidden, plain.photo.rect),
                                     render(plain, plain.photo.rect))  # fmt: skip

    def test_a_split_in_a_split_and_a_filter_that_sees_only_its_group(self) -> None:
        state = edits.add_computed(new_state(noise_photo(120, 100)), KINDS["split"])
        stack = state.active.stack(Part.TONE)
        state = with_all(replace(state, active_id=stack.id))
        picture = render(state, state.photo.rect)
        part = Rect(30, 20, 60, 55)
        self.assert_equal_arrays(render(state, part), picture[part.slices])
        smooth = edits.add_computed(new_state(state.photo), KINDS["smooth"]).active
        group = GroupLayer(id=new_id(), name="G", mode=BlendMode.MULTIPLY, children=(smooth,))
        alone = new_state(state.photo)
        self.assert_equal_arrays(
            render(replace(alone, layers=(*alone.layers, group)), part), render(alone, part)
        )

    def test_values_that_cannot_be(self) -> None:
        state = with_all(new_state(noise_photo(60, 50)))
        by_kind = {layer.kind: layer for layer in state.layers}
        for kind, name, value, why in (
            ("smooth", "scale_px", float("nan"), "takes 0.3 to 500 px"),
            ("smooth", "scale_px", "wide", "could not convert"),
            ("curves", "rgb", ((0, 0), (0.5, 0.2), (0.4, 0.3), (1, 1)), "from left to right"),
            ("curves", "rgb", ((0, 0), (1, 7)), "between 0 and 1"),
            ("light", "shown_as", "glow", "one of soft light, two curves"),
            ("split", "radius", 3.0, ""),
        ):
            with self.assertRaises(EditError) as caught:
                edits.set_parameter(state, by_kind[kind].id, name, value)
            self.assertIn(why, caught.exception.why)

    def test_a_value_that_is_not_known_here_makes_its_layer_unknown_and_stays(self) -> None:
        """A newer Lather may have more of it; the rest of the job is there."""
        save_job(with_all(new_state(photo_in(self.folder))), self.folder / "a.lather")
        with zipfile.ZipFile(self.folder / "a.lather") as archive:
            names = [entry["kind"] for entry in json.loads(archive.read("job.json"))["layers"]]
        at = {kind: names.index(kind) for kind in COMPUTED}
        for kind, values in (
            ("smooth", {"scale_px": float("nan")}), ("smooth", {"scale_px": -4}),
            ("curves", {"rgb": [[0, 0]]}), ("curves", {"rgb": "steep"}),
            ("light", {"shown_as": "glow"}), ("split", {"sigma_px": []}),
        ):  # fmt: skip
            def spoilt(job, kind=kind, values=values) -> None:
                job["layers"][at[kind]]["parameters"].update(values)

            bad = rewritten(self.folder / "a.lather", self.folder / "b.lather",
                            job_json=edited(spoilt))  # fmt: skip
            loaded = load_job(bad)
            layer = loaded.state.layers[at[kind]]
            self.assertIsInstance(layer, UnknownLayer)
            self.assertEqual(layer.kind, kind)
            known = [x for x in loaded.state.layers if not isinstance(x, UnknownLayer)]
            self.assertEqual(len(known), len(names) - 1)
            save_job(loaded.state, self.folder / "again.lather")
            with zipfile.ZipFile(self.folder / "again.lather") as archive:
                again = json.loads(archive.read("job.json"))["layers"][at[kind]]
            self.assertEqual(repr(again["parameters"]), repr({**again["parameters"], **values}))
        lone = rewritten(self.folder / "a.lather", self.folder / "c.lather", job_json=edited(
            lambda job: job["layers"][at["split"]].update(layers=[])))  # fmt: skip
        split = next(x for x in load_job(lone).state.layers if x.kind == "split")
        self.assertEqual([stack.part for stack in split.children], list(Part))


if __name__ == "__main__":
    unittest.main()
