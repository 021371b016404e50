"""Pen event to painted pixels, in the real window."""

from __future__ import annotations

import time

import numpy as np

from bench.common import large_state, median_ms, row

SIZE_PX = 200.0
N_EVENTS = 160
STEP_PX = 11.0


def measure() -> list[dict[str, object]]:
    """pen event to painted pixels at 50 % and 100 %, 12 layers, 24 megapixels"""
    from lather.document.job import Job
    from lather.ui.scripted import settle

    app, pen, painted_at = opened(Job(large_state()))
    rows = []
    for zoom in (0.5, 1.0):
        app.bench.zoom_to(zoom)
        settle(app)
        delays = stroke_delays(app, pen, painted_at)
        settle(app)
        side = round((SIZE_PX + STEP_PX) * zoom) + 2
        reference = _bare_blend_ms(side)
        for share, name in ((50, "median"), (95, "p95")):
            value = float(np.percentile(delays, share))
            target, ok = "", None
            if name == "p95":
                target, ok = "< 16 ms and < 4x", value < 16 and value < 4 * reference
            rows.append(row(
                f"stroke {zoom:.0%}, pen event to pixels, {name}", value, "ms", target=target,
                ok=ok, reference="float32 blend + 8 bit of the same rectangle",
                reference_value=reference,
            ))  # fmt: skip
    app.close()
    return rows


def opened(job):
    """The application with a job and a brush in hand; its pen; times of the canvas's paints."""
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
    canvas, painted_at = app.window.canvas, []
    original = canvas.paintEvent

    def paint_and_note(event) -> None:
        original(event)
        painted_at.append(time.perf_counter())

    canvas.paintEvent = paint_and_note
    return app, SimulatedPen(canvas), painted_at


def stroke_delays(app, pen, painted_at) -> list[float]:
    """Milliseconds from each event to the paint that shows its frame."""
    from PyQt6.QtCore import QEvent
    from PyQt6.QtWidgets import QApplication

    from lather.core.brush.stroke import PenSample

    geometry = app.bench.geometry
    x0 = geometry.centre_x - N_EVENTS * STEP_PX / 4
    y0 = geometry.centre_y
    delays = []
    for i in range(N_EVENTS):
        # To and fro in the middle of the view, as a hand does.
        x = x0 + abs((i * STEP_PX) % (N_EVENTS * STEP_PX) - N_EVENTS * STEP_PX / 2)
        reading = PenSample(0.008 * i, x, y0 + 40 * np.sin(i / 9), 0.8)
        kind = QEvent.Type.TabletPress if i == 0 else QEvent.Type.TabletMove
        n_frames, start = app.window.canvas.frames_painted, time.perf_counter()
        pen.send(kind, reading)
        end = start + 0.2
        while app.window.canvas.frames_painted == n_frames and time.perf_counter() < end:
            QApplication.processEvents()
        painted_at.clear()
        while not painted_at and time.perf_counter() < end:
            QApplication.processEvents()
        if painted_at and app.window.canvas.frames_painted > n_frames:
            delays.append(1000 * (painted_at[-1] - start))
    pen.send(QEvent.Type.TabletRelease, reading, pressure=0.0)
    pen.wait()
    return delays[10:]


def _bare_blend_ms(side_px: int) -> float:
    random = np.random.default_rng(0)
    backdrop = random.random((side_px, side_px, 3)).astype(np.float32)
    source = random.random((side_px, side_px, 3)).astype(np.float32)
    alpha = random.random((side_px, side_px, 1)).astype(np.float32)

    def blend() -> np.ndarray:
        mixed = backdrop + alpha * (source - backdrop)
        return (np.clip(mixed, 0, 1) * np.float32(255) + np.float32(0.5)).astype(np.uint8)

    return median_ms(blend, 40, 5)
