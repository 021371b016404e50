"""Work aside looks up between its steps, wherever it is: it can be cancelled, and says no more."""

import unittest
from dataclasses import replace

import numpy as np

from bench.cancelling import Watching
from lather.assist.shape.shape import even_other_side, hold_area, straighten_background
from lather.core.rect import Rect
from lather.core.shape.guard import LEAST_AREA, along_lines, least_area
from lather.core.work import CancelToken
from lather.document.layers.layer import new_id
from lather.document.layers.reshape import ReshapeLayer
from lather.document.planes import with_plane
from lather.document.reshapes import with_change
from lather.document.state import new_state
from lather.document.tiles import BLACK_MASK
from lather.errors import Cancelled
from tests.support import Case, noise_photo

PICTURE = Rect(0, 0, 900, 700)


class After(CancelToken):
    """Cancelled when it is looked at for the n-th time."""

    def __init__(self, n: int) -> None:
        super().__init__()
        self.n_left = n

    def check(self) -> None:
        self.n_left -= 1
        if self.n_left < 0:
            self.cancel()
        super().check()


def reshaped():
    """A wave on the left half, and a middle line."""
    layer = ReshapeLayer(id=new_id(), name="Reshape", middle=(450.0, 0.0, 450.0, 700.0))
    nodes = layer.samples_rect(Rect(60, 60, 420, 640))
    y, x = np.mgrid[: nodes.height, : nodes.width].astype(np.float32)
    wave = 5 * np.sin(x / 30) * np.sin(y / 40)
    layer = layer.with_nodes(nodes, np.dstack([wave, 0.4 * wave]))
    state = new_state(noise_photo(900, 700, bits=8))
    return replace(state, layers=(*state.layers, layer), active_id=layer.id)


class LooksUpTest(Case):
    def test_every_loop_of_the_reshape_commands(self) -> None:
        state = reshaped()
        half = np.ones((700, 450), np.float32)
        in_area = replace(state, area=with_plane(BLACK_MASK, Rect(0, 0, 450, 700), half))
        for name, work in (
            ("even the other side", lambda token: even_other_side(state, token)),
            ("hold the area", lambda token: hold_area(in_area, token)),
        ):
            token = Watching()
            counting = After(10**6)
            work(counting)
            n_looks = 10**6 - counting.n_left
            self.assertGreater(n_looks, 3, name)
            for n in {0, n_looks // 2, n_looks - 1}:
                with self.assertRaises(Cancelled, msg=(name, n)):
                    work(After(n))
            work(token)
            self.assertGreater(token.longest_s, 0)
        with self.assertRaises(Exception):  # noqa: B017 - no line is there to be made straight by
            straighten_background(state, CancelToken())


class LessWhereItFoldsTest(unittest.TestCase):
    def test_it_is_less_around_the_fold_and_whole_elsewhere(self) -> None:
        layer = ReshapeLayer(id=new_id(), name="Reshape")
        nodes = Rect(0, 0, 300, 260)
        y, x = np.mgrid[:260, :300].astype(np.float32)
        change = np.zeros((260, 300, 2), np.float32)
        bump = np.exp(-((x - 80) ** 2 + (y - 80) ** 2) / 50)
        change[..., 0] = 26 * bump  # folds
        change[..., 1] = 3 * np.exp(-((x - 230) ** 2 + (y - 190) ** 2) / 900)  # does not
        made = with_change(layer, nodes, change).field(nodes).nodes
        self.assertGreater(float(least_area(made, 2).min()), LEAST_AREA - 0.02)
        self.assertLess(float(made[80, 80, 0]), 25)
        self.assertGreater(float(made[80, 80, 0]), 1)
        far = made[150:, 180:] - change[150:, 180:]
        self.assertLess(float(np.abs(far).max()), 2 / 128)

    def test_along_lines_of_a_part_is_that_of_all(self) -> None:
        random = np.random.default_rng(3)
        y, x = np.mgrid[:120, :160] * 2.0
        u = random.normal(0, 3, (120, 160, 2))
        lines = np.array([[20, 10, 200, 90], [300, 40, 290, 230], [-50, 300, 400, 320]], "f4")
        bounds = np.array([320.0, 240.0, 8.0, 40.0])
        got = along_lines(u, x, y, lines, bounds)
        wanted = u.copy()
        for line in lines.astype(float):  # each point by itself
            start, way = line[:2], line[2:] - line[:2]
            p = np.stack([x, y], -1) - start
            t = np.clip((p @ way) / (way @ way), 0, 1)
            away = np.linalg.norm(p - t[..., None] * way, axis=-1)
            s = np.clip((away - 8) / 32, 0, 1)
            held = 1 - s * s * (3 - 2 * s)
            normal = np.array([-way[1], way[0]]) / np.hypot(*way)
            wanted -= ((wanted @ normal) * held)[..., None] * normal
        np.testing.assert_allclose(got, wanted, atol=1e-9)
