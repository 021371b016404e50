"""One layer in the list: shown or not, name, mask, strength as a bar that can be dragged."""

from __future__ import annotations

import itertools
from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QFont,
    QMouseEvent,
    QPainter,
    QPaintEvent,
)
from PyQt6.QtWidgets import QApplication, QSizePolicy, QWidget

from lather.actions.layers.layer import rename, toggle_visible
from lather.actions.workbench import Workbench
from lather.document import edits
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import Layer
from lather.document.layers.photo import PhotoLayer
from lather.document.layers.pixels import PixelLayer
from lather.document.layers.unknown import UnknownLayer
from lather.ui.parts import icons
from lather.ui.parts.theme import BODY, SMALL, font, theme

HEIGHT_PX = 42
INDENT_PX = 14
EYE_PX = 26
BAR_PX = 4
FIGURE_PX = 50
CHIP_PX = 20

Guard = Callable[[Callable[[], object]], None]
_gestures = itertools.count(1)


class LayerRow(QWidget):
    """A view of one layer of the open job."""

    dropped = pyqtSignal(int, QPointF)  # layer id, place in global coordinates
    menu_wanted = pyqtSignal(QPointF)

    def __init__(self, bench: Workbench, layer: Layer, depth: int, guard: Guard) -> None:
        super().__init__()
        self.bench = bench
        self.layer = layer
        self._depth = depth
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

    def sizeHint(self) -> QSize:
        return QSize(200, HEIGHT_PX)

    @property
    def active(self) -> bool:
        return self.bench.job is not None and self.bench.state.active_id == self.layer.id

    def paintEvent(self, event: QPaintEvent) -> None:
        t, layer = theme(), self.layer
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.active:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.card))
            painter.drawRoundedRect(QRectF(self.rect()), 6, 6)
            painter.setBrush(QColor(t.accent))
            painter.drawRect(QRectF(0, 4, 3, HEIGHT_PX - 8))
        eye = icons.pixmap("shown" if layer.visible else "hidden",
                           t.text if layer.visible else t.dim, 16, self.devicePixelRatioF())
        painter.drawPixmap(QPointF(self._left + 4, 12), eye)
        painter.setFont(font(BODY, QFont.Weight.Medium if self.active else QFont.Weight.Normal))
        painter.setPen(QColor(t.text if layer.visible else t.dim))
        name = QRectF(self._bar.left(), 5, self._bar.width() - self._chips_width, 18)
        shown = painter.fontMetrics().elidedText(
            layer.name, Qt.TextElideMode.ElideRight, int(name.width())
        )
        painter.drawText(name, Qt.AlignmentFlag.AlignVCenter, shown)
        self._draw_chips(painter)
        self._draw_strength(painter)

    def _draw_strength(self, painter: QPainter) -> None:
        t, layer = theme(), self.layer
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        figure = QRectF(self.width() - FIGURE_PX - 6, 5, FIGURE_PX, 18)
        painter.setFont(font(SMALL if isinstance(layer, PhotoLayer) else BODY))
        painter.setPen(QColor(t.dim))
        if isinstance(layer, PhotoLayer):
            painter.drawText(figure, right, f"{self.bench.state.photo.depth_bits} bit")
            return
        if isinstance(layer, UnknownLayer):
            below = QRectF(self._bar.left(), 22, self.width() - self._bar.left() - 6, 16)
            painter.setFont(font(SMALL))
            painter.drawText(below, Qt.AlignmentFlag.AlignVCenter, "cannot be computed here")
            return
        painter.drawText(figure, right, f"{round(100 * layer.strength)} %")
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.groove))
        painter.drawRoundedRect(self._bar, 2, 2)
        filled = QRectF(self._bar)
        filled.setWidth(self._bar.width() * layer.strength)
        painter.setBrush(QColor(t.accent if self.active else t.dim))
        painter.drawRoundedRect(filled, 2, 2)
        if layer.mode.value != "normal":
            painter.setFont(font(SMALL))
            painter.setPen(QColor(t.dim))
            below = QRectF(self.width() - 86, 23, 80, 14)
            painter.drawText(below, right, layer.mode.value)

    def _draw_chips(self, painter: QPainter) -> None:
        t, ratio = theme(), self.devicePixelRatioF()
        for place, name in self._chips():
            on_mask = name == "mask" and self.active and self.bench.hands.on_mask
            colour = t.accent if on_mask else t.dim
            if on_mask:
                painter.setPen(QColor(t.accent))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(place.adjusted(0, 0, -1, -1), 4, 4)
            sign = icons.pixmap(name, colour, 16, ratio)
            painter.drawPixmap(place.topLeft() + QPointF(2, 2), sign)
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
        mask_pressed = any(
            name == "mask" and place.contains(position) for place, name in self._chips()
        )
        was_active = self.active
        self._guard(lambda: self.bench.select_layer(self.layer.id))
        if mask_pressed:
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
        if event.position().x() >= self._bar.left() and not self._on_bar(event.position()):
            self._guard(lambda: rename(self.bench, self.layer.id))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self._guard(lambda: self.bench.select_layer(self.layer.id))
        self.menu_wanted.emit(QPointF(event.globalPos()))

    @property
    def _left(self) -> float:
        return 4 + self._depth * INDENT_PX

    @property
    def _bar(self) -> QRectF:
        left = self._left + EYE_PX
        return QRectF(left, 29, self.width() - left - FIGURE_PX - 14, BAR_PX)

    @property
    def _chips_width(self) -> float:
        return CHIP_PX * len(self._chip_names())

    def _chip_names(self) -> list[str]:
        layer = self.layer
        present = (
            ("group", isinstance(layer, GroupLayer)),
            ("lock", layer.locked),
            ("mask", layer.mask is not None),
        )
        return [name for name, there in present if there]

    def _chips(self) -> list[tuple[QRectF, str]]:
        names = self._chip_names()
        left = self._bar.right() - CHIP_PX * len(names)
        return [
            (QRectF(left + i * CHIP_PX, 4, CHIP_PX, CHIP_PX), name) for i, name in enumerate(names)
        ]

    def _on_bar(self, position: QPointF) -> bool:
        if isinstance(self.layer, (PhotoLayer, UnknownLayer)):
            return False
        return self._bar.adjusted(-4, -7, 4, 9).contains(position)

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
            "The mask sign switches the brush between pixels and mask."
        )
