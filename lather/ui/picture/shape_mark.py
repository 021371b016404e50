"""What a reshape comes to, on the picture: straight lines and their bend, handles of features, the
middle line, and figures beside the pen."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from lather.actions.looking.people import person_of
from lather.actions.workbench import Workbench
from lather.assist.shape.face_features import FeatureNow, features_now
from lather.core.shape.measure import LEAST_STRETCH, MOST_STRETCH
from lather.document.layers.reshape import ReshapeLayer
from lather.tools.base import ShapeReading
from lather.tools.stages import row
from lather.tools.table import tool
from lather.ui.parts.theme import theme
from lather.ui.picture.area_mark import dark_pen, double_line
from lather.ui.picture.worded import draw_tag

DOT_PX, ARM_PX = 4.5, 13.0
BENT_PX = 0.5  # from here on a bend is a warning
TAG_AWAY_PX, TAG_SIZE_PX = 18.0, (270, 90)


class ShapeMark:
    """Draws while a reshape tool is in the hand."""

    def __init__(self, bench: Workbench) -> None:
        self._bench = bench
        self._features: tuple[object, tuple[FeatureNow, ...]] | None = None

    @property
    def _is_on(self) -> bool:
        bench = self._bench
        return bench.job is not None and tool(bench.hand.tool).reshapes

    def draw(self, painter: QPainter, cursor: QPointF | None, ratio: float) -> None:
        bench = self._bench
        if not self._is_on or bench.geometry is None or bench.session is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        self._draw_middle(painter, ratio)
        if bench.hand.tool == "feature":
            for now in self._features_now():
                self._draw_feature(painter, now, ratio)
        reading = bench.session.reading
        if reading is not None and bench.hand.tool in row(bench.stage).tools:
            self._draw_lines(painter, reading, ratio)
            if cursor is not None and bench.session.busy:
                _draw_figures(painter, reading, cursor)

    def box(self, cursor: QPointF) -> QRect:
        """What the figures beside the pen can touch, in widget coordinates."""
        width, height = TAG_SIZE_PX
        return QRectF(cursor.x(), cursor.y() - height, width, 2 * height).toAlignedRect()

    def _features_now(self) -> tuple[FeatureNow, ...]:
        state = self._bench.state
        person = person_of(self._bench)
        key = state.layers, state.findings, state.brief, person
        if self._features is None or self._features[0] != key:
            self._features = key, features_now(state, person)
        return self._features[1]

    def _draw_feature(self, painter: QPainter, now: FeatureNow, ratio: float) -> None:
        """A dot on each strand, with the way that it goes."""
        for strand in (one for one in now.strands if one.grip):
            at = self._placed(*strand.handle, ratio)
            way = QPointF(*strand.way) * (ARM_PX / max(float(np.hypot(*strand.way)), 1e-6))
            if self._bench.geometry is not None and self._bench.geometry.mirrored:
                way = QPointF(-way.x(), way.y())
            path = QPainterPath(at - way)
            path.lineTo(at + way)
            double_line(painter, path)
            painter.setPen(dark_pen())
            painter.setBrush(QColor(theme().accent))
            painter.drawEllipse(at, DOT_PX, DOT_PX)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            if abs(now.moved_mm) >= 0.05 and strand.side >= 0:
                share = abs(now.moved_mm) / max(now.most_mm, 1e-6)
                text = f"{now.feature.title} {now.moved_mm:+.1f} mm".replace("-", "\u2212")
                draw_tag(painter, at + way + QPointF(6, 0), text, warning=share > 0.99)

    def _draw_middle(self, painter: QPainter, ratio: float) -> None:
        bench = self._bench
        layer = bench.state.active
        line = layer.middle if isinstance(layer, ReshapeLayer) else None
        if line is None or not (bench.hand.shape.mirrored or bench.hand.tool == "middle_line"):
            return
        ends = [self._placed(*end, ratio) for end in (line[:2], line[2:])]
        path = QPainterPath(ends[0])
        path.lineTo(ends[1])
        pen = QPen(QColor(theme().accent), 1.4)
        pen.setDashPattern([5, 4])
        painter.setPen(pen)
        painter.drawPath(path)

    def _draw_lines(self, painter: QPainter, reading: ShapeReading, ratio: float) -> None:
        """The straight lines near by, and where one is bent, by how much."""
        t = theme()
        for x0, y0, x1, y1 in reading.lines.tolist():
            painter.setPen(QPen(QColor(0, 0, 0, 90), 2.4))
            ends = self._placed(x0, y0, ratio), self._placed(x1, y1, ratio)
            painter.drawLine(*ends)
            painter.setPen(QPen(QColor(t.accent), 1.0))
            painter.drawLine(*ends)
        for bend in reading.bends[:3]:
            at = self._placed(bend.x, bend.y, ratio)
            painter.setPen(QPen(QColor(t.warning if bend.px > BENT_PX else t.accent), 2.0))
            painter.drawEllipse(at, DOT_PX, DOT_PX)
            text = f"line bent {bend.px:.1f} px"
            draw_tag(painter, at + QPointF(8, 0), text, warning=bend.px > BENT_PX)

    def _placed(self, x: float, y: float, ratio: float) -> QPointF:
        assert self._bench.geometry is not None
        return QPointF(*self._bench.geometry.to_view(x, y)) / ratio


def _draw_figures(painter: QPainter, reading: ShapeReading, cursor: QPointF) -> None:
    """How far the skin under the pen has gone."""
    share = "" if reading.face_share is None else f" · {reading.face_share:.1%} of the face"
    at = cursor + QPointF(TAG_AWAY_PX, -TAG_AWAY_PX)
    draw_tag(painter, at, f"moved {reading.moved_mm:.1f} mm{share}", warning=reading.is_beyond)
    warning = ""
    if reading.stretched > MOST_STRETCH or reading.squeezed < LEAST_STRETCH:
        warning = f"stretched {reading.squeezed:.0%}\u2013{reading.stretched:.0%}"
    if reading.stopped:
        warning = "stopped: it would fold"
    if warning:
        draw_tag(painter, at - QPointF(0, 26), warning, warning=True)
