"""Wheel and two fingers over the picture: closer, farther, along."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QNativeGestureEvent, QWheelEvent

from lather.actions.looking.view import ZOOM_STEP
from lather.actions.workbench import Workbench

WHEEL_NOTCH = 120


def on_wheel(bench: Workbench, event: QWheelEvent, ratio: float) -> None:
    """A wheel zooms about the cursor; two fingers on a pad move the picture."""
    geometry = bench.geometry
    if geometry is None:
        return
    pixels = event.pixelDelta()
    if not pixels.isNull() and not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
        bench.pan(pixels.x() * ratio, pixels.y() * ratio)
        return
    notches = event.angleDelta().y() / WHEEL_NOTCH
    if notches:
        at = event.position() * ratio
        bench.zoom_to(geometry.zoom * ZOOM_STEP**notches, (at.x(), at.y()))


def on_gesture(bench: Workbench, event: QEvent, ratio: float) -> bool:
    """Two fingers that go apart; False if it is something else."""
    if not isinstance(event, QNativeGestureEvent) or bench.geometry is None:
        return False
    if event.gestureType() != Qt.NativeGestureType.ZoomNativeGesture:
        return False
    at = event.position() * ratio
    bench.zoom_to(bench.geometry.zoom * (1 + event.value()), (at.x(), at.y()))
    return True
