"""Face handles on the picture, and the line that sets the scale: drawn, and dragged."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from lather.actions.findings.face import HANDLE_TITLES, measured, move_handle
from lather.actions.workbench import Workbench
from lather.ui.parts.theme import theme
from lather.ui.picture.area_mark import double_line
from lather.ui.picture.worded import draw_tag

GRIP_PX = 12.0
RING_PX, DOT_PX = 9.0, 1.6
ROOM_PX = 190.0  # between the pupils, from which the handles are named
_RIM = ("temple_right", "chin", "temple_left")
_MOUTH = ("mouth_right", "mouth_left")


class HandleMark:
    """Handles while they are shown; the dragged one follows the pen until it is let go."""

    def __init__(self, bench: Workbench) -> None:
        self._bench = bench
        self._dragged: tuple[int, str] | None = None
        self._from: QPointF | None = None
        self._at = QPointF()

    @property
    def busy(self) -> bool:
        return self._dragged is not None or self._from is not None

    def press(self, position: QPointF, ratio: float) -> bool:
        """Take hold of what lies at a place of the widget; False if nothing does."""
        if self._bench.looks.measuring:
            self._from = self._at = position
            return True
        if not self._bench.looks.handles or self._bench.job is None:
            return False
        for (index, name), place in self._places(ratio).items():
            if math.dist((place.x(), place.y()), (position.x(), position.y())) < GRIP_PX:
                self._dragged, self._at = (index, name), position
                return True
        return False

    def move(self, position: QPointF) -> None:
        self._at = position

    def release(self, position: QPointF, ratio: float) -> None:
        """Put down what was held."""
        dragged, self._dragged = self._dragged, None
        start, self._from = self._from, None
        geometry = self._bench.geometry
        if geometry is None:
            return
        sight = self._bench.photo_sight
        end = sight.to_photo(geometry, position.x() * ratio, position.y() * ratio)
        try:
            if start is not None:
                begin = sight.to_photo(geometry, start.x() * ratio, start.y() * ratio)
                measured(self._bench, begin, end)
            elif dragged is not None:
                move_handle(self._bench, *dragged, *end)
        except Exception as error:  # noqa: BLE001 - the edge
            self._bench.report(error, "Setting the geometry failed")

    def draw(self, painter: QPainter, ratio: float) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._from is not None:
            self._draw_length(painter, ratio)
        if self._bench.looks.handles and self._bench.job is not None:
            self._draw_handles(painter, ratio)

    def _draw_length(self, painter: QPainter, ratio: float) -> None:
        assert self._from is not None and self._bench.geometry is not None
        path = QPainterPath(self._from)
        path.lineTo(self._at)
        double_line(painter, path)
        away = self._at - self._from
        length_px = math.hypot(away.x(), away.y()) * ratio / self._bench.geometry.zoom
        draw_tag(painter, self._at + QPointF(14, 0), f"{length_px:.0f} px")

    def _draw_handles(self, painter: QPainter, ratio: float) -> None:
        places = self._places(ratio)
        named = self._room_px(ratio) > ROOM_PX
        for index in range(len(self._bench.state.findings.faces)):
            for names in (_RIM, _MOUTH):
                path = QPainterPath(places[index, names[0]])
                for name in names[1:]:
                    path.lineTo(places[index, name])
                pen = QPen(QColor(255, 255, 255, 90), 1)
                pen.setDashPattern([4, 5])
                painter.setPen(pen)
                painter.drawPath(path)
        for (index, name), place in places.items():
            held = self._dragged == (index, name)
            for colour, width in (
                (QColor(0, 0, 0, 160), 3.0),
                (QColor(theme().accent) if held else QColor(255, 255, 255), 1.4),
            ):
                painter.setPen(QPen(colour, width))
                painter.drawEllipse(place, RING_PX, RING_PX)
                painter.drawEllipse(place, DOT_PX, DOT_PX)
            if named or held:
                draw_tag(painter, place + QPointF(RING_PX + 4, 0), HANDLE_TITLES[name])

    def _room_px(self, ratio: float) -> float:
        """How far apart the pupils of the smallest face lie in the widget."""
        zoom = self._bench.geometry.zoom if self._bench.geometry is not None else 1.0
        faces = self._bench.state.findings.faces
        return min((face.pupil_distance_px for face in faces), default=0.0) * zoom / ratio

    def _places(self, ratio: float) -> dict[tuple[int, str], QPointF]:
        """Where each handle lies in the widget."""
        geometry = self._bench.geometry
        if geometry is None:
            return {}
        sight = self._bench.photo_sight
        places = {
            (index, name): QPointF(*sight.to_view(geometry, x, y)) / ratio
            for index, face in enumerate(self._bench.state.findings.faces)
            for name, (x, y) in face.handles.items()
        }
        if self._dragged is not None:
            places[self._dragged] = self._at
        return places
