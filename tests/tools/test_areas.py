"""Tools that make areas, and tools that areas limit."""

import unittest
from dataclasses import replace

import numpy as np

from lather.core.area.combine import Combine
from lather.core.mend.placement import Turn
from lather.core.rect import Rect
from lather.document import areas, edits
from lather.document.job import Job
from lather.document.layers.pixels import PixelLayer
from lather.document.photo import Photo
from lather.document.planes import read_plane
from lather.document.state import new_state
from lather.render.compositor import render
from lather.tools.source import PickedSource, Reads
from tests.core.test_area import circle
from tests.support import Case, draw, noise_photo, painted_state, session_for, skin_photo

AREA = Rect(60, 60, 120, 120)


def limited_job(photo: Photo | None = None, state=None) -> Job:
    state = state or new_state(photo or noise_photo())
    ones = np.ones((AREA.height, AREA.width), "f4")
    return Job(areas.outline(state, AREA, ones, Combine.NEW))


def changed(job: Job) -> np.ndarray:
    rect = job.state.photo.rect
    return (render(job.state, rect) != job.state.photo.read_float(rect)).any(-1)


class LimitTest(Case):
    PATH = [(40.0 + 5 * n, 90.0) for n in range(24)]

    def assert_only_inside(self, job: Job) -> None:
        touched = changed(job)
        self.assertTrue(touched[70:110, 62:118].any())
        outside = touched.copy()
        outside[AREA.slices] = False
        self.assertFalse(outside.any())

    def test_every_brush_stays_inside(self) -> None:
        for tool_id in ("paint_colour", "mend_spot", "copy_from_source", "mend_from_source"):
            with self.subTest(tool_id):
                job = limited_job(skin_photo(seed=5))
                session = session_for(job)
                session.hand = replace(session.hand, source=PickedSource(260.0, 250.0))
                draw(session, tool_id, self.PATH, size_px=30.0, hardness=1.0)
                self.assert_only_inside(job)

    def test_erasing_and_masks_too(self) -> None:
        state = painted_state(n_layers=1)
        job = limited_job(state=state)
        draw(session_for(job), "erase", self.PATH, size_px=30.0, hardness=1.0)
        before, after = (s.active.tiles.read(s.photo.rect)[..., 3] for s in (state, job.state))
        gone = before != after
        self.assertTrue(gone[80:100, 62:118].all())
        gone[AREA.slices] = False
        self.assertFalse(gone.any())
        job = limited_job(state=edits.add_mask(state, state.active_id))
        session = session_for(job)
        session.hand = replace(session.hand, on_mask=True)
        draw(session, "erase", self.PATH, size_px=30.0, hardness=1.0)
        hidden = job.state.active.mask.tiles.read(job.state.photo.rect) < 65535
        self.assertTrue(hidden[85:95, 62:118].all())
        hidden[AREA.slices] = False
        self.assertFalse(hidden.any())

    def test_a_soft_area_lets_a_share_through(self) -> None:
        photo = noise_photo()
        half = np.full((60, 60), 0.5, "f4")
        job = Job(areas.outline(new_state(photo), AREA, half, Combine.NEW))
        session = session_for(job)
        session.hand = replace(session.hand, colour=(1.0, 1.0, 1.0))
        draw(session, "paint_colour", [(90, 90)], size_px=40.0, hardness=1.0)
        out = render(job.state, Rect(90, 90, 91, 91))[0, 0, :3]
        expected = 0.5 * photo.read_float(Rect(90, 90, 91, 91))[0, 0, :3] + 0.5
        self.assert_close(out, expected, 1e-4)


class OutlineToolTest(Case):
    def outline(self, job: Job, points, combine=Combine.NEW, tool_id="outline"):
        session = session_for(job)
        session.hand = replace(session.hand, combine=combine)
        draw(session, tool_id, points, size_px=4.0, spacing=0.25)
        return session

    def area_px(self, job: Job) -> float:
        return float(read_plane(job.state.area, job.state.photo.rect).sum())

    def test_strokes_outline_add_and_take(self) -> None:
        job = Job(new_state(noise_photo()))
        self.outline(job, circle(100, 100, 30))
        self.assertAlmostEqual(self.area_px(job) / (np.pi * 900), 1, delta=0.02)
        self.outline(job, circle(200, 100, 30), Combine.ADD)
        self.assertAlmostEqual(self.area_px(job) / (2 * np.pi * 900), 1, delta=0.02)
        self.outline(job, circle(100, 100, 40), Combine.TAKE)
        self.assertAlmostEqual(self.area_px(job) / (np.pi * 900), 1, delta=0.02)
        self.assertEqual(
            [step.name for step in job.history.done],
            ["Outline area", "Add to area", "Take from area"],
        )

    def test_one_click_and_outside_of_the_picture(self) -> None:
        job = Job(new_state(noise_photo()))
        self.outline(job, [(50, 50)])
        self.assertTrue(0 < self.area_px(job) < 4)
        self.outline(job, circle(-900, -900, 20))
        self.assertEqual(len(job.history.done), 1)

    def test_the_trail_is_there_while_it_is_drawn(self) -> None:
        job = Job(new_state(noise_photo()))
        session = session_for(job)
        seen = []
        session.ended.connect(lambda: seen.append(len(session.trail)))
        session.hand = replace(session.hand, tool="outline")
        from lather.core.brush.stroke import PenSample

        session.down(PenSample(0.0, 10, 10))
        session.move(PenSample(0.1, 60, 10))
        self.assertEqual(len(session.trail), 2)
        session.up(PenSample(0.2, 60, 60, 0.0))
        self.assertEqual(seen, [0])

    def test_growing_fills_what_was_touched(self) -> None:
        samples = skin_photo(400, 360).samples.copy()
        samples[100:200, 150:300] //= 2
        job = Job(new_state(Photo(samples, name="collar.png")))
        self.outline(job, [(220, 150), (230, 150)], tool_id="grow_area")
        inside = read_plane(job.state.area, job.state.photo.rect) > 0.5
        truth = np.zeros(inside.shape, bool)
        truth[100:200, 150:300] = True
        self.assertGreater((inside & truth).sum() / (inside | truth).sum(), 0.97)


class GraftToolTest(Case):
    """An object on skin, outlined and grafted from beside it."""

    def setUp(self) -> None:
        super().setUp()
        self.photo = skin_photo(400, 360)
        samples = self.photo.samples.copy()
        samples[150:190, 150:190] //= 3
        self.state = new_state(Photo(samples, name="object.png"))
        self.job = Job(self.state)
        self.session = session_for(self.job)

    def drag(self, start, end, **changes) -> None:
        self.session.hand = replace(self.session.hand, **changes)
        steps = np.linspace(0, 1, 12)[:, None]
        points = np.array(start) * (1 - steps) + np.array(end) * steps
        draw(self.session, "graft", [tuple(p) for p in points], size_px=4.0, spacing=0.25)

    def outline(self) -> None:
        draw(self.session, "graft", circle(170, 170, 36), size_px=4.0, spacing=0.25)

    def test_outside_it_outlines_and_inside_it_drags(self) -> None:
        self.outline()
        self.assertIsNotNone(self.job.state.area)
        self.drag((170, 170), (270.0, 180.0))
        self.assertEqual([s.name for s in self.job.history.done], ["Outline area", "Graft"])
        out = render(self.job.state, Rect(140, 140, 200, 200))[..., :3]
        truth = self.photo.read_float(Rect(140, 140, 200, 200))[..., :3]
        self.assertLess(np.abs(out.mean((0, 1)) - truth.mean((0, 1))).max(), 0.005)
        self.assertTrue(0.8 < out.std((0, 1))[0] / truth.std((0, 1))[0] < 1.25)
        layer = self.job.state.active
        self.assertEqual((layer.name, layer.strokes[0].source), ("Grafts", (100, 10)))

    def test_the_preview_shows_the_outcome(self) -> None:
        self.outline()
        frames = []
        self.session.frame.connect(frames.append)
        self.drag((170, 170), (270.0, 180.0))
        last = frames[-1]
        shown = last.image[..., 2::-1].astype(float) / 255
        out = render(self.job.state, last.rect)[..., :3]
        self.assertLess(float(np.abs(shown - out).mean()), 0.006)

    def test_a_turned_graft_says_so_and_a_click_is_none(self) -> None:
        self.outline()
        self.drag((170, 170), (171.0, 170.0))
        self.drag((170, 170), (170.0, 170.0))
        self.drag((170, 170), (270.0, 170.0), turn=Turn(mirrored=True, angle_deg=20.0))
        record = self.job.state.active.strokes[-1]
        self.assertEqual(record.extras["turn"], {"mirrored": True, "angle_deg": 20.0, "scale": 1.0})
        self.assertEqual(len([s for s in self.job.history.done if s.name == "Graft"]), 2)

    def test_a_source_outside_of_the_picture_is_said(self) -> None:
        self.outline()
        failures = []
        self.session.failed.connect(lambda error: failures.append(error.sentence()))
        self.drag((170, 170), (900.0, 170.0))
        self.assertIn("outside of the picture", failures[0])
        self.assertEqual(len(self.job.history.done), 1)


class ReadsTest(Case):
    """What a source shows: each layer has a colour of its own."""

    def stroke(self, reads: Reads) -> np.ndarray:
        state = edits.add_pixel_layer(new_state(noise_photo()), "Mine")
        mine = state.active_id
        state = self.filled(state, mine, 0.3, Rect(150, 50, 256, 150))
        state = edits.add_pixel_layer(state, "Above")
        state = self.filled(state, state.active_id, 0.8, Rect(180, 50, 256, 150))
        state = replace(state, active_id=mine)
        job = Job(state)
        session = session_for(job)
        session.hand = replace(session.hand, source=PickedSource(200.0, 90.0), reads=reads)
        draw(session, "copy_from_source", [(60, 90)], size_px=20.0, hardness=1.0)
        layer = job.state.layer(mine)
        assert isinstance(layer, PixelLayer)
        return layer.tiles.read(Rect(60, 90, 61, 91))[0, 0] / 65535

    def filled(self, state, layer_id, value, rect):
        pixels = np.zeros((256, 256, 4), "u2")
        pixels[rect.slices] = (value * 65535, value * 65535, value * 65535, 65535)
        return edits.set_pixels(
            state, layer_id, state.layer(layer_id).tiles.with_tiles({(0, 0): pixels})
        )

    def test_each_takes_its_own(self) -> None:
        photo = noise_photo().read_float(Rect(200, 90, 201, 91))[0, 0, :3]
        expected = {Reads.PHOTO: photo, Reads.BELOW: 0.3, Reads.LAYER: 0.3, Reads.ALL: 0.8}
        for reads, value in expected.items():
            with self.subTest(reads):
                self.assert_close(self.stroke(reads)[:3], np.zeros(3) + value, 1e-4)

    def test_an_empty_layer_is_said(self) -> None:
        job = Job(edits.add_pixel_layer(new_state(noise_photo())))
        session = session_for(job)
        failures = []
        session.failed.connect(lambda error: failures.append(error.sentence()))
        session.hand = replace(session.hand, source=PickedSource(200.0, 90.0), reads=Reads.LAYER)
        draw(session, "copy_from_source", [(60, 90)], size_px=20.0)
        self.assertIn("is empty where the source lies", failures[0])


if __name__ == "__main__":
    unittest.main()
