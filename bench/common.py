"""What the benches share: rows, how much is measured, and the large portrait with its layers."""

from __future__ import annotations

import contextlib
import io
import os
import statistics
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import Any, SupportsFloat

import numpy as np
from numpy.typing import NDArray

from lather.core.brush.stroke import Brush
from lather.core.rect import Rect
from lather.document import edits
from lather.document.layers.layer import Layer
from lather.document.layers.pixels import PixelLayer
from lather.document.painting.strokes import StrokeRecord
from lather.document.photo import Photo
from lather.document.state import JobState, new_state
from lather.document.tiles import TILE_PX
from lather.paths import SOURCE_TREE, demo_dir

N_LAYERS = 12
READINGS_A_SECOND, STROKE_S = 200, 1.5
STATE_HOURS = 0.5
SMALL_PORTRAIT = 0.25


@dataclass(frozen=True)
class Row:
    """One figure. `ok` says whether the target holds; None: there is none."""

    name: str
    value: float
    unit: str
    target: str
    ok: bool | None = None
    reference: str = ""
    reference_value: float | None = None

    @property
    def ratio(self) -> float | None:
        """Value to reference."""
        return None if self.reference_value is None else self.value / self.reference_value

    def entry(self) -> dict[str, Any]:
        """As it goes into a file."""
        rounded = {
            name: None if number is None else round(number, 3)
            for name, number in (
                ("value", self.value), ("reference_value", self.reference_value),
                ("ratio", self.ratio),
            )
        }  # fmt: skip
        return {**asdict(self), **rounded}


def row(
    name: str,
    value: SupportsFloat,
    unit: str,
    *,
    target: str,
    ok: object = None,
    reference: str = "",
    reference_value: SupportsFloat | None = None,
) -> Row:
    """A row, of numbers of whatever kind."""
    held = None if reference_value is None else float(reference_value)
    return Row(name, float(value), unit, target, None if ok is None else bool(ok), reference, held)


def p95(
    name: str, delays_ms: Sequence[float], most_ms: float, reference: str, reference_ms: float
) -> Row:
    """The row of what nearly all of many delays stay below."""
    value = float(np.percentile(delays_ms, 95))
    return row(f"{name}, p95", value, "ms", target=f"< {most_ms:g} ms", ok=value < most_ms,
               reference=reference, reference_value=reference_ms)  # fmt: skip


@dataclass(frozen=True)
class Scale:
    """How large the picture is, and how often a thing is timed.

    Places and sizes in the benches are given for the large picture.
    """

    long_side_px: int
    is_small: bool = False

    def px(self, length_px: float) -> int:
        """A length of the large picture in this one."""
        return max(1, round(length_px * self.long_side_px / LARGE.long_side_px))

    @property
    def portrait(self) -> float:
        """What share of their size the demo portraits are looked at in."""
        return SMALL_PORTRAIT if self.is_small else 1.0

    def runs(self, n_runs: int) -> int:
        return 1 if self.is_small else n_runs

    def median_ms(
        self, work: Callable[[], object], n_runs: int = 7, warm_up: int = 1
    ) -> float:
        for _ in range(0 if self.is_small else warm_up):
            work()
        times = []
        for _ in range(self.runs(n_runs)):
            start = time.perf_counter()
            work()
            times.append(1000 * (time.perf_counter() - start))
        return statistics.median(times)


LARGE = Scale(5480)  # 4384 x 5480: 24 megapixels
SMALL = Scale(500, is_small=True)  # a fifth of a megapixel, everything once: does it run at all?


@lru_cache(maxsize=1)
def large_samples(scale: Scale) -> NDArray[np.uint16]:
    """The demo portrait scaled up at 16 bit, with grain in the low bits."""
    import cv2

    small = cv2.imread(str(demo_dir() / "portrait1.jpg"))
    assert small is not None, "the demo is not there"
    long_side_px = scale.long_side_px
    size = (round(long_side_px * small.shape[1] / small.shape[0]), long_side_px)
    large = cv2.resize(small[..., ::-1], size, interpolation=cv2.INTER_CUBIC).astype(np.uint16)
    grain = np.random.default_rng(1).integers(0, 257, (long_side_px, size[0], 1), dtype=np.uint16)
    samples: NDArray[np.uint16] = np.minimum(large * 257, 65535 - 257) + grain
    return samples


def demo_picture(name: str, scale: Scale) -> NDArray[np.uint8]:
    """A picture of the demo, (H, W, 3) uint8 in the decoder's order (blue first)."""
    import cv2

    picture = cv2.imread(str(demo_dir() / name))
    assert picture is not None, "the demo is not there"
    if scale.portrait != 1:
        picture = cv2.resize(picture, None, fx=scale.portrait, fy=scale.portrait,
                             interpolation=cv2.INTER_AREA)  # fmt: skip
    return np.asarray(picture, dtype=np.uint8)


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
    layer = pixels_of(state.active)
    return edits.update_layer(state, layer.id, strokes=(*layer.strokes, *pen_work(hours)))


def pixels_of(layer: Layer) -> PixelLayer:
    assert isinstance(layer, PixelLayer)
    return layer


def large_state(
    scale: Scale, n_layers: int = N_LAYERS, *, covering: bool = False
) -> JobState:
    """The large picture with layers: retouch-like (a third of the tiles) or covering everything.

    The tiles of a layer are of their own, so that memory counts; blend modes alternate
    between those that retouchers use most. The top layer carries half an hour of strokes.
    """
    from lather.core.blend.modes import BlendMode

    photo = Photo(large_samples(scale).copy(), name="large.tif")
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
        tiles = pixels_of(state.active).tiles.with_tiles({key: tile.copy() for key in mine})
        state = edits.set_pixels(state, state.active_id, tiles)
    return with_pen_work(state, STATE_HOURS) if n_layers else state


def first_view(state: JobState) -> None:
    """Render what the window shows of a job when it opens."""
    from lather.render.lenses.lens import LensLook
    from lather.render.screen.geometry import ViewGeometry
    from lather.render.screen.request import Shown, ViewRequest

    geometry = ViewGeometry.fitting(state.photo.width, state.photo.height, 744, 694)
    for key in geometry.visible.cells(TILE_PX):
        cell = Rect.cell(key, TILE_PX)
        ViewRequest(0, state, Shown.AFTER, geometry.level, cell, 0.2, LensLook()).render()


def run_fresh(code: str, scale: Scale = LARGE, **environment: str) -> str:
    """Run Python code, in which SCALE stands for the scale, in a process of its own; what it
    printed. Where everything only has to run, in this one."""
    code = code.replace("SCALE", repr(scale))
    if scale.is_small:
        with contextlib.redirect_stdout(io.StringIO()) as out:
            exec(code, {})
        return out.getvalue()
    return subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True,
        text=True,
        check=True,
        cwd=SOURCE_TREE,
        env={**os.environ, **environment},
    ).stdout
