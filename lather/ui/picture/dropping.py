"""Files dropped on the picture."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtGui import QDragEnterEvent, QDropEvent

from lather.actions.job.opening import open_file
from lather.actions.workbench import Workbench


def accept_files(event: QDragEnterEvent) -> None:
    data = event.mimeData()
    if data is not None and any(url.isLocalFile() for url in data.urls()):
        event.acceptProposedAction()


def open_dropped(bench: Workbench, event: QDropEvent) -> None:
    data = event.mimeData()
    paths = [Path(url.toLocalFile()) for url in data.urls()] if data is not None else []
    if paths:
        event.acceptProposedAction()
        try:
            open_file(bench, paths[0])
        except Exception as error:  # noqa: BLE001 - the edge
            bench.report(error, "Opening the dropped file failed")
