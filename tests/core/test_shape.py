"""Displacement fields against their formulas, and what no reshape may do."""

from __future__ import annotations

import unittest

import cv2
import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from lather.core.kernels import prepare_kernels
from lather.core.rect import Rect
from lather.core.shape.field import (
    Field,
    composed,
    jacobians,
    node_rect,
    seen_at,
    step_for,
    stretches,
)
from lather.core.shape.guard import LEAST_AREA, Guard
from lather.core.shape.lines import StraightLines, bends
from lather.core.shape.moves import Dab, Move, move_nodes, moved
from lather.core.shape.resample import resampled, through_field
from lather.core.shape.shifts import shift_nodes, shifted

PICTURE = Rect(0, 0, 480, 400)
STEP_PX, MOST_PX = 2, 512.0


def setUpModule() -> None:  # noqa: N802 - as unittest calls it
    prepare_kernels()


def nothing(picture: Rect = PICTURE) -> Field:
    at = node_rect(picture, STEP_PX)
    return Field(np.zeros((at.height, at.width, 2), dtype=np.float32), at, STEP_PX)


def stroke(
    field: Field, points: list[tuple[float, float]], radius_px: float, hardness: float = 0.0,
    give: float = 1.0, move: Move = Move.PUSH, guard: Guard | None = None,
    picture: Rect = PICTURE,
) -> float:
    """Push along points, as the tool does; the least share of a step that was made."""
    free = np.ones(field.nodes.shape[:2], dtype=np.float32)
    least = 1.0
    for (x0, y0), (x1, y1) in zip(points, points[1:], strict=False):
        for dab in Dab.push((x0, y0), (x1, y1), radius_px, hardness, give).steps():
            least = min(least, moved(field.nodes, field.rect, field.step_px, free, move, dab,
                                     picture, guard or Guard(), MOST_PX))  # fmt: skip
    return least


def bell(distance: np.ndarray, radius_px: float) -> np.ndarray:
    return (1 - np.minimum(distance / radius_px, 1) ** 2) ** 2


def flow_back(
    places: np.ndarray, start: tuple[float, float], end: tuple[float, float], radius_px: float,
    give: float,
) -> np.ndarray:
    """Where places of a pushed picture come from: dx/dt = give w(|x - pen|) pen', backwards."""
    way = np.subtract(end, start)
    at, n = places.astype(np.float64).copy(), 2000
    for k in range(n, 0, -1):
        def speed(x: np.ndarray, time: float) -> np.ndarray:
            pen = np.array(start) + time * way
            return give * bell(np.linalg.norm(x - pen, axis=1), radius_px)[:, None] * way

        h, now = 1 / n, k / n
        k1 = speed(at, now)
        k2 = speed(at - h / 2 * k1, now - h / 2)
        at -= h * k2
    return at


class Formula(unittest.TestCase):
    def test_a_push_is_the_flow_of_its_brush(self) -> None:
        field = nothing()
        start, end = (200.0, 200.0), (240.0, 185.0)
        stroke(field, [start, end], 90.0, give=0.8)
        rng = np.random.default_rng(3)
        places = rng.uniform((100, 100), (360, 300), (400, 2))
        wanted = flow_back(places, start, end, 90.0, 0.8)
        self.assertLess(float(np.abs(field.sources(places) - wanted).max()), 0.1)

    def test_what_is_under_the_pen_stays_under_it(self) -> None:
        field = nothing()
        stroke(field, [(180.0, 200.0), (215.0, 200.0)], 110.0)
        source = field.sources(np.array([[215.0, 200.0]]))
        np.testing.assert_allclose(source, [[180.0, 200.0]], atol=0.3)

    def test_the_smallest_brush_is_right_to_a_tenth_of_a_pixel(self) -> None:
        radius = 6.0 * STEP_PX
        field = nothing()
        dab = Dab.push((197.7, 180.3), (200.7, 180.3), radius, 0.0)
        moved(field.nodes, field.rect, STEP_PX, np.ones(field.nodes.shape[:2], "f4"), Move.PUSH,
              dab, PICTURE, Guard(), MOST_PX)  # fmt: skip
        places = np.random.default_rng(1).uniform((185, 165), (216, 196), (500, 2))
        wanted = flow_back(places, (197.7, 180.3), (200.7, 180.3), radius, 1.0)
        self.assertLess(float(np.abs(field.sources(places) - wanted).max()), 0.1)

    def test_gather_swell_and_turn_go_their_way(self) -> None:
        for move, way in (
            (Move.GATHER, (-1, 0)), (Move.SWELL, (1, 0)), (Move.TURN, (0, 1)),
        ):  # fmt: skip
            with self.subTest(move=move):
                field = nothing()
                free = np.ones(field.nodes.shape[:2], dtype=np.float32)
                moved(field.nodes, field.rect, STEP_PX, free, move, Dab(240, 200, 80, 0.0, 2.0),
                      PICTURE, Guard(), MOST_PX)  # fmt: skip
                place = np.array([[240 + 80 / np.sqrt(5), 200.0]])  # where it goes most
                seen = seen_at(field.sources, place) - place
                np.testing.assert_allclose(seen[0], 2.0 * np.array(way), atol=0.15)

    def test_a_harder_brush_goes_no_farther(self) -> None:
        """The same setting is the same largest displacement, whatever the rim."""
        for move in (Move.GATHER, Move.SWELL, Move.TURN):
            for hardness in (0.0, 0.5, 0.9):
                at = Rect(0, 0, 100, 100)
                nodes = np.zeros((100, 100, 2), np.float32)
                dab = Dab(100.0, 100.0, 60.0, hardness, 1.0)
                made = moved(nodes, at, 2, np.ones((100, 100), np.float32), move, dab,
                             Rect(0, 0, 200, 200), Guard(), 255.0)  # fmt: skip
                self.assertEqual(made, 1.0)
                farthest = float(np.linalg.norm(nodes, axis=-1).max())
                self.assertAlmostEqual(farthest, 1.0, delta=0.02, msg=f"{move} {hardness}")

    def test_eased_back_to_nothing_it_is_nothing(self) -> None:
        field = nothing()
        stroke(field, [(180.0, 200.0), (230.0, 210.0)], 90.0)
        free = np.ones(field.nodes.shape[:2], dtype=np.float32)
        for _ in range(60):
            moved(field.nodes, field.rect, STEP_PX, free, Move.EASE_BACK,
                  Dab(205, 205, 240, 0.5, 3.0), PICTURE, Guard(), MOST_PX)  # fmt: skip
        self.assertFalse(field.nodes.any())

    def test_calm_makes_a_field_smoother(self) -> None:
        field = nothing()
        stroke(field, [(180.0, 200.0), (196.0, 200.0)], 40.0)
        before = float(np.abs(np.diff(field.nodes[..., 0], 2, axis=1)).max())
        free = np.ones(field.nodes.shape[:2], dtype=np.float32)
        for _ in range(20):
            moved(field.nodes, field.rect, STEP_PX, free, Move.CALM,
                  Dab(190, 200, 120, 0.5, 1.0), PICTURE, Guard(), MOST_PX)  # fmt: skip
        after = float(np.abs(np.diff(field.nodes[..., 0], 2, axis=1)).max())
        self.assertLess(after, 0.6 * before)


class Inverse(unittest.TestCase):
    def test_there_and_back_is_where_it_was(self) -> None:
        field = nothing()
        stroke(field, [(180.0, 200.0), (230.0, 170.0)], 80.0)
        places = np.random.default_rng(5).uniform((60, 60), (400, 340), (300, 2))
        np.testing.assert_allclose(field.sources(seen_at(field.sources, places)), places, atol=2e-3)

    def test_a_field_and_its_inverse_give_the_picture_back(self) -> None:
        picture = smooth_picture()
        field = nothing()
        stroke(field, [(180.0, 200.0), (225.0, 190.0)], 90.0)
        at = field.rect
        nodes = np.stack(np.meshgrid(np.arange(at.width), np.arange(at.height)), -1) * 2.0
        back = seen_at(field.sources, nodes.reshape(-1, 2)).reshape(nodes.shape) - nodes
        inverse = Field(back.astype(np.float32), at, STEP_PX)
        once = shown(picture, field)
        again = shown(once, inverse)
        self.assertGreater(float(np.abs(once - picture).mean()), 1 / 255)
        self.assertLess(float(np.abs(again - picture).mean()), 1 / 255)

    def test_two_fields_are_as_one_after_the_other(self) -> None:
        lower, upper = nothing(), nothing()
        stroke(lower, [(180.0, 200.0), (220.0, 190.0)], 90.0)
        stroke(upper, [(260.0, 180.0), (240.0, 220.0)], 70.0)
        both = composed(upper, lower)
        places = np.random.default_rng(6).uniform((60, 60), (400, 340), (300, 2))
        wanted = lower.sources(upper.sources(places))
        np.testing.assert_allclose(both.sources(places), wanted, atol=0.1)


class Folding(unittest.TestCase):
    @settings(max_examples=20, deadline=None)
    @given(st.integers(0, 2**32 - 1))
    @example(49340)  # folded between nodes, though no cell did
    def test_no_stroke_folds_the_picture(self, seed: int) -> None:
        """Each example is 250 moves of all kinds: 5,000 in all."""
        rng = np.random.default_rng(seed)
        picture = Rect(0, 0, 200, 160)
        field = nothing(picture)
        free = np.ones(field.nodes.shape[:2], dtype=np.float32)
        if seed % 2:  # half of all, something is held
            free = cv2.GaussianBlur((rng.random(free.shape) > 0.5).astype("f4"), (0, 0), 4)
        for _ in range(250):
            move = Move(int(rng.integers(0, 6)))
            x, y = rng.uniform((-20, -20), (220, 180))
            by = rng.normal(0, 12, 2)
            radius, hardness = rng.uniform(8, 120), rng.uniform(0, 1)
            dab = Dab(x, y, radius, hardness, abs(by[0]))
            if move is Move.PUSH:
                dab = Dab.push((x, y), (x + by[0], y + by[1]), radius, hardness)
            at = field.rect
            moved(field.nodes, at, STEP_PX, free, move, dab, picture, Guard(), MOST_PX)
        fine = np.stack(np.meshgrid(np.linspace(0, 200, 301), np.linspace(0, 160, 241)), -1)
        source = field.sources(fine.reshape(-1, 2)).reshape(fine.shape)
        across, down = np.diff(source, axis=1)[:-1], np.diff(source, axis=0)[:, :-1]
        area = across[..., 0] * down[..., 1] - across[..., 1] * down[..., 0]
        self.assertGreater(float(area.min()), 0)

    def test_a_push_that_would_fold_stops_there(self) -> None:
        field = nothing()
        for _ in range(30):
            stroke(field, [(200.0, 200.0), (260.0, 200.0)], 40.0)
        j = jacobians(field)
        area = j[..., 0, 0] * j[..., 1, 1] - j[..., 0, 1] * j[..., 1, 0]
        self.assertGreater(float(area.min()), 0.5 * LEAST_AREA)

    def test_the_border_stays_put(self) -> None:
        field = nothing()
        stroke(field, [(60.0, 200.0), (5.0, 190.0)], 150.0)
        stroke(field, [(240.0, 380.0), (240.0, 460.0)], 700.0)  # larger than the picture
        columns, rows = field.rect.width, field.rect.height
        self.assertFalse(field.nodes[:, 0, 0].any() or field.nodes[:, columns - 1, 0].any())
        self.assertFalse(field.nodes[0, :, 1].any() or field.nodes[rows - 1, :, 1].any())


class Straight(unittest.TestCase):
    def test_a_grid_behind_a_pushed_cheek_stays_straight(self) -> None:
        lines = grid_lines()
        field = nothing()
        stroke(field, [(240.0, 200.0), (262.0, 204.0)], 110.0)
        bent = bends(lines, field.sources)
        self.assertGreater(bent[0].px, 3.0)
        kept = nothing()
        guard = Guard(lines.pieces, hold_px=10.0, free_px=30.0)
        stroke(kept, [(240.0, 200.0), (262.0, 204.0)], 110.0, guard=guard)
        still = bends(lines, kept.sources)
        self.assertLessEqual(max((bend.px for bend in still), default=0.0), 0.5)
        self.assertGreater(kept.largest_px, 5.0)  # the cheek went along

    def test_a_stroke_along_a_line_does_not_bend_it(self) -> None:
        lines = StraightLines(np.array([[20, 200, 460, 200]], dtype=np.float32), np.array([0]))
        field = nothing()
        stroke(field, [(200.0, 200.0), (230.0, 200.0)], 80.0)
        self.assertLess(max((bend.px for bend in bends(lines, field.sources)), default=0), 0.05)


def grid_lines() -> StraightLines:
    """A grid every 60 px on the right; what is left of 270 is covered by the cheek."""
    pieces = [[x, 10, x, 390] for x in range(300, 470, 60)]
    pieces += [[274, y, 470, y] for y in range(20, 390, 60)]
    return StraightLines(np.array(pieces, dtype=np.float32), np.arange(len(pieces)))


class Resampler(unittest.TestCase):
    def test_what_is_not_moved_is_not_touched(self) -> None:
        picture = np.random.default_rng(1).random((400, 480, 4), dtype=np.float32)
        picture[..., 3] = 1
        field = nothing()
        stroke(field, [(200.0, 200.0), (210.0, 205.0)], 40.0)
        out = shown(picture, field)
        far = np.ones((400, 480), dtype=bool)
        far[150:260, 150:260] = False
        np.testing.assert_array_equal(out[far], picture[far])
        self.assertFalse(np.array_equal(out, picture))

    def test_grain_keeps_its_sigma_at_half_a_pixel(self) -> None:
        grain = grain_picture()
        half = shifted_by(grain, 0.5, 0.5)
        inside = (slice(20, -20), slice(20, -20), 0)
        kept = float(half[inside].std() / grain[inside].std())
        self.assertLess(abs(kept - 1), 0.05)
        ys, xs = np.mgrid[:400, :480].astype(np.float32)
        theirs = cv2.remap(grain, xs + 0.5, ys + 0.5, cv2.INTER_CUBIC)
        self.assertGreaterEqual(kept, float(theirs[inside].std() / grain[inside].std()))

    def test_a_zone_plate_keeps_its_contrast_up_to_a_quarter_cycle(self) -> None:
        for cycles in (0.05, 0.1, 0.15, 0.2, 0.25):
            for turn in (0.0, 0.4, np.pi / 4):
                wave = waves(cycles, turn, 0.0, 0.0)
                out = shifted_by(wave, 0.5, 0.5)
                wanted = waves(cycles, turn, 0.5, 0.5)
                inside = (slice(20, -20), slice(20, -20), 0)
                with self.subTest(cycles=cycles, turn=turn):
                    kept = float(out[inside].std() / wanted[inside].std())
                    self.assertLess(abs(kept - 1), 0.05)
                    off = np.abs(out[inside] - wanted[inside]).max()
                    self.assertLess(float(off), 0.05 * 0.4)

    def test_a_warp_is_the_analytic_one(self) -> None:
        picture = smooth_picture()
        field = nothing()
        stroke(field, [(200.0, 200.0), (230.0, 190.0)], 90.0)
        ys, xs = np.mgrid[:400, :480] + 0.5
        source = field.sources(np.stack([xs, ys], -1).reshape(-1, 2)).reshape(400, 480, 2)
        wanted = smooth(source[..., 0], source[..., 1])
        out = shown(picture, field)[..., 0]
        self.assertLess(float(np.abs(out - wanted)[10:-10, 10:-10].max()), 1 / 255)

    def test_transparent_pixels_do_not_shine_through(self) -> None:
        picture = np.zeros((400, 480, 4), dtype=np.float32)
        picture[:, :240] = (0.8, 0.2, 0.1, 1.0)
        picture[:, 240:, :3] = 1.0  # white, but not there
        field = nothing()
        stroke(field, [(200.0, 200.0), (240.0, 200.0)], 120.0)
        out = shown(picture, field)
        there = out[..., 3] > 0.25
        np.testing.assert_allclose(out[there][:, 0], 0.8, atol=0.03)

    def test_both_forms_of_the_kernels_agree(self) -> None:
        rng = np.random.default_rng(2)
        picture = Rect(0, 0, 96, 80)
        at = node_rect(picture, STEP_PX)
        nodes = cv2.GaussianBlur(rng.normal(0, 20, (at.height, at.width, 2)).astype("f4"),
                                 (0, 0), 6)  # fmt: skip
        below = rng.random((80, 96, 4), dtype=np.float32)
        for opaque in (True, False):
            pixels = below.copy()
            pixels[..., 3] = 1 if opaque else below[..., 3]
            outs = [pixels.copy(), pixels.copy()]
            resample = through_field
            for form, out in zip((resample, resample.reference), outs, strict=True):
                field = Field(nodes, at, STEP_PX)
                call(form, pixels, field, out, opaque=opaque)
            np.testing.assert_allclose(outs[0], outs[1], atol=2e-4)
        free = rng.random((at.height, at.width), dtype=np.float32)
        lines = np.array([[10, 10, 80, 60], [50, 0, 40, 79]], dtype=np.float32)
        bounds = np.array([96.0, 80.0, 6.0, 20.0, 400.0])
        for move in Move:
            dab = np.array([50.0, 42.0, 30.0, 24.0, 1.5, 0.7, 48.0, 41.0])
            forms = [nodes.copy(), nodes.copy()]
            shares = [
                form(n, free, lines, move.value, STEP_PX, 0.0, 0.0, dab, bounds)
                for form, n in zip((move_nodes, move_nodes.reference), forms, strict=True)
            ]
            self.assertEqual(*shares)
            np.testing.assert_allclose(*forms, atol=1e-4)
        shift = cv2.GaussianBlur(rng.normal(0, 9, nodes.shape).astype("f4"), (0, 0), 6)
        forms = [nodes.copy(), nodes.copy()]
        for form, n in zip((shift_nodes, shift_nodes.reference), forms, strict=True):
            form(n, shift, free, lines, STEP_PX, 0.0, 0.0, np.append(bounds, 10.0))
        np.testing.assert_allclose(*forms, atol=1e-4)


class Stretch(unittest.TestCase):
    def test_a_stretched_place_is_measured(self) -> None:
        at = node_rect(PICTURE, STEP_PX)
        nodes = np.zeros((at.height, at.width, 2), dtype=np.float32)
        nodes[..., 0] = -0.2 * (np.arange(at.width) * STEP_PX)[None, :]  # x is shown 1.25 as wide
        least, most = stretches(Field(nodes, at, STEP_PX))
        np.testing.assert_allclose(most[5:-5, 5:-5], 1.25, rtol=1e-4)
        np.testing.assert_allclose(least[5:-5, 5:-5], 1.0, rtol=1e-4)

    def test_the_grid_stays_small(self) -> None:
        for side in (1000, 4900, 6000, 10000, 13000):
            picture = Rect(0, 0, side, side)
            at = node_rect(picture, step_for(picture))
            self.assertLessEqual(3 * 2 * at.area, 64 * 2**20)

    def test_a_whole_shift_goes_where_it_is_told(self) -> None:
        field = nothing()
        at = field.rect
        y, x = np.mgrid[: at.height, : at.width] * STEP_PX
        weight = bell(np.hypot(x - 240, y - 200), 100.0)
        shift = np.stack([8.0 * weight, 0 * weight], -1).astype(np.float32)
        share = shifted(field.nodes, at, STEP_PX, np.ones(weight.shape, "f4"), shift, PICTURE,
                        Guard(), MOST_PX)  # fmt: skip
        self.assertEqual(share, 1.0)
        np.testing.assert_allclose(field.at(np.array([[240.0, 200.0]])), [[-8.0, 0.0]], atol=0.01)


def call(form, pixels, field, out, *, opaque):  # type: ignore[no-untyped-def]
    from lather.core.shape.resample import WEIGHTS

    form(pixels, field.nodes, WEIGHTS, out, float(STEP_PX), 0.0, 0.0, 0.0, 0.0, opaque)


def shown(picture: np.ndarray, field: Field) -> np.ndarray:
    out = picture.copy()
    rect = Rect(0, 0, picture.shape[1], picture.shape[0])
    resampled(picture, rect, out, rect, field, 0)
    return out


def shifted_by(picture: np.ndarray, dx: float, dy: float) -> np.ndarray:
    field = nothing()
    field.nodes[...] = (dx, dy)
    return shown(picture, field)


def smooth(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    return 0.5 + 0.3 * np.sin(x / 17) * np.cos(y / 23) + 0.1 * np.sin((x + y) / 9)


def smooth_picture() -> np.ndarray:
    y, x = np.mgrid[:400, :480] + 0.5
    return grey(smooth(x, y))


def grain_picture() -> np.ndarray:
    noise = np.random.default_rng(4).normal(0, 0.1, (400, 480)).astype(np.float32)
    return grey(0.5 + cv2.GaussianBlur(noise, (0, 0), 0.7))


def waves(cycles: float, turn: float, dx: float, dy: float) -> np.ndarray:
    y, x = np.mgrid[:400, :480]
    along = (x + dx) * np.cos(turn) + (y + dy) * np.sin(turn)
    return grey(0.5 + 0.4 * np.sin(2 * np.pi * cycles * along))


def grey(values: np.ndarray) -> np.ndarray:
    out = np.ones((*values.shape, 4), dtype=np.float32)
    out[..., :3] = values[..., None]
    return out
