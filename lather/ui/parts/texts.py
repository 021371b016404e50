"""Texts that are painted: all of them go through `draw`, which tells whoever asks how much room
each one needed and had."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass

from PyQt6.QtCore import QRectF, QSizeF, Qt
from PyQt6.QtGui import QFontMetricsF, QPaintDevice, QPainter

CENTRE = Qt.AlignmentFlag.AlignCenter
LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
TOP_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop
TOP_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop
WRAPPED = Qt.TextFlag.TextWordWrap
Align = Qt.AlignmentFlag | Qt.TextFlag


@dataclass(frozen=True)
class Told:
    """A text as it is shown.

    Attributes
    ----------
    needed : the size of all of it.
    given : the room it had; pixels of what it is painted on.
    place : where its letters lie.
    is_written : by a person, who may find the end of it in the hint alone.
    """

    text: str
    needed: QSizeF
    given: QRectF
    place: QRectF
    is_written: bool = False

    @property
    def is_whole(self) -> bool:
        short_px = max(self.needed.width() - self.given.width(),
                       self.needed.height() - self.given.height())  # fmt: skip
        return self.is_written or short_px < 1.0


Listener = Callable[[QPaintDevice | None, Told], None]
_listeners: list[Listener] = []


@contextmanager
def listening(listener: Listener) -> Iterator[None]:
    """What is drawn in the meantime is told, with what it is drawn on."""
    _listeners.append(listener)
    try:
        yield
    finally:
        _listeners.remove(listener)


def width_of(text: str, painter: QPainter) -> float:
    """Of a line in the painter's font."""
    return QFontMetricsF(painter.font()).horizontalAdvance(text)


def draw(
    painter: QPainter, given: QRectF, text: str, align: Align = LEFT, *, is_written: bool = False
) -> QRectF:
    """Draw a text in the painter's font and colour; returns where its letters lie.

    What a person wrote is cut with dots where there is no room for it; whoever draws it has it
    whole in the hint.
    """
    metrics = QFontMetricsF(painter.font())
    if is_written:
        text = metrics.elidedText(text, Qt.TextElideMode.ElideRight, given.width())
    flags = int(align.value)
    place = metrics.boundingRect(given, flags, text)
    painter.drawText(given, flags, text)
    tell(painter.device(), Told(text, place.size(), given, place, is_written))
    return place


def tell(device: QPaintDevice | None, told: Told) -> None:
    """For texts that are drawn by outlines."""
    for listener in _listeners:
        listener(device, told)


def longest_that_fits(texts: Sequence[str], room_px: float, metrics: QFontMetricsF) -> str:
    """The first of several ways to say something that has room on a line; '' if none has."""
    return next((text for text in texts if metrics.horizontalAdvance(text) <= room_px), "")
