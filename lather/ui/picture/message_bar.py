"""One line over the picture: sentences for the person, and long work with its cancel."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QPushButton, QWidget

from lather.actions.workbench import Workbench
from lather.ui.parts.theme import GAP_2, GAP_3, theme
from lather.ui.parts.widgets import label

SHOWN_MS = 4000
ERROR_SHOWN_MS = 15000
TICK_MS = 80


class MessageBar(QWidget):
    """Shows `said` and `task` of the workbench, and how far the kernels are."""

    def __init__(self, bench: Workbench, parent: QWidget) -> None:
        super().__init__(parent)
        self.bench = bench
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setObjectName("messages")
        row = self._row = QHBoxLayout(self)
        row.setContentsMargins(GAP_3, GAP_2, GAP_3, GAP_2)
        row.setSpacing(GAP_3)
        self.text = label("")
        self.text.setWordWrap(True)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        row.addWidget(self.text, 1)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setRange(0, 1000)
        self.bar.setFixedWidth(160)
        row.addWidget(self.bar)
        self.cancel = QPushButton("Cancel")
        self.cancel.clicked.connect(self._on_cancel)
        row.addWidget(self.cancel)
        self.offer = QPushButton("")
        self.offer.clicked.connect(self._on_offer)
        row.addWidget(self.offer)
        self.dismiss = QPushButton("Close")
        self.dismiss.clicked.connect(self._on_dismissed)
        row.addWidget(self.dismiss)
        self._hide = QTimer(self)
        self._hide.setSingleShot(True)
        self._hide.timeout.connect(self._on_shown_long_enough)
        self._tick = QTimer(self)
        self._tick.setInterval(TICK_MS)
        self._tick.timeout.connect(self._show_task)
        self._unread = ""  # an error that what comes after it does not take the place of
        self._until_read = QTimer(self)
        self._until_read.setSingleShot(True)
        self._until_read.timeout.connect(self._on_read)
        self.background_share = 1.0
        self.background_what = ""
        bench.said.connect(self._on_said)
        bench.task_changed.connect(self._on_task_changed)
        bench.offer_withdrawn.connect(self._on_shown_long_enough)
        self.hide()

    def close_view(self) -> None:
        self._tick.stop()
        self._hide.stop()
        self._until_read.stop()
        self.bench.said.disconnect(self._on_said)
        self.bench.task_changed.disconnect(self._on_task_changed)
        self.bench.offer_withdrawn.disconnect(self._on_shown_long_enough)

    def set_background(self, share: float, what: str) -> None:
        """Progress of preparation that nobody has to wait for."""
        self.background_share, self.background_what = share, what
        if self.bench.task is None and not self._hide.isActive():
            self._on_shown_long_enough()

    def place(self) -> None:
        """Lie at the bottom of the parent."""
        parent = self.parentWidget()
        if parent is not None:
            width = min(parent.width() - 32, 720)
            self.setFixedWidth(width)
            height = self._row.heightForWidth(width)
            self.setGeometry((parent.width() - width) // 2, parent.height() - height - 16,
                             width, height)

    def _on_said(self, text: str, is_error: bool) -> None:
        if is_error and self.bench.stays:
            self._unread = text
            self._until_read.start(ERROR_SHOWN_MS)
        self._show(text, None, error=is_error)
        if is_error and self.bench.offer is not None:
            self._hide.stop()  # stays until answered
        else:
            self._hide.start(ERROR_SHOWN_MS if is_error else SHOWN_MS)

    def _on_task_changed(self) -> None:
        if self.bench.task is None:
            self._tick.stop()
            self._on_shown_long_enough()
        else:
            self._hide.stop()
            self._tick.start()
            self._show_task()

    def _show_task(self) -> None:
        task = self.bench.task
        if task is not None:
            n_waiting = self.bench.tasks.n_waiting
            more = f"  ·  {n_waiting} more to come" if n_waiting else ""
            self._show(f"{task.title}  {task.what}{more}", task.share, error=False)

    def _show(self, text: str, share: float | None, *, error: bool) -> None:
        t, is_more = theme(), self._unread not in ("", text)
        style = (
            f"#messages {{ background: {t.card}; border-radius: 6px;"
            f" border: 1px solid {t.warning if error or is_more else t.line}; }}"
        )
        if style != self.styleSheet():  # dressing anew takes longer than all else here
            self.setStyleSheet(style)
        self.text.setText(f"{self._unread}\n{text}" if is_more else text)
        self.bar.setVisible(share is not None)
        self.bar.setValue(round(1000 * (share or 0)))
        self.cancel.setVisible(self.bench.task is not None)
        self.dismiss.setVisible(self.bench.task is None and share is None)
        offer = self.bench.offer if error else None
        self.offer.setVisible(offer is not None)
        self.offer.setText(offer.title if offer is not None else "")
        self.show()
        self.place()
        self.raise_()

    def _on_dismissed(self) -> None:
        self._on_read()
        self.hide()

    def _on_read(self) -> None:
        """The error has been there long enough, or was put away."""
        self._until_read.stop()
        self._unread = ""

    def _on_shown_long_enough(self) -> None:
        """Nothing new to say: the preparation still going on, or nothing."""
        if self.background_share < 1:
            text = f"{self.background_what}: painting works meanwhile"
            self._show(text, self.background_share, error=False)
        elif self._until_read.isActive():
            self._show(self._unread, None, error=True)
        else:
            self.hide()

    def _on_offer(self) -> None:
        self._on_dismissed()
        offer = self.bench.offer
        if offer is not None:
            try:
                offer.run()
            except Exception as error:  # noqa: BLE001 - the edge
                self.bench.report(error, f"'{offer.title}' failed")

    def _on_cancel(self) -> None:
        if self.bench.task is not None:
            self.bench.task.cancel.cancel()
