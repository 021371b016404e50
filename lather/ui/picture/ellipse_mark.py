"""The ellipse of a radial light on the picture: its rim, and where its softness begins and ends."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from lather.actions.workbench import Workbench
from lather.document.layers.radial import RadialLayer

CROSS_PX = 5.0


def draw_ellipse(painter: QPainter, bench: Workbench, ratio: float) -> None:
    """While a radial light is the layer in work and the picking tool is in the hand."""
    geometry, job = bench.geometry, bench.job
    if geometry is None or job is None or bench.hand.tool != "pick" or bench.hand.on_mask:
        return
    layer = job.state.active
    if not isinstance(layer, RadialLayer):
        return
    given, zoom = layer.parameters, geometry.zoom / ratio
    x, y = bench.layer_sight.to_view(geometry, given.centre_x_px, given.centre_y_px)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(x / ratio, y / ratio)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.rotate(-given.angle_deg if geometry.mirrored else given.angle_deg)
    soft = given.softness_percent / 100
    for share, style in ((1.0, Qt.PenStyle.SolidLine), (1 - soft, Qt.PenStyle.DotLine),
                         (1 + soft, Qt.PenStyle.DotLine)):  # fmt: skip
        for colour, width in ((QColor(0, 0, 0, 150), 3.0), (QColor(255, 255, 255), 1.0)):
            painter.setPen(QPen(colour, width, style))
            across, down = share * given.radius_x_px * zoom, share * given.radius_y_px * zoom
            painter.drawEllipse(QPointF(0, 0), across, down)
    painter.drawLine(QPointF(-CROSS_PX, 0), QPointF(CROSS_PX, 0))
    painter.drawLine(QPointF(0, -CROSS_PX), QPointF(0, CROSS_PX))
    painter.restore()
