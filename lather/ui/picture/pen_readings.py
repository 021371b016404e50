"""Pen and mouse events as readings in photo pixels."""

from __future__ import annotations

import time

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QMouseEvent, QTabletEvent

from lather.actions.workbench import Workbench
from lather.core.brush.stroke import PenSample, pressure_from_speed


class PenReadings:
    """Turns events of the picture's widget into readings; a mouse may press by its speed."""

    def __init__(self, bench: Workbench) -> None:
        self._bench = bench
        self._last_mouse: tuple[float, QPointF] | None = None

    def begin(self) -> None:
        """A new stroke: its first reading has no speed."""
        self._last_mouse = None

    def of_pen(self, event: QTabletEvent, ratio: float) -> PenSample:
        place = self._place(event.position(), ratio)
        return PenSample(
            time.monotonic(), *place, event.pressure(), event.xTilt(), event.yTilt()
        )

    def of_mouse(self, event: QMouseEvent, ratio: float, *, pressure: float = 1.0) -> PenSample:
        now = time.monotonic()
        if pressure > 0 and self._bench.settings["mouse_pressure"]:
            last, self._last_mouse = self._last_mouse, (now, event.position())
            if last is not None and now > last[0]:
                moved = event.position() - last[1]
                speed = (moved.x() ** 2 + moved.y() ** 2) ** 0.5 / (now - last[0])
                pressure = pressure_from_speed(speed)
        return PenSample(now, *self._place(event.position(), ratio), pressure)

    def _place(self, position: QPointF, ratio: float) -> tuple[float, float]:
        geometry = self._bench.geometry
        if geometry is None:
            return 0.0, 0.0
        return geometry.to_photo(position.x() * ratio, position.y() * ratio)
