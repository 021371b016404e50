"""What tests share: small photos, jobs, and a base case with a temporary folder."""

from __future__ import annotations

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np

from lather.core.brush.stroke import Brush, PenSample
from lather.core.rect import Rect
from lather.document import edits
from lather.document.job import Job, JobState, new_state
from lather.document.photo import Photo
from lather.document.tiles import TILE_PX
from lather.render.worker import SameThread
from lather.tools.base import Hand
from lather.tools.session import PenSession, Viewport

DEMO = Path(__file__).parents[1] / "demo"


def noise_photo(width: int = 300, height: int = 280, *, seed: int = 1, bits: int = 16) -> Photo:
    """Random samples: nothing in it repeats, so a wrong place shows."""
    dtype = np.uint16 if bits == 16 else np.uint8
    random = np.random.default_rng(seed)
    return Photo(random.integers(0, 2**bits, (height, width, 3)).astype(dtype), name="noise.png")


def skin_photo(width: int = 400, height: int = 360, *, seed: int = 2) -> Photo:
    """A smooth gradient with fine grain: what mending expects."""
    y, x = np.mgrid[:height, :width].astype(np.float32)
    grain = np.random.default_rng(seed).normal(0, 0.01, (height, width, 1))
    base = np.stack([0.75 + 0.1 * x / width, 0.55 + 0.1 * y / height, 0.45 + 0 * x], -1)
    samples = np.clip(base + grain, 0, 1) * 65535
    return Photo(samples.astype(np.uint16), name="skin.png")


def random_tile(seed: int, channels: int = 4) -> np.ndarray:
    shape = (TILE_PX, TILE_PX, 4) if channels == 4 else (TILE_PX, TILE_PX)
    return np.random.default_rng(seed).integers(0, 65536, shape).astype(np.uint16)


def painted_state(photo: Photo | None = None, n_layers: int = 2) -> JobState:
    """A job state with random pixel layers over the photo."""
    state = new_state(photo or noise_photo())
    for seed in range(n_layers):
        state = edits.add_pixel_layer(state)
        tiles = state.active.tiles.with_tiles(
            {(0, 0): random_tile(seed), (0, 1): random_tile(seed + 50)}
        )
        state = edits.set_pixels(state, state.active_id, tiles)
    return state


def session_for(job: Job) -> PenSession:
    """A pen session that works at once, showing all of the picture at full size."""
    return PenSession(job, SameThread(), lambda: Viewport(0, job.state.photo.rect, 0.2))


def draw(session: PenSession, tool_id: str, points: list[tuple[float, float]], **brush: object):
    """One stroke through points with a tool and brush."""
    session.hand = replace(
        session.hand, tool=tool_id, brush=replace(Brush(spacing=0.1), **brush)
    )
    samples = [PenSample(0.01 * i, x, y, 1.0) for i, (x, y) in enumerate(points)]
    session.down(samples[0])
    for sample in samples[1:]:
        session.move(sample)
    session.up(replace(samples[-1], pressure=0.0))


class Case(unittest.TestCase):
    """A test case with a folder of its own and array assertions."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def assert_equal_arrays(self, actual: np.ndarray, expected: np.ndarray) -> None:
        np.testing.assert_array_equal(actual, expected)

    def assert_close(self, actual: object, expected: object, atol: float) -> None:
        np.testing.assert_allclose(actual, expected, rtol=0, atol=atol)


__all__ = [
    "DEMO", "Case", "Hand", "Rect", "draw", "noise_photo", "painted_state", "random_tile",
    "session_for", "skin_photo",
]
