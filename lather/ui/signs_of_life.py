"""Whatever the person does is time that was worked: every key, press, drag, turn of the wheel."""

from __future__ import annotations

import time

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QApplication

from lather.actions.workbench import Workbench

_SIGNS = frozenset({
    QEvent.Type.KeyPress, QEvent.Type.MouseButtonPress, QEvent.Type.MouseButtonRelease,
    QEvent.Type.MouseMove, QEvent.Type.Wheel, QEvent.Type.TabletPress, QEvent.Type.TabletMove,
    QEvent.Type.TabletRelease,
})  # fmt: skip


class SignsOfLife(QObject):
    """Tells the open job's ledger; of a mouse that moves only while it drags."""

    def __init__(self, bench: Workbench, parent: QObject) -> None:
        super().__init__(parent)
        self._bench = bench
        application = QApplication.instance()
        assert application is not None
        application.installEventFilter(self)

    def close_view(self) -> None:
        application = QApplication.instance()
        if application is not None:
            application.removeEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is None or event.type() not in _SIGNS or self._bench.job is None:
            return False
        hovers = event.type() is QEvent.Type.MouseMove and not QApplication.mouseButtons()
        if not hovers:
            self._bench.job.ledger.sign_of_life(time.monotonic())
        return False
