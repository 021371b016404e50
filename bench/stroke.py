"""Pen event to painted pixels, in the real window."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from bench.common import Row, Scale, large_state, row

if TYPE_CHECKING:
    from PyQt6.QtGui import QPaintEvent

    from lather.document.job import Job
    from lather.ui.app import App
    from lather.ui.simulated_pen import SimulatedPen

Paints = list[tuple[float, int]]

SIZE_PX = 200.0
N_EVENTS, N_WARM_UP = 90, 10
STEP_PX = 30.0  # more than the spacing: every event has a dab, and so a frame of its own
AWAKE_MS = 50
LATE_S = 2.0  # an event without a frame counts as this late


def measure(scale: Scale) -> list[Row]:
    """pen event to painted pixels at 50 % and 100 %, 12 layers, 24 megapixels"""
    from lather.document.job import Job
    from lather.ui.scripted import settle

    app, pen, paints = opened(Job(large_state(scale)))
    layers = app.bench.state.layers
    places = {"top": layers[-1], "middle": layers[len(layers) // 2], "bottom": layers[1]}
    rows = []
    for zoom in (0.5, 1.0):
        app.bench.zoom_to(zoom)
        side = round((SIZE_PX + STEP_PX) * zoom) + 2
        reference = bare_blend_ms(scale, side)
        for place, layer in places.items():
            app.bench.select_layer(layer.id)
            settle(app)
            delays = stroke_delays(app, pen, paints, scale.runs(N_EVENTS) + N_WARM_UP)
            settle(app)
            for share, name in ((50, "median"), (95, "p95")):
                value = float(np.percentile(delays, share))
                target, ok = "", None
                if name == "p95":
                    target, ok = "< 16 ms and < 12x", value < 16 and value < 12 * reference
                rows.append(row(
                    f"stroke {zoom:.0%}, layer at the {place}, {name}", value, "ms",
                    target=target, ok=ok, reference="float32 blend + 8 bit of the same rectangle",
                    reference_value=reference,
                ))  # fmt: skip
    app.close()
    return rows


def opened(job: Job) -> tuple[App, SimulatedPen, Paints]:
    """The application with a job and a brush in hand; its pen; the canvas's paints.

    Of each paint there is the time of its end, and how many frames had arrived before it.
    """
    from lather.settings.store import Settings
    from lather.ui.app import build
    from lather.ui.scripted import settle
    from lather.ui.simulated_pen import SimulatedPen

    app = build(Settings())
    app.window.resize(1280, 800)
    app.window.show()
    app.bench.take_job(job)
    app.bench.hands.take_tool("paint_colour")
    app.bench.hands.set_brush(size_px=SIZE_PX, flow=0.2, opacity=0.6)
    app.bench.zoom_to(1.0)
    settle(app)
    canvas = app.window.canvas
    paints: Paints = []
    original = canvas.paintEvent

    def paint_and_note(event: QPaintEvent) -> None:
        n_frames = canvas.frames_painted
        original(event)
        paints.append((time.perf_counter(), n_frames))

    canvas.paintEvent = paint_and_note  # type: ignore[method-assign]
    return app, SimulatedPen(canvas), paints


def stroke_delays(
    app: App, pen: SimulatedPen, paints: Paints, n_events: int = N_EVENTS + N_WARM_UP,
    sweep_px: float = 800.0, left_px: float = 200.0,
) -> list[float]:
    """Milliseconds from each event to the end of the paint that shows its frame; the pen goes to
    and fro from so far left of the view's middle."""
    from PyQt6.QtCore import QEvent

    from lather.core.brush.stroke import PenSample

    geometry, canvas = app.bench.geometry, app.window.canvas
    assert geometry is not None
    x0, y0 = geometry.centre_x - left_px, geometry.centre_y
    delays = []
    for i in range(n_events):
        x = x0 + abs((i * STEP_PX) % sweep_px - sweep_px / 2)
        reading = PenSample(0.008 * i, x, y0 + 40 * np.sin(i / 9), 0.8)
        n_frames, start = canvas.frames_painted, time.perf_counter()
        paints.clear()
        pen.send(QEvent.Type.TabletPress if i == 0 else QEvent.Type.TabletMove, reading)
        shown: list[float] = []
        while not shown and time.perf_counter() < start + LATE_S:
            wait_for_events()
            shown = [at for at, frames in paints if frames > n_frames]
        delays.append(1000 * (shown[0] - start if shown else LATE_S))
    pen.send(QEvent.Type.TabletRelease, reading, pressure=0.0)
    pen.wait()
    return delays[N_WARM_UP:]


def wait_for_events() -> None:
    """As the application's own loop: asleep until there is something to do. A loop that spins
    would hold the interpreter against the workers."""
    from PyQt6.QtCore import QEventLoop, QTimer
    from PyQt6.QtWidgets import QApplication

    timer = QTimer()
    timer.start(AWAKE_MS)  # if nothing comes at all
    QApplication.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)


def bare_blend_ms(scale: Scale, side_px: int) -> float:
    random = np.random.default_rng(0)
    backdrop = random.random((side_px, side_px, 3)).astype(np.float32)
    source = random.random((side_px, side_px, 3)).astype(np.float32)
    alpha = random.random((side_px, side_px, 1)).astype(np.float32)

    def blend() -> NDArray[np.uint8]:
        mixed = backdrop + alpha * (source - backdrop)
        return (np.clip(mixed, 0, 1) * np.float32(255) + np.float32(0.5)).astype(np.uint8)

    return scale.median_ms(blend, 40, 5)
