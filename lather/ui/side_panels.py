"""The picture between its side panels, which fold away, remember their width and scroll."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, QSize, Qt
from PyQt6.QtWidgets import QScrollArea, QSplitter, QWidget

from lather.settings.store import Settings

HANDLE_PX = 6
LEAST_LEFT_PX, LEAST_HEIGHT_PX = 196, 200


class SidePanels(QSplitter):
    """Left panel, middle and right panel. The preferences say what is folded, and the widths."""

    def __init__(
        self, settings: Settings, left: QWidget, middle: QWidget, right: QWidget
    ) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self._settings = settings
        self.setHandleWidth(HANDLE_PX)
        for panel in (_Scrolling(left, LEAST_LEFT_PX), middle, right):
            self.addWidget(panel)
        self.setCollapsible(1, False)
        self.setStretchFactor(1, 1)
        self.splitterMoved.connect(self._on_dragged)
        settings.changed.connect(self._on_setting_changed)
        self.reset()

    def reset(self) -> None:
        """Give every panel the width that it has by the preferences."""
        get = self._settings.__getitem__
        left_px = 0 if get("left_folded") else get("left_px")
        right_px = 0 if get("right_folded") else get("right_px")
        whole_px = max(self.width(), left_px + right_px + 1)
        self.setSizes([left_px, whole_px - left_px - right_px, right_px])

    def close_view(self) -> None:
        self._settings.changed.disconnect(self._on_setting_changed)

    def showEvent(self, event: object) -> None:  # noqa: ARG002
        self.reset()

    def _on_dragged(self, position_px: int, index: int) -> None:  # noqa: ARG002
        left_px, _, right_px = self.sizes()
        for name, width_px in (("left", left_px), ("right", right_px)):
            self._settings.set(f"{name}_folded", width_px == 0)
            if width_px:
                self._settings.set(f"{name}_px", max(120, width_px))

    def _on_setting_changed(self, key: str) -> None:
        if key in ("left_folded", "right_folded"):
            self.reset()


class _Scrolling(QScrollArea):
    """A panel that scrolls up and down when it must, and is never cut off at its side."""

    def __init__(self, panel: QWidget, least_px: int) -> None:
        super().__init__()
        self._least_px = least_px
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setWidget(panel)

    def minimumSizeHint(self) -> QSize:
        panel, bar = self.widget(), self.verticalScrollBar()
        assert panel is not None and bar is not None
        needed_px = panel.minimumSizeHint().width() + bar.sizeHint().width()
        return QSize(max(self._least_px, needed_px), LEAST_HEIGHT_PX)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.LayoutRequest:
            self.updateGeometry()  # another tool in the hand may need more room
        return super().eventFilter(watched, event)
