"""Many points at once, from arrays to what the painter draws."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPolygonF

from lather.render.screen.geometry import ViewGeometry

Points = NDArray[np.float64]  # (N, 2) x, y
_COORDINATE = np.dtype(np.float64)


def in_widget(geometry: ViewGeometry, points: NDArray[np.floating], ratio: float) -> Points:
    """Photo pixels as widget coordinates; `ratio` is of device to widget pixels."""
    x, y = points[:, 0].astype(_COORDINATE), points[:, 1].astype(_COORDINATE)
    return np.stack(geometry.to_view(x, y), 1) / ratio  # type: ignore[arg-type]


def polygon(points: Points) -> QPolygonF:
    """The points as an open polygon, copied in one go: one object a point takes too long."""
    result = QPolygonF([QPointF()] * len(points))
    memory = result.data()
    memory.setsize(points.size * _COORDINATE.itemsize)
    np.frombuffer(memory, dtype=_COORDINATE)[:] = points.ravel()  # type: ignore[call-overload]
    return result
