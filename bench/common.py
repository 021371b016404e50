"""What the benches share: rows, timing, and the large portrait with its layers."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from functools import lru_cache

import numpy as np

from lather.core.brush.stroke import Brush
from lather.core.rect import Rect
from lather.document import edits
from lather.document.job import JobState, new_state
from lather.document.photo import Photo
from lather.document.strokes import StrokeRecord
from lather.document.tiles import TILE_PX
from lather.paths import SOURCE_TREE, demo_dir

LONG_SIDE_PX = 5480  # 4384 x 5480: 24 megapixels
N_LAYERS = 12
READINGS_A_SECOND, STROKE_S = 200, 1.5
STATE_HOURS = 0.5


def row(
    name: str,
    value: float,
    unit: str,
    *,
    target: str,
    ok: bool | None = None,
    reference: str = "",
    reference_value: float | None = None,
) -> dict[str, object]:
    """One figure; the ratio follows from value and reference."""
    ratio = None if reference_value is None else round(value / reference_value, 2)
    return {
        "name": name,
        "value": round(value, 3),
        "unit": unit,
        "reference": reference,
        "reference_value": None if reference_value is None else round(reference_value, 3),
        "ratio": ratio,
        "target": target,
        "ok": ok,
    }


def median_ms(work: Callable[[], object], n_runs: int = 7, warm_up: int = 1) -> float:
    for _ in range(warm_up):
        work()
    times = []
    for _ in range(n_runs):
        start = time.perf_counter()
        work()
        times.append(1000 * (time.perf_counter() - start))
    return statistics.median(times)


@lru_cache(maxsize=1)
def large_samples() -> np.ndarray:
    """The demo portrait scaled to 24 megapixels at 16 bit, with grain in the low bits."""
    import cv2

    small = cv2.imread(str(demo_dir() / "portrait1.jpg"))[..., ::-1]
    size = (round(LONG_SIDE_PX * small.shape[1] / small.shape[0]), LONG_SIDE_PX)
    large = cv2.resize(small, size, interpolation=cv2.INTER_CUBIC).astype(np.uint16) * 257
    grain = np.random.default_rng(1).integers(0, 257, (LONG_SIDE_PX, size[0], 1), dtype=np.uint16)
    return np.minimum(large, 65535 - 257) + grain


def pen_work(hours: float, seed: int = 3) -> tuple[StrokeRecord, ...]:
    """So many hours with the pen down, at 200 readings a second, in strokes of 1.5 seconds."""
    random = np.random.default_rng(seed)
    strokes = []
    for number in range(round(hours * 3600 / STROKE_S)):
        readings = random.random((round(STROKE_S * READINGS_A_SECOND), 6)).astype(np.float32)
        readings[:, 0] = np.arange(len(readings)) / READINGS_A_SECOND
        readings[:, 1:3] *= 4000
        rect = Rect(10 + number % 3000, 10, 300 + number % 3000, 400)
        strokes.append(StrokeRecord("paint_colour", Brush(), readings, rect))
    return tuple(strokes)


def with_pen_work(state: JobState, hours: float) -> JobState:
    """The state with hours of strokes on its active layer, as data: no pixel is another one."""
    layer = state.active
    return edits.update_layer(state, layer.id, strokes=(*layer.strokes, *pen_work(hours)))


def large_state(n_layers: int = N_LAYERS, *, covering: bool = False) -> JobState:
    """24 megapixels with layers: retouch-like (a third of the tiles) or covering everything.

    The tiles of a layer are of their own, so that memory counts; blend modes alternate
    between those that retouchers use most. The top layer carries half an hour of strokes.
    """
    from lather.core.blend.modes import BlendMode

    photo = Photo(large_samples().copy(), name="large.tif")
    state = new_state(photo)
    random = np.random.default_rng(2)
    modes = [BlendMode.NORMAL, BlendMode.NORMAL, BlendMode.SOFT_LIGHT, BlendMode.NORMAL]
    keys = list(photo.rect.cells(TILE_PX))
    tile = random.integers(0, 65536, (TILE_PX, TILE_PX, 4)).astype(np.uint16)
    tile[..., 3] //= 4
    for index in range(n_layers):
        state = edits.add_pixel_layer(state)
        mode = modes[index % len(modes)]
        state = edits.set_mode(state, state.active_id, mode)
        mine = keys if covering else keys[index % 3 :: 3]
        tiles = state.active.tiles.with_tiles({key: tile.copy() for key in mine})
        state = edits.set_pixels(state, state.active_id, tiles)
    return with_pen_work(state, STATE_HOURS) if n_layers else state


def run_fresh(code: str, **environment: str) -> str:
    """Run Python code in a process of its own; what it printed."""
    return subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True,
        text=True,
        check=True,
        cwd=SOURCE_TREE,
        env={**os.environ, **environment},
    ).stdout
