"""The reshape tools through the pen: what they move, hold, mirror, refuse."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from lather.assist.shape import shape
from lather.core.area.combine import Combine
from lather.core.brush.stroke import PenSample
from lather.core.kernels import prepare_kernels
from lather.core.rect import Rect
from lather.document import areas, edits
from lather.document.agreed.style import Style
from lather.document.job import Job
from lather.document.layers.reshape import ReshapeLayer
from lather.document.photo import Photo
from lather.document.state import new_state
from lather.errors import EditError
from lather.render.compositor import render
from lather.render.reshaping import sources
from lather.render.space import photo_space
from lather.tools.base import ShapeHand
from tests.support import Case, Later, draw, session_for

WIDTH, HEIGHT = 480, 420


def plain_photo() -> Photo:
    y, x = np.mgrid[:HEIGHT, :WIDTH]
    waves = 0.5 + 0.2 * np.sin(x / 21) * np.cos(y / 17)
    return Photo((np.repeat(waves[..., None], 3, 2) * 65535).astype(np.uint16), name="waves.png")


def setUpModule() -> None:  # noqa: N802 - as unittest calls it
    prepare_kernels()


def least_area(layer: ReshapeLayer, rect: Rect) -> float:
    """The least that a pixel is squeezed to; 0 and less is folded."""
    y, x = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1].astype(np.float64)
    picture = Rect(0, 0, WIDTH, HEIGHT)
    source = sources(layer, np.stack([x, y], -1).reshape(-1, 2), picture).reshape(*x.shape, 2)
    across, down = np.diff(source, axis=1)[:-1], np.diff(source, axis=0)[:, :-1]
    return float((across[..., 0] * down[..., 1] - across[..., 1] * down[..., 0]).min())


class ShapeCase(Case):
    def setUp(self) -> None:
        super().setUp()
        self.job = Job(new_state(plain_photo()))
        self.session = session_for(self.job)
        self.said: list[str] = []
        self.session.failed.connect(lambda error: self.said.append(error.sentence()))

    def stroke(self, tool: str, *points, shape: ShapeHand | None = None, **brush) -> None:
        wanted = {"size_px": 120, "hardness": 0.0, "flow": 1.0, "spacing": 0.05, **brush}
        self.session.hand = replace(self.session.hand, shape=shape or ShapeHand())
        draw(self.session, tool, list(points), **wanted)

    def rest(self, tool: str, x: float, y: float, seconds: float, **changes) -> None:
        """The pen goes down, rests, and is lifted."""
        shape = ShapeHand(**changes)
        self.session.hand = replace(self.session.hand, tool=tool, shape=shape, brush=replace(
            self.session.hand.brush, size_px=120, hardness=0.0, flow=1.0))  # fmt: skip
        self.session.down(PenSample(0.0, x, y))
        for n in range(1, round(seconds / 0.025) + 1):
            self.session.rest(0.025 * n)
        self.session.up(PenSample(seconds, x, y, pressure=0.0))

    @property
    def layer(self) -> ReshapeLayer:
        layer = self.job.state.active
        assert isinstance(layer, ReshapeLayer)
        return layer

    def seen(self, x: float, y: float) -> tuple[float, float]:
        """Where a place of the photo is seen now."""
        place = np.array([[x, y]])
        place = photo_space(self.job.state).to_seen(place)
        return float(place[0, 0]), float(place[0, 1])


class PushTest(ShapeCase):
    def test_the_skin_follows_the_pen_as_far_as_it_gives(self) -> None:
        for give in (1.0, 0.5):
            self.stroke("push", (200, 200), (212, 200), (224, 200), flow=give)
            x, y = self.seen(200, 200)
            with self.subTest(give=give):
                if give == 1.0:
                    self.assert_close((x, y), (224, 200), 0.5)
                else:
                    self.assertTrue(205 < x < 224)
            self.assertEqual(self.layer.strokes[-1].tool, "push")
            self.job.undo()

    def test_a_second_stroke_goes_on_the_same_layer(self) -> None:
        self.stroke("push", (200, 200), (210, 200))
        layer_id = self.layer.id
        self.job.select(self.job.state.layers[0].id)
        self.stroke("push", (300, 200), (310, 200))
        self.assertEqual(self.layer.id, layer_id)
        self.assertEqual(len(self.job.state.layers), 2)
        self.assertEqual(len(self.layer.strokes), 2)

    def test_a_push_that_goes_nowhere_does_nothing(self) -> None:
        self.stroke("push", (200, 200))
        self.stroke("push", (200, 200), (200, 200))
        self.assertEqual(len(self.job.state.layers), 1)
        self.assertRegex(self.said[-1], "the pen did not go anywhere; drag it")

    def test_over_the_border_there_is_no_gap(self) -> None:
        self.stroke("push", (40, 200), (-30, 190))
        self.stroke("push", (WIDTH - 5, 40), (WIDTH - 60, 60))
        self.stroke("push", (240, 200), (300, 220), size_px=1600)  # larger than the picture
        out = render(self.job.state, self.job.state.photo.rect)
        self.assertTrue((out[..., 3] == 1).all())
        corners = np.array([[0, 100.0], [WIDTH, 100], [200, 0], [200, HEIGHT]])
        source = photo_space(self.job.state).from_seen(corners)
        self.assert_close(source[:2, 0], corners[:2, 0], 1e-6)
        self.assert_close(source[2:, 1], corners[2:, 1], 1e-6)

    def test_only_the_area_moves(self) -> None:
        self.job.change("Area", areas.outline(
            self.job.state, Rect(0, 0, 240, HEIGHT), np.ones((HEIGHT, 240), "f4"), Combine.NEW
        ))  # fmt: skip
        self.stroke("push", (230, 200), (250, 200))
        self.assertGreater(self.seen(225, 200)[0], 228)
        self.assert_close(self.seen(262, 200), (262, 200), 0.2)

    def test_undo_and_another_stroke_meanwhile_lose_nothing(self) -> None:
        later = Later()
        session = session_for(self.job)
        session._executor = later
        session.hand = replace(session.hand, tool="push", brush=replace(
            session.hand.brush, size_px=100, flow=1.0))  # fmt: skip
        self.stroke("push", (120, 320), (130, 320))
        self.stroke("push", (120, 120), (130, 120))
        session.down(PenSample(0.0, 320, 300))
        session.move(PenSample(0.1, 335, 300))
        session.up(PenSample(0.2, 335, 300, pressure=0.0))
        self.job.undo()  # while the third is worked out the second is taken back
        while later.posted:
            later.run()
        self.assertEqual(len(self.layer.strokes), 2)
        self.assert_close(self.seen(320, 300), (335, 300), 0.6)
        self.assert_close(self.seen(120, 120), (120, 120), 1e-3)
        self.assert_close(self.seen(120, 320), (130, 320), 0.6)

    def test_where_it_would_fold_it_stops_and_says_so(self) -> None:
        for _ in range(40):
            self.stroke("push", (200, 200), (290, 200), size_px=60)
        self.assertGreater(least_area(self.layer, Rect(150, 150, 330, 250)), 0)


class RestTest(ShapeCase):
    def test_speed_is_that_of_the_skin(self) -> None:
        from lather.document.scale import px_per_mm

        per_mm = px_per_mm(self.job.state)
        self.rest("swell", 240, 200, 0.4, speed_mm_s=4.0)
        place = np.array([[240 + 60 / np.sqrt(5), 200.0]])  # where it goes most
        seen = photo_space(self.job.state).to_seen(place)
        self.assertAlmostEqual(float(seen[0, 0] - place[0, 0]), 0.4 * 4.0 * per_mm, delta=0.35)

    def test_gather_undoes_swell_and_turn_back_turn(self) -> None:
        for one, other in (("swell", "gather"), ("turn", "turn_back")):
            self.rest(one, 240, 200, 0.3, speed_mm_s=4.0)
            most = self.layer.largest_px
            self.rest(other, 240, 200, 0.3, speed_mm_s=4.0)
            with self.subTest(one):
                self.assertGreater(most, 2.0)
                self.assertLess(self.layer.largest_px, 0.35 * most)
            self.job.undo()
            self.job.undo()

    def test_eased_back_it_is_the_photo_again(self) -> None:
        rect = self.job.state.photo.rect
        before = render(self.job.state, rect)
        self.stroke("push", (200, 200), (215, 205))
        self.assertTrue(np.any(render(self.job.state, rect) != before))
        self.session.hand = replace(self.session.hand, brush=replace(
            self.session.hand.brush, size_px=400))  # fmt: skip
        shape_hand = ShapeHand(speed_mm_s=30.0)
        self.session.hand = replace(self.session.hand, tool="ease_back", shape=shape_hand,
                                    brush=replace(self.session.hand.brush, size_px=400, flow=1.0))
        self.session.down(PenSample(0.0, 205, 202))
        for n in range(1, 200):
            self.session.rest(0.025 * n)
        self.session.up(PenSample(5.0, 205, 202, pressure=0.0))
        self.assertFalse(self.layer.moves)
        self.assert_equal_arrays(render(self.job.state, rect), before)


class HoldTest(ShapeCase):
    def test_what_is_held_stays_and_its_rim_is_soft(self) -> None:
        self.stroke("hold", (200, 200), size_px=60, hardness=0.8)
        self.assertTrue(self.layer.hold)
        self.stroke("push", (200, 200), (230, 200))
        self.assert_close(self.seen(200, 200), (200, 200), 0.2)
        self.assertGreater(self.seen(200, 245)[0], 201)
        self.stroke("let_go", (200, 200), size_px=200, hardness=0.9)
        self.stroke("push", (200, 200), (215, 200))
        self.assertGreater(self.seen(200, 200)[0], 210)

    def test_a_hold_over_everything_is_told(self) -> None:
        held = shape.hold(self.job.state, lambda layer, nodes: np.ones(
            (nodes.height, nodes.width), dtype=np.float32))  # fmt: skip
        self.job.change("Hold all", held)
        self.stroke("push", (200, 200), (230, 200))
        self.assertEqual(len(self.said), 1)
        self.assertRegex(self.said[0], "Nothing was moved: what lies there is held")
        self.assertFalse(self.layer.moves)
        self.job.change("Clear", shape.clear_hold(self.job.state))
        self.stroke("push", (200, 200), (230, 200))
        self.assertTrue(self.layer.moves)


class MirrorTest(ShapeCase):
    def test_without_a_face_it_says_what_to_do(self) -> None:
        self.stroke("push", (150, 200), (165, 200), shape=ShapeHand(mirrored=True))
        self.assertRegex(self.said[0], "no face to mirror at; .*draw the middle line by hand")
        self.assertEqual(len(self.job.state.layers), 1)

    def test_at_a_line_drawn_by_hand(self) -> None:
        self.stroke("middle_line", (240, 40), (240, 380))
        self.stroke("push", (150, 200), (165, 206), shape=ShapeHand(mirrored=True))
        x, y = self.seen(150, 200)
        mx, my = self.seen(330, 200)
        self.assert_close((mx, my), (480 - x, y), 0.1)

    def test_even_the_other_side_copies_the_half_that_was_moved(self) -> None:
        self.stroke("middle_line", (240, 40), (240, 380))
        self.stroke("push", (150, 200), (165, 206))
        self.assert_close(self.seen(330, 200), (330, 200), 1e-3)
        before = self.seen(150, 200)
        self.job.change("Even", shape.even_other_side(self.job.state))
        self.assert_close(self.seen(150, 200), before, 0.1)
        self.assert_close(self.seen(330, 200), (480 - before[0], before[1]), 0.3)


class WholeTest(ShapeCase):
    def test_an_area_is_brought_back_by_itself(self) -> None:
        self.stroke("push", (120, 200), (132, 200), size_px=80)
        self.stroke("push", (340, 200), (352, 200), size_px=80)
        left = areas.outline(self.job.state, Rect(0, 0, 240, HEIGHT),
                             np.ones((HEIGHT, 240), "f4"), Combine.NEW)  # fmt: skip
        self.job.change("Back", shape.bring_back_area(left))
        self.assert_close(self.seen(120, 200), (120, 200), 0.1)
        self.assertGreater(self.seen(340, 200)[0], 350)
        self.job.change("Back", shape.bring_back(self.job.state))
        self.assertFalse(self.layer.moves)
        with self.assertRaisesRegex(EditError, "nothing is moved"):
            shape.bring_back(self.job.state)

    def test_an_area_is_warped_by_its_edge_or_moved_by_its_middle(self) -> None:
        square = areas.outline(self.job.state, Rect(180, 160, 260, 240),
                               np.ones((80, 80), "f4"), Combine.NEW)  # fmt: skip
        self.job.change("Area", square)
        self.stroke("warp_area", (258, 200), (270, 200))
        self.assert_close(self.seen(258, 200), (270, 200), 1.5)
        self.assertLess(self.seen(184, 200)[0], 185.5)  # the far edge stays
        self.assertGreater(self.seen(275, 200)[0], 278)  # the neighbour gives way
        self.job.undo()
        self.stroke("warp_area", (220, 200), (232, 206))
        for place in ((190.0, 170.0), (220.0, 200.0), (250.0, 230.0)):
            self.assert_close(self.seen(*place), (place[0] + 12, place[1] + 6), 0.6)

    def test_without_an_area_there_is_nothing_to_warp(self) -> None:
        self.stroke("warp_area", (220, 200), (232, 206))
        self.assertRegex(self.said[0], "no area to take hold of")

    def test_a_bent_line_becomes_straight(self) -> None:
        y, x = np.mgrid[:HEIGHT, :WIDTH]
        rim = 200 + 7 * np.sin(np.pi * (x - 80) / 320)
        picture = np.where(y < rim, 0.3, 0.7)
        photo = Photo((np.repeat(picture[..., None], 3, 2) * 65535).astype(np.uint16), name="c.png")
        self.job = Job(new_state(photo))
        self.session = session_for(self.job)
        self.session.failed.connect(lambda error: self.said.append(error.sentence()))
        self.stroke("straighten", (80, 200), (240, 206), (400, 200))
        self.assertEqual(self.said, [])
        shown = render(self.job.state, photo.rect)[..., 0]
        rows = [float(np.interp(0.5, shown[150:250, c], np.arange(150, 250)))
                for c in range(110, 371, 20)]  # fmt: skip
        self.assertLess(max(rows) - min(rows), 2.0)
        self.stroke("straighten", (80, 330), (400, 330))
        self.assertRegex(self.said[-1], "no line was found")


class BriefTest(ShapeCase):
    def test_children_and_documents_are_left_as_they_are(self) -> None:
        for style, why in ((Style.INFANT, "child"), (Style.IDENTITY, "document")):
            self.job.change("Style", edits.set_style(self.job.state, style))
            self.stroke("push", (150, 200), (165, 200))
            with self.subTest(style):
                self.assertRegex(self.said[-1], f"Nothing was reshaped: .*{why}")
                self.assertEqual(len(self.job.state.layers), 1)

    def test_a_locked_or_hidden_layer_is_told(self) -> None:
        self.stroke("push", (150, 200), (165, 200))
        self.job.change("Lock", edits.set_locked(self.job.state, self.layer.id, True))
        self.stroke("push", (150, 200), (165, 200))
        self.assertRegex(self.said[-1], "it is locked")
        self.job.change("Unlock", edits.set_locked(self.job.state, self.layer.id, False))
        self.job.change("Hide", edits.set_visible(self.job.state, self.layer.id, False))
        self.stroke("push", (150, 200), (165, 200))
        self.assertRegex(self.said[-1], "it is hidden")


class ManyTest(ShapeCase):
    def test_ten_thousand_strokes_stay_whole(self) -> None:
        """As many moves, one after the other, on one layer."""
        from lather.core.shape.guard import Guard
        from lather.core.shape.moves import Dab, Move
        from lather.document.painting.live_field import LiveField, Made
        from lather.document.reshapes import add_reshape

        _, layer = add_reshape(self.job.state)
        rng, picture = np.random.default_rng(8), self.job.state.photo.rect
        for _ in range(100):
            live = LiveField(layer, picture)
            moves = []
            low, high = (0, 0, -6, -6, 20), (480, 420, 6, 6, 90)
            for x, y, dx, dy, radius in rng.uniform(low, high, (100, 5)):
                moves.append(Made(Move.PUSH, Dab.push((x, y), (x + dx, y + dy), radius, 0.2),
                                  Guard()))  # fmt: skip
            live.add(moves)
            layer = live.layer
        self.assertGreater(least_area(layer, picture), 0)


if __name__ == "__main__":
    unittest.main()
