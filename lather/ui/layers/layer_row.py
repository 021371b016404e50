"""One layer in the list: shown or not, name, mask, strength as a bar that can be dragged."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from functools import cache

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QFont,
    QFontMetricsF,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
)
from PyQt6.QtWidgets import QApplication, QSizePolicy, QWidget

from lather.actions.layers.layer import rename, toggle_visible
from lather.actions.workbench import Workbench
from lather.assist.stages import in_order
from lather.assist.stages import title as stage_title
from lather.core.blend.modes import BlendMode
from lather.document import edits
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layer
from lather.document.layers.photo import PhotoLayer
from lather.document.layers.pixels import PixelLayer
from lather.document.layers.unknown import UnknownLayer
from lather.ui.parts import icons
from lather.ui.parts.texts import RIGHT, draw
from lather.ui.parts.theme import BODY, GAP_1, GAP_2, SMALL, font, line_px, text_px, theme

INDENT_PX, EYE_PX, FOLD_PX = 10, 24, 18
SIGN_PX, CHIP_PX = 16, 18
BAR_PX, LEAST_BAR_PX = 4, 40
TOP_PX, RIGHT_PX = 3, 6
FIGURE = "100 %"  # the widest
PHOTO = "Photo"
SIGNS = ("lock", "mask", "limits")

Guard = Callable[[Callable[[], object]], None]
_gestures = itertools.count(1)


class LayerRow(QWidget):
    """A view of one layer of the open job."""

    dropped = pyqtSignal(int, QPointF)  # layer id, place in global coordinates
    menu_wanted = pyqtSignal(QPointF)
    fold_wanted = pyqtSignal(int)  # id of a group

    def __init__(self, bench: Workbench, layer: Layer, depth: int, guard: Guard) -> None:
        super().__init__()
        self.bench = bench
        self.layer = layer
        self._depth = depth
        self._heading = ""  # the stage, on the first row of its layers
        self.is_folded = False
        self._guard = guard
        self._gesture: int | None = None
        self._pressed_at: QPointF | None = None
        self._dragged = False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.show_layer(layer)

    def show_layer(self, layer: Layer, depth: int | None = None) -> None:
        """Show the layer as it is now."""
        self.layer = layer
        self._depth = self._depth if depth is None else depth
        self.setAccessibleName(layer.name)
        self.setToolTip(self._hint())
        self.update()

    def show_heading(self, heading: str, is_folded: bool) -> None:
        """The stage that begins with this row; whether a group shows what is in it."""
        if (heading, is_folded) != (self._heading, self.is_folded):
            self._heading, self.is_folded = heading, is_folded
            self.update()

    @property
    def heading(self) -> str:
        return self._heading

    def sizeHint(self) -> QSize:
        return QSize(200, row_height_px())

    @property
    def active(self) -> bool:
        return self.bench.job is not None and self.bench.state.active_id == self.layer.id

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: ARG002
        t, layer = theme(), self.layer
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.active:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.card))
            painter.drawRoundedRect(QRectF(self.rect()), 6, 6)
            painter.setBrush(QColor(t.accent))
            painter.drawRect(QRectF(0, 4, 3, self.height() - 8))
        eye = self._sign("shown" if layer.visible else "hidden",
                         t.text if layer.visible else t.dim)  # fmt: skip
        painter.drawPixmap(QPointF(self._left + 4, (self.height() - SIGN_PX) / 2), eye)
        if isinstance(layer, GroupLayer):
            painter.setPen(QPen(QColor(t.dim), 1.4))
            painter.drawPolyline(self._triangle())
        painter.setFont(font(BODY, QFont.Weight.Medium if self.active else QFont.Weight.Normal))
        painter.setPen(QColor(t.text if layer.visible else t.dim))
        draw(painter, self._name, layer.name, is_written=True)
        self._draw_figure(painter)
        self._draw_second_line(painter)

    def _draw_figure(self, painter: QPainter) -> None:
        """At the end of the first line."""
        layer = self.layer
        if isinstance(layer, UnknownLayer):
            return
        painter.setPen(QColor(theme().dim))
        figure = f"{round(100 * layer.strength)} %"
        if isinstance(layer, PhotoLayer):
            painter.setFont(font(SMALL))
            job = self.bench.job
            figure = f"{job.state.photo.depth_bits} bit" if job is not None else ""
        else:
            painter.setFont(font())
        draw(painter, self._figure, figure, RIGHT)

    def _draw_second_line(self, painter: QPainter) -> None:
        """Strength as a bar, what limits the layer, its mode, the stage that begins here."""
        t, layer, line = theme(), self.layer, self._second_line
        painter.setFont(font(SMALL))
        painter.setPen(QColor(t.dim))
        draw(painter, line, self._heading, RIGHT)
        if isinstance(layer, PhotoLayer):
            return
        if isinstance(layer, UnknownLayer):
            draw(painter, line, "cannot be computed here")
            return
        draw(painter, self._mode, layer.mode.value)
        bar = self._bar
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.groove))
        painter.drawRoundedRect(bar, 2, 2)
        filled = QRectF(bar)
        filled.setWidth(bar.width() * layer.strength)
        painter.setBrush(QColor(t.accent if self.active else t.dim))
        painter.drawRoundedRect(filled, 2, 2)
        self._draw_chips(painter)

    def _sign(self, name: str, colour: str) -> QPixmap:
        return icons.pixmap(name, colour, SIGN_PX, self.devicePixelRatioF())

    def _triangle(self) -> QPolygonF:
        """Of a group: down where it is open, to the right where it is folded."""
        x, y = self._fold.center().x(), self._fold.center().y()
        if self.is_folded:
            return QPolygonF([QPointF(x - 2, y - 4), QPointF(x + 2, y), QPointF(x - 2, y + 4)])
        return QPolygonF([QPointF(x - 4, y - 2), QPointF(x, y + 2), QPointF(x + 4, y - 2)])

    def _draw_chips(self, painter: QPainter) -> None:
        t = theme()
        for place, name in self._chips():
            on_mask = name == "mask" and self.active and self.bench.hands.on_mask
            if on_mask:
                painter.setPen(QColor(t.accent))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(place.adjusted(0, 0, -1, -1), 4, 4)
            sign = self._sign(name, t.accent if on_mask else t.dim)
            painter.drawPixmap(place.topLeft() + QPointF(1, (place.height() - SIGN_PX) / 2), sign)
            if name == "mask" and self.layer.mask is not None and not self.layer.mask.enabled:
                painter.setPen(QColor(t.warning))
                painter.drawLine(place.bottomLeft(), place.topRight())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        position = event.position()
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if position.x() < self._left + EYE_PX:
            self._guard(lambda: toggle_visible(self.bench, self.layer.id))
            return
        if isinstance(self.layer, GroupLayer) and self._fold.contains(position):
            self.fold_wanted.emit(self.layer.id)
            return
        pressed = next((name for place, name in self._chips() if place.contains(position)), "")
        was_active = self.active
        self._guard(lambda: self.bench.select_layer(self.layer.id))
        if pressed == "limits":
            self.bench.look(limits=True, card=True)
        elif pressed == "mask":
            on = not self.bench.hands.on_mask if was_active else True
            self._guard(lambda: self.bench.set_on_mask(on))
        elif self._on_bar(position):
            self._gesture = next(_gestures)
            self._compare()
            if not self._set_strength(position):
                self._gesture = None  # refused, and said once
        else:
            self._pressed_at = position

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._gesture is not None:
            self._set_strength(event.position())
        elif self._pressed_at is not None:
            moved = event.position() - self._pressed_at
            if moved.manhattanLength() >= QApplication.startDragDistance():
                self._dragged = True
                self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        dragged, self._dragged = self._dragged, False
        self.bench.look(compared=False)
        self._gesture = self._pressed_at = None
        self.unsetCursor()
        if dragged:
            self.dropped.emit(self.layer.id, event.globalPosition())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.position().x() >= self._name.left() and not self._on_bar(event.position()):
            self._guard(lambda: rename(self.bench, self.layer.id))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self._guard(lambda: self.bench.select_layer(self.layer.id))
        self.menu_wanted.emit(QPointF(event.globalPos()))

    @property
    def _left(self) -> float:
        return 4 + self._depth * INDENT_PX

    @property
    def _inner_left(self) -> float:
        """Where name and bar begin."""
        return self._left + EYE_PX + (FOLD_PX if isinstance(self.layer, GroupLayer) else 0)

    @property
    def _fold(self) -> QRectF:
        return QRectF(self._left + EYE_PX, 0, FOLD_PX - 4, self.height())

    @property
    def _figure(self) -> QRectF:
        width = QFontMetricsF(font(BODY)).horizontalAdvance(FIGURE) + 2
        return QRectF(self.width() - RIGHT_PX - width, TOP_PX, width, line_px(BODY))

    @property
    def _name(self) -> QRectF:
        left = self._inner_left
        return QRectF(left, TOP_PX, self._figure.left() - left - 2, line_px(BODY))

    @property
    def _second_line(self) -> QRectF:
        left, top = self._inner_left, TOP_PX + line_px(BODY)
        return QRectF(left, top, self.width() - left - RIGHT_PX, line_px(SMALL))

    @property
    def _mode(self) -> QRectF:
        """All modes in one column, before that of the stages."""
        line, (modes_px, stages_px) = self._second_line, columns_px(text_px(SMALL))
        left = line.right() - stages_px - GAP_2 - modes_px
        return QRectF(left, line.top(), modes_px, line.height())

    @property
    def _bar(self) -> QRectF:
        line = self._second_line
        end = self._mode.left() - GAP_2 - CHIP_PX * len(self._chip_names())
        width = max(LEAST_BAR_PX, end - line.left())
        return QRectF(line.left(), line.center().y() - BAR_PX / 2, width, BAR_PX)

    def _chip_names(self) -> list[str]:
        layer = self.layer
        there = layer.locked, layer.mask is not None, not layer.limits.are_open
        return [name for name, is_there in zip(SIGNS, there, strict=True) if is_there]

    def _chips(self) -> list[tuple[QRectF, str]]:
        names, line = self._chip_names(), self._second_line
        left = self._mode.left() - GAP_1 - CHIP_PX * len(names)
        return [
            (QRectF(left + i * CHIP_PX, line.top() - 1, CHIP_PX, line.height() + 2), name)
            for i, name in enumerate(names)
        ]

    def _on_bar(self, position: QPointF) -> bool:
        if isinstance(self.layer, (PhotoLayer, UnknownLayer)):
            return False
        return self._bar.adjusted(-4, -6, 4, 8).contains(position)

    def _set_strength(self, position: QPointF) -> bool:
        """False if it was refused."""
        strength = round((position.x() - self._bar.left()) / self._bar.width(), 2)
        gesture = ("strength", self._gesture)
        done: list[bool] = []
        self._guard(lambda: done.append(self.bench.change(
            "Strength", edits.set_strength, self.layer.id, strength, gesture=gesture
        )))  # fmt: skip
        return bool(done)

    def _compare(self) -> None:
        """Before and after side by side while what is softened is weighed."""
        geometry = self.bench.geometry
        if not isinstance(self.layer, PixelLayer) or self.layer.weak is None or geometry is None:
            return
        bounds = self.layer.bounds
        middle = (bounds.x0 + bounds.x1) / 2 if bounds is not None else geometry.centre_x
        share = geometry.to_view(middle, 0)[0] / geometry.view_width
        self.bench.look(compared=True, compared_at=min(max(share, 0.1), 0.9))

    def _hint(self) -> str:
        if isinstance(self.layer, PhotoLayer):
            return "The photo: never changed. Tools add a layer above it by themselves."
        if isinstance(self.layer, UnknownLayer):
            return (
                f"Not understood here ({self.layer.kind}): of a newer Lather, or with a value that "
                "does not fit.\nKept and saved again as it is, but not shown: update to see it."
            )
        return (  # with the name, which a narrow list cuts short
            f"{self.layer.name}\n"
            "Drag the bar for strength, the row to move it, double-click the name to rename.\n"
            "The mask sign switches the brush between pixels and mask; that of the limits shows "
            "them."
        )


def row_height_px() -> int:
    return TOP_PX + line_px(BODY) + line_px(SMALL) + 2


@cache
def columns_px(size_px: int) -> tuple[float, float]:  # noqa: ARG001 - the texts' size is the key
    """The widths of the modes and of the stages."""
    metrics = QFontMetricsF(font(SMALL))
    stages = (*map(stage_title, in_order()), PHOTO)
    return tuple(  # type: ignore[return-value]
        max(map(metrics.horizontalAdvance, texts)) + 2
        for texts in ([mode.value for mode in BlendMode], stages)
    )
