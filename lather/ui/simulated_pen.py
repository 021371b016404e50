"""A pen without a tablet: plays recorded strokes through the toolkit's tablet events."""

from __future__ import annotations

import time
from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QInputDevice, QPointingDevice, QPointingDeviceUniqueId, QTabletEvent
from PyQt6.QtWidgets import QApplication

from lather.core.brush.stroke import PenSample
from lather.ui.picture.canvas import Canvas


class SimulatedPen:
    """Holds a pen over a canvas. Places are photo pixels; the view must show them."""

    def __init__(self, canvas: Canvas) -> None:
        self._canvas = canvas
        capability = QInputDevice.Capability
        pointer = QPointingDevice.PointerType
        self._ends = {is_eraser: QPointingDevice(
            "simulated pen",
            1,
            QInputDevice.DeviceType.Stylus,
            pointer.Eraser if is_eraser else pointer.Pen,
            capability.Position | capability.Pressure | capability.XTilt | capability.YTilt,
            1,
            1,
            "",
            QPointingDeviceUniqueId(),
        ) for is_eraser in (False, True)}  # fmt: skip
        self.is_turned = False  # its other end, the eraser, is over the canvas

    def stroke(self, samples: Sequence[PenSample], *, speed: float | None = None) -> None:
        start_s, first_s = time.monotonic(), samples[0].time_s
        for index, sample in enumerate(samples):
            if speed is not None:
                due_s = start_s + (sample.time_s - first_s) / speed
                while time.monotonic() < due_s:
                    QApplication.processEvents()
            self.send(QEvent.Type.TabletPress if index == 0 else QEvent.Type.TabletMove, sample)
            QApplication.processEvents()
        self.send(QEvent.Type.TabletRelease, samples[-1], pressure=0.0)
        QApplication.processEvents()

    def send(
        self, kind: QEvent.Type, sample: PenSample, *, pressure: float | None = None
    ) -> None:
        """One reading as a tablet event."""
        geometry = self._canvas.bench.geometry
        assert geometry is not None, "no picture is shown"
        ratio = self._canvas.devicePixelRatioF()
        x, y = geometry.to_view(sample.x, sample.y)
        place = QPointF(x / ratio, y / ratio)
        released = kind == QEvent.Type.TabletRelease
        event = QTabletEvent(
            kind,
            self._ends[self.is_turned],
            place,
            QPointF(self._canvas.mapToGlobal(place.toPoint())),
            sample.pressure if pressure is None else pressure,
            sample.tilt_x_deg,
            sample.tilt_y_deg,
            0.0,
            0.0,
            0.0,
            Qt.KeyboardModifier.NoModifier,
            Qt.MouseButton.LeftButton,
            Qt.MouseButton.NoButton if released else Qt.MouseButton.LeftButton,
        )
        QApplication.sendEvent(self._canvas, event)

    def wait(self, timeout_s: float = 30.0) -> None:
        """Let events run until the last stroke is in the job."""
        end_s = time.monotonic() + timeout_s
        session = self._canvas.bench.session
        while session is not None and session.busy and time.monotonic() < end_s:
            QApplication.processEvents()
            time.sleep(0.001)
        QApplication.processEvents()
