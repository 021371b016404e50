"""How long the interface thread is away: the longest stall of each thing that a person does."""

from __future__ import annotations

import time
from collections.abc import Callable

from bench.common import large_state, row
from bench.stroke import opened

LONGEST_MS = 16.0
HEARTBEAT_MS = 1


class Heartbeat:
    """Beats on the interface thread; the longest gap between two beats is a stall."""

    def __init__(self) -> None:
        from PyQt6.QtCore import QTimer

        self.longest_ms = 0.0
        self._last_s = time.perf_counter()
        self._timer = QTimer()
        self._timer.setInterval(HEARTBEAT_MS)
        self._timer.timeout.connect(self._beat)
        self._timer.start()

    def _beat(self) -> None:
        now_s = time.perf_counter()
        self.longest_ms = max(self.longest_ms, 1000 * (now_s - self._last_s))
        self._last_s = now_s

    def during(self, work: Callable[[], object], rest: Callable[[], object]) -> float:
        """The longest stall, ms, from the beginning of `work` to the end of `rest`."""
        self.longest_ms, self._last_s = 0.0, time.perf_counter()
        work()
        self._beat()
        rest()
        return self.longest_ms

    def stop(self) -> None:
        self._timer.stop()


def measure() -> list[dict[str, object]]:
    """longest stall of the interface thread through a scripted session, 24 megapixels"""
    from lather.document import edits
    from lather.document.job import Job
    from lather.ui.scripted import settle

    app, pen, _ = opened(Job(large_state()))
    bench, heart = app.bench, Heartbeat()
    photo, layer_id = bench.state.photo, bench.state.active_id

    def slider() -> None:
        gesture = object()
        for step in range(60):
            bench.change("Strength", edits.set_strength, layer_id, step / 60, gesture=gesture)
            app.qt.processEvents()

    def many_steps() -> None:
        for number in range(200):
            bench.change(f"{number}", edits.set_strength, layer_id, number / 200)

    def wide_stroke() -> None:
        from lather.core.brush.stroke import PenSample

        bench.hands.set_brush(size_px=900.0)
        y = photo.height / 2
        pen.stroke([PenSample(0.02 * i, 500 + 30 * i, y, 0.9) for i in range(100)])
        pen.wait()

    def outlined() -> None:
        from lather.core.brush.stroke import PenSample

        bench.hands.take_tool("outline")
        corners = [(900, 900), (2900, 900), (2900, 2900), (900, 2900), (900, 900)]
        path = [(x + (u - x) * n / 25, y + (v - y) * n / 25)
                for (x, y), (u, v) in zip(corners, corners[1:], strict=False) for n in range(25)]
        pen.stroke([PenSample(0.02 * i, x, y, 0.9) for i, (x, y) in enumerate(path)])
        pen.wait()

    session: list[tuple[str, Callable[[], object]]] = [
        ("first step", lambda: bench.change("Layer", edits.add_pixel_layer)),
        ("empty layer above the photo", lambda: bench.change(
            "Layer", lambda state: edits.add_pixel_layer(_lowest(state)))),
        ("a wide stroke (about 100 tiles)", wide_stroke),
        ("60 steps of a slider", slider),
        ("", many_steps),  # made by the script, not by a hand
        ("back 200 steps", lambda: bench.go_to_step(0)),
        ("forward 200 steps", lambda: bench.go_to_step(200)),
        ("an area of 4 MP, outlined", outlined),
    ]
    settle(app)
    rows = []
    for name, work in session:
        stall_ms = heart.during(work, lambda: settle(app))
        if not name:
            continue
        rows.append(row(f"longest stall: {name}", stall_ms, "ms",
                        target=f"< {LONGEST_MS:g}", ok=stall_ms < LONGEST_MS))  # fmt: skip
    heart.stop()
    app.close()
    return rows


def _lowest(state):
    from dataclasses import replace

    return replace(state, active_id=state.layers[0].id)
