"""The tools over one job, without a window."""

import numpy as np

from lather.core.brush.stroke import PenSample
from lather.core.mend.mode import MendMode
from lather.core.rect import Rect
from lather.document import edits
from lather.document.job import Job
from lather.document.layers.pixels import PixelLayer
from lather.document.state import new_state
from lather.errors import EditError
from lather.render.compositor import render
from lather.tools.advice import brush_advice
from lather.tools.base import ShapeHand
from lather.tools.session import PenSession, Viewport
from lather.tools.table import TOOLS, tool
from tests.support import Case, draw, noise_photo, painted_state, session_for, skin_photo

LINE = [(60.0, 80.0), (140.0, 90.0)]


class BrushToolsTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.job = Job(new_state(noise_photo()))
        self.session = session_for(self.job)
        self.errors: list = []
        self.session.failed.connect(self.errors.append)

    def test_painting_on_the_photo_makes_a_layer_in_one_step(self) -> None:
        draw(self.session, "paint_colour", LINE)
        self.assertEqual(len(self.job.history.done), 1)
        self.assertIsInstance(self.job.state.active, PixelLayer)
        self.job.undo()
        self.assertEqual(len(self.job.state.layers), 1)

    def test_paint_lays_the_colour(self) -> None:
        draw(self.session, "paint_colour", LINE, hardness=1.0, size_px=30.0)
        pixel = render(self.job.state, Rect(100, 85, 101, 86))[0, 0, :3]
        self.assert_close(pixel, self.session.hand.colour, 1e-4)

    def test_a_stroke_never_passes_opacity_and_the_next_builds_further(self) -> None:
        back_and_forth = LINE * 6
        alphas = []
        for _ in range(2):
            draw(self.session, "paint_colour", back_and_forth, opacity=0.4, flow=0.5)
            alphas.append(self.job.state.active.tiles.read(Rect(100, 85, 101, 86))[0, 0, 3] / 65535)
        self.assertAlmostEqual(alphas[0], 0.4, delta=0.005)
        self.assertAlmostEqual(alphas[1], 1 - 0.6**2, delta=0.01)

    def test_erase_uncovers_and_paint_back_covers(self) -> None:
        photo = render(self.job.state, self.job.state.photo.rect)
        draw(self.session, "paint_colour", LINE, hardness=1.0)
        draw(self.session, "erase", LINE, hardness=1.0, size_px=60.0)
        self.assert_close(render(self.job.state, self.job.state.photo.rect), photo, 1e-4)
        draw(self.session, "paint_colour", LINE, hardness=1.0)
        self.job.change("New layer", edits.add_pixel_layer(self.job.state))
        draw(self.session, "paint_back", LINE, hardness=1.0, size_px=60.0)
        self.assert_close(render(self.job.state, self.job.state.photo.rect), photo, 1e-4)

    def test_strokes_are_kept_as_data(self) -> None:
        draw(self.session, "paint_colour", LINE, size_px=25.0)
        record = self.job.state.active.strokes[0]
        self.assertEqual(record.tool, "paint_colour")
        self.assertEqual(record.brush.size_px, 25.0)
        self.assertEqual(record.readings[:, 1:3].tolist(), [list(point) for point in LINE])

    def test_mask_painting_hides_and_shows(self) -> None:
        self.job = Job(painted_state(n_layers=1))
        self.session = session_for(self.job)
        layer_id = self.job.state.active_id
        self.job.change("Mask", edits.add_mask(self.job.state, layer_id))
        self.session.hand = self.session.hand.__class__("erase", on_mask=True)
        before = render(self.job.state, self.job.state.photo.rect)
        draw(self.session, "erase", LINE, hardness=1.0, size_px=40.0)
        photo = render(new_state(self.job.state.photo), self.job.state.photo.rect)
        middle = Rect(95, 80, 105, 90).slices
        after = render(self.job.state, self.job.state.photo.rect)
        self.assert_close(after[middle], photo[middle], 1e-4)
        draw(self.session, "paint_colour", LINE, hardness=1.0, size_px=44.0)
        self.assert_close(render(self.job.state, self.job.state.photo.rect), before, 1e-4)

    def test_refused_strokes_change_nothing(self) -> None:
        draw(self.session, "paint_colour", LINE)
        layer_id = self.job.state.active_id
        self.job.change("Lock", edits.set_locked(self.job.state, layer_id, True))
        state = self.job.state
        draw(self.session, "paint_colour", LINE)
        self.assertIs(self.job.state, state)
        self.assertIn("locked", self.errors[0].sentence())

    def test_half_and_wholly_outside_the_picture(self) -> None:
        draw(self.session, "paint_colour", [(-5.0, -5.0), (3.0, 2.0)], size_px=40.0)
        self.assertEqual(len(self.job.history.done), 1)
        draw(self.session, "paint_colour", [(-500.0, -500.0)], size_px=40.0)
        self.assertEqual(len(self.job.history.done), 1)
        bounds = self.job.state.photo.rect
        self.assertEqual(
            self.job.state.active.strokes[0].rect.intersect(bounds),
            self.job.state.active.strokes[0].rect,
        )

    def test_frames_show_what_the_job_then_holds(self) -> None:
        frames = []
        self.session.frame.connect(frames.append)
        draw(self.session, "paint_colour", LINE, hardness=0.3)
        last = frames[-1]
        shown = last.image[..., 2::-1].astype(np.float32) / 255
        held = render(self.job.state, last.rect)[..., :3]
        self.assertLessEqual(float(np.abs(shown - held).max()), 1.01 / 255)


class MendToolTest(Case):
    def setUp(self) -> None:
        super().setUp()
        photo = skin_photo()
        samples = photo.samples.copy()
        samples[150:166, 200:216] //= 2
        self.clean = photo
        from lather.document.photo import Photo

        self.job = Job(new_state(Photo(samples, name="spot.png")))
        self.session = session_for(self.job)
        self.errors: list = []
        self.session.failed.connect(self.errors.append)

    def test_a_click_mends(self) -> None:
        draw(self.session, "mend_spot", [(208.0, 158.0)], size_px=44.0, hardness=0.6)
        self.assertEqual(self.errors, [])
        spot = Rect(198, 148, 218, 168)
        mended = render(self.job.state, spot)[..., :3].mean((0, 1))
        wanted = render(new_state(self.clean), spot)[..., :3].mean((0, 1))
        self.assert_close(mended, wanted, 0.01)
        record = self.job.state.active.strokes[0]
        self.assertIsNotNone(record.source)
        self.assertEqual(self.job.state.active.name, "Mended spots")

    def test_only_tame_brights_leaves_a_dark_spot(self) -> None:
        before = render(self.job.state, self.job.state.photo.rect)
        self.session.hand = self.session.hand.__class__("mend_spot", mode=MendMode.TAME_BRIGHTS)
        draw(self.session, "mend_spot", [(208.0, 158.0)], size_px=44.0)
        spot = Rect(202, 152, 214, 164).slices
        after = render(self.job.state, self.job.state.photo.rect)
        self.assert_close(after[spot], before[spot], 1e-4)

    def test_mending_again_builds_on_the_mend(self) -> None:
        for _ in range(2):
            draw(self.session, "mend_spot", [(208.0, 158.0)], size_px=44.0)
        self.assertEqual(len(self.job.state.layers), 2)
        self.assertEqual(len(self.job.state.active.strokes), 2)

    def test_a_brush_over_everything_is_refused_in_words(self) -> None:
        draw(self.session, "mend_spot", [(200.0, 180.0)], size_px=1500.0, hardness=1.0)
        self.assertEqual(len(self.job.state.layers), 1)
        self.assertIn("Nothing was mended", self.errors[0].sentence())

    def test_readings_during_the_mend_wait_their_turn(self) -> None:
        posted = []

        class Held:
            def post(self, work, done, *, failed=None, priority=0) -> None:
                posted.append((work, done, failed))

        session = PenSession(self.job, Held(), lambda: Viewport(0, self.job.state.photo.rect, 0.2))
        for x in (208.0, 100.0):
            session.down(PenSample(0, x, 158.0))
            session.up(PenSample(0.1, x, 158.0, 0.0))
        n_rounds = 0
        while posted and n_rounds < 20:
            work, done, failed = posted.pop(0)
            done(work())
            n_rounds += 1
        self.assertFalse(session.busy)
        self.assertEqual([len(x.strokes) for x in self.job.state.layers[1:]], [2])

    def test_a_layer_changed_meanwhile_is_not_overwritten(self) -> None:
        draw(self.session, "mend_spot", [(208.0, 158.0)], size_px=40.0)
        work = tool("mend_spot").begin(self.job.state, self.session.hand)
        work.add(np.array([[100, 100, 15, 0.5, 1, 1]], np.float32))
        outcome = work.finish((PenSample(0, 100, 100),))
        self.job.undo()
        self.job.redo()
        draw(self.session, "erase", [(208.0, 158.0)], size_px=10.0)
        erased = self.job.state.active.tiles.read(Rect(203, 153, 213, 163))
        after = outcome.apply(self.job.state)
        self.assert_equal_arrays(after.active.tiles.read(Rect(203, 153, 213, 163)), erased)
        self.assertTrue(after.active.tiles.read(Rect(95, 95, 105, 105))[..., 3].all())
        self.assertEqual([s.tool for s in after.active.strokes],
                         ["mend_spot", "erase", "mend_spot"])  # fmt: skip
        with self.assertRaisesRegex(EditError, "deleted meanwhile"):
            outcome.apply(edits.delete(self.job.state, self.job.state.active_id))
        locked = edits.set_locked(self.job.state, self.job.state.active_id, True)
        with self.assertRaisesRegex(EditError, "it is locked"):
            outcome.apply(locked)


class TablesTest(Case):
    def test_every_tool_paints_or_refuses_on_every_layer(self) -> None:
        """A sweep over the table: photo, pixels, group, mask."""
        base = painted_state(skin_photo(), 1)
        group = edits.group(base, base.active_id)
        masked = edits.add_mask(base, base.active_id)
        for entry in TOOLS:
            for name, state in (("pixels", base), ("group", group), ("mask", masked),
                                ("photo", new_state(skin_photo()))):
                with self.subTest(tool=entry.id, on=name):
                    job, errors = Job(state), []
                    session = session_for(job)
                    session.failed.connect(errors.append)
                    on_mask = name == "mask" and entry.works_on_mask
                    session.hand = session.hand.__class__(entry.id, on_mask=on_mask)
                    draw(session, entry.id, [(150.0, 150.0)], size_px=24.0)
                    self.assertEqual(len(job.history.done) + len(errors), 1)

    def test_advice_has_reasons_and_fits_the_defaults(self) -> None:
        for entry in TOOLS:
            for name, advice in brush_advice(entry.id, new_state(noise_photo())).items():
                with self.subTest(tool=entry.id, control=name):
                    self.assertLess(advice.low, advice.high + 1e-9)
                    self.assertGreater(len(advice.reason), 15)
                    if name == "speed_mm_s":
                        self.assertTrue(advice.low <= ShapeHand().speed_mm_s <= advice.high)
                    elif name != "size_px":
                        value = 100 * getattr(entry.brush, name)
                        self.assertTrue(advice.low <= value <= advice.high)

    def test_size_advice_grows_with_the_picture(self) -> None:
        small = brush_advice("mend_spot", new_state(noise_photo(300, 400)))["size_px"]
        large = brush_advice("mend_spot", new_state(noise_photo(1200, 1600, bits=8)))["size_px"]
        self.assertAlmostEqual(large.high / small.high, 4, delta=0.6)
