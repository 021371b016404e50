"""Reshaping: the pen through the real window, export, memory."""

from __future__ import annotations

import time
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.common import Row, Scale, large_samples, row
from bench.layers import computing_state
from bench.stroke import N_EVENTS, N_WARM_UP, bare_blend_ms, opened, stroke_delays
from lather.core.shape.field import node_rect, step_for
from lather.document.layers.layer import new_id
from lather.document.layers.reshape import ReshapeLayer
from lather.document.photo import Photo
from lather.document.state import JobState, new_state

if TYPE_CHECKING:
    from lather.ui.app import App

SIZE_PX, SWEEP_PX = 450.0, 120.0
SETTLED_MS, PEN_MS, PEN_SHARE, EXPORT_SHARE, FIELD_MB = 200, 16, 12, 2, 64
MOVED_PX = 12.0


def measure(scale: Scale) -> list[Row]:
    """push through 16 live layers, exporting a reshape, its memory; 24 megapixels"""
    return [*_pen(scale), *_export(scale), *_memory(scale)]


def _pen(scale: Scale) -> list[Row]:
    from lather.document.job import Job
    from lather.ui.scripted import settle, wait_until

    app, pen, paints = opened(Job(computing_state(scale)))
    app.bench.hands.take_tool("push")
    app.bench.hands.set_brush(size_px=float(scale.px(SIZE_PX)), flow=0.5)
    rows = []
    for zoom in (0.5, 1.0):
        app.bench.zoom_to(zoom)
        settle(app)
        reference = bare_blend_ms(scale, round(scale.px(SIZE_PX) * zoom) + 2)
        stroke_delays(app, pen, paints, N_WARM_UP + 1, SWEEP_PX)  # what lies below is computed once
        settle(app)
        delays = stroke_delays(
            app, pen, paints, scale.runs(N_EVENTS) + N_WARM_UP, SWEEP_PX
        )
        start = time.perf_counter()
        wait_until(lambda: is_current(app))
        settled = 1000 * (time.perf_counter() - start)
        value = float(np.percentile(delays, 95))
        rows.append(row(
            f"push {zoom:.0%}, {SIZE_PX:.0f} px, 16 live layers below, p95", value, "ms",
            target=f"< {PEN_MS} ms, or < {PEN_SHARE}x",
            ok=value < PEN_MS or value < PEN_SHARE * reference,
            reference="float32 blend + 8 bit of the same rectangle", reference_value=reference,
        ))  # fmt: skip
        rows.append(row(
            f"push {zoom:.0%}, settled", settled, "ms", target=f"< {SETTLED_MS} ms",
            ok=settled < SETTLED_MS, reference="float32 blend + 8 bit of the same rectangle",
            reference_value=reference,
        ))  # fmt: skip
    app.close()
    return rows


def is_current(app: App) -> bool:
    """True once every tile that is looked at is of the state of now."""
    from lather.render.screen.request import Shown

    tiles, geometry, session = app.window.canvas.tiles, app.bench.geometry, app.bench.session
    assert tiles is not None and geometry is not None and session is not None
    return not session.busy and tiles.is_current(Shown.AFTER, geometry.level, geometry.visible)


def _export(scale: Scale) -> list[Row]:
    from lather.render.flatten import flatten

    samples = large_samples(scale)
    state = moved_everywhere(Photo(samples.copy(), name="large.tif"))
    plain = new_state(state.photo)
    height, width = samples.shape[:2]
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    rgb = samples.astype(np.float32) / np.float32(65535)

    def remap() -> NDArray[np.float32]:
        out: NDArray[np.float32] = cv2.remap(
            rgb, x + np.float32(MOVED_PX), y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE
        )
        return out

    reference = scale.median_ms(remap, 5)
    value = scale.median_ms(partial(flatten, state, 16), 3)
    bare = scale.median_ms(partial(flatten, plain, 16), 3)
    cost = max(value - bare, 0.1)
    return [
        row("export of a reshape everywhere, less that of the photo", cost, "ms",
            target=f"<= {EXPORT_SHARE}x", ok=cost <= EXPORT_SHARE * reference,
            reference="cv2.remap, cubic, float32 RGB", reference_value=reference),
        row("export of a reshape everywhere, all of it", value, "ms", target="",
            reference="cv2.remap, cubic, float32 RGB", reference_value=reference),
    ]  # fmt: skip


def moved_everywhere(photo: Photo) -> JobState:
    """A reshape that moves every pixel by fractions of one, smoothly."""
    picture = photo.rect
    layer = ReshapeLayer(id=new_id(), name="Reshape", step_px=step_for(picture))
    at = node_rect(picture, layer.step_px)
    y, x = np.mgrid[: at.height, : at.width].astype(np.float32) * layer.step_px
    across = MOVED_PX * (1 + 0.2 * np.sin(x / 300) * np.cos(y / 400))
    down = 0.3 * MOVED_PX * np.cos(x / 350 + y / 280)
    layer = layer.with_nodes(at, np.stack([across, down], -1).astype("f4"))
    state = new_state(photo)
    return replace(state, layers=(*state.layers, layer), active_id=layer.id)


def _memory(scale: Scale) -> list[Row]:
    state = moved_everywhere(Photo(large_samples(scale), name="large.tif"))
    layer = state.active
    n_bytes = sum(t.nbytes for plane in layer.planes.values() for t in plane.tiles.values())
    value = n_bytes / 2**20
    dense = 8 * state.photo.rect.area / 2**20
    return [row("field of a reshape everywhere", value, "MB", target=f"<= {FIELD_MB} MB",
                ok=value <= FIELD_MB, reference="two floats a pixel",
                reference_value=dense)]  # fmt: skip
