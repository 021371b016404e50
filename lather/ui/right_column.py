"""The hand above the layers; the line between them can be dragged, and is remembered."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QSplitter, QSplitterHandle

from lather.settings.store import Settings
from lather.ui.hand.hand_panel import HandPanel
from lather.ui.layers.layer_panel import LayerPanel
from lather.ui.parts.theme import GAP_3, theme

HANDLE_PX = 5
TALL_PX = 600  # from here on there is room for more rows
LEAST_ROWS, MORE_ROWS = 4, 5


class RightColumn(QSplitter):
    """So many rows of the layers are always in sight; the hand scrolls."""

    def __init__(self, settings: Settings, hand: HandPanel, layers: LayerPanel) -> None:
        super().__init__(Qt.Orientation.Vertical)
        self._settings, self._hand, self._layers = settings, hand, layers
        self.setHandleWidth(HANDLE_PX)
        self.setChildrenCollapsible(False)
        self.addWidget(hand)
        self.addWidget(layers)
        self.splitterMoved.connect(self._on_dragged)
        settings.changed.connect(self._on_setting_changed)

    def reset(self) -> None:
        """Give the layers the height that they were given, or what the hand leaves of it."""
        rows = MORE_ROWS if self.height() >= TALL_PX else LEAST_ROWS
        least_px = self._layers.height_of_rows_px(rows)
        self._layers.setMinimumHeight(least_px)
        whole_px = self.height() - HANDLE_PX
        layers_px = self._settings["layers_px"] or whole_px - self._hand.wished_px()
        layers_px = max(least_px, layers_px)
        self.setSizes([whole_px - layers_px, layers_px])

    def close_view(self) -> None:
        self._settings.changed.disconnect(self._on_setting_changed)

    def createHandle(self) -> QSplitterHandle:
        return _Line(Qt.Orientation.Vertical, self)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.reset()

    def _on_dragged(self, position_px: int, index: int) -> None:  # noqa: ARG002
        self._settings.set("layers_px", self.sizes()[1])

    def _on_setting_changed(self, key: str) -> None:
        if key in ("larger_text", "tool_names"):
            self.reset()


class _Line(QSplitterHandle):
    """A hairline between the two."""

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: ARG002
        painter = QPainter(self)
        colour = theme().accent if self.underMouse() else theme().line
        painter.fillRect(GAP_3, HANDLE_PX // 2, self.width() - 2 * GAP_3, 1, QColor(colour))
