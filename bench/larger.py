"""A picture of 45 megapixels with twenty layers, half of them live: the pen and the rulers."""

from __future__ import annotations

from dataclasses import replace

from bench.common import Row, Scale, p95
from bench.dragging import N_EVENTS as N_RULER_EVENTS
from bench.dragging import VIEW_SIDE_PX, drag_delays, drags
from bench.layers import computing_state
from bench.stroke import (
    N_EVENTS,
    N_WARM_UP,
    SIZE_PX,
    STEP_PX,
    bare_blend_ms,
    opened,
    stroke_delays,
)
from lather.document import edits
from lather.document.layers.table import KINDS
from lather.document.state import JobState

LONG_SIDE_PX = 7500  # 6000 x 7500
N_PIXEL_LAYERS = 10
STROKE_MS, RULER_MS = 12.0, 45.0
REFERENCE = "float32 blend + 8 bit of the same rectangle"
RULED = ("curves", "smooth", "radial", "hues", "exposure")


def measure(scale: Scale) -> list[Row]:
    """45 megapixels, 10 pixel and 10 live layers: pen event to paint, of strokes and rulers"""
    from lather.document.job import Job
    from lather.ui.scripted import settle

    state = _twenty_layers(scale if scale.is_small else Scale(LONG_SIDE_PX))
    app, pen, paints = opened(Job(state))
    pixels = state.layers[N_PIXEL_LAYERS // 2]
    rows = []
    for zoom in (0.5, 1.0):
        app.bench.zoom_to(zoom)
        app.bench.select_layer(pixels.id)
        app.bench.hands.take_tool("paint_colour")
        settle(app)
        delays = stroke_delays(app, pen, paints, scale.runs(N_EVENTS) + N_WARM_UP)
        settle(app)
        rows.append(p95(f"45 MP, 20 layers: stroke {zoom:.0%}", delays, STROKE_MS, REFERENCE,
                        bare_blend_ms(scale, round((SIZE_PX + STEP_PX) * zoom) + 2)))  # fmt: skip
        delays = []
        for kind in [KINDS[name] for name in RULED][: scale.runs(len(RULED))]:
            for _, drag in drags(app, kind):  # type: ignore[arg-type]
                settle(app)
                delays += drag_delays(app, paints, drag, scale.runs(N_RULER_EVENTS))
        settle(app)
        rows.append(p95(f"45 MP, 20 layers: rulers {zoom:.0%}", delays, RULER_MS, REFERENCE,
                        bare_blend_ms(scale, VIEW_SIDE_PX)))  # fmt: skip
    app.close()
    return rows


def _twenty_layers(scale: Scale) -> JobState:
    state = computing_state(scale, n_pixel_layers=N_PIXEL_LAYERS)
    above = next(layer for layer in state.layers if layer.kind == "curves")
    return edits.add_computed(
        replace(state, active_id=above.id), KINDS["exposure"], exposure_ev=0.1  # type: ignore[arg-type]
    )
